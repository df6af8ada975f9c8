package farm

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"time"

	"reelhouse/core/job"
	"reelhouse/core/queue"
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
	Slots     int           // frames, or tiles, rendered side by side; 0 for one a core
	Timeout   time.Duration // after which a frame is given up; 0 for DefaultTimeout
	Patience  time.Duration // before another try when the disk is full or the record cannot be read; 0 for 3 s
	Log       *slog.Logger

	mutex   sync.Mutex
	running map[stepKey]*work
	trouble string
}

// DefaultTimeout is how long a frame may take.
const DefaultTimeout = time.Hour

// A stepKey tells steps apart: frames, or tiles of them, counted from 1.
type stepKey struct {
	sequence     int64
	number, tile int
}

func keyOf(l *store.Lease) stepKey { return stepKey{l.SequenceID, l.Number, l.TileIndex()} }

// work is one step in the node's hands.
type work struct {
	lease    *store.Lease
	cancel   context.CancelCauseFunc
	progress float64
}

var (
	errTaken   = errors.New("taken away")
	errTimeout = errors.New("timed out")
)

// SlotCount returns how many frames the node renders side by side.
func (n *Node) SlotCount() int {
	if n.Slots > 0 {
		return n.Slots
	}
	return runtime.NumCPU()
}

// Run renders until ctx ends; then it kills its children and gives their frames back. Before it takes the
// first frame it clears away what a server that died has left.
func (n *Node) Run(ctx context.Context) error {
	n.running = map[stepKey]*work{}
	if err := n.clearUp(); err != nil {
		return fmt.Errorf("node %s: %w", n.Name, err)
	}
	var group sync.WaitGroup
	for range n.SlotCount() {
		group.Go(func() { n.slot(ctx) })
	}
	group.Go(func() { n.watch(ctx) })
	group.Go(func() { n.begin(ctx) })
	group.Wait()
	return nil
}

// clearUp makes the frames ready that were under way, and removes their partial files.
func (n *Node) clearUp() error {
	frames, err := n.House.Recover()
	if err != nil {
		return err
	}
	for _, f := range frames {
		s, err := n.House.Sequence(f.SequenceID)
		if err != nil {
			return err
		}
		if err := removeParts(n.House.Output(), s.Spec, f.Number); err != nil {
			return err
		}
		n.Log.Info("frame taken up again after a crash", "sequence", s.Spec.Title(), "frame", f.Number)
	}
	if err := n.takeBackPlaced(); err != nil {
		return err
	}
	if err := n.clearTiles(true); err != nil {
		return err
	}
	jobs, err := filepath.Glob(filepath.Join(n.House.Work(), "job-*.json"))
	if err != nil {
		return err
	}
	for _, old := range jobs {
		if err := os.Remove(old); err != nil {
			return err
		}
	}
	return nil
}

// slot renders one frame after the other.
func (n *Node) slot(ctx context.Context) {
	changed, end := n.Hub.Listen()
	defer end()
	for ctx.Err() == nil {
		lease, err := n.lease()
		if err == nil && lease != nil {
			n.render(ctx, lease)
			continue
		}
		var wait <-chan time.Time
		if err != nil {
			n.setTrouble(err.Error())
			wait = time.After(n.patience())
		}
		select {
		case <-ctx.Done():
		case <-changed:
		case <-wait:
		}
	}
}

// room is how much of the disk is left alone, beside what a frame needs.
const room = 8 << 20

// lease takes the next frame, unless the disk has no room for one.
func (n *Node) lease() (*store.Lease, error) {
	if free := n.House.FreeBytes(); free >= 0 && free < room {
		return nil, fmt.Errorf("the output's disk is full: %.0f MB are free; make room, and rendering goes on by itself", free/1e6)
	}
	l, err := n.House.Lease(n.Name)
	if err == nil && l != nil {
		n.setTrouble("")
		n.Hub.Changed()
	}
	return l, err
}

func (n *Node) setTrouble(text string) {
	n.mutex.Lock()
	changed := n.trouble != text
	n.trouble = text
	n.mutex.Unlock()
	if changed {
		if text != "" {
			n.Log.Warn("node waits", "node", n.Name, "reason", text)
		}
		n.Hub.Changed()
	}
}

// Trouble says why the node cannot render although frames are ready, or "".
func (n *Node) Trouble() string {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	return n.trouble
}

// watch ends the work on frames that a person has held or dropped.
func (n *Node) watch(ctx context.Context) {
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
			if owned, err := n.House.Owned(w.lease); err == nil && !owned {
				w.cancel(errTaken)
			}
		}
		n.mutex.Unlock()
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

