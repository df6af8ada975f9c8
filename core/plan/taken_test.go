package plan

import (
	"testing"

	"reelhouse/core/fingerprint"
	"reelhouse/core/frame"
	"reelhouse/core/output"
	"reelhouse/core/production"
)

// retaken plans the next version of frames 1001 to 1010, of which 1001 to 1008 were good with the fingerprint "old" as
// version 1, and 1009 as version 2 with "new".
func retaken(t *testing.T, again string, anew bool, change func(s *Sequence, f []Former)) (Retake, error) {
	t.Helper()
	files := []FileSequence{{Output: "master", Label: "all", Encoding: output.EXR.Usual()}}
	s := Sequence{Shot: "010", View: "v", SizeCode: "hd", Frames: frame.Of(1001, 1010), Files: files, FrameSeconds: 10}
	was := s
	was.Taken = []Taken{{Sequence: 1, Version: 1, Frames: frame.Of(1001, 1004), Print: "older"}}
	formers := []Former{
		{ID: 2, Version: 2, Spec: was, Print: "old", Good: frame.Of(1001, 1008)},
		{ID: 3, Version: 2, Spec: Sequence{Frames: frame.Of(1009, 1009), Files: files}, Print: "now",
			Good: frame.Of(1009, 1009)},
	}
	if change != nil {
		change(&s, formers)
	}
	return s.Retake(formers, frame.MustParse(again), anew, func(version int) fingerprint.Print {
		if version == 1 {
			return "else"
		}
		return "now"
	})
}

func TestTheNextVersionTakesOverWhatIsGood(t *testing.T) {
	r, err := retaken(t, "1002-1003", false, nil)
	if err != nil {
		t.Fatal(err)
	}
	if got := r.Rendered().String(); got != "1002-1003,1010" || r.Also.String() != "1010" {
		t.Errorf("%s are rendered, of these %s beside", got, r.Also)
	}
	if r.Other.String() != "1001,1004-1008" || !r.Same.Empty() || r.Unequal != "" {
		t.Errorf("%s of another set-up, %s the same, %q", r.Other, r.Same, r.Unequal)
	}
	for number, want := range map[int]Taken{
		1001: {Sequence: 2, Version: 1, Print: "older"}, 1004: {Sequence: 2, Version: 1, Print: "older"},
		1005: {Sequence: 2, Version: 2, Print: "old"}, 1009: {Sequence: 3, Version: 2, Print: "now"},
	} {
		got, taken := r.TakenAt(number)
		if !taken || got.Sequence != want.Sequence || got.Version != want.Version || got.Print != want.Print {
			t.Errorf("%d: %+v", number, got)
		}
	}
	if _, taken := r.TakenAt(1002); taken {
		t.Error("a frame that is wanted again is taken over")
	}
	if r.FrameSeconds != 3 { // 3 of 10 are rendered
		t.Errorf("a frame takes %v s", r.FrameSeconds)
	}
}

func TestWhatHasChangedMayBeRenderedToo(t *testing.T) {
	r, err := retaken(t, "1002", true, nil)
	if err != nil || r.Rendered().String() != "1001-1008,1010" || !r.Other.Empty() {
		t.Errorf("%s, %s, %v", r.Rendered(), r.Other, err)
	}
}

func TestWhatWouldComeOutAsItIsIsTold(t *testing.T) {
	r, err := retaken(t, "1008-1009", false, nil)
	if err != nil || r.Same.String() != "1009" {
		t.Errorf("%s, %v", r.Same, err)
	}
}

func TestPicturesOfAnotherFormAreNotMixed(t *testing.T) {
	for want, change := range map[string]func(s *Sequence, f []Former){
		"output master is 64 × 32 now, and was 0 × 0": func(s *Sequence, _ []Former) {
			s.Files = []FileSequence{{Output: "master", Label: "all", Encoding: output.EXR.Usual()}}
			s.Files[0].Size.Width, s.Files[0].Size.Height = 64, 32
		},
		"output master is encoded otherwise now": func(s *Sequence, _ []Former) {
			s.Files = []FileSequence{{Output: "master", Label: "all", Encoding: output.PNG.Usual()}}
		},
		"the outputs are others now": func(s *Sequence, _ []Former) { s.Files = nil },
	} {
		r, err := retaken(t, "1002", false, change)
		if err != nil || r.Unequal != want || r.Rendered().Count() != 10-1 { // but 1009, whose set-up is as it was
			t.Errorf("%q: %q, %s, %v", want, r.Unequal, r.Rendered(), err)
		}
	}
}

func TestFramesWithOtherNamesAreRendered(t *testing.T) {
	r, err := retaken(t, "1002", false, func(s *Sequence, _ []Former) {
		s.Labels = []production.Label{{Frame: 1005, Name: "turn"}}
	})
	if err != nil || r.Rendered().String() != "1002,1005,1010" {
		t.Errorf("%s, %v", r.Rendered(), err)
	}
}

func TestRetakesOutsideOfTheRangeAreRefused(t *testing.T) {
	_, err := retaken(t, "1010-1012", false, nil)
	if err == nil || err.Error() != "010 v hd: frames 1011-1012 are not in its range any more" {
		t.Error(err)
	}
}
