package lens

import (
	"math"
	"testing"

	"reelhouse/core/geom"
	"reelhouse/core/raster"
)

// Worked values of h = 2 atan(back / 2f) on a 36 mm back.
func TestFieldOfViewWorkedValues(t *testing.T) {
	for focal, want := range map[float64]float64{50: 39.598, 35: 54.432} {
		if got := Degrees(FieldOfView(36, focal)); math.Abs(got-want) > 0.0005 {
			t.Errorf("%v mm sees %.4f degrees, want %.3f", focal, got, want)
		}
		if got := FocalLength(36, FieldOfView(36, focal)); math.Abs(got-focal) > 1e-9 {
			t.Errorf("%v mm came back as %v mm", focal, got)
		}
	}
}

func TestRaysMeetTheEdgesOfTheView(t *testing.T) {
	angles := AnglesOf(0.6, 16.0/9)
	size := raster.Size{Width: 1920, Height: 1080}
	p := Project(geom.Identity(), angles.Window(raster.Fit{}, size, 1), size)
	_, left := p.Ray(0, 540)
	if got := math.Atan2(-left.X, -left.Z); math.Abs(got-angles.Across/2) > 1e-12 {
		t.Errorf("left edge at %v rad, want %v", got, angles.Across/2)
	}
	_, top := p.Ray(960, 0)
	if got := math.Atan2(top.Y, -top.Z); math.Abs(got-0.3) > 1e-12 {
		t.Errorf("top edge at %v rad, want 0.3", got)
	}
	if d := p.Depth(geom.Vec{X: 3, Y: 4, Z: -12}); d != 12 {
		t.Errorf("depth %v, want 12 along the axis", d)
	}
}

func TestScopeCropsHDAtTopAndBottomOnly(t *testing.T) {
	whole := AnglesOf(0.6, 16.0/9)
	a := AnglesIn(whole.Window(raster.Fit{}, raster.Size{Width: 2048, Height: 858}, 1))
	if math.Abs(a.Across-whole.Across) > 1e-12 || a.Up >= whole.Up {
		t.Errorf("scope sees %v of %v", a, whole)
	}
}

func TestAnAnchoredWindowKeepsItsRays(t *testing.T) {
	angles, square := AnglesOf(0.6, 16.0/9), raster.Size{Width: 100, Height: 100}
	p := Project(geom.Identity(), angles.Window(raster.Fit{AnchorX: 1}, square, 1), square)
	_, right := p.Ray(100, 50)
	if got := math.Atan2(right.X, -right.Z); math.Abs(got-angles.Across/2) > 1e-12 {
		t.Errorf("the right edge is at %v rad, want the camera's own %v", got, angles.Across/2)
	}
}

func TestParallelRaysStandASizeApart(t *testing.T) {
	size := raster.Size{Width: 40, Height: 20}
	p := Parallel(geom.Identity(), raster.Fit{}.Window(size, 1, 4, 2), size) // 8 by 4 metres
	origin, direction := p.Ray(0, 0)
	if origin != (geom.Vec{X: -4, Y: 2}) || direction != (geom.Vec{Z: -1}) {
		t.Errorf("the first corner's ray begins at %v and runs along %v", origin, direction)
	}
	if origin, direction = p.Ray(30, 20); origin.Sub(geom.Vec{X: 2, Y: -2}).Length() > 1e-12 ||
		direction != (geom.Vec{Z: -1}) {
		t.Errorf("another begins at %v and runs along %v", origin, direction)
	}
	if d := p.Depth(geom.Vec{X: 3, Y: 4, Z: -12}); d != 12 {
		t.Errorf("depth %v", d)
	}
}

// 50 mm at f/8 with a circle of 0.03 mm: 50²/(8 × 0.03) + 50 mm is 10.467 m, and focused at 5 m it is sharp from
// 3.389 to 9.527 m, by the formulas that every textbook of photography has. Focused at the hyperfocal distance, it is
// sharp from half of it on.
func TestDepthOfFieldWorkedValues(t *testing.T) {
	if h := Hyperfocal(50, 8, 0.03); math.Abs(h-10.46667) > 1e-4 {
		t.Errorf("hyperfocal %v m", h)
	}
	near, far := Sharpness(50, 8, 0.03, 5)
	if math.Abs(near-3.3894) > 1e-4 || math.Abs(far-9.5274) > 1e-4 {
		t.Errorf("sharp from %v to %v m", near, far)
	}
	h := Hyperfocal(50, 8, 0.03)
	if near, far := Sharpness(50, 8, 0.03, h); math.Abs(near-h/2) > 1e-9 || !math.IsInf(far, 1) {
		t.Errorf("at the hyperfocal distance from %v to %v m, want %v", near, far, h/2)
	}
	if c := Circle(36); c != 0.03 {
		t.Errorf("the circle is %v mm", c)
	}
}

