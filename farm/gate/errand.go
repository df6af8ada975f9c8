package gate

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/nats-io/nats.go/jetstream"

	"reelhouse/core/job"
	"reelhouse/farm"
	"reelhouse/farm/wire"
	"reelhouse/store"
)

// An errand is an order in the hands of a node. Its files are written below their places by uploads.
type errand struct {
	text   []byte              // the wire.Errand
	reads  map[string]readFile // by their SHA-256
	writes []writeFile
	taken  bool // the node has said that it has it
	heard  func(job.Message)
	log    *farm.Log
	was    *store.Lease // as it was leased, of an errand that is about one step alone

	mutex  sync.Mutex
	number int // of what was said last
	bytes  int // that were said
	// named are files that messages of its result have named before the last one, by their places among writes.
	named  map[int]wire.Made
	ended  bool
	result chan error // gets how it ended, once
}

type readFile struct {
	path string
	sum  wire.Read
}

// A writeFile is a file that is to come of an errand.
type writeFile struct {
	path  string // of this house
	most  int64
	mutex sync.Mutex
	// shared says that the node writes it there itself.
	shared bool
	done   *wire.Made // what has come, nil before
}

// How much may be said during an errand, in bytes: what is more than a log keeps and files need is a flood.
const (
	mostSaid   = 4 << 20
	saidOfFile = 1 << 10
)

// Run gives an errand to the node, and waits until that has ended; see farm.Elsewhere.
func (o *outpost) Run(ctx context.Context, e farm.Errand, heard func(job.Message), log *farm.Log) error {
	made, err := o.errandOf(e)
	if err != nil {
		return err
	}
	made.heard, made.log = heard, log
	if len(e.Leases) == 1 {
		was := *e.Leases[0]
		made.was = &was
	}
	log.Add("%s is given to node %s", e.Program, o.name)
	if len(made.writes) > 0 && made.writes[0].shared {
		log.Add("its files are written to a shared folder")
	}
	o.mutex.Lock()
	if o.gone {
		o.mutex.Unlock()
		return &farm.AwayError{Reason: "node " + o.name + " is away"}
	}
	o.errands[e.Lease] = made
	delete(o.resuming, e.Lease)
	o.mutex.Unlock()
	if err := o.gate.keepGroup(e); err != nil {
		o.gate.Log.Warn("frames of one process are not kept together", "error", err)
	}
	if opened, ok := ctx.Value(openedKey{}).(func()); ok {
		opened()
	}
	defer func() {
		o.mutex.Lock()
		delete(o.errands, e.Lease)
		o.mutex.Unlock()
		o.poke() // it can let go of it
	}()
	o.poke()
	select {
	case <-ctx.Done():
		made.finish(ctx.Err()) // nothing is heard of it any more
		return ctx.Err()
	case err := <-made.result:
		o.gate.ended(err)
		o.gate.forgetGroup(e.Lease)
		return err
	}
}

// ended counts how an errand has ended.
func (g *Gate) ended(err error) {
	switch {
	case err == nil:
		g.figures.results.WithLabelValues("done").Inc()
	case errors.As(err, new(*farm.AwayError)):
		g.figures.lost.Inc()
	default:
		g.figures.results.WithLabelValues("failed").Inc()
	}
}

// errandOf makes an errand of an order: paths become names of files that the node fetches or sends.
func (o *outpost) errandOf(e farm.Errand) (*errand, error) {
	made := &errand{reads: map[string]readFile{}, result: make(chan error, 1)}
	w := wire.Errand{
		Lease: e.Lease, Program: e.Program, Version: e.By.Version, Cores: e.Cores, Memory: e.By.Memory,
	}
	known := map[string]int{}
	read := func(path string) (string, error) {
		i, there := known[path]
		if !there {
			sum, err := o.gate.sums.of(path)
			if err != nil {
				return "", err
			}
			i = len(w.Reads)
			known[path] = i
			r := wire.Read{Name: filepath.Base(path), Bytes: sum.Bytes, SHA256: sum.SHA256}
			if o.sharesPath(path) {
				r.Shared = path
			}
			w.Reads = append(w.Reads, r)
			made.reads[sum.SHA256] = readFile{path, r}
		}
		return wire.ReadPath(i), nil
	}
	most := mostOf(e.Order)
	write := func(path string) (string, error) {
		i := len(w.Writes)
		to := wire.Write{Name: plainName(path), Most: most}
		if o.sharesPath(path) {
			to.Shared = path
		}
		w.Writes = append(w.Writes, to)
		made.writes = append(made.writes, writeFile{path: path, most: most, shared: to.Shared != ""})
		return wire.WritePath(i), nil
	}
	moved, err := job.Moved(e.Order, read, write)
	if err != nil {
		return nil, err
	}
	if w.Order, err = json.Marshal(moved); err != nil {
		return nil, err
	}
	made.text, err = json.Marshal(w)
	return made, err
}

