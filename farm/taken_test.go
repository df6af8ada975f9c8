package farm

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
	"reelhouse/core/review"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// decide gives frames of a sequence a verdict.
func decide(t *testing.T, h *house.House, sequence int64, kind review.Kind, frames string) int64 {
	t.Helper()
	v := review.Verdict{Sequence: sequence, Kind: kind, Frames: frame.MustParse(frames)}
	id, err := h.Record.Decide("TEST", v, store.Author{Name: "Ann"})
	if err != nil {
		t.Fatal(err)
	}
	return id
}

// brighter changes what the only shot of the production looks like.
func brighter(t *testing.T, h *house.House) production.Production {
	t.Helper()
	r, err := h.Record.Edit("TEST", store.Making{}, func(p *production.Production) error {
		b := &p.Picture.Background
		if *b == (look.Background{Kind: look.PlainColour, Colour: "#c08040"}) {
			b.Colour = "#40c080"
			return nil
		}
		*b = look.Background{Kind: look.PlainColour, Colour: "#c08040"}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return r.Production
}

func retakes(t *testing.T, h *house.House, n *Node, anew bool) store.Batch {
	t.Helper()
	r, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	id, err := h.SendRetakes(r.Production, anew, house.Sending{Confirmed: true})
	if err != nil {
		t.Fatal(err)
	}
	n.Hub.Changed()
	return waitFor(t, n, id, settled)
}

func TestRetakesMakeAWholeVersion(t *testing.T) {
	h, b := housetest.New(t, "1001-1006")
	n, stop := start(t, h, "good")
	b = waitFor(t, n, b.ID, settled)
	first := b.Sequences[0]
	decide(t, h, first.ID, review.Approved, "1001-1002")
	id := decide(t, h, first.ID, review.Retake, "1003-1004")

	r, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	_, err = h.SendRetakes(r.Production, false, house.Sending{Confirmed: true})
	if err == nil || !strings.Contains(err.Error(), "each of the frames 1003-1004 would come out as it is") {
		t.Fatalf("with the same set-up: %v", err)
	}
	brighter(t, h)
	second := retakes(t, h, n, false)
	q := second.Sequences[0]
	if second.Counts()[queue.Good] != 6 || q.Spec.Rendered().String() != "1003-1004" ||
		second.Plan.VersionOf(q.Spec) != 2 {
		t.Fatalf("%v, %s, version %d", second.Counts(), q.Spec.Rendered(), second.Plan.VersionOf(q.Spec))
	}
	same := func(number int) bool {
		old, new := first.Spec.Files[0].Path.Frame(number), q.Spec.Files[0].Path.Frame(number)
		return contents(t, h, old) == contents(t, h, new)
	}
	for number, want := range map[int]bool{1001: true, 1002: true, 1003: false, 1004: false, 1006: true} {
		if same(number) != want {
			t.Errorf("frame %d is the same: %v", number, !want)
		}
		if print := q.Print(number) == first.Print(number); print != want {
			t.Errorf("fingerprint of frame %d is the same: %v", number, print)
		}
	}
	if v, err := h.Record.Verdicts(first.ID); err != nil || v[1].ID != id || v[1].Answered != second.ID {
		t.Errorf("%+v, %v", v, err)
	}
	if _, err := h.Record.TakeBack("TEST", id, store.Author{}); err == nil {
		t.Error("a retake that was sent is taken back")
	}
	if r, err = h.Record.Production("TEST"); err != nil || r.Shots[0].Version != 2 {
		t.Errorf("the shot has version %d, %v", r.Shots[0].Version, err)
	}
	if k, err := h.Record.Repeat(q.ID, frame.MustParse("1001")); err == nil {
		t.Errorf("%d reused frames are rendered again to be compared", k)
	}
	// A reused frame that is lost is taken over again.
	path, err := h.OutputPath(q.Spec.Files[0].Path.Frame(1002))
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path, []byte("spoilt"), 0o644); err != nil {
		t.Fatal(err)
	}
	f, err := h.Record.Frame(q.ID, 1002)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := h.Record.Miss(q.ID, 1002, f.Lease, map[string]string{
		q.Spec.Files[0].Path.Frame(1002): "is not what was judged",
	}); err != nil {
		t.Fatal(err)
	}
	number := 1002
	if _, err := h.Record.Apply(store.Scope{Production: "TEST", Sequence: q.ID, Frame: &number},
		queue.Retry); err != nil {
		t.Fatal(err)
	}
	n.Hub.Changed()
	if second = waitFor(t, n, second.ID, settled); second.Counts()[queue.Good] != 6 || !same(1002) {
		t.Errorf("%v", second.Counts())
	}
	// That the first version is sent once more, later, does not make it the newest.
	older := b.Plan
	older.Sequences = []plan.Sequence{first.Spec}
	if _, err := h.Record.Send(older, store.Sending{Held: true}); err != nil {
		t.Fatal(err)
	}
	// The third version takes over from the second, and knows as what each frame was rendered.
	decide(t, h, q.ID, review.Retake, "1006")
	brighter(t, h)
	third := retakes(t, h, n, false)
	last := third.Sequences[0]
	if third.Counts()[queue.Good] != 6 || last.Spec.Rendered().String() != "1006" || len(last.Spec.Taken) != 2 ||
		last.Print(1003) != q.Print(1003) || last.Print(1001) != first.Print(1001) {
		t.Errorf("%v, %+v", third.Counts(), last.Spec.Taken)
	}
	stop()
	for _, name := range files(t, h) {
		if strings.Contains(name, house.PartMark) {
			t.Errorf("%s lies about", name)
		}
	}
}

func TestRetakesRenderWhatHasChangedIfThatIsWanted(t *testing.T) {
	h, b := housetest.New(t, "1001-1004")
	n, _ := start(t, h, "good")
	b = waitFor(t, n, b.ID, settled)
	decide(t, h, b.Sequences[0].ID, review.Retake, "1002")
	p := brighter(t, h)
	if r, err := h.RetakesOf(p, false); err != nil || r.Shots[0].Sequences[0].Plan.Other.String() != "1001,1003-1004" {
		t.Errorf("%+v, %v", r.Shots, err)
	}
	second := retakes(t, h, n, true)
	if second.Counts()[queue.Good] != 4 || len(second.Sequences[0].Spec.Taken) > 0 {
		t.Errorf("%v, %+v", second.Counts(), second.Sequences[0].Spec.Taken)
	}
}

// What is taken over is read: a flipped bit is found, and nothing spoilt becomes part of the new version.
func TestNothingSpoiltIsTakenOver(t *testing.T) {
	h, b := housetest.New(t, "1001-1003", func(p *production.Production) {
		p.Shots[0].Tiles = []production.CellTiles{
			{Cell: production.Cell{View: "v", Size: "hd"}, Tiles: raster.Tiling{Columns: 2, Rows: 1}},
		}
	})
	n, _ := start(t, h, "good")
	b = waitFor(t, n, b.ID, settled)
	if b.Counts()[queue.Good] != 3 {
		t.Fatalf("%v", b.Counts())
	}
	first := b.Sequences[0]
	decide(t, h, first.ID, review.Retake, "1003")
	path := filepath.Join(h.Output(), first.Spec.Files[0].Path.Frame(1001))
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	data[len(data)-1] ^= 1
	if err := os.WriteFile(path, data, 0o644); err != nil {
		t.Fatal(err)
	}
	brighter(t, h)
	second := retakes(t, h, n, false)
	q := second.Sequences[0]
	f, err := h.Record.Frame(q.ID, 1001)
	if err != nil || f.State != queue.Failed || f.Attempts != 1 || !strings.Contains(f.Reason, "is lost") {
		t.Errorf("%+v, %v", f, err)
	}
	if f, err := h.Record.Frame(first.ID, 1001); err != nil || f.State != queue.Lost {
		t.Errorf("the source is %s, %v", f.State, err)
	}
	if second.Counts()[queue.Good] != 2 {
		t.Errorf("%v", second.Counts())
	}
	// It is rendered again as it was, and then taken over.
	for _, sequence := range []int64{first.ID, q.ID} {
		number := 1001
		if _, err := h.Record.Apply(store.Scope{Production: "TEST", Sequence: sequence, Frame: &number},
			queue.Retry); err != nil {
			t.Fatal(err)
		}
		n.Hub.Changed()
		of := map[int64]int64{first.ID: b.ID, q.ID: second.ID}[sequence]
		if b := waitFor(t, n, of, settled); b.Counts()[queue.Good] != 3 {
			t.Errorf("batch %d: %v", of, b.Counts())
		}
	}
}

// An approved frame that was lost comes back as it was approved, or not at all.
func TestAnApprovedFrameComesBackAsItWas(t *testing.T) {
	h, b := housetest.New(t, "1001-1002")
	n, stop := start(t, h, "good")
	b = waitFor(t, n, b.ID, settled)
	q := b.Sequences[0]
	decide(t, h, q.ID, review.Approved, "1001")
	lose := func(number int) {
		path := q.Spec.Files[0].Path.Frame(number)
		if err := os.Remove(filepath.Join(h.Output(), path)); err != nil {
			t.Fatal(err)
		}
		f, err := h.Record.Frame(q.ID, number)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := h.Record.Miss(q.ID, number, f.Lease, map[string]string{path: "is gone"}); err != nil {
			t.Fatal(err)
		}
		if _, err := h.Record.Apply(store.Scope{Production: "TEST", Sequence: q.ID, Frame: &number},
			queue.Retry); err != nil {
			t.Fatal(err)
		}
	}
	stop()
	lose(1001)
	lose(1002)
	n, _ = start(t, h, "otherwise")
	b = waitFor(t, n, b.ID, settled)
	f, err := h.Record.Frame(q.ID, 1001)
	if err != nil || f.State != queue.Failed || !strings.Contains(f.Reason, "otherwise than Ann has approved") {
		t.Errorf("%+v, %v", f, err)
	}
	if b.Counts()[queue.Good] != 1 { // the other one may
		t.Errorf("%v", b.Counts())
	}
}

func TestWhereOthersTakeOverFormersAreTold(t *testing.T) {
	s := plan.Sequence{Taken: []plan.Taken{{Sequence: 3, Frames: frame.MustParse("1001-1002")}},
		Frames: frame.MustParse("1001-1004")}
	if got := s.Rendered().String(); got != "1003-1004" {
		t.Error(got)
	}
	if s.RenderedShare() != 0.5 {
		t.Error(s.RenderedShare())
	}
}
