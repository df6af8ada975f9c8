package gate

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/nats-io/nats.go"

	"reelhouse/core/fingerprint"
	"reelhouse/core/job"
	"reelhouse/farm"
	"reelhouse/farm/wire"
	"reelhouse/store"
)

// An outpost is a node on another machine that has said hello.
type outpost struct {
	gate  *Gate
	name  string
	key   string     // of the record, by which it is known again
	hello wire.Hello // which stays
	pass  string     // for bytes
	node  *farm.Node
	stop  context.CancelFunc
	ctx   context.Context // of all that it does

	mutex   sync.Mutex
	seen    time.Time
	noted   time.Time // when it was last noted that it was seen
	beat    wire.Beat
	gone    bool   // it was put out: another one has its place, or none
	pause   string // why it takes nothing
	opening int    // leases that have no errand yet
	errands map[int64]*errand
	// resuming are leases that the node has, whose errands are not there yet.
	resuming map[int64]bool
	counts   store.NodeCounts // that are not noted yet
	given    []string         // labels that people gave it
	kindNow  string           // see kind; "" for not known
	joined   time.Time        // when its record was known
	shares   []*share         // folders that it says it has, too
}

// noteEvery is how often it is noted that a node was seen.
const noteEvery = 10 * time.Second

// nameIn returns the name of the node at the end of a subject.
func nameIn(subject, prefix string) string { return strings.TrimPrefix(subject, prefix) }

// hello answers a node that presents itself.
func (g *Gate) hello(m *nats.Msg) {
	defer g.figures.answered("hello", time.Now())
	name := nameIn(m.Subject, wire.HelloTo)
	var h wire.Hello
	if err := json.Unmarshal(m.Data, &h); err != nil {
		g.answer(m, wire.Welcome{Refused: "its hello cannot be read: " + err.Error()})
		return
	}
	record, err := g.House.Record.FindNode(name)
	if err != nil {
		g.answer(m, wire.Welcome{Refused: "the house does not know it any more"})
		return
	}
	why := refusal(h)
	if h.Simulated && !g.Simulated && why == "" {
		why = "it is simulated, and its pictures are not of the scene: a trial is started with --farm-simulated"
	}
	if why != "" {
		g.Log.Warn("a node gets no work", "node", name, "reason", why)
		g.answer(m, wire.Welcome{Refused: why})
		return
	}
	if o := g.find(name); o != nil && o.hello.Instance != h.Instance && time.Since(o.lastSeen()) < g.Lease {
		why := fmt.Sprintf("another machine, %s, is node %s already; give this one a token of its own", o.hello.Machine,
			name)
		_ = o.refuse("machine %s says that it is this node, too", h.Machine)
		g.answer(m, wire.Welcome{Refused: why})
		return
	}
	if err := g.House.Record.NodeJoined(name, string(m.Data)); err != nil {
		g.answer(m, wire.Welcome{Refused: "the house cannot note that it has joined"})
		return
	}
	o := g.join(record, h)
	if o == nil {
		g.answer(m, wire.Welcome{Refused: "the house ends just now"})
		return
	}
	g.Log.Info("a node has joined", "node", name, "machine", h.Machine, "cores", h.Cores, "slots", h.Slots,
		"version", h.Program)
	programs, err := Programs(g.House.Record)
	if err != nil {
		g.Log.Warn("it is not known what a node can do", "node", name, "error", err)
	}
	g.answer(m, wire.Welcome{
		Program: g.Program, Lacks: h.Lacks(programs), Key: o.passNow(), Every: g.Every, Lease: g.Lease,
		Shares: o.try(h.Shares),
	})
	g.Hub.Changed()
}

// refusal says why a node cannot be one of this house, "" if it can.
func refusal(h wire.Hello) string {
	switch {
	case h.Version != wire.Version:
		return fmt.Sprintf(
			"it speaks version %d of the protocol, and this house version %d; give both the same program",
			h.Version,
			wire.Version,
		)
	case h.Contract != job.Version:
		return fmt.Sprintf(
			"it knows version %d of the contract with renderers, and this house version %d; give both the same program",
			h.Contract, job.Version)
	case h.Slots < 1 || h.Slots > mostSlots || h.Cores < 1 || h.Cores > mostSlots || len(h.Labels) > mostLabels ||
		len(h.Shares) > mostLabels:
		return "what it says of its slots, cores or labels cannot be"
	}
	return ""
}

// Programs returns what a house has, as its server has noted it.
func Programs(record *store.Store) (p wire.Programs, err error) {
	usual, known, err := record.Renderer()
	if err != nil {
		return p, err
	}
	if known {
		p.Renderers = append(p.Renderers, usual)
	}
	offered, err := record.Offered()
	for _, r := range offered {
		p.Renderers = append(p.Renderers, r.Renderer)
	}
	follow, again := record.FollowUps()
	for _, f := range follow {
		p.Kinds = append(p.Kinds, fingerprint.Renderer{Name: f.Kind, Version: f.Program.Version})
	}
	return p, errors.Join(err, again)
}

