package farm

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/dustin/go-humanize"

	"reelhouse/core/job"
	"reelhouse/core/work"
	"reelhouse/house"
	"reelhouse/store"
)

// A Node renders frames on this machine. Its fields are set before Run and not changed then.
type Node struct {
	Name     string
	House    *house.House
	Hub      *Hub
	Renderer Renderer
	// Assembler is the program that puts frames together from their tiles.
	Assembler Renderer
	// Judge is the program that judges what others wrote; without one this process does. Judges are such processes that
	// stay, for what takes little memory; nil for one for each frame.
	Judge  Renderer
	Judges *Judges
	// Renderers are those that the house has beside the usual one, by their names.
	Renderers map[string]Renderer
	// FollowUps are the programs of follow-ups, by their kinds, and Following what these are.
	FollowUps map[string]Renderer
	Following []work.Following
	// Works says what tasks need.
	Works  work.Catalogue
	Labels []string // that tasks may ask for, sorted
	Cores  int      // that tasks may have for themselves; 0 for those of this machine
	Memory int64    // bytes that tasks may have for themselves; 0 for not counted

	Slots int  // tasks side by side; 0 for one a core
	Idle  bool // it takes nothing, and only looks after what is everybody's
	// Elsewhere does its work on another machine; nil for this one.
	Elsewhere Elsewhere
	// Told is told whether a task became good or was broken, once it is recorded; nil for nobody.
	Told func(l *store.Lease, good bool, seconds float64)
	// Keeps says which leases of a server that has ended go on at nodes that are elsewhere; nil for none.
	Keeps    func(l *store.Lease) bool
	Timeout  time.Duration // after which a frame is given up; 0 for DefaultTimeout
	Patience time.Duration // before another try when something is wrong with the house, the first time; 0 for 3 s
	Log      *slog.Logger

	lacksUsual bool           // it does not have Renderer
	taking     sync.WaitGroup // of what is done elsewhere

	mutex   sync.Mutex
	running map[stepKey]*underWay
	unsure  map[stepKey]int // how often a step was given back for what only a renderer said
	rests   rests
	behind  []*store.Lease // whose files under way could not be removed
	given   []string       // labels beside Labels
}

// DefaultTimeout is how long a frame may take.
const DefaultTimeout = time.Hour

// A stepKey tells steps apart: frames, or tiles of them, counted from 1.
type stepKey struct {
	sequence     int64
	number, tile int
}

func keyOf(l *store.Lease) stepKey { return stepKey{l.SequenceID, l.Number, l.TileIndex()} }

// underWay is one step in the node's hands.
type underWay struct {
	lease    *store.Lease
	cancel   context.CancelCauseFunc
	progress float64
	log      *Log // of what is said at it
}

var (
	errTaken   = errors.New("taken away")
	errTimeout = errors.New("timed out")
)

// SlotCount returns how many frames the node renders side by side.
func (n *Node) SlotCount() int {
	if n.Idle {
		return 0
	}
	if n.Slots > 0 {
		return n.Slots
	}
	return runtime.NumCPU()
}

// Draw renders a job that is no frame of the queue, such as a small picture, by the node's renderer.
func (n *Node) Draw(ctx context.Context, j job.Job) error {
	r := n.Renderer
	for _, other := range n.Renderers {
		if other.Declared != nil && other.Declared.Understands(j.Scene) {
			r = other
		}
	}
	return r.Run(ctx, n.House.Work(), j, runtime.NumCPU(), func(job.Message) {}, NewLog())
}

// Run renders until ctx ends; then it ends its children and gives their frames back. Before it takes the first frame it
// clears away what a server that died has left; while that is not possible, as on a full disk, it says why and tries
// again.
func (n *Node) Run(ctx context.Context) error { return Farm{Nodes: []*Node{n}}.Run(ctx) }

func (n *Node) reset() {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	n.running, n.unsure = map[stepKey]*underWay{}, map[stepKey]int{}
}

// work takes one task after the other in each slot, until ctx ends.
func (n *Node) work(ctx context.Context, first bool) {
	var group sync.WaitGroup
	for range n.SlotCount() {
		group.Go(func() { n.slot(ctx) })
	}
	group.Go(func() { n.watch(ctx, first) })
	group.Go(func() { n.orphans(ctx) })
	group.Wait()
	n.sweep()
}

// prepare takes up what a server that died has left, and notes what the house has.
func (n *Node) prepare() error {
	if err := n.clearUp(); err != nil {
		return err
	}
	return n.offer()
}