func TestBlurredRaysMeetInThePlaneOfFocus(t *testing.T) {
	size := raster.Size{Width: 40, Height: 20}
	p := Project(geom.Identity(), AnglesOf(0.5, 2).Window(raster.Fit{}, size, 1), size)
	origin, direction := p.Ray(7, 3)
	met := origin.Add(direction.Scale(6 / -direction.Z))
	for _, place := range [][2]float64{{0, 0}, {1, 0.1}, {0.4, 0.7}} {
		from, towards := p.Blurred(7, 3, 0.25, 6, place[0], place[1])
		if from.Length() > 0.25+1e-12 || from.Z != 0 {
			t.Errorf("it begins at %v, outside the lens", from)
		}
		if at := from.Add(towards.Scale((-6 - from.Z) / towards.Z)); at.Sub(met).Length() > 1e-9 {
			t.Errorf("it meets the plane at %v, want %v", at, met)
		}
	}
}

// What a ray meets is seen again where the ray was sent.
func TestPointsAreSeenWhereTheirRaysWent(t *testing.T) {
	size := raster.Size{Width: 200, Height: 100}
	pose := geom.Compose(
		geom.Vec{X: 3, Y: 2, Z: -1}, geom.AxisAngle(geom.Vec{X: 0.3, Y: 0.9, Z: 0.1}.Unit(), 0.7),
		geom.Vec{X: 1, Y: 1, Z: 1},
	)
	window := raster.Window{Left: -0.3, Right: 0.5, Bottom: -0.1, Top: 0.3}
	for name, p := range map[string]Projection{"perspective": Project(pose, window, size),
		"parallel": Parallel(pose, window, size)} {
		for _, at := range [][2]float64{{0, 0}, {200, 100}, {33.25, 71.5}} {
			origin, direction := p.Ray(at[0], at[1])
			if x, y, ahead := p.Pixel(origin.Add(direction.Scale(7))); math.Abs(x-at[0])+math.Abs(y-at[1]) > 1e-9 ||
				!ahead {
				t.Errorf("%s: %v came back as %v, %v", name, at, x, y)
			}
			if _, _, ahead := p.Pixel(origin.Sub(direction.Scale(7))); ahead {
				t.Errorf("%s: what lies behind is ahead", name)
			}
		}
	}
}

// A worked example of what OpenEXR's "Standard Attributes" say of worldToCamera and worldToNDC, in their words: camera
// space is left-handed, with positive x and y to the right and up and positive z in the viewing direction; NDC has
// positive x and y to the right and down, with (0, 0) and (1, 1) at the upper left and lower right corners of the
// display window. Points are rows, divided by their fourth number. The definitions are from memory, the numbers by
// hand: a point 4 m ahead, 1 m to the right and 0.5 m up, in a picture that is 1 m wide and 0.5 m high at 1 m, lies at
// a quarter of a metre to the right of the middle there, and an eighth above it: 0.5 + 0.25 / 1 and 0.5 - 0.125 / 0.5.
func TestMatricesOfFilesAreThoseOfTheStandard(t *testing.T) {
	size, window := raster.Size{
		Width:  200,
		Height: 100,
	}, raster.Window{
		Left:   -0.5,
		Right:  0.5,
		Bottom: -0.25,
		Top:    0.25,
	}
	at := geom.Vec{X: 1, Y: 2, Z: 3}
	along := geom.Identity() // it looks along -z of the world
	along.Origin = at
	left := geom.Affine{X: geom.Vec{Z: -1}, Y: geom.Vec{Y: 1}, Z: geom.Vec{X: 1}, Origin: at} // along -x
	times := func(p geom.Vec, m Matrix) (out [4]float64) {
		for row, v := range []float64{p.X, p.Y, p.Z, 1} {
			for column := range out {
				out[column] += v * m[4*row+column]
			}
		}
		return out
	}
	for name, c := range map[string]struct {
		p     Projection
		point geom.Vec
	}{
		"along -z": {Project(along, window, size), geom.Vec{X: 2, Y: 2.5, Z: -1}},
		"along -x": {Project(left, window, size), geom.Vec{X: -3, Y: 2.5, Z: 2}},
	} {
		if got := times(c.point, c.p.ToCamera()); got != [4]float64{1, 0.5, 4, 1} {
			t.Errorf("%s: in camera space it is %v", name, got)
		}
		m, ok := c.p.ToNDC(size)
		got := times(c.point, m)
		if !ok || math.Abs(got[0]/got[3]-0.75) > 1e-12 || math.Abs(got[1]/got[3]-0.25) > 1e-12 || got[3] != 4 {
			t.Errorf("%s: in the picture it is %v", name, got)
		}
		x, y, _ := c.p.Pixel(c.point)
		if math.Abs(x-150) > 1e-9 || math.Abs(y-25) > 1e-9 {
			t.Errorf("%s: its pixel is %v, %v", name, x, y)
		}
	}
	// Of parallel rays the same point lies 1 m to the right of the middle of a picture 4 m wide and 2 m high.
	parallel := Parallel(along, raster.Window{Left: -2, Right: 2, Bottom: -1, Top: 1}, size)
	m, _ := parallel.ToNDC(size)
	if got := times(geom.Vec{X: 2, Y: 2.5, Z: -1}, m); got != [4]float64{0.75, 0.25, 4, 1} {
		t.Errorf("of parallel rays it is %v", got)
	}
	if _, ok := Panorama(along, size).ToNDC(size); ok {
		t.Error("a picture of all directions has a matrix")
	}
}