// Bounds of what a node says of itself.
const (
	mostSlots  = 1024
	mostLabels = 64
)

// join makes a node of the house of what said hello. What one of its name had before goes on, if it is the same key:
// then it has only connected again.
func (g *Gate) join(record store.Node, h wire.Hello) *outpost {
	g.mutex.Lock()
	defer g.mutex.Unlock()
	if g.ends {
		return nil
	}
	o := &outpost{gate: g, name: record.Name, key: record.Key, errands: map[int64]*errand{}, resuming: map[int64]bool{}}
	if before := g.nodes[record.Name]; before != nil {
		if before.key == record.Key && sameMachine(before.hello, h) {
			o = before
		} else {
			before.lose("it has joined again as another one")
			g.group.Go(func() { before.node.Settled(); before.stop() })
		}
	}
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.pass, o.seen, o.pause = rand.Text(), time.Now(), record.Paused
	if o.node != nil {
		return o
	}
	o.given, o.joined = record.Labels, o.seen
	o.hello = h
	o.ctx, o.stop = context.WithCancel(g.ctx)
	n := g.Like()
	o.node = n
	n.Name, n.Slots, n.Cores, n.Memory, n.Elsewhere = o.name, h.Slots, h.Cores, h.Memory, o
	n.Labels = slices.Sorted(slices.Values(h.Labels))
	n.Label(record.Labels)
	n.Only(func(r farm.Renderer) bool { return slices.Contains(h.Renderers, r.Print()) },
		func(kind string, r farm.Renderer) bool {
			return slices.Contains(h.Kinds, fingerprint.Renderer{Name: kind, Version: r.Version})
		})
	g.nodes[record.Name], g.sorted = o, nil
	n.Told = func(l *store.Lease, good bool, seconds float64) {
		if good {
			o.count(store.NodeCounts{Done: 1, Seconds: seconds})
			g.spotted(o, l)
		} else {
			o.count(store.NodeCounts{Failed: 1})
		}
	}
	n.Reset()
	g.group.Go(func() { n.End(o.ctx) })
	g.resume(o)
	return o
}

// sameMachine reports whether a node that says hello again is as it was.
func sameMachine(a, b wire.Hello) bool {
	return a.Instance == b.Instance && a.Slots == b.Slots &&
		a.Cores == b.Cores && a.Memory == b.Memory && a.Machine == b.Machine && a.Processor == b.Processor &&
		slices.Equal(
			a.Labels,
			b.Labels,
		) && slices.Equal(a.Shares, b.Shares) && slices.Equal(a.Renderers, b.Renderers) &&
		slices.Equal(a.Kinds, b.Kinds)
}

// beat answers a node that says what it has.
func (g *Gate) beat(m *nats.Msg) {
	defer g.figures.answered("beat", time.Now())
	o := g.find(nameIn(m.Subject, wire.BeatTo))
	var b wire.Beat
	if err := json.Unmarshal(m.Data, &b); err != nil || o == nil || o.hello.Instance != b.Instance {
		g.answer(m, wire.Tasks{Unknown: true})
		return
	}
	if b.Leaving {
		g.answer(m, wire.Tasks{Unknown: true})
		g.beside(func() { g.putOut(o, "it has ended") })
		return
	}
	var others []int64
	o.mutex.Lock()
	o.seen, o.beat = time.Now(), b
	for _, s := range o.shares {
		s.prove()
	}
	for _, h := range b.Have {
		if e := o.errands[h.Lease]; e != nil {
			e.taken = true
			if h.Progress > 0 && h.Progress <= 1 {
				e.progressed(h)
			}
		} else if !o.resuming[h.Lease] { // it may be somebody else's meanwhile, which the answer tells
			others = append(others, h.Lease)
		}
	}
	o.mutex.Unlock()
	for _, lease := range others {
		g.takeLate(o, lease)
	}
	g.answer(m, o.tasks())
	if o.room() > 0 {
		g.beside(o.handOut) // of which it is told by a poke
	}
}

// tasks returns what the node is to have.
func (o *outpost) tasks() wire.Tasks {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	t := wire.Tasks{Paused: o.pause}
	for lease := range o.errands {
		t.Leases = append(t.Leases, lease)
	}
	for lease := range o.resuming {
		t.Leases = append(t.Leases, lease)
	}
	slices.Sort(t.Leases)
	t.Leases = slices.Compact(t.Leases)
	return t
}

// room returns how many more errands the node can be given.
func (o *outpost) room() int {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	return o.roomNow()
}

func (o *outpost) roomNow() int {
	if o.pause != "" || o.beat.Trouble != "" {
		return 0
	}
	n := min(o.beat.Free, o.hello.Slots) - o.opening
	for _, e := range o.errands {
		if !e.taken {
			n--
		}
	}
	return n
}

// handOut leases what the node has room for.
func (o *outpost) handOut() {
	kind := o.kind()
	for o.ctx.Err() == nil && !o.gate.keepsFree(o) {
		nothing, look := o.gate.nothing.is(kind)
		if nothing {
			return
		}
		opened, first := o.open()
		if opened == nil {
			return
		}
		if !o.node.Take(context.WithValue(o.ctx, openedKey{}, opened), opened) {
			opened()
			if first && o.node.Rested() { // otherwise there may be something for others like it
				o.gate.nothing.note(kind, look)
			}
			return
		}
	}
}

