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
		if got := (Sun{AzimuthDegrees: c.azimuth, ElevationDegrees: c.elevation}).Towards(); got.Sub(c.want).Length() > 1e-12 {
			t.Errorf("%v, %v: %v", c.azimuth, c.elevation, got)
		}
	}
}

func TestLightsOffByPattern(t *testing.T) {
	l := Look{LightsOff: []string{"quay_*", "deck"}}
	for name, burns := range map[string]bool{"quay_1": false, "quay_": false, "deck": false, "deck_2": true, "mast": true} {
		if l.Burns(name) != burns {
			t.Errorf("%s burns: %v", name, !burns)
		}
	}
	s := &scene.Scene{Lights: []scene.Light{{Name: "quay_1"}}}
	if u := l.Unmatched(s); len(u) != 1 || u[0] != "deck" {
		t.Errorf("unmatched patterns are %v", u)
	}
}

func TestSkyRunsFromHorizonToZenith(t *testing.T) {
	l := Plain()
	if got := l.Radiance(geom.Vec{Y: 1}); got.Sub(l.Sky.Zenith).Length() > 1e-12 {
		t.Errorf("overhead %v, want %v", got, l.Sky.Zenith)
	}
	if got := l.Radiance(geom.Vec{X: -1}); got.Sub(l.Sky.Horizon).Length() > 1e-12 {
		t.Errorf("level %v, want %v", got, l.Sky.Horizon)
	}
	if math.Abs(Look{ExposureEV: 1}.Gain()-2) > 1e-12 {
		t.Error("one stop is not a factor of two")
	}
}

func TestCheckFindsWhatIsWrong(t *testing.T) {
	if err := Plain().Check(); err != nil {
		t.Error(err)
	}
	for name, l := range map[string]Look{
		"no code": {}, "dazzling": {Code: "a", ExposureEV: 99}, "negative": {Code: "a", LightGain: -1}, "pattern": {Code: "a", LightsOff: []string{"["}},
	} {
		if l.Check() == nil {
			t.Errorf("%s passed", name)
		}
	}
}
