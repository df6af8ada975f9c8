package store

import (
	"errors"
	"fmt"
	"testing"

	"reelhouse/core/output"
	"reelhouse/core/preset"
	"reelhouse/core/production"
)

func TestPresetsAreKeptByKindAndName(t *testing.T) {
	s := open(t)
	p := production.New("SALT", "First")
	must(t, s.SavePreset(preset.OfStandards("Feature", p), false))
	must(t, s.SavePreset(preset.OfOutput("Feature", output.Usual()[0]), false))
	if err := s.SavePreset(preset.OfStandards("feature", p), false); !errors.Is(err, ErrTaken) {
		t.Errorf("a second preset of the name: %v", err)
	}
	p.Handles = 8
	must(t, s.SavePreset(preset.OfStandards("Feature", p), true))
	got, err := s.Preset(preset.Standards, "FEATURE")
	if err != nil || got.Standards.Handles != 8 || got.Name != "Feature" {
		t.Errorf("%+v, %v", got, err)
	}
	p.Handles = -1
	if err := s.SavePreset(preset.OfStandards("Bad", p), false); err == nil {
		t.Error("bad standards were kept")
	}
	if all, err := s.Presets(preset.Standards); err != nil || len(all) != 1 {
		t.Errorf("%v, %v", all, err)
	}
	must(t, s.DeletePreset(preset.Standards, "Feature"))
	if err := s.DeletePreset(preset.Standards, "Feature"); !errors.Is(err, ErrNotFound) {
		t.Errorf("deleted twice: %v", err)
	}
	if _, err := s.Preset(preset.Output, "Feature"); err != nil {
		t.Errorf("the other kind went too: %v", err)
	}
}

// Two editors have the same revision before them.
func TestTheSecondOfTwoEditorsIsToldAndNothingIsLost(t *testing.T) {
	s := open(t)
	must(t, s.Create(production.New("SALT", "First")))
	set := func(seen int, change func(p *production.Production)) (Revision, error) {
		return s.Edit("SALT", "an edit", seen, func(p *production.Production) error { change(p); return nil })
	}
	width := func(n int) func(p *production.Production) {
		return func(p *production.Production) { p.Sizes[0].Width = n }
	}
	r, err := set(1, width(1000))
	must(t, err)
	var c *Conflict
	if _, err := set(1, width(2000)); !errors.As(err, &c) || len(c.Changes) != 1 || c.Changes[0].Where() != "sizes › scope › width" || string(c.Changes[0].Is) != "1000" {
		t.Fatalf("the same width, seen before: %v", err)
	}
	if now, err := set(1, func(p *production.Production) { p.Handles = 8 }); err != nil || now.Handles != 8 || now.Sizes[0].Width != 1000 {
		t.Errorf("another field: %v", err)
	}
	if now, err := set(Any, width(2000)); err != nil || now.Sizes[0].Width != 2000 {
		t.Errorf("an edit that wants it so: %v", err)
	}
	if _, err := s.Step("SALT", r.Number, -1); !errors.As(err, &c) {
		t.Errorf("undo of what was not seen: %v", err)
	}
	// A revision that was undone and forgotten is no other one's number.
	undone, err := s.Step("SALT", Any, -1)
	must(t, err)
	if _, err := set(undone.Number, width(3)); err != nil {
		t.Fatal(err)
	}
	if _, err := set(undone.Number+1, width(4)); !errors.As(err, &c) || len(c.Changes) != 0 {
		t.Errorf("what was seen is gone: %v", err)
	}
}

func TestOnlyTheLastRevisionsAreKept(t *testing.T) {
	s := open(t)
	must(t, s.Create(production.New("SALT", "0")))
	for i := range keptRevisions + 20 {
		_, err := s.Edit("SALT", "title", Any, func(p *production.Production) error { p.Title = fmt.Sprint(i); return nil })
		must(t, err)
	}
	steps := 0
	for before := 0; ; steps++ {
		r, err := s.Step("SALT", Any, -1)
		must(t, err)
		if r.Number == before {
			break
		}
		before = r.Number
	}
	if steps != keptRevisions {
		t.Errorf("%d steps can be undone, want %d", steps, keptRevisions)
	}
}

func TestUndoingANewCodeBringsTheOldOneBack(t *testing.T) {
	s := open(t)
	must(t, s.Create(production.New("SALT", "First")))
	_, err := s.Edit("SALT", "code", Any, func(p *production.Production) error { p.Code = "REED"; return nil })
	must(t, err)
	r, err := s.Step("REED", Any, -1)
	if err != nil || r.Code != "SALT" {
		t.Errorf("%q, %v", r.Code, err)
	}
}
