package viewsheet

import (
	"slices"
	"strings"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/production"
	"reelhouse/core/scene"
)

func four() (production.Production, *scene.Scene) {
	p := production.New("P", "P")
	night := look.Plain()
	night.Code, night.Name, night.LightsOff, night.Environment = "night", "Night", []string{"lamp"}, look.Environment{
		Map:         "stars",
		TurnDegrees: 30,
	}
	idle := look.Plain()
	idle.Code = "idle"
	p.Looks = append(p.Looks, night, idle)
	p.Environments = []production.EnvironmentFile{{Code: "stars"}, {Code: "spare"}}
	for _, code := range []string{"a", "b", "c", "d"} {
		p.Views = append(p.Views, production.View{Code: code, Camera: "cam", Look: "plain"})
	}
	p.Views[3].Look = "night"
	p.Views = append(p.Views, production.View{Code: "round", Camera: "cam", Look: "night", Working: true})
	p.Shots = []production.Shot{{Code: "010", View: "a", Sizes: []string{"hd", "scope"}, Frames: frame.Of(1, 2)}}
	s := &scene.Scene{
		Cameras: []scene.Camera{{Up: 0.5, Aspect: 1.5}},
		Lights:  []scene.Light{{Name: "lamp"}, {Name: "glow"}},
		Roots:   []int{0, 1, 2},
	}
	cam, lamp, glow := scene.NewNode("cam"), scene.NewNode("lamp"), scene.NewNode("glow")
	cam.Camera, lamp.Light, glow.Light = 0, 0, 1
	s.Nodes = []scene.Node{cam, lamp, glow}
	return p, s
}

func TestWhatDiffersIsMarked(t *testing.T) {
	p, s := four()
	p.Views[1].Setup = camera.Setup{FNumber: 2.8, Focus: 4.5, Exposure: camera.Fixed, EV: 1, Locked: true}
	sheet := Of(p, s)
	if len(sheet.Rows) != 4 {
		t.Fatalf("%d rows; working views do not count", len(sheet.Rows))
	}
	marked := func(row int) string {
		var out []string
		for c, f := range sheet.Rows[row].Facts {
			if f.Common != "" {
				out = append(out, Columns()[c]+": "+f.Text+", not "+f.Common)
			}
		}
		return strings.Join(out, "; ")
	}
	if got := marked(2); got != "" {
		t.Errorf("an ordinary view is marked: %s", got)
	}
	if got := marked(1); got != "Focus: f/2.8 at 4.5 m, not all sharp; Exposure: +1.00 EV, fixed, not +0.00 EV; "+
		"Lock: locked, not free" {
		t.Errorf("the second: %s", got)
	}
	if got := marked(3); got != "Look: night, not plain; Lights on: 1 of 2, not all 2; Environment: stars, turned "+
		"30°, not sky" {
		t.Errorf("the fourth: %s", got)
	}
	if f := sheet.Rows[0].Facts[8]; f.Text != "hd, scope" || f.More != "shot 010" || f.Common != "in no shot" {
		t.Errorf("sizes %+v", f)
	}
	if f := sheet.Rows[3].Facts[4]; f.More != "off: lamp" {
		t.Errorf("lights %+v", f)
	}
}

func TestOddOnesOut(t *testing.T) {
	p, s := four()
	p.Views[1].Setup = camera.Setup{Exposure: camera.Fixed, EV: 1}
	p.Views[2].Camera = "gone"
	p.Looks[0].LightsOff = []string{"lamp", "glow"}
	sheet := Of(p, s)
	for _, want := range []string{
		"View c looks through gone, which is not in the scene.", "Light lamp is on in no view.",
		"Light glow is on in view d only.", "Look idle: no view uses it.", "Environment spare is in no look.",
		"Views a and b have the look plain, and one is exposed at +0.00 EV, the other at +1.00 EV, fixed.",
	} {
		if !slices.Contains(sheet.Odd, want) {
			t.Errorf("it does not say %q", want)
		}
	}
	if len(sheet.Odd) != 6 {
		t.Errorf("it says %q", sheet.Odd)
	}
	if rows := Of(p, nil).Rows; len(rows) != 4 || rows[0].Facts[1].Text != "–" {
		t.Error("without a scene there is no sheet")
	}
}
