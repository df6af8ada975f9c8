package house_test

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// finish makes a frame of a sequence good, with files on the disk.
func finish(t *testing.T, h *house.House, number int) {
	t.Helper()
	l, err := h.Record.Lease("here")
	if err != nil || l == nil || l.Number != number {
		t.Fatalf("frame %d is not next: %+v, %v", number, l, err)
	}
	var files []store.File
	for _, f := range l.Sequence.Spec.Files {
		path, err := h.OutputPath(f.Path.Frame(number))
		err = errors.Join(err, os.MkdirAll(filepath.Dir(path), 0o755), os.WriteFile(path, []byte("picture"), 0o644))
		if err != nil {
			t.Fatal(err)
		}
		files = append(files, store.File{Path: f.Path.Frame(number), Bytes: 7, SHA256: strings.Repeat("ab", 32)})
	}
	if err := errors.Join(h.Record.Check(l), h.Record.Accept(l, 1, files, "")); err != nil {
		t.Fatal(err)
	}
}

func TestNothingIsMadeTwiceUnlessItIsAskedFor(t *testing.T) {
	h, first := housetest.New(t, "1001-1003")
	revision, err := h.Record.Production(first.Plan.Production)
	if err != nil {
		t.Fatal(err)
	}
	p := revision.Production
	finish(t, h, 1001)
	draft := func() house.Draft {
		t.Helper()
		d, err := h.Draft(p)
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	if n := draft().Diffs[0]; n.Good.String() != "1001" || n.Coming.String() != "1002-1003" || !n.New.Empty() ||
		n.By[0] != first.Name {
		t.Errorf("beside the first batch: %+v", n)
	}
	if _, err := h.SendDraft(p, house.Sending{}); err == nil || !strings.Contains(err.Error(), "sent already") {
		t.Errorf("the same was sent again: %v", err)
	}

	// More of the same shot: only what is new is sent.
	p.Shots[0].Frames = frame.MustParse("1001-1005")
	id, err := h.SendDraft(p, house.Sending{})
	if err != nil {
		t.Fatal(err)
	}
	if b, _ := h.Record.Batch(id); b.Sequences[0].Spec.Frames.String() != "1004-1005" {
		t.Errorf("sent were %s", b.Sequences[0].Spec.Frames)
	}

	// A file that is gone from the disk is not in place.
	path := filepath.Join(h.Output(), filepath.FromSlash(first.Sequences[0].Spec.Files[0].Path.Frame(1001)))
	if err := os.WriteFile(path, []byte("cut off"[:3]), 0o644); err != nil {
		t.Fatal(err)
	}
	if id, err = h.SendDraft(p, house.Sending{}); err != nil {
		t.Fatal(err)
	}
	if b, _ := h.Record.Batch(id); b.Sequences[0].Spec.Frames.String() != "1001" {
		t.Errorf("after a file was cut off, sent were %s", b.Sequences[0].Spec.Frames)
	}

	// Once more, all of it, when that is asked for.
	if id, err = h.SendDraft(p, house.Sending{Again: true}); err != nil {
		t.Fatal(err)
	}
	if b, _ := h.Record.Batch(id); b.Sequences[0].Spec.Frames.String() != "1001-1005" {
		t.Errorf("sent again were %s", b.Sequences[0].Spec.Frames)
	}

	// Another set-up under the same paths is refused, with another version it is not.
	p.Shots[0].Look = "plain"
	p.Looks[0].ExposureEV = 1
	if d := draft(); d.Diffs[0].Other == "" || d.Sendable(true) {
		t.Errorf("another look under the same paths: %+v", d.Diffs[0])
	}
	if _, err := h.SendDraft(p, house.Sending{Again: true}); err == nil {
		t.Error("another set-up was sent over files that are there")
	}
	if p.Version, err = h.NextVersion(p); err != nil {
		t.Fatal(err)
	}
	if d := draft(); d.Diffs[0].Known() || !d.Sendable(false) {
		t.Errorf("the next version: %+v", d.Findings)
	}
}

func TestTrialsHaveFilesOfTheirOwn(t *testing.T) {
	h, b := housetest.New(t, "1001-1048")
	p, err := h.Record.Production(b.Plan.Production)
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []struct {
		trial  plan.Trial
		frames string
		folder string
	}{{plan.FirstFrames, "1001", "trials/first_001/"}, {plan.EveryTenth, "1001-1041x10", "trials/tenth_001/"},
		{plan.Ends, "1001,1025,1048", "trials/ends_001/"}, {plan.Ends, "1001,1025,1048", "trials/ends_002/"}} {
		id, err := h.SendDraft(p.Production, house.Sending{Trial: want.trial})
		if err != nil {
			t.Fatal(err)
		}
		sent, _ := h.Record.Batch(id)
		s := sent.Sequences[0].Spec
		if s.Frames.String() != want.frames || !strings.HasPrefix(s.Files[0].Path.Frame(1001), want.folder) {
			t.Errorf("%s: frames %s in %s", want.trial, s.Frames, s.Files[0].Path)
		}
	}
	if after, _ := h.Record.Production(p.Code); after.Number != p.Number {
		t.Error("a trial changed the production")
	}
}

func TestWhatIsQuickInAFinalHasToBeSaidTwice(t *testing.T) {
	h, b := housetest.New(t, "1001-1002")
	r, err := h.Record.Production(b.Plan.Production)
	if err != nil {
		t.Fatal(err)
	}
	p := r.Production
	p.Version, p.Quality, p.Region = 2, "final", raster.Part{Right: 50, Bottom: 50}
	if _, err := h.SendDraft(p, house.Sending{}); err == nil ||
		!strings.Contains(err.Error(), "part of every picture") {
		t.Errorf("a final of a part was sent: %v", err)
	}
	id, err := h.SendDraft(p, house.Sending{Confirmed: true})
	if err != nil {
		t.Fatal(err)
	}
	sent, _ := h.Record.Batch(id)
	if s := sent.Sequences[0].Spec; sent.Plan.RegionOf(s).Dx() != s.Size.Width/2 {
		t.Errorf("the region is %v of %v", sent.Plan.RegionOf(s), s.Size)
	}
	p.Version, p.Waivers = 3, []production.Waiver{{Rule: "region-left-on", Reason: "a test of the corner"}}
	if id, err = h.SendDraft(p, house.Sending{}); err != nil {
		t.Errorf("waived, it is still refused: %v", err)
	}
	if sent, _ := h.Record.Batch(id); len(sent.Plan.Waived) != 1 ||
		sent.Plan.Waived[0].Reason != "a test of the corner" {
		t.Errorf("the reason was not kept: %+v", sent.Plan.Waived)
	}
}
