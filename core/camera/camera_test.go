package camera

import (
	"math"
	"strings"
	"testing"

	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
)

var hd = raster.Size{Width: 1920, Height: 1080}

// fifty is a camera of 50 mm on a back of 36 mm, 16 : 9.
func fifty() scene.Camera {
	across := lens.FieldOfView(36, 50)
	return scene.Camera{Up: 2 * math.Atan(math.Tan(across/2)*9/16), Aspect: 16.0 / 9}
}

func TestHeadingsAreThoseOfACompass(t *testing.T) {
	for heading, want := range map[float64]geom.Vec{0: {Z: -1}, 90: {X: 1}, 180: {Z: 1}, 270: {X: -1}} {
		pose := Stand{Heading: heading}.Pose()
		if got := pose.Direction(geom.Vec{Z: -1}); got.Sub(want).Length() > 1e-12 {
			t.Errorf("%v°: looks along %v, want %v", heading, got, want)
		}
	}
	if up := (Stand{Tilt: 30}).Pose().Direction(geom.Vec{Z: -1}); math.Abs(up.Y-0.5) > 1e-12 {
		t.Errorf("30° up looks along %v", up)
	}
	if right := (Stand{Roll: 90}).Pose().Direction(geom.Vec{X: 1}); right.Sub(geom.Vec{Y: -1}).Length() > 1e-12 {
		t.Errorf("rolled by a quarter clockwise, its right hand points to %v", right)
	}
}

func TestStandsComeBack(t *testing.T) {
	for _, want := range []Stand{{Heading: 10, Tilt: 20, Roll: 30},
		{Position: geom.Vec{X: 1, Y: 2, Z: 3}, Heading: 359, Tilt: -89, Roll: -170}, {Heading: 45, Tilt: 90}} {
		got := StandOf(want.Pose())
		if got.Position != want.Position || math.Abs(got.Heading-want.Heading) > 1e-6 ||
			math.Abs(got.Tilt-want.Tilt) > 1e-5 ||
			math.Abs(got.Roll-want.Roll) > 1e-6 {
			t.Errorf("%+v came back as %+v", want, got)
		}
	}
}

// h = 2 atan(back / 2f): 50 mm on 36 mm sees 39.598 degrees, 35 mm 54.432; on a back half as wide 50 mm sees as 100 mm
// does.
func TestFocalLengthAndBackSetTheAngle(t *testing.T) {
	for _, c := range []struct{ focal, back, degrees float64 }{{0, 0, 39.598}, {35, 0, 54.432}, {50, 36, 39.598},
		{50, 18, 20.408}, {100, 0, 20.408}} {
		s := Setup{Focal: c.focal, Back: c.back}
		v := s.Of(geom.Identity(), fifty())
		if got := lens.Degrees(lens.AnglesOf(v.Camera.Up, v.Camera.Aspect).Across); math.Abs(got-c.degrees) > 0.0005 {
			t.Errorf("%v mm on %v mm sees %.4f°, want %v", c.focal, c.back, got, c.degrees)
		}
	}
	if f := (Setup{Back: 18}).FocalOf(fifty()); math.Abs(f-25) > 1e-9 {
		t.Errorf("the same angle on half the back is %v mm, want 25", f)
	}
}

// pixel returns where a point stands in the picture.
func pixel(v View, p geom.Vec) (x, y float64) {
	w := v.Window(raster.Fit{}, hd, 1)
	local := v.Pose.Inverse().Point(p)
	return (local.X/-local.Z - w.Left) / w.Width() * float64(
		hd.Width,
	), (w.Top - local.Y/-local.Z) / w.Height() * float64(hd.Height)
}

// A shift of the lens by half of the back's width moves the picture by half of its own.
func TestShiftsMoveThePicture(t *testing.T) {
	v := Setup{ShiftAcross: 18, ShiftUp: 4.5}.Of(geom.Identity(), fifty())
	if x, y := pixel(v, geom.Vec{Z: -10}); math.Abs(x-0) > 1e-9 ||
		math.Abs(y-780) > 1e-9 { // 4.5 of 36 mm are 240 of 1920 pixels
		t.Errorf("what was in the middle is at %v, %v", x, y)
	}
	flat := scene.Camera{Height: 9, Aspect: 16.0 / 9}
	if x, y := func() (float64, float64) {
		v := Setup{ShiftUp: 4.5}.Of(geom.Identity(), flat)
		w := v.Window(raster.Fit{}, hd, 1)
		return (0 - w.Left) / w.Width() * 1920, (w.Top - 0) / w.Height() * 1080
	}(); math.Abs(x-960) > 1e-9 || math.Abs(y-780) > 1e-9 {
		t.Errorf("of an orthographic camera it is at %v, %v", x, y)
	}
}

