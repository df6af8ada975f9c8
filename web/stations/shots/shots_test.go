package shots_test

import (
	"strings"
	"testing"

	"reelhouse/web/webtest"
)

func TestShotsAreChangedTogether(t *testing.T) {
	s := webtest.New(t)
	for range 3 {
		s.Edits("shot", "field", "add")
	}
	codes := []string{"chosen", "020", "chosen", "030"}
	s.Edits("shot", append(codes, "field", "step", "value", "2")...)
	s.Edits("shot", append(codes, "field", "sizes", "values", "hd")...)
	s.Edits("shot", append(codes, "field", "handles", "value", "8")...)
	s.Edits("shot", append(codes, "field", "quality", "value", "final")...)
	p := s.Production()
	for _, code := range []string{"020", "030"} {
		if shot, _ := p.FindShot(code); shot.Step != 2 || shot.Sizes[0] != "hd" || *shot.Handles != 8 ||
			shot.Quality != "final" {
			t.Errorf("shot %s is %+v", code, shot)
		}
	}
	if shot, _ := p.FindShot("040"); shot.Set("step") || shot.Set("sizes") {
		t.Errorf("a shot that was not ticked is %+v", shot)
	}
	s.Edits("shot", append(codes, "field", "reset", "value", "step")...)
	s.Edits("shot", "of", "020", "field", "reset", "value", "handles")
	s.Edits("shot", "chosen", "040", "field", "move", "value", "-1")
	s.Edits("shot", append(codes, "field", "inBatch")...)
	s.Edits("shot", "field", "renumber")
	p = s.Production()
	if p.Shots[2].Step != 0 || p.Shots[1].Handles != nil || p.Shots[1].InBatch || p.Shots[3].Quality != "final" ||
		p.Shots[2].Quality != "" {
		t.Errorf("the shots are %+v", p.Shots)
	}
	s.Edits("shot", "chosen", "020", "chosen", "030", "field", "copy")
	if body := s.Edits("shot", "chosen", "020", "chosen", "030", "field", "join"); !strings.Contains(
		body, "differ in their",
	) {
		t.Error("shots that differ were joined")
	}
	s.Edits("shot", "of", "020", "field", "split", "value", "1020")
	if _, ok := s.Production().FindShot("020b"); !ok {
		t.Errorf("it was not split: %v", s.Production().Shots)
	}
	for _, pairs := range [][]string{{"field", "copy"}, {"chosen", "999", "field", "copy"},
		{"chosen", "020", "field", "step", "value", "many"}, {"chosen", "020", "field", "look", "value", "none"}} {
		if body := s.Edits("shot", pairs...); !strings.Contains(body, "Not kept") {
			t.Errorf("%v was kept", pairs)
		}
	}
	s.Edits("shot", "of", "010", "field", "labels", "value", "1002 = pose-a")
	if shot, _ := s.Production().FindShot("010"); shot.Label(1002) != "pose-a" {
		t.Errorf("labels are %v", shot.Labels)
	}
}
