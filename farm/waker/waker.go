// Package waker wakes machines that cost money when they would help a house as nodes, and sends them to sleep when they
// have nothing to do. What a machine is, and how it is woken, is the matter of a command: the provider.
package waker

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"reelhouse/core/queue"
	"reelhouse/core/wake"
	"reelhouse/farm"
	"reelhouse/farm/gate"
	"reelhouse/house"
	"reelhouse/store"
)

// A Waker looks after the machines of one house.
type Waker struct {
	House *house.House
	Hub   *farm.Hub
	// Connected returns the nodes that are here.
	Connected func() []*farm.Node
	Policy    wake.Policy
	// Command is the provider, which is started with Args and then `wake NAME TOKENFILE` or `sleep NAME`.
	Command string
	Args    []string
	Names   []string // of the machines
	Every   time.Duration
	Log     *slog.Logger

	since time.Time            // when tasks have waited
	idle  map[string]time.Time // since when machines have nothing
	later map[string]time.Time // when it is tried again to send them to sleep
}

// machine is what is kept of one, in a file of the house: whoever starts the server again knows what is awake.
type machine struct {
	Woken time.Time `json:"woken,omitzero"`
	Rests time.Time `json:"rests,omitzero"`
}

const (
	// asleep is why a machine that sleeps takes nothing, as the page of nodes shows it.
	asleep  = "it sleeps until it is needed"
	drained = "it is sent to sleep: "
	by      = "the server"

	restsFor   = 5 * time.Minute // after it could not be woken
	againAfter = time.Minute     // after it could not be sent to sleep
	commandIn  = 2 * time.Minute // the provider has to answer
)

// UsualEvery is how often it looks.
const UsualEvery = 2 * time.Second

