package farm

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"
	"time"

	"reelhouse/core/job"
	"reelhouse/store"
)

// An Elsewhere does on another machine what a node's programs do on this one. All else stays with the house: who gets
// what, judging, publishing, and the record.
type Elsewhere interface {
	// Run has a program do an order, as Renderer.Run does: the paths are those of this house, and what was written is
	// in its place when Run returns. An error that is an AwayError is not the order's fault.
	Run(ctx context.Context, e Errand, heard func(job.Message), log *Log) error
}

// An Errand is an order for a program on another machine, in the name of a lease. Of several frames that one process
// renders it is the lease of the first.
type Errand struct {
	Lease   int64
	Program string // see ProgramOf
	By      Renderer
	Order   any // a job.Job, job.Assembly or job.FollowUp
	Cores   int
	Leases  []*store.Lease
}

// An AwayError says that an errand did not come to its end for a reason that has to do with the node, or the line to
// it, alone.
type AwayError struct {
	Reason string
	// Waits says that the node should be left alone for a while.
	Waits bool
}

func (e *AwayError) Error() string { return e.Reason }

// StartError is the error about a program that could not be started.
func StartError(name, why string) error { return &startError{name, errors.New(why)} }

// StartFault says why a program could not be started; false for any other error.
func StartFault(err error) (string, bool) {
	var start *startError
	if errors.As(err, &start) {
		return start.err.Error(), true
	}
	return "", false
}

// run has a program do an order for leases, here or elsewhere.
func (n *Node) run(
	ctx context.Context, leases []*store.Lease, by Renderer, order any, cores int, heard func(job.Message), log *Log,
) error {
	if n.Elsewhere == nil {
		return by.Run(ctx, n.House.Work(), order, cores, heard, log)
	}
	program := ProgramOf(by)
	switch order.(type) {
	case job.Assembly:
		program = AssemblyProgram
	case job.FollowUp:
		program = KindProgram(string(leases[0].Class.Kind))
	}
	return n.Elsewhere.Run(ctx, Errand{leases[0].ID(), program, by, order, cores, leases}, heard, log)
}

// SentPath is where a file under way is while it is sent, until all of it is there.
func SentPath(path string) string { return path + ".sent" }

// AssemblyProgram is what the program is called in errands that puts frames together.
const AssemblyProgram = "assembly"

// ProgramOf is what a renderer is called in errands, and KindProgram what the program of a kind of work is.
func ProgramOf(r Renderer) string { return "renderer " + r.Name }

// KindProgram is what the program of a kind of work is called in errands.
func KindProgram(kind string) string { return kindProgram + kind }

const kindProgram = "kind "

// IsKindProgram reports whether a program of errands is that of a kind of work.
func IsKindProgram(program string) bool { return strings.HasPrefix(program, kindProgram) }

// Take leases what the node can do now, and begins it. It reports whether there was anything; done is called when all
// of it has ended. It is for nodes whose work is done elsewhere, which have no slots of their own here.
func (n *Node) Take(ctx context.Context, done func()) bool {
	pause, except, _ := n.rests.now(time.Now())
	if pause > 0 {
		return false
	}
	leases, _ := n.lease(except)
	if len(leases) == 0 {
		return false
	}
	n.taking.Go(func() {
		defer done()
		n.render(ctx, leases)
	})
	return true
}

// Rested reports whether nothing keeps the node from taking what there is.
func (n *Node) Rested() bool {
	pause, except, _ := n.rests.now(time.Now())
	return pause <= 0 && len(except) == 0
}

// Resume goes on with leases that a node elsewhere has from before the server was started, or that it has again. done
// is called when all of it has ended.
func (n *Node) Resume(ctx context.Context, leases []*store.Lease, done func()) {
	for _, l := range leases {
		l.Needs, _ = n.Works.Of(l.Class)
	}
	n.taking.Go(func() {
		defer done()
		n.render(ctx, leases)
	})
}

// TakeAgain has the node have a step again that was taken from it while it was away; see store.TakeAgain.
func (n *Node) TakeAgain(was *store.Lease) (*store.Lease, error) {
	return n.House.Record.TakeAgain(was, n.wants())
}

// Label gives the node labels beside those that it has itself, instead of others that were given to it before.
func (n *Node) Label(given []string) {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	n.given = given
}

// labels returns all labels of the node, sorted.
func (n *Node) labels() []string {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	return slices.Compact(slices.Sorted(slices.Values(slices.Concat(n.Labels, n.given))))
}

// Settled waits until all that was taken has ended.
func (n *Node) Settled() { n.taking.Wait() }

// GiveBack gives a lease back that nobody has any more.
func (n *Node) GiveBack(l *store.Lease) error {
	return errors.Join(clearLease(n.House, l), n.House.Record.GiveBack(l), n.House.Record.Forget(l.ID()))
}

// Like returns another node that has what this one has of the house, and nothing of this machine.
func (n *Node) Like() *Node {
	return &Node{
		House: n.House, Hub: n.Hub, Renderer: n.Renderer, Assembler: n.Assembler, Judge: n.Judge, Judges: n.Judges,
		Renderers: n.Renderers, FollowUps: n.FollowUps, Following: n.Following, Works: n.Works, Timeout: n.Timeout,
		Patience: n.Patience, Log: n.Log,
	}
}

// Reset makes it ready for Take.
func (n *Node) Reset() { n.reset() }

// End waits for the end of all that a node that is elsewhere has taken, after ctx has ended; until then Attend looks
// after that.
func (n *Node) End(ctx context.Context) {
	<-ctx.Done()
	n.taking.Wait()
	n.sweep()
}

// Only leaves a node what it has of renderers and of programs for kinds of work.
func (n *Node) Only(has func(r Renderer) bool, does func(kind string, r Renderer) bool) {
	n.lacksUsual = !has(n.Renderer)
	n.Renderers, n.FollowUps = maps.Clone(n.Renderers), maps.Clone(n.FollowUps)
	maps.DeleteFunc(n.Renderers, func(_ string, r Renderer) bool { return !has(r) })
	maps.DeleteFunc(n.FollowUps, func(kind string, r Renderer) bool { return !does(kind, r) })
}