// After straightening, what was in the middle still is, and a vertical edge has the same x at its foot and its head.
func TestStraighteningKeepsTheMiddleAndMakesVerticalsVertical(t *testing.T) {
	at := Stand{Position: geom.Vec{Y: 1.6}, Heading: 20, Tilt: 25, Roll: 2}
	tilted := Setup{Stand: &at, Focal: 24, ShiftUp: 1}
	middle := at.Pose().Point(geom.Vec{Y: 1.0 / 24, Z: -1}.Scale(30)) // along the ray that the shift puts in the middle
	straight, err := tilted.Straightened(geom.Identity(), fifty())
	if err != nil {
		t.Fatal(err)
	}
	v := straight.Of(geom.Identity(), fifty())
	// The roll is taken out, too, so that the middle may move by as much as it turned that ray.
	if x, y := pixel(v, middle); math.Abs(x-960) > 4 || math.Abs(y-540) > 1 {
		t.Errorf("what was in the middle is at %v, %v", x, y)
	}
	foot, head := geom.Vec{X: 8, Z: -20}, geom.Vec{X: 8, Y: 15, Z: -20}
	a, _ := pixel(v, foot)
	b, _ := pixel(v, head)
	c, _ := pixel(tilted.Of(geom.Identity(), fifty()), foot)
	d, _ := pixel(tilted.Of(geom.Identity(), fifty()), head)
	if math.Abs(a-b) > 1e-6 || math.Abs(c-d) < 10 {
		t.Errorf("a vertical leans by %v pixels, before by %v", a-b, c-d)
	}
	// 24 mm times tan(25° + atan(1/24)).
	if want := 24 * math.Tan(25*math.Pi/180+math.Atan(1.0/24)); math.Abs(straight.ShiftUp-want) > 1e-9 ||
		straight.Stand.Tilt != 0 ||
		tilted.Stand.Tilt != 25 {
		t.Errorf("the shift is %v mm, want %v; %+v", straight.ShiftUp, want, straight.Stand)
	}
	if _, err := (Setup{Stand: &Stand{Tilt: 80}}).Straightened(geom.Identity(), fifty()); err == nil ||
		!strings.Contains(err.Error(), "80°") {
		t.Errorf("80° up: %v", err)
	}
}

func TestSharpnessIsThatOfTheLens(t *testing.T) {
	near, far, limited := Setup{FNumber: 8, Focus: 5}.Sharpness(fifty())
	if !limited || math.Abs(near-3.3894) > 1e-4 || math.Abs(far-9.5274) > 1e-4 {
		t.Errorf("sharp from %v to %v m", near, far)
	}
	if v := (Setup{FNumber: 8, Focus: 5}).Of(geom.Identity(), fifty()); math.Abs(v.Lens-0.003125) > 1e-12 ||
		v.Focus != 5 {
		t.Errorf("its opening has a radius of %v m", v.Lens)
	}
	if _, far, limited := (Setup{}).Sharpness(fifty()); limited || !math.IsInf(far, 1) {
		t.Error("without an f-number it is not sharp everywhere")
	}
}

func TestSetupsThatCannotBeAreRefused(t *testing.T) {
	if err := (Setup{}).Check(); err != nil {
		t.Error(err)
	}
	for says, s := range map[string]Setup{
		"focal length": {Focal: 0.5}, "sensor width": {Back: -1}, "f-number": {FNumber: 0.01, Focus: 1},
		"needs a distance": {FNumber: 4}, "a focus": {Focus: -1}, "shift": {ShiftUp: math.NaN()},
		"too far": {Stand: &Stand{Position: geom.Vec{X: 1e9}}},
		"heading": {Stand: &Stand{Heading: 361}}, "tilt": {Stand: &Stand{Tilt: -91}},
		"roll": {Stand: &Stand{Roll: math.Inf(1)}},
	} {
		if err := s.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	a, b := Setup{Stand: &Stand{Tilt: 1}}, Setup{Stand: &Stand{Tilt: 1}}
	if !a.Same(b) || a.Same(Setup{}) || a.Same(Setup{Stand: &Stand{Tilt: 2}}) {
		t.Error("setups are compared by their pointers")
	}
}