// Run looks after the machines until ctx ends. Machines that are awake stay so: the next server finds them.
func (w *Waker) Run(ctx context.Context) {
	w.idle, w.later = map[string]time.Time{}, map[string]time.Time{}
	look := time.NewTicker(w.Every)
	defer look.Stop()
	said := ""
	for {
		err := w.look(ctx, time.Now())
		if err != nil && err.Error() != said && ctx.Err() == nil {
			said = err.Error()
			w.Log.Error("machines are not looked after", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-look.C:
		}
	}
}

func (w *Waker) folder() string { return filepath.Join(gate.Folder(w.House), "machines") }
func (w *Waker) path() string   { return filepath.Join(w.folder(), "machines.json") }
func (w *Waker) tokenPath(name string) string {
	return filepath.Join(w.folder(), name+".token")
}

// look does what is to be done now.
func (w *Waker) look(ctx context.Context, now time.Time) error {
	kept, err := w.read()
	if err != nil {
		return err
	}
	state, err := w.state(now, kept)
	if err != nil {
		return err
	}
	var failed error
	for _, step := range w.Policy.Decide(state) {
		failed = errors.Join(failed, w.do(ctx, step, kept))
	}
	return failed
}

func (w *Waker) read() (map[string]machine, error) {
	kept := map[string]machine{}
	text, err := os.ReadFile(w.path())
	if errors.Is(err, fs.ErrNotExist) {
		return kept, nil
	}
	if err == nil {
		err = json.Unmarshal(text, &kept)
	}
	if err != nil {
		return nil, fmt.Errorf("which machines are awake: %w", err)
	}
	return kept, nil
}

func (w *Waker) write(kept map[string]machine) error {
	text, err := json.Marshal(kept)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(w.folder(), 0o700); err != nil {
		return err
	}
	if err := os.WriteFile(w.path()+".new", text, 0o600); err != nil {
		return err
	}
	return os.Rename(w.path()+".new", w.path())
}

// state is how things are.
func (w *Waker) state(now time.Time, kept map[string]machine) (wake.Now, error) {
	s := wake.Now{Time: now}
	paused, err := w.House.Record.Paused()
	if err != nil {
		return s, err
	}
	batches, err := w.House.Record.BatchesAlone("")
	if err != nil {
		return s, err
	}
	for _, b := range batches {
		if paused.IsZero() {
			s.Waiting += b.Sums[queue.Ready]
		}
	}
	if s.Waiting == 0 {
		w.since = time.Time{}
	} else if w.since.IsZero() {
		w.since = now
	}
	s.Since = w.since
	used, err := w.House.Record.InUse()
	if err != nil {
		return s, err
	}
	tasks := func(name string) int {
		if u := used[name]; u != nil {
			return u.Tasks
		}
		return 0
	}
	nodes, err := w.House.Record.Nodes()
	if err != nil {
		return s, err
	}
	why := map[string]string{} // nodes take nothing
	for _, n := range nodes {
		why[n.Name] = n.Paused
	}
	here := map[string]bool{}
	for _, n := range w.Connected() {
		here[n.Name] = true
		if why[n.Name] == "" {
			s.Free += max(0, n.SlotCount()-tasks(n.Name))
		}
	}
	for _, name := range w.Names {
		m := wake.Machine{
			Name: name, Woken: kept[name].Woken, Rests: kept[name].Rests, Here: here[name], Tasks: tasks(name),
		}
		if m.Here && m.Tasks == 0 {
			if w.idle[name].IsZero() {
				w.idle[name] = now
			}
		} else {
			delete(w.idle, name)
		}
		m.Idle = w.idle[name]
		if !ours(why[name]) {
			m.Rests = now.Add(restsFor) // somebody does not want it
		}
		s.Machines = append(s.Machines, m)
	}
	return s, nil
}

// do does a step, and keeps what has come of it.
func (w *Waker) do(ctx context.Context, step wake.Step, kept map[string]machine) error {
	log := w.Log.With("machine", step.Name, "reason", step.Why)
	switch step.Do {
	case wake.Drain:
		if n, err := w.House.Record.FindNode(step.Name); err != nil || n.Paused != "" {
			return err
		}
		log.Info("a machine takes nothing more")
		return w.pause(step.Name, drained+step.Why)
	case wake.Wake:
		log.Info("a machine is woken")
		if err := w.token(step.Name); err != nil {
			return err
		}
		kept[step.Name] = machine{Woken: time.Now()} // before it is: one that is awake and not known costs for ever
		if err := w.write(kept); err != nil {
			return err
		}
		err := errors.Join(w.pause(step.Name, ""), w.provider(ctx, "wake", step.Name, w.tokenPath(step.Name)))
		if err == nil || ctx.Err() != nil {
			return nil
		}
		log.Warn("a machine could not be woken", "error", err)
		kept[step.Name] = machine{Rests: time.Now().Add(restsFor)}
		return w.write(kept)
	}
	if time.Now().Before(w.later[step.Name]) {
		return nil
	}
	log.Info("a machine is sent to sleep")
	if err := w.pause(step.Name, asleep); err != nil {
		return err
	}
	if err := w.provider(ctx, "sleep", step.Name); err != nil {
		w.later[step.Name] = time.Now().Add(againAfter)
		return fmt.Errorf("%s could not be sent to sleep, and may go on costing: %w", step.Name, err)
	}
	m := machine{}
	if !slices.ContainsFunc(w.Connected(), func(n *farm.Node) bool { return n.Name == step.Name }) {
		m.Rests = time.Now().Add(restsFor) // it did not come at all
	}
	kept[step.Name] = m
	delete(w.idle, step.Name)
	return w.write(kept)
}

// ours reports whether it was not a person who has paused a node, if anybody has.
func ours(why string) bool { return why == "" || why == asleep || strings.HasPrefix(why, drained) }

// pause says why a node takes nothing, "" for that it does. What people have said stays.
func (w *Waker) pause(name, why string) error {
	n, err := w.House.Record.FindNode(name)
	if err != nil || n.Paused == why || !ours(n.Paused) {
		return err
	}
	n.Paused, n.Stopped = why, false
	defer w.Hub.Changed()
	return w.House.Record.SetNode(n)
}

// token makes a machine's token, if it has none that the house knows.
func (w *Waker) token(name string) error {
	_, known := w.House.Record.FindNode(name)
	_, there := os.Stat(w.tokenPath(name))
	if known == nil && there == nil {
		return nil
	}
	if known == nil { // its token is lost
		if err := w.House.Record.RemoveNode(name); err != nil {
			return err
		}
	}
	tokens, err := gate.NewTokens(w.House, []string{name}, nil, store.Author{Name: by})
	if err != nil {
		return err
	}
	if err := os.MkdirAll(w.folder(), 0o700); err != nil {
		return err
	}
	return os.WriteFile(w.tokenPath(name), []byte(tokens[0].String()), 0o600)
}

// provider has the provider do something.
func (w *Waker) provider(ctx context.Context, args ...string) error {
	ctx, cancel := context.WithTimeout(ctx, commandIn)
	defer cancel()
	cmd := exec.CommandContext(ctx, w.Command, slices.Concat(w.Args, args)...)
	cmd.WaitDelay = time.Second // what it has started may hold its output
	out, err := cmd.CombinedOutput()
	if errors.Is(err, exec.ErrWaitDelay) {
		err = nil
	}
	if err != nil {
		text := strings.TrimSpace(string(out[max(0, len(out)-mostOutput):]))
		return fmt.Errorf("%s %s: %w: %s", filepath.Base(w.Command), args[0], err, text)
	}
	return nil
}

// mostOutput is how much of what a provider says is told, in bytes.
const mostOutput = 500
