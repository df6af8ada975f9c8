package edit

import (
	"errors"
	"strings"
	"testing"

	"reelhouse/core/grade"
	"reelhouse/core/pass"
	"reelhouse/core/production"
)

func TestMattesAndGradesAreKept(t *testing.T) {
	p := production.Production{LightGroups: []pass.LightGroup{{Code: "sun"}, {Code: "lamps"}}}
	do := func(name string, values ...string) error {
		t.Helper()
		given := map[string][]string{}
		for i := 0; i < len(values); i += 2 {
			given[values[i]] = append(given[values[i]], values[i+1])
		}
		c, err := FromText(name, given)
		if err != nil {
			return err
		}
		return Apply(c, &p, Known{})
	}
	must := func(name string, values ...string) {
		t.Helper()
		if err := do(name, values...); err != nil {
			t.Fatalf("%s %v: %v", name, values, err)
		}
	}
	must("matte.add", "name", "Ferry hull", "names", "ferry*", "names", "mast", "names", "ferry*")
	must("matte.add", "name", "Ferry hull!", "names", "x", "layer", "cryptoasset")
	must("matte.add", "names", "y")
	if len(p.Mattes) != 3 || p.Mattes[0].Code != "ferryhull" || p.Mattes[1].Code != "ferryhull2" ||
		p.Mattes[2].Code != "matte1" || strings.Join(p.Mattes[0].Names, " ") != "ferry* mast" {
		t.Errorf("%+v", p.Mattes)
	}
	must("grade.add", "name", "Night")
	must("grade.light", "grade", "night", "pass", "light-sun", "intensity", "0.01", "colour", "#8090FF")
	must("grade.light", "grade", "night", "pass", "light-lamps", "intensity", "3")
	must("grade.light", "grade", "night", "pass", "light-lamps", "intensity", "1")
	if l := p.Grades[0].Lights; len(l) != 1 || l[0].Colour != "#8090ff" || l[0].Intensity != 0.01 {
		t.Errorf("lights are %+v", l)
	}
	must("grade.add-step", "grade", "night", "slope", "1.1 1 0.9", "matte", "ferryhull", "inverted", "1")
	must("grade.add-step", "grade", "night", "exposure", "-1", "power", "1.2")
	must("grade.move-step", "grade", "night", "step", "2", "to", "1")
	must("grade.step", "grade", "night", "step", "1", "on", "")
	g := p.Grades[0]
	if len(g.Steps) != 2 || !g.Steps[0].Off || g.Steps[0].CDL.Power != [3]float64{1.2, 1.2, 1.2} ||
		g.Steps[1].CDL.Slope[2] != 0.9 || !g.Steps[1].Mask.Inverted {
		t.Errorf("%+v", g.Steps)
	}
	must("matte.set", "matte", "ferryhull", "code", "hull")
	if p.Grades[0].Steps[1].Mask.Matte != "hull" {
		t.Error("a grade does not follow its matte's code")
	}
	must("grade.copy", "grade", "night")
	must("grade.light", "grade", "night2", "pass", "emission", "intensity", "2")
	if l := p.Grades[1].Lights; len(l) != 1 || l[0].Pass != pass.Emission || len(p.Grades[0].Lights) != 1 {
		t.Errorf("parts beside groups: %+v", l)
	}
	for says, c := range map[string][]string{
		"masked by it":     {"matte.remove", "matte", "hull"},
		"there is a matte": {"matte.set", "matte", "hull", "code", "matte1"},
		"no light group":   {"grade.light", "grade", "night", "pass", "light-moon", "intensity", "2"},
		"no pass of light": {"grade.light", "grade", "night", "pass", "depth", "intensity", "2"},
		"no matte":         {"grade.step", "grade", "night", "step", "1", "matte", "boat"},
		"has no step":      {"grade.step", "grade", "night", "step", "3", "exposure", "1"},
		"power of":         {"grade.step", "grade", "night", "step", "1", "power", "0"},
		"three for":        {"grade.step", "grade", "night", "step", "1", "slope", "1 2"},
		"names nothing":    {"matte.add", "name", "z", "names", " "},
		"no grade":         {"grade.remove", "grade", "day"},
	} {
		before := len(p.Grades[0].Steps)
		was := p.Copy()
		err := do(c[0], c[1:]...)
		var m *Mistake
		if err == nil || !strings.Contains(err.Error(), says) || !errors.As(err, &m) {
			t.Errorf("%v: %v, want %s", c, err, says)
		}
		if p = was; len(p.Grades[0].Steps) != before {
			t.Error("it was changed")
		}
	}
	must("grade.step", "grade", "night", "step", "2", "matte", "")
	if m := p.Grades[0].Steps[1].Mask; m != (grade.Mask{}) {
		t.Errorf("the mask that is left is %+v", m)
	}
	must("grade.step", "grade", "night2", "step", "2", "matte", "")
	must("matte.remove", "matte", "hull")
	must("grade.remove-step", "grade", "night", "step", "1")
	must("grade.remove", "grade", "night")
}
