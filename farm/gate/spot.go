package gate

import (
	"context"
	"fmt"
	"hash/fnv"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"reelhouse/core/fingerprint"
	"reelhouse/core/job"
	"reelhouse/farm"
	"reelhouse/house"
	"reelhouse/store"
)

// Some frames and tiles that are the same each time are rendered on a second node of the same kind of processor, and
// compared bit for bit with what the first one made. If they differ, a third decides which machine is wrong, and that
// is paused.

const (
	spotsWaiting = 100 // frames that wait to be rendered once more; of further ones none does
	spotWithin   = 10 * time.Minute
)

// A spot is a frame that is rendered once more.
type spot struct {
	lease *store.Lease
	by    string // node that has rendered it
	kind  string // of its processor
}

// A looking is for which node a frame is waiting.
type looking struct {
	kind string
	not  []string
	with fingerprint.Renderer
}

// spotted lets a good frame be rendered once more, if it is one of the share for which that is asked.
func (g *Gate) spotted(o *outpost, l *store.Lease) {
	if o.hello.Processor == "" || !chosen(g.Check, l) {
		return
	}
	select {
	case g.spots <- spot{l, o.name, o.hello.Processor}:
	default: // there are enough
	}
}

// chosen reports whether a frame is one of a share of all. It is the same for the same lease.
func chosen(share float64, l *store.Lease) bool {
	const steps = 1 << 20
	h := fnv.New64a()
	fmt.Fprint(h, l.SequenceID, " ", l.Number, " ", l.ID())
	return float64(h.Sum64()%steps) < share*steps
}

// check renders frames once more, one after another, until ctx ends.
func (g *Gate) check(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case s := <-g.spots:
			if err := g.checkOne(ctx, s); err != nil && ctx.Err() == nil {
				g.Log.Warn("a frame could not be compared between nodes", "frame", s.title(), "error", err)
			}
		}
	}
}

func (s spot) title() string {
	title := fmt.Sprintf("%s, frame %d", s.lease.Sequence.Spec.Title(), s.lease.Number)
	if t := s.lease.Tile; t != nil {
		title += fmt.Sprintf(", tile %d", t.Index)
	}
	return title
}

// made returns the hashes of what the first node has made, by the final paths, which are those of again.
func (s spot) made(record *store.Store, again map[string]string) (map[string]string, error) {
	all := map[string]string{}
	if t := s.lease.Tile; t != nil {
		for path := range again { // there is one
			all[path] = t.SHA256
		}
		return all, nil
	}
	recorded, err := record.Files(s.lease.SequenceID, s.lease.Number)
	for _, f := range recorded {
		all[f.Path] = f.SHA256
	}
	return all, err
}

// checkOne has a frame rendered once more, by a second node, and by a third if that differs.
func (g *Gate) checkOne(ctx context.Context, s spot) error {
	ctx, cancel := context.WithTimeout(ctx, spotWithin)
	defer cancel()
	second, sums, err := g.again(ctx, s, s.by)
	if err != nil || sums == nil {
		return err
	}
	first, err := s.made(g.House.Record, sums)
	if err != nil || same(first, sums) {
		return err
	}
	g.Log.Warn("two nodes made different files of a frame", "frame", s.title(), "nodes", []string{s.by, second})
	third, decides, err := g.again(ctx, s, s.by, second)
	switch {
	case err != nil:
		return fmt.Errorf("%s and %s differ, and no third node decides: %w", s.by, second, err)
	case same(decides, first):
		return g.wrong(second, fmt.Sprintf("%s came out otherwise on it than on %s and %s", s.title(), s.by, third))
	case same(decides, sums):
		return g.wrong(s.by, fmt.Sprintf("%s came out otherwise on it than on %s and %s; what it has rendered may be "+
			"wrong", s.title(), second, third))
	}
	return fmt.Errorf("no two of %s, %s and %s agree: the renderer may not be the same each time", s.by, second, third)
}

