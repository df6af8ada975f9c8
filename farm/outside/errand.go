package outside

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"sync"
	"time"

	"github.com/nats-io/nats.go/jetstream"

	"reelhouse/core/job"
	"reelhouse/farm"
	"reelhouse/farm/wire"
	"reelhouse/house"
)

// An errand is what the node does in the name of a lease.
type errand struct {
	lease   int64
	folder  string
	dropped chan struct{} // is closed when the house does not want it any more, or has all of it

	mutex    sync.Mutex
	frame    int // that the program is at
	progress float64
	outcome  *outcome // nil while its program works
	sent     time.Time
	tries    int
	gone     bool
}

// An outcome is what came of an errand, as it lies in its folder until it is handed over.
type outcome struct {
	Result wire.Result `json:"result"`
	Files  []string    `json:"files"` // of Result.Files, in the folder; "" for one that the house has already
}

const outcomeFile = "outcome.json"

func (e *errand) state() (at wire.Held, working bool) {
	e.mutex.Lock()
	defer e.mutex.Unlock()
	return wire.Held{Lease: e.lease, Frame: e.frame, Progress: e.progress}, e.outcome == nil
}

// drop ends it, and removes what is left of it.
func (e *errand) drop() {
	e.mutex.Lock()
	defer e.mutex.Unlock()
	if !e.gone {
		e.gone = true
		close(e.dropped)
	}
	if e.outcome != nil {
		os.RemoveAll(e.folder)
	}
}

func (e *errand) readOutcome() error {
	text, err := os.ReadFile(filepath.Join(e.folder, outcomeFile))
	if err != nil {
		return err
	}
	var o outcome
	if err := json.Unmarshal(text, &o); err != nil {
		return err
	}
	e.outcome = &o
	return nil
}

// keep writes an outcome safely to the disk.
func (e *errand) keep(o outcome) error {
	text, err := json.Marshal(o)
	if err != nil {
		return err
	}
	path := filepath.Join(e.folder, outcomeFile)
	f, err := os.Create(path + ".new")
	if err != nil {
		return err
	}
	_, err = f.Write(text)
	if err := errors.Join(err, f.Sync(), f.Close()); err != nil {
		return err
	}
	if err := os.Rename(path+".new", path); err != nil {
		return err
	}
	e.mutex.Lock()
	defer e.mutex.Unlock()
	e.outcome = &o
	return nil
}

// do does an errand to its end, and hands over what came of it.
func (n *Node) do(parent context.Context, e *errand) {
	ctx, cancel := context.WithCancel(parent)
	defer cancel()
	go func() {
		select {
		case <-e.dropped:
			cancel()
		case <-ctx.Done():
		}
	}()
	o, err := n.work(ctx, e)
	if ctx.Err() != nil { // it is not wanted any more, or the node ends: it is done anew when it is back
		os.RemoveAll(e.folder)
		return
	}
	var said *answered
	if errors.As(err, &said) && said.status == http.StatusNotFound { // it was taken away meanwhile, which a beat tells
		os.RemoveAll(e.folder)
		n.mutex.Lock()
		delete(n.errands, e.lease)
		n.mutex.Unlock()
		return
	}
	if err != nil { // which is not the errand's fault
		o = outcome{Result: wire.Result{Lease: e.lease, Node: err.Error()}}
		if err := os.MkdirAll(e.folder, 0o700); err != nil {
			n.Log.Error("its scratch folder cannot be used", "error", err)
		}
	}
	if err := e.keep(o); err != nil {
		n.Log.Error("an outcome cannot be kept", "lease", e.lease, "error", err)
		e.mutex.Lock()
		e.outcome = &o
		e.mutex.Unlock()
	}
	n.handOver(parent, e)
}