// offer notes which renderers, and which kinds of follow-ups, the house has.
func (n *Node) offer() error {
	mixed, err := n.House.Record.SetRenderer(n.Renderer.Print())
	if err != nil {
		return err
	}
	var others []work.Renderer
	for _, r := range n.Renderers {
		others = append(others, r.Offered(n.Works.Renderers[r.Name]))
	}
	slices.SortFunc(others, func(a, b work.Renderer) int { return strings.Compare(a.Name, b.Name) })
	further, err := n.House.Record.SetOffered(others)
	if err != nil {
		return err
	}
	if mixed += further; mixed > 0 {
		n.Log.Warn(
			"sequences that another renderer, or version, has begun are finished by this one",
			"sequences",
			mixed,
		)
	}
	outdated, err := n.House.Record.SetFollowUps(n.Following)
	if outdated > 0 {
		n.Log.Warn("follow-ups that another version of their program has made are out of date", "tasks", outdated)
	}
	return err
}

// until does what has to be done with the record, and tries again, with growing pauses, until it was done. It reports
// false if ctx ended before; then it was tried a last time.
func (n *Node) until(ctx context.Context, do func() error) bool {
	pause := n.patience()
	for {
		err := do()
		if err == nil {
			n.setRecord(nil)
			return true
		}
		n.setRecord(err)
		select {
		case <-ctx.Done():
			return do() == nil
		case <-time.After(pause):
		}
		pause = min(2*pause, longestPause)
	}
}

// setRecord notes why the record cannot be used, nil if it can.
func (n *Node) setRecord(err error) {
	text := ""
	if err != nil {
		text = "the record cannot be used; the server's log says why"
		if reason := storageFault(err); reason != "" {
			text = reason
		}
		n.Log.Error("the record cannot be used", "error", err)
	}
	if n.rests.set(&n.rests.record, text) {
		n.troubled(text)
	}
}

// troubled tells of a trouble that has come or gone.
func (n *Node) troubled(text string) {
	if text != "" {
		n.Log.Warn("node waits", "node", n.Name, "reason", text)
	}
	n.Hub.Changed()
}

// clearUp makes the frames ready that were under way, and removes their partial files.
func (n *Node) clearUp() error {
	if ended := endMarked(workVariable + n.House.Work()); ended > 0 {
		n.Log.Warn("programs of a server that died were still running, and were ended", "programs", ended)
	}
	open, err := n.House.Record.OpenLeases()
	if err != nil {
		return err
	}
	var cleared, kept []int64
	var behind []*store.Lease
	for _, l := range open {
		if n.Keeps != nil && n.Keeps(l) {
			kept = append(kept, l.ID())
			continue
		}
		if err := clearLease(n.House, l); err != nil {
			n.Log.Warn("partial files are removed later", "sequence", l.Sequence.Spec.Title(), "error", err)
			behind = append(behind, l)
			continue
		}
		cleared = append(cleared, l.ID())
	}
	frames, err := n.House.Record.RecoverBut(kept, cleared...)
	if err != nil {
		return err
	}
	n.later(behind...)
	for _, f := range frames {
		n.Log.Info("frame taken up again after a crash", "sequence", f.SequenceID, "frame", f.Number)
	}
	if err := n.takeBackPlaced(); err != nil {
		return err
	}
	if err := n.clearTiles(true); err != nil {
		return err
	}
	for _, pattern := range []string{"job-*.json", probePrefix + "*"} {
		old, err := filepath.Glob(filepath.Join(n.House.Work(), pattern))
		if err != nil {
			return err
		}
		for _, path := range old {
			if err := os.Remove(path); err != nil {
				return err
			}
		}
	}
	return nil
}

// slot renders one frame after the other.
func (n *Node) slot(ctx context.Context) {
	changed, end := n.Hub.Listen()
	defer end()
	for ctx.Err() == nil {
		pause, except, next := n.rests.now(time.Now())
		if pause == 0 {
			leases, wait := n.lease(except)
			if len(leases) > 0 {
				n.render(ctx, leases)
				continue
			}
			if pause = wait; pause == 0 {
				pause = next
			}
		}
		var again <-chan time.Time
		if pause > 0 {
			again = time.After(pause)
		}
		select {
		case <-ctx.Done():
		case <-changed:
		case <-again:
		}
	}
}

// room is how much of the disk is left alone, beside what a frame needs.
const room = 8 << 20

