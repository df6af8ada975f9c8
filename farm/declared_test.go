package farm

import (
	"context"
	"errors"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// tenLines is a renderer of another maker: it copies a picture for each frame of a range. Two of them at a time do not
// get on, as with one licence for both.
const tenLines = `#!/bin/sh
echo "hello from frame $1 to $2"
mkdir "$LOCK" || { echo "E: no licence is free"; exit 9; }
echo run >> "$LOCK.runs"
for n in $(seq "$1" "$3" "$2"); do
	[ "$n" = "$BREAKS" ] && { rmdir "$LOCK"; echo "E: frame $n has no sail"; exit 4; }
	cp "$PICTURE" "$4.$n.exr" && echo "saved $4.$n.exr"
	sleep 0.02
done
rmdir "$LOCK"
`

// onlyBeauty lets a shot have one file of one pass.
func onlyBeauty(p *production.Production) {
	p.PassLists[0].Passes = []pass.Code{pass.Beauty}
	p.Shots[0].PassList = p.PassLists[0].Code
	p.Shots[0].Renderer = "ten"
}

// declared returns a house whose batch is rendered by ten lines of shell, the renderer, and the path at which it keeps
// its lock.
func declared(t *testing.T, frames, breaks string) (*house.House, store.Batch, Renderer, string) {
	t.Helper()
	offered := work.Renderer{
		Files: []work.ForeignFile{{Name: "picture.(frame).exr", Passes: []pass.Code{pass.Beauty}}},
	}
	offered.Name = "ten"
	h, _ := housetest.New(t, "1001")
	if _, err := h.Record.SetOffered([]work.Renderer{offered}); err != nil {
		t.Fatal(err)
	}
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	next := p.Production
	onlyBeauty(&next)
	next.Version = 2
	if err := next.Shots[0].Frames.UnmarshalText([]byte(frames)); err != nil {
		t.Fatal(err)
	}
	first, err := h.Record.Batches("TEST")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := h.Record.Apply(store.Scope{Production: "TEST", Batch: first[0].ID}, queue.Drop); err != nil {
		t.Fatal(err)
	}
	id, err := h.SendDraft(next, house.Sending{})
	if err != nil {
		t.Fatal(err)
	}
	b, err := h.Record.Batch(id)
	if err != nil {
		t.Fatal(err)
	}
	folder := t.TempDir()
	script, sample, lock := filepath.Join(
		folder,
		"ten.sh",
	), filepath.Join(
		folder,
		"sample",
	), filepath.Join(
		folder,
		"lock",
	)
	file, err := os.Create(sample)
	if err != nil {
		t.Fatal(err)
	}
	f := b.Sequences[0].Spec.Files[0]
	img := pixel.New(f.Size.Width, f.Size.Height, "R", "G", "B", "A")
	err = picture.Encode(file, f.Encoding, img, f.Passes, picture.Header{})
	if err := errors.Join(err, file.Close(), os.WriteFile(script, []byte(tenLines), 0o755)); err != nil {
		t.Fatal(err)
	}
	d := work.Declaration{
		Line:        []string{script, "(first)", "(last)", "(step)", "(files)"},
		Environment: map[string]string{"PICTURE": sample, "LOCK": lock, "BREAKS": breaks},
		Files:       offered.Files, Error: "^E: (.*)", Wrote: "^saved (.*)",
	}
	program, err := d.Compile()
	if err != nil {
		t.Fatal(err)
	}
	return h, b, Renderer{Name: "ten", Declared: program}, lock
}

// farmOf starts nodes that have a renderer beside the usual one.
func farmOf(t *testing.T, h *house.House, r Renderer, works work.Catalogue, nodes ...*Node) *Node {
	t.Helper()
	hub := NewHub()
	for _, n := range nodes {
		n.House, n.Hub, n.Works, n.Log = h, hub, works, slog.New(slog.DiscardHandler)
		n.Renderer, n.Renderers = Renderer{Name: "usual", Command: os.Args[0]}, map[string]Renderer{r.Name: r}
		n.Timeout, n.Patience = 20*time.Second, 10*time.Millisecond
	}
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- Farm{Nodes: nodes}.Run(ctx) }()
	t.Cleanup(func() {
		cancel()
		if err := <-done; err != nil {
			t.Error(err)
		}
	})
	return nodes[0]
}

func runs(t *testing.T, lock string) int {
	t.Helper()
	data, err := os.ReadFile(lock + ".runs")
	if err != nil {
		t.Fatal(err)
	}
	return strings.Count(string(data), "\n")
}

