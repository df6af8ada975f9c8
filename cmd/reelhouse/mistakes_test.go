package main

import (
	"slices"
	"testing"

	"reelhouse/core/preflight"
	"reelhouse/demo"
	"reelhouse/house"
)

// elsewhere are the rules that no set-up of the demo alone can show; their own tests make them fire.
var elsewhere = []string{
	"already-sent", "nothing-new", "set-up-unknown", "path-occupied", "queue-is-busy", "encoded-twice",
	"texture-missing", "matte-of-clear",
}

// Each rule is silent in the demo as it is, but for those of a draft, and finds the mistake that is made for it.
func TestEveryMistakeInTheDemoIsFound(t *testing.T) {
	h, err := house.Open(t.TempDir(), false)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	h.OnlyBuiltIn = true
	if err := seed(h); err != nil {
		t.Fatal(err)
	}
	found := func(m *demo.Mistake) []string {
		p, err := h.Record.Production(demoCode)
		if err != nil {
			t.Fatal(err)
		}
		q := p.Production.Copy()
		if m != nil {
			m.Make(&q)
		}
		d, err := h.Draft(q)
		if err != nil {
			t.Fatal(err)
		}
		for _, problem := range d.Problems {
			t.Errorf("%+v", problem)
		}
		var rules []string
		for _, f := range d.Findings {
			rules = append(rules, f.Rule)
		}
		return slices.Compact(rules)
	}
	usual := found(nil)
	if !slices.Equal(usual, []string{"cut-needs-more", "quick-settings"}) &&
		!slices.Equal(usual, []string{"quick-settings", "cut-needs-more"}) {
		t.Errorf("in the demo as it is are found %q", usual)
	}
	shown := slices.Clone(elsewhere)
	for _, m := range demo.Mistakes() {
		if !slices.Contains(found(&m), m.Rule) {
			t.Errorf("%s is not found by %s", m.What, m.Rule)
		}
		shown = append(shown, m.Rule)
	}
	for _, r := range preflight.Rules() {
		if !slices.Contains(shown, r.Name) {
			t.Errorf("the demo has no mistake for the rule %s", r.Name)
		}
	}
}