// lease takes the next frame, unless the disk has no room for one. Without one it returns after how long it is to be
// tried again, 0 for when something has changed.
func (n *Node) lease(except []int64) ([]*store.Lease, time.Duration) {
	n.sweep()
	full := fullness(n.House.VolumeState("").Free, "")
	if n.rests.set(&n.rests.full, full) {
		n.troubled(full)
	}
	if full != "" {
		return nil, n.patience()
	}
	without, trouble, err := n.unusable()
	var leases []*store.Lease
	if err == nil {
		if n.rests.set(&n.rests.volumes, trouble) {
			n.troubled(trouble)
		}
		offer := n.wants()
		offer.Except = append(without, except...)
		leases, err = n.House.Record.LeaseTogether(offer)
	}
	n.setRecord(err)
	if err != nil || len(leases) == 0 && trouble != "" {
		return nil, n.patience()
	}
	if len(leases) > 0 {
		n.Hub.Changed()
	}
	return leases, 0
}

// wants says what the node can take.
func (n *Node) wants() store.Offer {
	return store.Offer{Node: n.Name, Takes: n.takes, Timeout: n.timeout()}
}

// fullness says that a volume with so many bytes free is full, "" if it is not.
func fullness(free float64, volume string) string {
	if free < 0 || free >= room {
		return ""
	}
	return fmt.Sprintf("the disk of %s is full: %s are free; make room, and rendering goes on by itself",
		house.VolumeTitle(volume), humanize.Bytes(uint64(free)))
}

// unusable returns the batches whose volumes cannot be written, and why not.
func (n *Node) unusable() (batches []int64, trouble string, err error) {
	volumes, err := n.House.Record.UsedVolumes()
	if err != nil {
		return nil, "", err
	}
	var troubles []string
	for _, volume := range volumes {
		state := n.House.VolumeState(volume)
		if state.Fault == "" {
			state.Fault = fullness(state.Free, volume)
		}
		if state.Fault == "" {
			continue
		}
		waiting, err := n.House.Record.BatchesOn(volume)
		if err != nil {
			return nil, "", err
		}
		if len(waiting) > 0 {
			batches, troubles = append(batches, waiting...), append(troubles, state.Fault)
		}
	}
	return batches, strings.Join(troubles, "; "), nil
}

// Trouble says why the node cannot render although frames are ready, or "".
func (n *Node) Trouble() string { return n.rests.text() }

// watch ends the work on frames that a person has held or dropped, and, on the first node, removes tiles that nobody
// needs any more.
func (n *Node) watch(ctx context.Context, first bool) {
	changed, end := n.Hub.Listen()
	defer end()
	for {
		select {
		case <-ctx.Done():
			return
		case <-changed:
		}
		n.mutex.Lock()
		for _, w := range n.running {
			if owned, err := n.House.Record.Owned(w.lease); err == nil && !owned {
				w.cancel(errTaken)
			}
		}
		n.mutex.Unlock()
		if !first {
			continue
		}
		if err := n.clearTiles(false); err != nil {
			n.Log.Error("tiles that are not needed any more stay behind", "error", err)
		}
	}
}

// Progress returns how far a step in the node's hands is, 0 to 1: a frame, or one of its tiles, counted from 1.
func (n *Node) Progress(sequence int64, number, tile int) float64 {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	if w := n.running[stepKey{sequence, number, tile}]; w != nil {
		return w.progress
	}
	return 0
}

func (n *Node) saying(key stepKey) string {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	if w := n.running[key]; w != nil {
		return w.log.String()
	}
	return ""
}

// render takes leased steps, which one process does, to their ends.
func (n *Node) render(parent context.Context, leases []*store.Lease) {
	ctx, cancel := context.WithCancelCause(parent)
	defer cancel(nil)
	ctx, stop := context.WithTimeoutCause(ctx, n.timeoutOf(leases[0]), errTimeout)
	defer stop()
	n.mutex.Lock()
	log := NewLog() // of all of them, where there are several
	for _, l := range leases {
		n.running[keyOf(l)] = &underWay{lease: l, cancel: cancel, log: log}
	}
	n.mutex.Unlock()
	defer func() {
		n.mutex.Lock()
		for _, l := range leases {
			delete(n.running, keyOf(l))
		}
		n.mutex.Unlock()
		n.Hub.Changed()
	}()
	if len(leases) > 1 {
		n.renderTogether(ctx, parent, leases, log)
		return
	}
	l := leases[0]
	log.Add("%s, on node %s", stepName(l), n.Name)
	err := n.finish(ctx, parent, l, log, func(m job.Message) { n.heard(leases, m) })
	n.ended(ctx, parent, l, err, log)
}

