package farm

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"

	"reelhouse/core/job"
	"reelhouse/core/work"
	"reelhouse/store"
)

// A Farm is the nodes of one server. They share the house, the hub and the programs; each has slots and labels of its
// own. The first of them looks after what is everybody's: what a server that died has left, frames that wait for a
// time, and tiles that nobody needs any more.
type Farm struct {
	Nodes []*Node
	// Others returns the nodes that are on other machines, as far as they are connected; nil for none.
	Others func() []*Node
	Judges *Judges // of all nodes; nil for none
}

// all returns all nodes.
func (f Farm) all() []*Node {
	if f.Others == nil {
		return f.Nodes
	}
	return append(slices.Clone(f.Nodes), f.Others()...)
}

// Offer notes which renderers, and which kinds of follow-ups, the house has, so that whoever sends from now on knows
// them. Run does so, too, however often it has to be tried.
func (f Farm) Offer() error { return f.Nodes[0].offer() }

// Run renders until ctx ends.
func (f Farm) Run(ctx context.Context) error {
	first := f.Nodes[0]
	for _, n := range f.Nodes {
		n.reset()
	}
	if !first.until(ctx, first.prepare) {
		return nil
	}
	var group sync.WaitGroup
	group.Go(func() { first.begin(ctx) })
	for _, n := range f.Nodes {
		group.Go(func() { n.work(ctx, n == first) })
	}
	group.Wait()
	return nil
}

// SlotCount returns how many tasks all nodes do side by side.
func (f Farm) SlotCount() int {
	sum := 0
	for _, n := range f.all() {
		sum += n.SlotCount()
	}
	return max(1, sum)
}

// Trouble says why nodes cannot render although frames are ready, or "".
func (f Farm) Trouble() string {
	var all []string
	for _, n := range f.all() {
		if text := n.Trouble(); text != "" && !slices.Contains(all, text) {
			all = append(all, text)
		}
	}
	return strings.Join(all, "; ")
}

// Progress returns how far a step in the hands of a node is, 0 to 1: a frame, or one of its tiles, counted from 1.
func (f Farm) Progress(sequence int64, number, tile int) float64 {
	for _, n := range f.all() {
		if p := n.Progress(sequence, number, tile); p > 0 {
			return p
		}
	}
	return 0
}

// Saying returns what has been said so far at a step in the hands of a node, "" if none has it.
func (f Farm) Saying(sequence int64, number, tile int) string {
	for _, n := range f.all() {
		if text := n.saying(stepKey{sequence, number, tile}); text != "" {
			return text
		}
	}
	return ""
}

// Names returns the names of the nodes.
func (f Farm) Names() []string {
	var all []string
	for _, n := range f.all() {
		if !n.Idle {
			all = append(all, n.Name)
		}
	}
	return all
}

// Usual returns what a task of a class needs, and what it would need if nobody had changed it.
func (f Farm) Usual(class work.Class) (now, usual work.Settings) { return f.Nodes[0].Works.Of(class) }

// LetsIn reports whether other machines are let in as nodes.
func (f Farm) LetsIn() bool { return f.Others != nil }

// takers returns the nodes that take tasks.
func (f Farm) takers() []*Node {
	return slices.DeleteFunc(slices.Clone(f.all()), func(n *Node) bool { return n.Idle })
}

// Waits says why no node can take a task of a class now, "" if one can: the reason of the node that lacks least.
func (f Farm) Waits(class work.Class) string {
	used, err := f.Nodes[0].House.Record.InUse()
	if err != nil {
		return ""
	}
	licences, reason := store.LicencesOf(used), "no node is here that takes tasks"
	for i, n := range f.takers() {
		if _, known := n.rendererOf(class); !known {
			if class.Renderer == "" {
				return fmt.Sprintf("the kind of work %s is not in the configuration", class.Kind)
			}
			return fmt.Sprintf("renderer %s is not in the configuration", class.Renderer)
		}
		needs, _ := n.Works.Of(class)
		var mine work.Use
		if u := used[n.Name]; u != nil {
			mine = *u
		}
		mine.Tasks = 0 // that all slots are taken is no reason of its own: its turn comes
		why := n.Works.Waits(needs, n.offers(), mine, licences)
		if why == "" {
			return ""
		}
		if i == 0 || n.offers().Lacks(needs) == "" { // it only has to wait
			reason = why
		}
	}
	return reason
}

// Draw renders a job that is no frame of the queue.
func (f Farm) Draw(ctx context.Context, j job.Job) error { return f.Nodes[0].Draw(ctx, j) }