// render takes a leased step to its end.
func (n *Node) render(parent context.Context, l *store.Lease) {
	ctx, cancel := context.WithCancelCause(parent)
	defer cancel(nil)
	ctx, stop := context.WithTimeoutCause(ctx, n.timeout(), errTimeout)
	defer stop()
	key := keyOf(l)
	w := &work{lease: l, cancel: cancel}
	n.mutex.Lock()
	n.running[key] = w
	n.mutex.Unlock()
	defer func() {
		n.mutex.Lock()
		delete(n.running, key)
		n.mutex.Unlock()
		n.Hub.Changed()
	}()
	log := NewLog()
	log.Add("%s, on node %s", stepName(l), n.Name)
	heard := func(m job.Message) {
		if m.Event != job.Progress {
			return
		}
		n.mutex.Lock()
		w.progress = m.Progress
		n.mutex.Unlock()
		n.Hub.Changed()
	}
	if err := n.finish(ctx, l, log, heard); err != nil {
		n.settle(ctx, parent, l, err, log)
	}
}

// finish does what a lease is for, and records it.
func (n *Node) finish(ctx context.Context, l *store.Lease, log *Log, heard func(job.Message)) error {
	began := time.Now()
	good := func() float64 {
		seconds := time.Since(began).Seconds()
		log.Add("good after %.2f s", seconds)
		return seconds
	}
	if l.Tile != nil {
		file, err := n.renderTile(ctx, l, log, heard)
		if err != nil {
			return err
		}
		return n.House.AcceptTile(l, good(), file, log.String())
	}
	do := n.produce
	if len(l.Tiles) > 0 {
		do = n.assemble
	}
	files, err := do(ctx, l, log, heard)
	if err != nil {
		return err
	}
	seconds := good()
	err = n.House.Accept(l, seconds, files, log.String())
	if left := settlePlacing(n.House, placingPath(n.House, l)); left != nil {
		n.Log.Error("the note of placed files stays until the node starts next", "error", left)
	}
	if err == nil {
		n.Log.Info("frame good", "sequence", l.Sequence.Spec.Title(), "frame", l.Number, "seconds", seconds)
	}
	return err
}

// settle records a step that did not become good.
func (n *Node) settle(ctx, parent context.Context, l *store.Lease, err error, log *Log) {
	cause := context.Cause(ctx)
	if left := removeOwnParts(n.House.Output(), l); left != nil {
		n.Log.Error("partial files stay behind", "error", left)
	}
	var failed error
	switch {
	case errors.Is(err, errTilesLost): // which is recorded
		n.Log.Warn("tiles are rendered again", "sequence", l.Sequence.Spec.Title(), "frame", l.Number)
	case parent.Err() != nil:
		failed = n.House.GiveBack(l)
	case errors.Is(cause, errTaken) || errors.Is(err, store.ErrLost):
		log.Add("ended: the frame was held, dropped or given up")
		failed = n.House.Leave(l, log.String())
	case isDiskFull(err):
		// Not the frame's fault: it waits, untried, until there is room.
		failed = n.House.GiveBack(l)
		n.setTrouble("the output's disk is full; make room, and rendering goes on by itself")
		select {
		case <-parent.Done():
		case <-time.After(n.patience()):
		}
	default:
		reason := err.Error()
		if errors.Is(cause, errTimeout) {
			reason = fmt.Sprintf("it took longer than %v and was stopped", n.timeout())
		}
		log.Add("broken: %s", reason)
		n.Log.Warn("frame broken", "sequence", l.Sequence.Spec.Title(), "frame", l.Number, "tile", l.TileIndex(), "attempt", l.Tries(), "of", queue.Retries+1, "reason", reason)
		failed = n.House.Break(l, reason, log.String())
	}
	if failed != nil && !errors.Is(failed, store.ErrLost) {
		n.Log.Error("the record of a frame could not be changed", "frame", l.Number, "error", failed)
	}
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

func isDiskFull(err error) bool {
	return err != nil && strings.Contains(err.Error(), "no space left on device")
}

// cores returns how many cores a child has.
func (n *Node) cores() int { return max(1, runtime.NumCPU()/n.SlotCount()) }

// produce renders a frame, judges its files, and puts them in place.
func (n *Node) produce(ctx context.Context, l *store.Lease, log *Log, heard func(job.Message)) ([]store.File, error) {
	j, parts, err := newJob(n.House, l)
	if err != nil {
		return nil, err
	}
	if err := n.Renderer.Run(ctx, n.House.Work(), j, n.cores(), heard, log); err != nil {
		return nil, err
	}
	return n.deliver(l, parts, log)
}

// deliver judges the files of a frame, and puts them in place.
func (n *Node) deliver(l *store.Lease, parts []part, log *Log) ([]store.File, error) {
	if err := n.House.Check(l); err != nil {
		return nil, err
	}
	n.Hub.Changed()
	if err := judge(parts, log); err != nil {
		return nil, err
	}
	return place(n.House, l, parts)
}
