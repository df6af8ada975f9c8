package look

import (
	"math"
	"testing"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

func TestSunStandsWhereTheLookSays(t *testing.T) {
	for _, c := range []struct {
		azimuth, elevation float64
		want               geom.Vec
	}{{0, 0, geom.Vec{Z: -1}}, {90, 0, geom.Vec{X: 1}}, {270, 0, geom.Vec{X: -1}}, {12, 90, geom.Vec{Y: 1}}} {
		if got := (Sun{AzimuthDegrees: c.azimuth, ElevationDegrees: c.elevation}).Towards(); got.Sub(c.want).
			Length() >
			1e-12 {
			t.Errorf("%v, %v: %v", c.azimuth, c.elevation, got)
		}
	}
}

func TestLightsOffByPattern(t *testing.T) {
	l := Look{LightsOff: []string{"quay_*", "deck"}}
	for name, burns := range map[string]bool{"quay_1": false, "quay_": false, "deck": false, "deck_2": true,
		"mast": true} {
		if l.Burns(name) != burns {
			t.Errorf("%s burns: %v", name, !burns)
		}
	}
	s := &scene.Scene{Lights: []scene.Light{{Name: "quay_1"}}}
	l.Hidden = []string{"rope"}
	if lights, objects := l.Unmatched(s); len(lights) != 1 || lights[0] != "deck" || len(objects) != 1 {
		t.Errorf("unmatched patterns are %v and %v", lights, objects)
	}
}

func TestSkyRunsFromHorizonToZenith(t *testing.T) {
	l := Plain()
	g := l.Gradient()
	if got := g.Radiance(geom.Vec{Y: 1}); got.Sub(l.Sky.Zenith).Length() > 1e-12 {
		t.Errorf("overhead %v, want %v", got, l.Sky.Zenith)
	}
	if got := g.Radiance(geom.Vec{X: -1}); got.Sub(l.Sky.Horizon).Length() > 1e-12 {
		t.Errorf("level %v, want %v", got, l.Sky.Horizon)
	}
	if math.Abs(Look{ExposureEV: 1}.Gain()-2) > 1e-12 {
		t.Error("one stop is not a factor of two")
	}
}

func TestALookFollowsItsBase(t *testing.T) {
	base := Plain()
	night := base
	night.Code, night.ExposureEV, night.LightsOff = "night", 2, []string{"sun*"}
	if d := Differences(base, night); len(d) != 2 || d[0] != (Difference{"exposure", "Exposure", "0 EV", "2 EV"}) ||
		d[1].Own != "sun*" {
		t.Errorf("differences %+v", d)
	}
	if d := Differences(base, base); len(d) != 0 {
		t.Errorf("a look differs from itself: %v", d)
	}
	after := base
	after.ExposureEV, after.Haze.Metres = -1, 300
	if got := night.Follow(base, after); got.ExposureEV != 2 || got.Haze.Metres != 300 || got.Code != "night" {
		t.Errorf("it followed to %+v", got)
	}
	if err := night.Reset("exposure", after); err != nil || night.ExposureEV != -1 {
		t.Errorf("reset: %v, %v", night.ExposureEV, err)
	}
	if night.Reset("x", after) == nil {
		t.Error("a line that is none was reset")
	}
	tiny := base
	tiny.Sky.Zenith.X += 1e-9 // less than a text shows
	if len(Differences(base, tiny)) != 1 {
		t.Error("a small difference was overlooked")
	}
}

// 188 of 255 is a half of the light by the curve of sRGB (IEC 61966-2-1).
func TestColoursAndStrengths(t *testing.T) {
	light := geom.Vec{X: 3, Y: 1.5, Z: 0}
	if h := Hue(light); h != "#ffbc00" {
		t.Errorf("the hue is %s", h)
	}
	back, err := Light("#ffbc00", 3)
	if err != nil || back.Sub(light).Length() > 0.02 {
		t.Errorf("it came back as %v, %v", back, err)
	}
	if v, err := Light("#000000", 3); err != nil || v != (geom.Vec{}) {
		t.Errorf("black light: %v, %v", v, err)
	}
	for _, wrong := range []string{"", "red", "#12345", "#1234567", "#gggggg"} {
		if _, err := Light(wrong, 1); err == nil {
			t.Errorf("%q was taken for a colour", wrong)
		}
	}
}

func TestHiddenObjectsAreNotThere(t *testing.T) {
	s := &scene.Scene{
		Meshes: []scene.Mesh{{}},
		Nodes:  []scene.Node{scene.NewNode("rope_1"), scene.NewNode("ferry")},
		Roots:  []int{0, 1},
	}
	s.Nodes[0].Mesh, s.Nodes[1].Mesh = 0, 0
	if got := (Look{Hidden: []string{"rope_*"}}).Dressed(s); got.Nodes[0].Mesh != scene.None ||
		got.Nodes[1].Mesh != 0 ||
		s.Nodes[0].Mesh != 0 {
		t.Errorf("nodes %+v", got.Nodes)
	}
}

func TestCheckFindsWhatIsWrong(t *testing.T) {
	if err := Plain().Check(); err != nil {
		t.Error(err)
	}
	for name, l := range map[string]Look{
		"no code": {}, "dazzling": {Code: "a", ExposureEV: 99}, "negative": {Code: "a", LightGain: -1},
		"pattern": {Code: "a", LightsOff: []string{"["}}, "hidden pattern": {Code: "a", Hidden: []string{"["}},
		"no number": {Code: "a", LightGain: math.NaN()}, "dark light": {Code: "a", Sky: Sky{Zenith: geom.Vec{X: -1}}},
		"high sun": {Code: "a", Sun: Sun{ElevationDegrees: 91}},
	} {
		if l.Check() == nil {
			t.Errorf("%s passed", name)
		}
	}
}