// heard notes how far the frame is that a message is about, and what has been taken for all of them.
func (n *Node) heard(leases []*store.Lease, m job.Message) {
	switch m.Event {
	case job.Progress:
		n.mutex.Lock()
		for _, l := range leases {
			if w := n.running[keyOf(l)]; w != nil && (len(leases) == 1 || m.Frame == l.Number) {
				w.progress = m.Progress
			}
		}
		n.mutex.Unlock()
		n.Hub.Changed()
	case job.Used:
		for _, l := range leases {
			l.Spent.Processor += m.Processor / float64(len(leases))
			l.Spent.Peak = max(l.Spent.Peak, m.Memory)
		}
	}
}

// ended records how a step has ended, as far as it is not recorded yet.
func (n *Node) ended(ctx, parent context.Context, l *store.Lease, err error, log *Log) {
	if err != nil {
		n.settle(ctx, parent, l, err, log)
		return
	}
	if n.Told != nil {
		n.Told(l, true, time.Since(l.Began()).Seconds())
	}
	n.mutex.Lock()
	delete(n.unsure, keyOf(l))
	n.mutex.Unlock()
	if n.rests.well(l.Batch.ID) {
		n.troubled("")
	}
}

// finish does what a lease is for, and records it.
func (n *Node) finish(ctx, parent context.Context, l *store.Lease, log *Log, heard func(job.Message)) error {
	began := time.Now()
	good := func() float64 {
		seconds := time.Since(began).Seconds()
		log.Last("good after %.2f s", seconds)
		return seconds
	}
	if l.Tile != nil {
		file, err := n.renderTile(ctx, l, log, heard)
		l.Tile.SHA256 = file.SHA256
		if err != nil {
			return err
		}
		seconds := good()
		return n.owe(parent, func() error { return n.House.Record.AcceptTile(l, seconds, file, log.String()) })
	}
	do := n.produce
	switch {
	case repeats(l):
		do = n.repeat
	case l.Sequence.Follows > 0:
		do = n.follow
	case takenOver(l):
		do = n.takeOver
	case len(l.Tiles) > 0:
		do = n.assemble
	}
	files, err := do(ctx, l, log, heard)
	if err != nil {
		return err
	}
	return n.accept(parent, l, good(), files, log)
}

// accept records a frame whose files are in place.
func (n *Node) accept(parent context.Context, l *store.Lease, seconds float64, files []store.File, log *Log) error {
	err := n.owe(parent, func() error { return n.House.Record.Accept(l, seconds, files, log.String()) })
	if left := settlePlacing(n.House, placingPath(n.House, l), l.ID()); left != nil {
		n.Log.Warn("the note of placed files is removed later", "error", left)
		n.later(l)
	}
	if err == nil {
		n.Log.Info("frame good", "sequence", l.Sequence.Spec.Title(), "frame", l.Number, "seconds", seconds)
	}
	return err
}

// owe records something, however often it has to be tried: a frame whose end is not recorded would be called rendering
// for ever. What the record refuses for a reason of its own is not tried again.
func (n *Node) owe(parent context.Context, record func() error) error {
	var refused error
	done := n.until(parent, func() error {
		err := record()
		if err == nil || store.Refuses(err) {
			refused = err
			return nil
		}
		return err
	})
	if !done {
		return context.Cause(parent) // the next start takes the step up
	}
	return refused
}

// settle records a step that did not become good.
func (n *Node) settle(ctx, parent context.Context, l *store.Lease, err error, log *Log) {
	if n.Elsewhere != nil && parent.Err() != nil {
		return // the node goes on with it, and hands over what comes of it when the house is back
	}
	left := clearLease(n.House, l)
	if record := n.ending(ctx, parent, l, err, log); record != nil {
		n.settleAs(parent, l, left, record)
	}
}

// settleAs records how a step has ended, and that nothing lies about of it, unless left says why not.
func (n *Node) settleAs(parent context.Context, l *store.Lease, left error, record func() error) {
	if failed := n.owe(parent, record); failed != nil && !errors.Is(failed, store.ErrLost) && parent.Err() == nil {
		n.Log.Error("the record of a frame could not be changed", "frame", l.Number, "error", failed)
	}
	if left == nil {
		left = n.House.Record.Forget(l.ID())
	}
	if left != nil {
		n.Log.Warn("partial files are removed later", "sequence", l.Sequence.Spec.Title(), "error", left)
		if err := n.House.Record.Ended(l.ID()); err != nil {
			n.setRecord(err)
		}
		n.later(l)
	}
}

