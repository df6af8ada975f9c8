package store

import (
	"errors"
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
	must(t, s.Create(production.New("SALT", "First"), Author{}))
	set := func(seen int, change func(p *production.Production)) (Revision, error) {
		return s.Edit(
			"SALT",
			Making{Summary: "an edit", Seen: seen},
			func(p *production.Production) error { change(p); return nil },
		)
	}
	width := func(n int) func(p *production.Production) {
		return func(p *production.Production) { p.Sizes[0].Width = n }
	}
	_, err := set(1, width(1000))
	must(t, err)
	var c *Conflict
	if _, err := set(1, width(2000)); !errors.As(err, &c) || len(c.Changes) != 1 ||
		c.Changes[0].Where() != "sizes › scope › width" ||
		string(c.Changes[0].Is) != "1000" {
		t.Fatalf("the same width, seen before: %v", err)
	}
	if now, err := set(1, func(p *production.Production) { p.Handles = 8 }); err != nil || now.Handles != 8 ||
		now.Sizes[0].Width != 1000 {
		t.Errorf("another field: %v", err)
	}
	if now, err := set(Any, width(2000)); err != nil || now.Sizes[0].Width != 2000 {
		t.Errorf("an edit that wants it so: %v", err)
	}
	if _, err := set(99, width(4)); !errors.As(err, &c) || len(c.Changes) != 0 {
		t.Errorf("a revision that there never was: %v", err)
	}
}