// wrong pauses a node.
func (g *Gate) wrong(name, why string) error {
	n, err := g.House.Record.FindNode(name)
	if err != nil {
		return err
	}
	g.Log.Error("a node is paused", "node", name, "reason", why)
	n.Paused = why
	if err := g.House.Record.SetNode(n); err != nil {
		return err
	}
	g.Hub.Changed()
	return nil
}

func same(a, b map[string]string) bool {
	for path, sum := range b {
		if a[path] != sum {
			return false
		}
	}
	return len(a) == len(b)
}

// again has a frame rendered by a node that is none of some, and returns the hashes of its files by their final paths;
// nil if the frame is none that can be compared.
func (g *Gate) again(ctx context.Context, s spot, not ...string) (node string, sums map[string]string, err error) {
	folder, err := os.MkdirTemp(g.House.Work(), "spot-*")
	if err != nil {
		return "", nil, err
	}
	defer os.RemoveAll(folder)
	order, by, files, ok, err := g.Like().SpotOrder(s.lease, folder)
	if err != nil || !ok {
		return "", nil, err
	}
	o, opened, err := g.borrow(ctx, looking{s.kind, not, by.Print()})
	if err != nil {
		return "", nil, err
	}
	defer opened()
	errand := farm.Errand{
		Lease: -time.Now().UnixMicro(), // no lease of the record has such a number
		By:    by, Program: farm.ProgramOf(by), Order: order, Cores: max(1, o.hello.Cores/o.hello.Slots),
	}
	ctx = context.WithValue(ctx, openedKey{}, opened)
	if err := o.Run(ctx, errand, func(job.Message) {}, farm.NewLog()); err != nil {
		return o.name, nil, err
	}
	sums = map[string]string{}
	for _, f := range files {
		file, _, err := house.OpenPlain(f.Path)
		if err != nil {
			return o.name, nil, err
		}
		sum, err := house.SumOf(file)
		file.Close()
		if err != nil {
			return o.name, nil, err
		}
		sums[f.Final] = sum.SHA256
	}
	return o.name, sums, nil
}

// borrow waits for a node of a kind of processor that has room for an errand, which is kept free for it until what it
// returns is called.
func (g *Gate) borrow(ctx context.Context, want looking) (*outpost, func(), error) {
	defer g.setLooking(nil)
	every := time.NewTicker(g.Every / 2)
	defer every.Stop()
	for {
		there := false
		for _, o := range g.outposts() {
			if !want.takes(o) {
				continue
			}
			there = true
			if opened, _ := o.open(); opened != nil {
				return o, opened, nil
			}
		}
		if !there {
			return nil, nil, fmt.Errorf("no other node has the processor %s and the renderer %s", want.kind,
				want.with.Name)
		}
		g.setLooking(&want) // the next room is for it
		select {
		case <-ctx.Done():
			return nil, nil, ctx.Err()
		case <-every.C:
		}
	}
}

func (w looking) takes(o *outpost) bool {
	return o.hello.Processor == w.kind && slices.Contains(o.hello.Renderers, w.with) &&
		!slices.Contains(w.not, o.name) && o.pausedNow() == ""
}

func (g *Gate) setLooking(want *looking) {
	g.mutex.Lock()
	defer g.mutex.Unlock()
	g.looks = want
}

// keepsFree reports whether a slot of a node is kept free for a frame that is rendered once more.
func (g *Gate) keepsFree(o *outpost) bool {
	g.mutex.Lock()
	want := g.looks
	g.mutex.Unlock()
	return want != nil && want.takes(o)
}

// clearSpots removes what a server that ended has left of frames that were rendered once more.
func (g *Gate) clearSpots() {
	old, _ := filepath.Glob(filepath.Join(g.House.Work(), "spot-*"))
	for _, folder := range old {
		if err := os.RemoveAll(folder); err != nil {
			g.Log.Warn("an old folder stays", "folder", strings.TrimPrefix(folder, g.House.Dir), "error", err)
		}
	}
}
