package camera

import (
	"math"
	"strings"
	"testing"

	"reelhouse/core/geom"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
)

// Exposure values by the definition of ISO 2720 at ISO 100: f/1 for 1 s is 0; f/8 for 1/125 s is 13 to a hundredth of a
// tenth of the nominal steps; twice the film speed is one less. Bright sun wants f/16 at 1/100 s, which is common
// practice and comes to nearly 15.
func TestExposureValuesWorkedByHand(t *testing.T) {
	for _, c := range []struct{ fNumber, seconds, iso, want float64 }{
		{1, 1, 100, 0}, {2, 1, 100, 2}, {8, 1.0 / 128, 100, 13}, {8, 1.0 / 128, 200, 12}, {16, 1.0 / 100, 100, 14.644},
		{2.8, 1.0 / 48, 800, 5.556},
	} {
		if got := ExposureValue(c.fNumber, c.seconds, c.iso); math.Abs(got-c.want) > 0.001 {
			t.Errorf("f/%v, %v s, ISO %v: EV %v, want %v", c.fNumber, c.seconds, c.iso, got, c.want)
		}
	}
	s := Setup{FNumber: 4, Focus: 3, Shutter: 90, ISO: 400}
	if got := s.ShutterSeconds(25); got != 0.01 {
		t.Errorf("90° at 25 frames a second is %v s", got)
	}
	if got := (Setup{}).ShutterSeconds(0); math.Abs(got-1.0/48) > 1e-15 {
		t.Errorf("without a shutter it is open for %v s", got)
	}
	if gain, own := s.Gain(25); own || gain != 1 {
		t.Errorf("the look's exposure is %v, %v", gain, own)
	}
	s.Exposure = ByLens // 16 / 0.01 / 4 is 400, so 1.2 × 400 cd/m² is the brightest
	if gain, own := s.Gain(25); !own || math.Abs(gain-1.0/480) > 1e-12 {
		t.Errorf("by the lens it is %v", gain)
	}
	s.Exposure, s.EV = Fixed, -2
	if gain, _ := s.Gain(25); gain != 0.25 {
		t.Errorf("two stops down it is %v", gain)
	}
	for says, spoil := range map[string]func(s *Setup){
		"no exposure":  func(s *Setup) { s.Exposure = "x" },
		"f-number and": func(s *Setup) { s.Exposure, s.ISO = ByLens, 0 },
		"shutter":      func(s *Setup) { s.Shutter = 400 }, "ISO": func(s *Setup) { s.ISO = 0.1 },
		"EV": func(s *Setup) { s.EV = 30 },
	} {
		bad := s
		spoil(&bad)
		if err := bad.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

// What lies 6 m ahead keeps its size when the lens goes from 35 to 70 mm and the camera to 12 m; what lies behind it
// grows.
func TestZoomAndDollyTogether(t *testing.T) {
	pose := Stand{Position: geom.Vec{Y: 1}, Heading: 90}.Pose() // towards the east
	c := scene.Camera{Up: 0.5, Aspect: 1.5}
	s := Setup{Focal: 35, FNumber: 4, Focus: 6}
	after, err := s.Dollied(pose, c, 70, 6)
	if err != nil {
		t.Fatal(err)
	}
	if at := after.Stand.Position; at.Sub(geom.Vec{X: -6, Y: 1}).Length() > 1e-9 || after.Focus != 12 ||
		after.Focal != 70 {
		t.Errorf("it stands at %v, focused at %v m", at, after.Focus)
	}
	size := func(s Setup, point geom.Vec) float64 {
		v := s.Of(pose, c)
		p := v.Pose.Inverse().Point(point)
		return p.Y / -p.Z * s.FocalOf(c)
	}
	if a, b := size(s, geom.Vec{X: 6, Y: 2}), size(after, geom.Vec{X: 6, Y: 2}); math.Abs(a-b) > 1e-9 {
		t.Errorf("at the distance sizes are %v and %v mm", a, b)
	}
	if a, b := size(s, geom.Vec{X: 30, Y: 2}), size(after, geom.Vec{X: 30, Y: 2}); b < 1.3*a {
		t.Errorf("far away sizes are %v and %v mm", a, b)
	}
	for says, c := range map[string]struct {
		camera          scene.Camera
		focal, distance float64
	}{"orthographic": {scene.Camera{Height: 2, Aspect: 1}, 50, 5}, "ahead": {c, 50, 0}, "focal": {c, 0.5, 5}} {
		if _, err := s.Dollied(pose, c.camera, c.focal, c.distance); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

func TestACameraIsAimed(t *testing.T) {
	for _, at := range []geom.Vec{{X: 5, Y: 3, Z: -2}, {X: -1, Y: -4, Z: 9}, {Y: 10}, {Y: -10}} {
		s, err := Stand{Position: geom.Vec{Y: 1}, Heading: 20, Roll: 7}.Aimed(at)
		if err != nil {
			t.Fatal(err)
		}
		if looks, want := s.Pose().Direction(geom.Vec{Z: -1}), at.Sub(s.Position).Unit(); looks.Sub(want).
			Length() >
			1e-9 ||
			s.Roll != 0 {
			t.Errorf("towards %v it looks along %v, want %v", at, looks, want)
		}
	}
	if _, err := (Stand{}).Aimed(geom.Vec{}); err == nil {
		t.Error("a camera looks at itself")
	}
}

// 36 mm across at 39.598 degrees is 50 mm, and so is 24 mm up at 26.991 degrees.
func TestAnAngleIsWanted(t *testing.T) {
	c := scene.Camera{Up: 1, Aspect: 1.5}
	for up, degrees := range map[bool]float64{false: 39.5978, true: 26.9915} {
		if f, err := (Setup{}).Seeing(c, degrees, up); err != nil || math.Abs(f-50) > 0.001 {
			t.Errorf("%v° (up: %v) is %v mm, %v", degrees, up, f, err)
		}
	}
	for says, s := range map[string]Setup{"outside 0 to 180": {}, "sees no angle": {Parallel: 3}} {
		if _, err := s.Seeing(c, 180, false); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

func TestACameraIsMadeOrthographic(t *testing.T) {
	c := scene.Camera{Up: 1, Aspect: 1.5}
	s := Setup{Parallel: 4, ShiftUp: 9}
	v := s.Of(geom.Identity(), c)
	if v.Camera.Height != 4 || v.Camera.Aspect != 1.5 || math.Abs(v.ShiftUp-9/(36/(4*1.5))) > 1e-12 ||
		s.FocalOf(c) != 0 {
		t.Errorf("it is %+v", v)
	}
	w := v.Window(raster.Fit{}, raster.Size{Width: 300, Height: 200}, 1)
	if math.Abs(w.Width()-6) > 1e-12 || math.Abs(w.Height()-4) > 1e-12 {
		t.Errorf("it sees %v by %v m", w.Width(), w.Height())
	}
	if v := (Setup{Parallel: 4, BackHigh: 36}).Of(geom.Identity(), c); v.Camera.Aspect != 1 {
		t.Errorf("on a square back it is %+v", v.Camera)
	}
	for says, s := range map[string]Setup{"no lens": {Parallel: 2, FNumber: 2, Focus: 1},
		"outside 0.001": {Parallel: -1}} {
		if err := s.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	if _, err := s.Straightened(geom.Identity(), c); err == nil {
		t.Error("an orthographic camera was straightened")
	}
}

// A film back of another shape sees as much across; of a square one, as much up as across.
func TestTheBackGivesThePictureItsShape(t *testing.T) {
	c := scene.Camera{Up: 0.6, Aspect: 16.0 / 9}
	v := Setup{BackHigh: 36}.Of(geom.Identity(), c)
	if before := math.Tan(0.3) * 16 / 9; v.Camera.Aspect != 1 || math.Abs(math.Tan(v.Camera.Up/2)-before) > 1e-12 {
		t.Errorf("a square back gives %+v", v.Camera)
	}
	if v := (Setup{Back: 36, BackHigh: 24, Focal: 36}).Of(geom.Identity(), c); math.Abs(
		math.Tan(v.Camera.Up/2)-24.0/72,
	) > 1e-12 {
		t.Errorf("24 mm high at 36 mm see %v", v.Camera.Up)
	}
	if v := (Setup{BackHigh: 36}).Of(geom.Identity(), scene.Camera{Height: 3, Aspect: 2}); v.Camera.Height != 6 {
		t.Errorf("an orthographic one sees %+v", v.Camera)
	}
}