// clear removes what lies about of a lease that has ended. Until it has, the record knows that something may.
func (n *Node) clear(l *store.Lease) error {
	if err := clearLease(n.House, l); err != nil {
		return err
	}
	return n.House.Record.Forget(l.ID())
}

// later lets files under way be removed when their disk is back.
func (n *Node) later(leases ...*store.Lease) {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	n.behind = append(n.behind, leases...)
}

// sweep removes the files under way that could not be removed when their steps ended, since their disk was away or
// read-only.
func (n *Node) sweep() {
	n.mutex.Lock()
	behind := n.behind
	n.behind = nil
	n.mutex.Unlock()
	behind = slices.DeleteFunc(behind, func(l *store.Lease) bool { return n.clear(l) == nil })
	n.mutex.Lock()
	n.behind = append(n.behind, behind...)
	n.mutex.Unlock()
}

// ending says what is to be recorded of a step that did not become good, nil for nothing.
func (n *Node) ending(ctx, parent context.Context, l *store.Lease, err error, log *Log) func() error {
	cause := context.Cause(ctx)
	var collided *collision
	switch {
	case errors.Is(err, errTilesLost): // which is recorded
		n.Log.Warn("tiles are rendered again", "sequence", l.Sequence.Spec.Title(), "frame", l.Number)
		return nil
	case parent.Err() != nil:
		return func() error { return n.House.Record.GiveBack(l) }
	case errors.Is(cause, errTaken) || errors.Is(err, store.ErrLost):
		log.Last("ended: the frame was held, dropped or given up")
		return func() error { return n.House.Record.Leave(l, log.String()) }
	case errors.Is(err, errInputsLost):
		n.Log.Warn(err.Error(), "sequence", l.Sequence.Spec.Title(), "frame", l.Number)
		return func() error { return n.House.Record.WaitAgain(l, log.String()) }
	case errors.As(err, &collided), errors.As(err, new(*otherwise)):
		log.Last("refused: %s", err)
		return func() error { return n.House.Record.Refuse(l, err.Error(), log.String()) }
	}
	reason := err.Error()
	var away *AwayError
	if errors.As(err, &away) && cause == nil {
		n.Log.Warn("given back", "node", n.Name, "sequence", l.Sequence.Spec.Title(), "frame", l.Number, "reason",
			away.Reason)
		if away.Waits {
			n.rests.add(0, away.Reason, n.patience())
			n.troubled(away.Reason)
		}
		return func() error { return n.House.Record.GiveBack(l) }
	}
	if errors.Is(cause, errTimeout) {
		reason = fmt.Sprintf("it took longer than %v and was stopped", n.timeoutOf(l))
	} else if fault := n.faultOf(l, err); fault != nil && n.believes(l, fault) {
		batch := int64(0)
		if fault.batch {
			batch = l.Batch.ID
		}
		n.rests.add(batch, fault.reason, n.patience())
		n.troubled(fault.reason)
		return func() error { return n.House.Record.GiveBack(l) }
	}
	log.Last("broken: %s", reason)
	if n.Told != nil {
		n.Told(l, false, 0)
	}
	n.Log.Warn("frame broken", "sequence", l.Sequence.Spec.Title(), "frame", l.Number, "tile", l.TileIndex(),
		"attempt", l.Tries(), "of", l.Needs.MostTries(), "reason", reason)
	return func() error { return n.House.Record.Break(l, reason, log.String()) }
}

// mostUnsure is how often a step is given back for a fault that only its renderer tells of. After that it is taken for
// the step's own.
const mostUnsure = 5

// believes reports whether a fault is taken for one of the house.
func (n *Node) believes(l *store.Lease, f *fault) bool {
	if f.sure {
		return true
	}
	n.mutex.Lock()
	defer n.mutex.Unlock()
	n.unsure[keyOf(l)]++
	return n.unsure[keyOf(l)] <= mostUnsure
}

func (n *Node) timeout() time.Duration {
	if n.Timeout == 0 {
		return DefaultTimeout
	}
	return n.Timeout
}

func (n *Node) patience() time.Duration {
	if n.Patience == 0 {
		return 3 * time.Second
	}
	return n.Patience
}

// timeoutOf returns how long what a lease is of may take.
func (n *Node) timeoutOf(l *store.Lease) time.Duration { return cmp.Or(l.Needs.Timeout, n.timeout()) }