// plainName returns what a file under way is called on a node: the ending tells programs what they are to write.
func plainName(path string) string {
	name := strings.TrimPrefix(filepath.Base(path), ".")
	if i := strings.Index(name, ".part-"); i > 0 {
		name = name[:i]
	}
	return name
}

// What a file may have that comes of an order, in bytes: of pictures several times their samples, since headers and
// packing add to them; of others a bound.
const (
	mostOther  = 4 << 30
	leastFile  = 64 << 20
	sampleSize = 4
)

func mostOf(order any) int64 {
	picture := func(j job.Job) int64 {
		channels := int64(4 * (len(j.Passes) + 4))
		return leastFile + 2*sampleSize*channels*int64(j.Size.Width)*int64(j.Size.Height)
	}
	switch o := order.(type) {
	case job.Job:
		return picture(o)
	case job.Assembly:
		return picture(o.Job)
	}
	return mostOther
}

// progressed notes how far the errand is.
func (e *errand) progressed(at wire.Held) {
	if e.heard != nil {
		e.heard(job.Message{Event: job.Progress, Frame: at.Frame, Progress: at.Progress})
	}
}

// lost ends the errand without a result.
func (e *errand) lost(why string) { e.finish(&farm.AwayError{Reason: why}) }

// finish ends the errand, unless it has ended already.
func (e *errand) finish(err error) bool {
	e.mutex.Lock()
	defer e.mutex.Unlock()
	if e.ended {
		return false
	}
	e.ended = true
	e.result <- err
	return true
}

// over reports whether the errand has ended.
func (e *errand) over() bool {
	e.mutex.Lock()
	defer e.mutex.Unlock()
	return e.ended
}

// kept takes what JetStream has kept: what was said during errands, and results. What is not an errand's any more is
// let go of.
func (g *Gate) kept(m jetstream.Msg) {
	if g.take(m) {
		_ = m.Ack() // or it comes again
	} else {
		_ = m.NakWithDelay(laterBy)
	}
}

// laterBy is after which time a result comes again whose node, or errand, is not back yet.
const laterBy = 500 * time.Millisecond

// take takes a message, and reports false if it is to come again.
func (g *Gate) take(m jetstream.Msg) bool {
	if name, said := strings.CutPrefix(m.Subject(), wire.SaidTo); said {
		g.figures.messages.WithLabelValues("said").Inc()
		var s wire.Said
		if o := g.find(name); o != nil && json.Unmarshal(m.Data(), &s) == nil {
			o.said(s, len(m.Data()))
		}
		return true
	}
	g.figures.messages.WithLabelValues("done").Inc()
	name := nameIn(m.Subject(), wire.DoneTo)
	o := g.find(name)
	var r wire.Result
	if err := json.Unmarshal(m.Data(), &r); err != nil {
		g.Log.Warn("a result that cannot be read was refused", "node", name, "error", err)
		return true
	}
	if o == nil && g.isOf(r.Lease, name) || o != nil && o.begins(r.Lease) {
		return false
	}
	if o != nil && r.More { // before what comes after it
		o.named(r)
		return true
	}
	// Files of a shared folder are read for it, and others wait meanwhile for nothing. If the house dies now, the node
	// hands it over once more.
	return o == nil || g.beside(func() { o.done(r) })
}

// isOf reports whether a lease is still a node's, as the record has it.
func (g *Gate) isOf(lease int64, node string) bool {
	l, err := g.House.Record.LeaseNow(lease)
	return err == nil && strings.EqualFold(l.NodeName(), node)
}

// begins reports whether the node has a lease whose errand is not there yet, as of one from before the house was
// started again.
func (o *outpost) begins(lease int64) bool {
	return o.errand(lease) == nil && o.gate.isOf(lease, o.name)
}

var errNotYet = errors.New("the house does not go on with it yet; try again")

// errand returns what the node has in the name of a lease, nil if it has not.
func (o *outpost) errand(lease int64) *errand {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	return o.errands[lease]
}