// kind is what counts for whether there is something for a node.
func (o *outpost) kind() string {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	if o.kindNow == "" {
		o.kindNow = fmt.Sprint(o.hello.Labels, o.given, o.hello.Cores, o.hello.Memory, o.hello.Renderers, o.hello.Kinds)
	}
	return o.kindNow
}

// open takes room for an errand, until what it returns is called; nil if there is none. It is the first if the node has
// no other.
func (o *outpost) open() (opened func(), first bool) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	if o.roomNow() <= 0 {
		return nil, false
	}
	first = o.opening == 0 && len(o.errands) == 0
	o.opening++
	return sync.OnceFunc(func() {
		o.mutex.Lock()
		defer o.mutex.Unlock()
		o.opening--
	}), first
}

// openedKey is under which a context has what to call when an errand of it is known.
type openedKey struct{}

// told takes what people say of the node.
func (o *outpost) told(record store.Node) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.pause = record.Paused
	if !slices.Equal(o.given, record.Labels) {
		o.given, o.kindNow = record.Labels, ""
		o.node.Label(record.Labels)
	}
}

func (o *outpost) pausedNow() string {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	return o.pause
}

func (o *outpost) lastSeen() time.Time {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	return o.seen
}

// note notes when nodes were seen, what they said of their machines, and what came of their errands: of those that are
// due by now.
func (g *Gate) note(now time.Time, of ...*outpost) {
	var notes []store.NodeNote
	var noted []*outpost
	for _, o := range of {
		if n, due := o.toNote(now); due {
			notes, noted = append(notes, n), append(noted, o)
		}
	}
	if len(notes) == 0 {
		return
	}
	if err := g.House.Record.NodesSeen(notes...); err != nil {
		g.Log.Error("what came of nodes' errands cannot be noted", "nodes", len(notes), "error", err)
		for i, o := range noted {
			o.count(notes[i].More)
		}
	}
}

// toNote returns what is to be noted of the node, if it is due.
func (o *outpost) toNote(now time.Time) (store.NodeNote, bool) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	if now.Sub(o.noted) < noteEvery {
		return store.NodeNote{}, false
	}
	n := store.NodeNote{
		Name: o.name, Seen: o.seen, More: o.counts,
		State: store.NodeState{
			Load: o.beat.Load, Free: o.beat.Memory, Disk: o.beat.Disk, Trouble: o.beat.Trouble,
		},
	}
	o.noted, o.counts = now, store.NodeCounts{}
	return n, true
}

// count counts what came of an errand, or what was refused.
func (o *outpost) count(more store.NodeCounts) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.counts.Done, o.counts.Failed = o.counts.Done+more.Done, o.counts.Failed+more.Failed
	o.counts.Refused, o.counts.Seconds = o.counts.Refused+more.Refused, o.counts.Seconds+more.Seconds
}

// refuse counts something that is not the node's own, or not what it is said to be, and says so.
func (o *outpost) refuse(what string, args ...any) error {
	err := fmt.Errorf(what, args...)
	o.gate.Log.Warn("refused", "node", o.name, "what", err)
	o.count(store.NodeCounts{Refused: 1})
	o.gate.figures.refused.Inc()
	return err
}

// poke lets the node beat at once.
func (o *outpost) poke() {
	if err := o.gate.conn.Publish(wire.PokeTo+o.name, nil); err != nil {
		o.gate.Log.Debug("a node cannot be told that there is something for it", "node", o.name, "error", err)
	}
}

// giveBack ends all errands of the node without a result.
func (o *outpost) giveBack(why string) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	for _, e := range o.errands {
		e.lost(why)
	}
}

// noteLate notes what the node has, which is about to be taken from it: it may hand it over all the same.
func (o *outpost) noteLate() {
	o.mutex.Lock()
	var all []*store.Lease
	for _, e := range o.errands {
		if e.was != nil {
			all = append(all, e.was)
		}
	}
	o.mutex.Unlock()
	for _, was := range all {
		o.gate.noteLate(o.key, was)
	}
}

// lose ends all errands of a node that is away: they are given back.
func (o *outpost) lose(why string) {
	o.mutex.Lock()
	o.gone = true
	for _, s := range o.shares {
		s.remove()
	}
	o.mutex.Unlock()
	o.giveBack(why)
	o.gate.note(time.Now().Add(noteEvery), o)
}

// try begins to try folders that the node says it has, too, instead of those before.
func (o *outpost) try(folders []string) []wire.Share {
	all, told := o.gate.sharesOf(folders)
	o.mutex.Lock()
	defer o.mutex.Unlock()
	for _, s := range o.shares {
		s.remove()
	}
	o.shares = all
	return told
}

// end ends all that is under way, as the server does when it ends.
func (o *outpost) end() {
	o.gate.note(time.Now().Add(noteEvery), o)
	o.stop()
}