// work fetches what an errand needs, and has its program do it. The error is about the node, or the line.
func (n *Node) work(ctx context.Context, e *errand) (o outcome, err error) {
	o.Result.Lease = e.lease
	var order wire.Errand
	if err := n.bytes.errand(ctx, e.lease, &order); err != nil {
		return o, fmt.Errorf("its order cannot be fetched: %w", err)
	}
	program, known := n.Programs[order.Program]
	if !known || program.Version != order.Version {
		return o, fmt.Errorf("it does not have %s, version %q", order.Program, order.Version)
	}
	if err := os.MkdirAll(filepath.Join(e.folder, "out"), 0o700); err != nil {
		return o, err
	}
	reads := make([]string, len(order.Reads))
	for i, r := range order.Reads {
		if r.Shared != "" {
			if reads[i], err = n.shared(ctx, r); err != nil {
				return o, fmt.Errorf("%s: %w", r.Name, err)
			}
			continue
		}
		path := cachePath(n.cacheFolder(), r)
		release := n.hold([]string{path})
		defer release()
		if reads[i], err = n.bytes.fetch(ctx, path, r); err != nil {
			return o, fmt.Errorf("%s cannot be fetched: %w", r.Name, err)
		}
	}
	n.trim()
	writes := make([]string, len(order.Writes))
	for i, w := range order.Writes {
		if w.Shared != "" {
			var known bool
			if writes[i], known = wire.Here(n.Shares, w.Shared); !known {
				return o, fmt.Errorf("%s lies in no folder that this machine shares", w.Name)
			}
			continue
		}
		// A folder for each, since two may have the same name.
		folder := filepath.Join(e.folder, "out", strconv.Itoa(i))
		if err := os.MkdirAll(folder, 0o700); err != nil {
			return o, err
		}
		writes[i] = filepath.Join(folder, filepath.Base(w.Name))
	}
	local, err := localOrder(order.Program, order.Order, reads, writes)
	if err != nil {
		return o, err
	}
	program.Memory = order.Memory
	say := newSaying(n, e.lease, writes)
	log := farm.NewLog()
	stop := say.follow(ctx, log)
	do := n.Do
	if do == nil {
		do = runProgram
	}
	made := do(ctx, program, e.folder, local, max(1, order.Cores), func(m job.Message) {
		if m.Event == job.Progress {
			e.mutex.Lock()
			e.frame, e.progress = m.Frame, m.Progress
			e.mutex.Unlock()
			return
		}
		say.hear(m)
	}, log)
	stop()
	if ctx.Err() != nil {
		return o, ctx.Err()
	}
	if made != nil {
		o.Result.Failed = made.Error()
		if why, is := farm.StartFault(made); is {
			o.Result.NotStarted, o.Result.Failed = true, why
		}
	}
	for i, path := range writes {
		f, _, err := house.OpenPlain(path)
		if errors.Is(err, os.ErrNotExist) && made != nil {
			continue
		} else if err != nil {
			o.Result.Failed = fmt.Sprintf("%s: the program did not write it", filepath.Base(path))
			continue
		}
		sum, err := house.SumOf(f)
		f.Close()
		if err != nil {
			return o, err
		}
		o.Result.Files = append(o.Result.Files, wire.Made{Write: i, Bytes: sum.Bytes, SHA256: sum.SHA256})
		if order.Writes[i].Shared != "" {
			path = "" // which is not sent
		}
		o.Files = append(o.Files, path)
	}
	say.flush(ctx)
	return o, nil
}

func runProgram(
	ctx context.Context, by farm.Renderer, folder string, order any, cores int, heard func(job.Message), log *farm.Log,
) error {
	return by.Run(ctx, folder, order, cores, heard, log)
}

// localOrder is the order of a program with the paths of this machine. Only what is a path is replaced, whatever other
// texts say.
func localOrder(program string, text []byte, reads, writes []string) (any, error) {
	order, err := readOrder(program, text)
	if err != nil {
		return nil, fmt.Errorf("its order cannot be read: %w", err)
	}
	return job.Moved(order, placedBy(wire.ReadAt, reads), placedBy(wire.WriteAt, writes))
}

func readOrder(program string, text []byte) (any, error) {
	switch in := bytes.NewReader(text); {
	case program == farm.AssemblyProgram:
		return job.ReadAssembly(in)
	case farm.IsKindProgram(program):
		return job.ReadFollowUp(in)
	default:
		return job.Read(in)
	}
}

// placedBy returns what puts a path of this machine in the place of one that was on its way.
func placedBy(at func(path string) (int, bool), paths []string) func(path string) (string, error) {
	return func(path string) (string, error) {
		i, is := at(path)
		if !is || i >= len(paths) {
			return "", fmt.Errorf("the order names the file %q, which does not come with it", path)
		}
		return paths[i], nil
	}
}

// handOver sends the files of an errand and its result, however often it has to be tried, until the house does not name
// the errand any more.
func (n *Node) handOver(ctx context.Context, e *errand) {
	pause := time.Second
	for {
		err := n.send(ctx, e)
		if err == nil {
			e.mutex.Lock()
			e.sent = time.Now()
			e.mutex.Unlock()
			n.poke()
			return // the next beat tells that it is settled
		}
		n.Log.Warn("a result is handed over later", "lease", e.lease, "error", err)
		select {
		case <-ctx.Done():
			return
		case <-e.dropped:
			return
		case <-time.After(pause):
		}
		pause = min(2*pause, 15*time.Second)
	}
}

func (n *Node) send(ctx context.Context, e *errand) error {
	e.mutex.Lock()
	o := *e.outcome
	e.tries++
	id := fmt.Sprintf("done-%d-%d-%d", e.lease, os.Getpid(), e.tries)
	e.mutex.Unlock()
	for i, f := range o.Result.Files {
		if o.Files[i] == "" {
			continue
		}
		if err := n.bytes.send(ctx, e.lease, f, o.Files[i]); err != nil {
			return err
		}
	}
	for i := range 1 + n.Repeats {
		for k, m := range o.Result.Messages() {
			if err := n.publish(ctx, wire.DoneTo+n.Token.Name, fmt.Sprintf("%s-%d-%d", id, i, k), m); err != nil {
				return err
			}
		}
	}
	return nil
}

// unheard reports whether an errand was handed over long ago and the house still wants it, and notes that it is handed
// over now.
func (e *errand) unheard(longer time.Duration) bool {
	e.mutex.Lock()
	defer e.mutex.Unlock()
	if e.sent.IsZero() || time.Since(e.sent) < longer {
		return false
	}
	e.sent = time.Time{}
	return true
}

// publish sends a message that JetStream keeps, and returns when it is safe there.
func (n *Node) publish(ctx context.Context, subject, id string, message any) error {
	text, err := json.Marshal(message)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, answerWithin)
	defer cancel()
	began := time.Now()
	_, err = n.stream.Publish(ctx, subject, text, jetstream.WithMsgID(n.Token.Name+"-"+id))
	n.noteAsked("kept", began, err)
	return err
}