// said takes what was said during an errand.
func (o *outpost) said(s wire.Said, size int) {
	e := o.errand(s.Lease)
	if e == nil {
		return // it ended, or was never the node's: nothing is said of it
	}
	e.mutex.Lock()
	defer e.mutex.Unlock()
	if s.Number <= e.number || e.ended {
		return // sent twice
	}
	e.number = s.Number
	most := mostSaid + saidOfFile*len(e.writes)
	if e.bytes += size; e.bytes > most {
		if e.bytes-size <= most { // which is said once
			_ = o.refuse("a flood of what was said during lease %d", s.Lease)
			e.log.Last("more was said than is kept")
		}
		return
	}
	e.log.Take(s.Text)
	for _, m := range s.Heard {
		if m.Path != "" {
			i, ok := wire.WriteAt(m.Path)
			if !ok || i >= len(e.writes) {
				continue
			}
			m.Path = e.writes[i].path
		}
		if m.Event != job.Progress { // which beats tell of
			e.heard(m)
		}
	}
}

// done takes how an errand has ended. A result is refused if the node does not have its lease, or its files are not
// here as it says.
func (o *outpost) done(r wire.Result) {
	e := o.errand(r.Lease)
	if e == nil && r.Lease < 0 {
		return // of a frame that was rendered once more, before this server was started
	}
	if e == nil {
		_ = o.refuse("a result for lease %d, which it does not have", r.Lease)
		return
	}
	r, whole := e.whole(r)
	if !whole { // this server did not run yet when the others came: the node hands it over once more
		return
	}
	switch {
	case r.Node != "":
		e.finish(&farm.AwayError{Reason: r.Node, Waits: true})
	case r.NotStarted:
		e.finish(farm.StartError("node "+o.name, r.Failed))
	case r.Failed != "":
		if err := o.settle(e, r); err != nil {
			e.log.Add("what it has written does not count: %s", err)
		}
		e.finish(errors.New(r.Failed))
	default:
		err := o.settle(e, r)
		made := map[int]bool{} // each counts once
		for _, f := range r.Files {
			made[f.Write] = true
		}
		if missing := len(e.writes) - len(made); err == nil && missing > 0 {
			err = o.refuse("%d of %d files of lease %d are missing", missing, len(e.writes), r.Lease)
		}
		e.finish(err)
	}
}

// named notes the files of a message of a result that is not the last one.
func (o *outpost) named(r wire.Result) {
	e := o.errand(r.Lease)
	if e == nil {
		_ = o.refuse("a part of a result for lease %d, which it does not have", r.Lease)
		return
	}
	e.mutex.Lock()
	defer e.mutex.Unlock()
	if e.named == nil {
		e.named = map[int]wire.Made{}
	}
	for _, f := range r.Files {
		if f.Write < 0 || f.Write >= len(e.writes) {
			_ = o.refuse("a file that lease %d does not have", r.Lease)
			return
		}
		e.named[f.Write] = f
	}
}

// whole adds the files to a result that messages before it have named; false if one of these has not come.
func (e *errand) whole(r wire.Result) (wire.Result, bool) {
	e.mutex.Lock()
	defer e.mutex.Unlock()
	if r.Earlier == 0 {
		return r, true
	}
	named := maps.Clone(e.named)
	for _, f := range r.Files {
		delete(named, f.Write)
	}
	r.Files = slices.AppendSeq(slices.Clone(r.Files), maps.Values(named))
	return r, len(named) >= r.Earlier
}

// settle sees to it that the files of an errand are here, as the node says.
func (o *outpost) settle(e *errand, r wire.Result) error {
	for _, f := range r.Files {
		if f.Write < 0 || f.Write >= len(e.writes) {
			return o.refuse("a file that lease %d does not have", r.Lease)
		}
		w := &e.writes[f.Write]
		if w.shared {
			if err := seen(w.path, f); err != nil {
				return o.refuse("%s of lease %d in the shared folder: %w", plainName(w.path), r.Lease, err)
			}
			continue
		}
		w.mutex.Lock()
		done := w.done
		w.mutex.Unlock()
		if done == nil || done.Bytes != f.Bytes || done.SHA256 != f.SHA256 {
			return o.refuse("%s of lease %d is not here as it says", plainName(w.path), r.Lease)
		}
	}
	return nil
}

// fileAt returns the errand and its file that an address is about.
// An error that wraps errNotYet is no refusal.
func (o *outpost) fileAt(lease, write string) (*errand, *writeFile, error) {
	number, err := strconv.ParseInt(lease, 10, 64)
	if err != nil {
		return nil, nil, fmt.Errorf("%q is no lease", lease)
	}
	e := o.errand(number)
	if e == nil && o.begins(number) {
		return nil, nil, fmt.Errorf("lease %d: %w", number, errNotYet)
	}
	if e == nil {
		return nil, nil, o.refuse("a file for lease %d, which it does not have", number)
	}
	i, err := strconv.Atoi(write)
	if err != nil || i < 0 || i >= len(e.writes) {
		return nil, nil, o.refuse("file %q, which lease %d does not have", write, number)
	}
	return e, &e.writes[i], nil
}