// coresOf returns how many cores a child has.
func (n *Node) coresOf(l *store.Lease) int {
	return cmp.Or(l.Needs.Cores, max(1, n.offers().Cores/max(1, n.SlotCount())))
}

// offers returns what the node has for tasks.
func (n *Node) offers() work.Node {
	return work.Node{
		Name: n.Name, Slots: n.SlotCount(), Cores: cmp.Or(n.Cores, runtime.NumCPU()), Memory: n.Memory,
		Labels: n.labels(),
	}
}

// takes reports whether the node can take a task of a class now, and what that needs.
func (n *Node) takes(class work.Class, used work.Use, licences map[string]int) (work.Settings, bool) {
	needs, _ := n.Works.Of(class)
	if _, known := n.rendererOf(class); !known {
		return needs, false
	}
	return needs, n.Works.Waits(needs, n.offers(), used, licences) == ""
}

// rendererOf returns who does tasks of a class, false if the node does not have it.
func (n *Node) rendererOf(class work.Class) (Renderer, bool) {
	if class.Kind != work.Render && class.Kind != work.Assemble && class.Kind != work.Repeat {
		r, known := n.FollowUps[string(class.Kind)]
		return r, known
	}
	if class.Renderer == "" {
		return n.Renderer, !n.lacksUsual
	}
	r, known := n.Renderers[class.Renderer]
	return r, known
}

// rendererFor returns who renders what a lease is of, with what it may take.
func (n *Node) rendererFor(l *store.Lease) Renderer {
	r, _ := n.rendererOf(l.Class)
	r.Memory = cmp.Or(l.Needs.Memory, r.Memory)
	return r
}

// produce renders a frame, judges its files, and puts them in place.
func (n *Node) produce(ctx context.Context, l *store.Lease, log *Log, heard func(job.Message)) ([]store.File, error) {
	j, parts, kept, err := newJob(n.House, l)
	if err != nil {
		return nil, err
	}
	return n.make(ctx, l, j, n.rendererFor(l), n.coresOf(l), parts, kept, log, heard)
}

// make has files of a frame made by a program, judges them, and puts them in place. It returns those of the whole
// frame. If some of them are not to be had, the others are kept all the same, and only the missing ones are made at the
// next try.
func (n *Node) make(
	ctx context.Context,
	l *store.Lease,
	order any,
	by Renderer,
	cores int,
	parts []part,
	kept []store.File,
	log *Log,
	heard func(job.Message),
) ([]store.File, error) {
	if len(kept) > 0 {
		log.Add("%d of its files are in place and are kept", len(kept))
	}
	wrote := map[string]bool{}
	var made error
	if len(parts) > 0 {
		made = n.run(ctx, []*store.Lease{l}, by, order, cores, func(m job.Message) {
			if m.Event == job.Wrote {
				wrote[m.Path] = true
			}
			heard(m)
		}, log)
	}
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if made != nil { // only what it has finished is worth a look
		parts = slices.DeleteFunc(slices.Clone(parts), func(p part) bool { return !wrote[p.temp] })
	}
	if err := n.House.Record.Check(l); err != nil {
		return nil, err
	}
	n.Hub.Changed()
	placed, err := n.place(ctx, l, parts, log)
	if err = errors.Join(made, err); err != nil {
		return nil, errors.Join(err, n.keep(ctx, l, placed, log))
	}
	return append(kept, placed...), nil
}

// place judges files under way and gives the good ones their names. It returns those that are in place.
func (n *Node) place(ctx context.Context, l *store.Lease, parts []part, log *Log) ([]store.File, error) {
	if len(parts) == 0 {
		return nil, nil
	}
	judged, err := n.judge(ctx, parts, log)
	if err != nil {
		return nil, err
	}
	if err := n.approvedStays(l, judged); err != nil {
		return nil, err
	}
	bad := badFiles(judged)
	good := slices.DeleteFunc(judged, func(v verdict) bool { return v.problem != "" })
	placed, err := publish(n.House, l, good, log)
	return placed, errors.Join(bad, err)
}

// keep records files of a frame that are in place though others are missing.
func (n *Node) keep(ctx context.Context, l *store.Lease, placed []store.File, log *Log) error {
	if len(placed) == 0 {
		return nil
	}
	if err := n.House.Record.Keep(l, placed); err != nil {
		return err
	}
	log.Add("%d of its files are good and are kept", len(placed))
	return nil
}