// A program that knows nothing of Reelhouse works by its declaration alone, frames in one process included; with one
// licence there is one of it at a time, however many slots there are.
func TestOneLicenceLetsOneProcessRun(t *testing.T) {
	h, b, r, lock := declared(t, "1001-1010", "")
	works := work.Catalogue{
		Renderers: map[string]work.Override{"ten": "licences=ten chunk=3"}, Licences: map[string]int{"ten": 1},
	}
	n := farmOf(t, h, r, works, &Node{Name: "one", Slots: 2}, &Node{Name: "two", Slots: 2})
	frames := all(t, n, b, queue.Good)
	if got := runs(t, lock); got != 4 {
		t.Errorf("10 frames took %d processes, not 4", got)
	}
	for _, f := range frames {
		if f.Attempts != 1 || f.Processor <= 0 || f.Peak < 1<<20 {
			t.Errorf(
				"frame %d: %d tries, %.3f s of processor time, %d bytes",
				f.Number,
				f.Attempts,
				f.Processor,
				f.Peak,
			)
		}
	}
	logs, err := h.Record.Logs(b.Sequences[0].ID, 1002)
	if err != nil || !strings.Contains(logs[0].Text, "hello from frame 1001 to 1003") {
		t.Errorf("%v\n%+v", err, logs)
	}
	clean(t, h, 11)
}

// clean fails if anything lies about beside the files of frames.
func clean(t *testing.T, h *house.House, most int) {
	t.Helper()
	for _, path := range files(t, h) {
		if strings.Contains(path, ".part-") || strings.HasPrefix(filepath.Base(path), ".") {
			t.Errorf("%s is left", path)
		}
	}
	if got := len(files(t, h)); got > most {
		t.Errorf("%d files are there", got)
	}
	if open, err := h.Record.OpenLeases(); err != nil || len(open) > 0 {
		t.Errorf("%d leases are open, %v", len(open), err)
	}
}

// Of frames in one process those that were written before one broke are good; it alone has lost a try, and the others
// are rendered later.
func TestAFrameThatBreaksTakesNobodyAlong(t *testing.T) {
	h, b, r, _ := declared(t, "1001-1006", "1003")
	works := work.Catalogue{Renderers: map[string]work.Override{"ten": "licences=ten chunk=6 tries=2"},
		Licences: map[string]int{"ten": 1}}
	n := farmOf(t, h, r, works, &Node{Name: "one", Slots: 1})
	b = waitFor(t, n, b.ID, settled)
	frames, err := h.Record.Frames(b.Sequences[0].ID)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range frames {
		want, tries := queue.Good, 1
		if f.Number == 1003 {
			want, tries = queue.Failed, 2
			if !strings.Contains(f.Reason, "frame 1003 has no sail (renderer ten ended with exit code 4)") {
				t.Errorf("reason %q", f.Reason)
			}
		}
		if f.State != want || f.Attempts != tries {
			t.Errorf("frame %d is %s after %d tries", f.Number, f.State, f.Attempts)
		}
	}
	clean(t, h, 6)
}

// What a batch needs is changed while it waits, and counts at once.
func TestNeedsAreChangedWhileQueued(t *testing.T) {
	h, b, r, lock := declared(t, "1001-1002", "")
	scope := store.Scope{Production: "TEST", Batch: b.ID}
	if n, err := h.Record.SetNeeds(scope, "labels=big", false); n != 1 || err != nil {
		t.Fatalf("%d, %v", n, err)
	}
	works := work.Catalogue{Licences: map[string]int{"ten": 1}}
	if l, err := h.Record.LeaseTogether(store.Offer{Node: "one", Takes: (&Node{
		Name: "one", Slots: 1, Works: works, Renderers: map[string]Renderer{"ten": r},
	}).takes}); len(l) != 0 || err != nil {
		t.Fatalf("a node without the label has taken %v, %v", l, err)
	}
	if _, err := h.Record.SetNeeds(scope, "labels=none licences=ten", true); err != nil {
		t.Fatal(err)
	}
	if c, err := h.Record.ClassOf(b.Sequences[0].ID); err != nil || c.Override != "labels=none licences=ten" {
		t.Errorf("%+v, %v", c, err)
	}
	all(t, farmOf(t, h, r, works, &Node{Name: "one", Slots: 1}), b, queue.Good)
	if got := runs(t, lock); got != 2 {
		t.Errorf("%d processes", got)
	}
}

// A renderer that the house does not have any more keeps its frames waiting, and others go on.
func TestFramesOfAMissingRendererWait(t *testing.T) {
	h, b, r, _ := declared(t, "1001", "")
	n := &Node{Name: "one", Slots: 1}
	if l, err := h.Record.LeaseTogether(store.Offer{Node: "one", Takes: n.takes}); len(l) != 0 || err != nil {
		t.Fatalf("taken were %v, %v", l, err)
	}
	all(t, farmOf(t, h, r, work.Catalogue{}, n), b, queue.Good)
	if _, err := h.Record.SetOffered(nil); err != nil {
		t.Fatal(err)
	}
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	onlyBeauty(&p.Production)
	d, err := h.Draft(p.Production)
	if err != nil {
		t.Fatal(err)
	}
	var found []string
	for _, f := range d.Findings {
		found = append(found, f.Rule+": "+f.Message)
	}
	if !slices.ContainsFunc(found, func(f string) bool {
		return strings.HasPrefix(f, "renderer-cannot: There is no renderer ten in this house")
	}) {
		t.Errorf("found is %v", found)
	}
}
