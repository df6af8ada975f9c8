package trace

import (
	"context"
	"errors"
	"image"
	"math"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
	"reelhouse/core/scene"
)

// sameAsWhole holds a part of a picture against the same part of the whole one, in every plane, bit by bit.
func sameAsWhole(t *testing.T, what string, whole, part *pixel.Image, at image.Point) {
	t.Helper()
	for i, plane := range whole.Planes {
		for y := range part.Height {
			row := plane.Data[(y+at.Y)*whole.Width+at.X:][:part.Width]
			for x, v := range part.Planes[i].Data[y*part.Width : (y+1)*part.Width] {
				if math.Float32bits(v) != math.Float32bits(row[x]) {
					t.Fatalf(
						"%s: %s at %d, %d is %v in the part and %v in the whole", what, plane.Name, x, y, v, row[x],
					)
				}
			}
		}
	}
}

// Pixels that stop when they are quiet, samples that are spread over several pixels, and pictures whose noise is taken
// away are the same in one piece or in several, on one core or more.
func TestSameBitsHoweverAPictureIsMade(t *testing.T) {
	base := settings(64)
	base.Samples = 6
	base.Passes = []pass.Code{pass.Beauty, pass.Albedo, pass.CryptoObject, pass.SampleCount, pass.Variance}
	for name, change := range map[string]func(*Settings){
		"quiet pixels stop": func(s *Settings) { s.Effort = sampling.Effort{Noise: 0.1, Least: 2} },
		"spread": func(s *Settings) {
			s.Effort, s.Filter = sampling.Effort{Splat: true, Noise: 0.1, Least: 2}, pixel.MitchellFilter
		},
		"weights below 0": func(s *Settings) { s.Filter = pixel.LanczosFilter },
		"denoised": func(s *Settings) {
			s.Passes = append([]pass.Code{pass.Denoised, pass.GuideNormal},
				s.Passes...)
		},
		"denoised, spread": func(s *Settings) {
			s.Effort.Splat, s.Passes = true, []pass.Code{pass.Beauty, pass.Denoised}
		},
	} {
		s := base
		change(&s)
		w := Prepare(room()).At(0.5, look.Plain(), nil)
		whole := render(t, w, s)
		old := runtime.GOMAXPROCS(1)
		single := render(t, w, s)
		runtime.GOMAXPROCS(old)
		sameAsWhole(t, name+", on one core", whole, single, image.Point{})
		s.Region = image.Rect(13, 29, 51, 60)
		sameAsWhole(t, name, whole, render(t, w, s), s.Region.Min)
		if counts := whole.Plane("samples.N"); counts != nil && s.Effort.Noise > 0 {
			if st := counts.Stats(); st.Min != 4 || st.Max != 36 || st.Mean > 30 {
				t.Errorf("%s: pixels have %v to %v samples, %v in the mean", name, st.Min, st.Max, st.Mean)
			}
		}
	}
}

// What is asked of noise is what is left: where pixels stopped, the picture differs from one of many more samples by
// about as much.
func TestNoiseEndsWhereItIsAskedTo(t *testing.T) {
	w := Prepare(room()).At(0, look.Plain(), nil)
	s := settings(36)
	s.Passes, s.Samples, s.Effort = []pass.Code{pass.Beauty, pass.SampleCount}, 24, sampling.Effort{Noise: 0.04}
	img := render(t, w, s)
	s.Samples, s.Effort, s.Frame = 24, sampling.Effort{}, 7
	truth := render(t, w, s)
	square, n := 0.0, 0
	for i := range img.Planes[0].Data {
		if img.Plane("samples.N").Data[i] == 576 {
			continue // it was not quiet when it had all samples
		}
		bright := func(p *pixel.Image) float64 {
			return float64(p.Plane("R").Data[i]+p.Plane("G").Data[i]+p.Plane("B").Data[i]) / 3
		}
		d := (bright(img) - bright(truth)) / (bright(truth) + dimmest)
		square += d * d
		n++
	}
	if error := math.Sqrt(square / float64(n)); error > 0.04 || n < 1000 {
		t.Errorf("%d quiet pixels are off by %v, asked for 0.04", n, error)
	}
}

// Samples that are placed as the filter weighs, and those that are spread by its weights, come to the same picture.
func TestBothWaysToFilterAgree(t *testing.T) {
	w := Prepare(room()).At(0, look.Plain(), nil)
	for _, f := range []pixel.Filter{pixel.TriangleFilter, pixel.Gaussian, pixel.BSplineFilter, pixel.MitchellFilter} {
		s := settings(20)
		s.Passes, s.Samples, s.Filter = []pass.Code{pass.Albedo}, 16, f
		placed := render(t, w, s)
		s.Effort.Splat = true
		spread := render(t, w, s)
		for i, v := range placed.Planes[0].Data {
			if x, y := i%20, i/20; x < 3 || y < 3 || x > 16 || y > 16 {
				continue // beyond the edges there are no samples to be spread
			}
			if d := math.Abs(float64(v - spread.Planes[0].Data[i])); d > 0.06 {
				t.Errorf("%s: pixel %d is %v, and %v spread", f, i, v, spread.Planes[0].Data[i])
			}
		}
	}
}

// The denoised picture lies nearer to one of many samples than the noisy one, which stays as it is without it.
func TestNoiseIsTakenAway(t *testing.T) {
	w := Prepare(room()).At(0, look.Plain(), nil)
	s := settings(48)
	s.Samples, s.Passes = 3, []pass.Code{pass.Beauty, pass.Denoised}
	img := render(t, w, s)
	s.Passes = []pass.Code{pass.Beauty}
	if plain := render(t, w, s); !slices.Equal(plain.Plane("G").Data, img.Plane("G").Data) {
		t.Error("the picture itself is another one when it is denoised, too")
	}
	s.Samples = 20
	truth := render(t, w, s)
	off := func(name string) float64 {
		sum := 0.0
		for i, v := range img.Plane(name).Data {
			d := min(1, float64(v)) - min(1, float64(truth.Plane("G").Data[i])) // as bright as can be shown
			sum += d * d
		}
		return sum
	}
	if noisy, quiet := off("G"), off("denoised.G"); quiet > 0.7*noisy {
		t.Errorf("squares of what is off add up to %v, and denoised to %v", noisy, quiet)
	}
	for i, a := range img.Plane("A").Data {
		if img.Plane("denoised.A").Data[i] != a {
			t.Fatal("coverage is another one in the denoised picture")
		}
	}
}

// However short its time is, a frame gets a sample everywhere, and it is said that it was stopped; with time enough it
// is like one without a limit, but for the order in which sums are made.
func TestATimeLimitEndsAFrame(t *testing.T) {
	w := Prepare(room()).At(0, look.Plain(), nil)
	s := settings(64)
	s.Samples, s.Passes = 32, []pass.Code{pass.Beauty, pass.SampleCount}
	s.Effort.Seconds, s.Clock = 1e-9, time.Now
	img, stats, err := w.RenderWatched(context.Background(), "cam", s, func(Progress) {})
	if err != nil || !stats.Stopped {
		t.Fatalf("%+v, %v", stats, err)
	}
	if st := img.Plane("samples.N").Stats(); st.Min < 1 || st.Max > 2 || img.Plane("G").Stats().Min <= 0 {
		t.Errorf("pixels have %v to %v samples", st.Min, st.Max)
	}
	s.Samples, s.Effort.Seconds = 3, 3600
	limited, stats, err := w.RenderWatched(context.Background(), "cam", s, func(Progress) {})
	if err != nil || stats.Stopped || stats.Samples != 9*64*64 {
		t.Errorf("%+v, %v", stats, err)
	}
	s.Effort.Seconds = 0
	sameAsWhole(t, "with time enough", render(t, w, s), limited, image.Point{})
}

// A clamp takes light from indirect ways alone, and never adds any.
func TestAClampOnlyTakesAway(t *testing.T) {
	w := Prepare(room()).At(0, look.Plain(), nil)
	s := settings(32)
	s.Passes = []pass.Code{pass.DiffuseDirect, pass.SpecularDirect, pass.Emission, pass.SpecularIndirect, pass.Beauty}
	free := render(t, w, s)
	s.Effort.Clamp = 0.05
	clamped := render(t, w, s)
	for _, name := range []string{"diffusedirect.G", "speculardirect.G", "emission.G"} {
		if !slices.Equal(free.Plane(name).Data, clamped.Plane(name).Data) {
			t.Errorf("%s is clamped", name)
		}
	}
	a, b := free.Plane("specularindirect.G").Stats(), clamped.Plane("specularindirect.G").Stats()
	if b.Mean >= a.Mean || b.Max > 0.06 {
		t.Errorf("what is mirrored has a mean of %v and at most %v, clamped %v and %v", a.Mean, a.Max, b.Mean, b.Max)
	}
}

// Light that may be scattered by one diffuse surface is direct; from two on there is some that comes from others; and
// highlights are bounces of their own.
func TestBouncesEndWhereTheyAreAskedTo(t *testing.T) {
	w := Prepare(room()).At(0, look.Plain(), nil)
	s := settings(32)
	s.Passes = []pass.Code{pass.DiffuseIndirect, pass.SpecularDirect, pass.SpecularIndirect, pass.DiffuseDirect}
	for _, c := range []struct {
		bounces sampling.Bounces
		lit     [4]bool // in the order of the passes
	}{
		{sampling.Bounces{Diffuse: 1}, [4]bool{false, false, false, true}},
		{sampling.Bounces{Diffuse: 2}, [4]bool{true, false, false, true}},
		{sampling.Bounces{Glossy: 1}, [4]bool{false, true, false, false}},
		{sampling.Bounces{Diffuse: 1, Glossy: 1}, [4]bool{true, true, true, true}},
	} {
		s.Effort.Bounces = c.bounces
		img := render(t, w, s)
		for i, code := range s.Passes {
			if lit := img.Plane(string(code)+".G").Stats().Max > 0; lit != c.lit[i] {
				t.Errorf("%+v: %s is lit: %v", c.bounces, code, lit)
			}
		}
	}
}

// The sign of room moves 1 m to the left in a second. While a shutter is open for half a second, it covers what it
// passes: the share that each pixel is covered by falls off evenly towards both sides, and its mattes say the same.
func TestThingsBlurAsTheyMove(t *testing.T) {
	m := Prepare(room())
	s := settings(200)
	s.Region = image.Rect(110, 108, 160, 113)
	s.Passes, s.Samples, s.Filter = []pass.Code{pass.Emission, pass.CryptoObject, pass.Depth}, 16, pixel.Box
	s.Setup.Blur = true
	blurred := render(t, m.During(0.5, 0.5, look.Plain(), nil), s)
	still := render(t, m.During(0.5, 0, look.Plain(), nil), s)
	// At 5 m ahead a metre is 20 pixels: the sign is 20 wide and moves by 10, from 130 to 140 on, its first edge in the
	// middle of the time at 130.
	const row = 110 - 108 // of the region
	full := value(still, "emission.R", 140-110, row)
	for x, want := range map[int]float64{120: 0, 126: 0.15, 130: 0.55, 134: 0.95, 140: 1, 149: 0.55, 156: 0} {
		if got := value(blurred, "emission.R", x-110, row) / full; math.Abs(got-want) > 0.06 {
			t.Errorf("at %d it covers %v, want %v", x, got, want)
		}
	}
	id := pass.ID("sign")
	coverage := 0.0
	for k := range pass.Ranks / 2 {
		for c, name := range map[string]string{"R": "G", "B": "A"} {
			layer := []string{"CryptoObject00.", "CryptoObject01.", "CryptoObject02."}[k]
			if float32(value(blurred, layer+c, 130-110, row)) == id {
				coverage = value(blurred, layer+name, 130-110, row)
			}
		}
	}
	if math.Abs(coverage-0.55) > 0.06 {
		t.Errorf("its matte covers %v of the pixel, want 0.55", coverage)
	}
	if got := value(blurred, "depth.Z", 131-110, row); math.Abs(got-5) > 1e-4 {
		t.Errorf("its depth, at the middle of the time, is %v", got)
	}
}

// A camera that moves blurs what stands, and what changes its shape is blurred, too.
func TestCamerasAndShapesBlurAsTheyMove(t *testing.T) {
	s := room()
	s.Channels = append(
		s.Channels,
		scene.Channel{
			Node:          4,
			Target:        scene.Translation,
			Interpolation: scene.Linear,
			Times:         []float64{0, 1},
			Values:        []geom.Quat{{Y: 2}, {X: 4, Y: 2}},
		},
	)
	wall := &s.Meshes[1]
	wall.Parts[0].Targets = []scene.Morph{{Positions: []geom.Vec{{X: 2}, {X: 2}, {X: 2}, {X: 2}}}}
	wall.Weights = []float64{0}
	set := settings(100)
	set.Passes, set.Samples, set.Filter = []pass.Code{pass.Albedo}, 12, pixel.Box
	edges := func(s *scene.Scene, setup camera.Setup) int {
		set.Setup = setup
		img := render(t, Prepare(s).During(0.5, 0.5, look.Plain(), nil), set)
		part := 0
		for x := range 100 {
			if v := value(img, "albedo.R", x, 45); v > 0.02 && v < 0.48 {
				part++
			}
		}
		return part
	}
	if n := edges(s, camera.Setup{Blur: true}); n < 20 { // 2 m at 7.2 m are 14 pixels, on both sides
		t.Errorf("with a moving camera %d pixels of the wall's row are covered in part", n)
	}
	if n := edges(s, camera.Setup{Stand: &camera.Stand{Position: geom.Vec{X: 2, Y: 2}}}); n > 4 {
		t.Errorf("with a standing camera %d pixels of the wall's row are covered in part", n)
	}
	s.Channels[1] = scene.Channel{
		Node:          1,
		Target:        scene.Weights,
		Interpolation: scene.Linear,
		Times:         []float64{0, 1},
		Numbers:       []float64{0, 1},
	}
	if n := edges(s, camera.Setup{}); n < 10 { // 1 m, 7 pixels, on both sides
		t.Errorf("of a wall that changes its shape, %d pixels are covered in part", n)
	}
}

// A camera that was taken over from the scene gives the same picture: standing, blurred, and in how far
// everything moves until the next frame.
func TestACameraTakenOverIsTheSame(t *testing.T) {
	s := room()
	s.Channels = append(s.Channels, scene.Channel{
		Node: 4, Target: scene.Translation, Interpolation: scene.Linear, Times: []float64{0, 1},
		Values: []geom.Quat{{Y: 2}, {X: 4, Y: 2}},
	})
	set := settings(60)
	set.Passes, set.Samples = []pass.Code{pass.Albedo, pass.Motion, pass.MotionBack, pass.Position}, 2
	set.FramesPerSecond, set.Frame, set.Setup.Blur = 24, 1013, true
	m := Prepare(s)
	in := func(setup camera.Setup) *pixel.Image {
		set.Setup = setup
		return render(t, m.During(0.5, 0.02, look.Plain(), nil), set)
	}
	var stands []camera.Stand
	for n := range 25 {
		stands = append(stands, camera.StandOf(m.At(float64(n)/24, look.Plain(), nil).pose.World[4]))
	}
	keys := camera.KeysOf(stands, 1001)
	if len(keys.Keys) != 2 {
		t.Errorf("a straight way has %d keys", len(keys.Keys))
	}
	theirs, ours := in(camera.Setup{Blur: true}), in(camera.Setup{Blur: true, Motion: keys})
	for i, p := range theirs.Planes {
		for k, v := range p.Data {
			if off := math.Abs(float64(v - ours.Planes[i].Data[k])); off > 1e-4*(1+math.Abs(float64(v))) {
				t.Fatalf("%s differs by %v at %d", p.Name, off, k)
			}
		}
	}
	if still := in(camera.Setup{Blur: true, Stand: &stands[12]}); value(still, "motion.X", 30, 40) ==
		value(ours, "motion.X", 30, 40) {
		t.Error("a camera that moves has the motion of one that stands")
	}
}

// All around: the camera's forward direction lies in the middle, its right a quarter of the width further, and up at
// the top.
func TestAPanoramaShowsAllDirections(t *testing.T) {
	s := Settings{
		Size:            raster.Size{Width: 200, Height: 100},
		Passes:          []pass.Code{pass.Beauty, pass.Position, pass.Distance, pass.Depth, pass.Normal},
		Samples:         1,
		Filter:          pixel.Box,
		DepthBackground: 1000,
	}
	s.Setup.Panorama = true
	w := Prepare(room()).At(0, look.Plain(), nil)
	img := render(t, w, s)
	if z := value(img, "position.Z", 100, 50); math.Abs(z+7.2) > 1e-4 {
		t.Errorf("in the middle lies the wall at %v", z)
	}
	if y := value(img, "position.Y", 3, 99); math.Abs(y) > 1e-9 || math.Abs(value(img, "depth.Z", 3, 99)-2) > 0.01 {
		t.Errorf(
			"the lowest row shows something at %v, %v m away; want the floor 2 m below", y,
			value(img, "depth.Z", 3, 99),
		)
	}
	pose, optics, _ := w.CameraPose("cam")
	_, _, projection := s.projection(pose, optics, float64(s.Frame))
	for _, at := range [][2]float64{{100, 50}, {3.5, 20.5}, {150, 70}, {199, 99}} {
		origin, direction := projection.Ray(at[0], at[1])
		x, y, ahead := projection.Pixel(origin.Add(direction.Scale(3)))
		if !ahead || math.Abs(x-at[0]) > 1e-6 || math.Abs(y-at[1]) > 1e-6 {
			t.Errorf("the point %v comes back as %v, %v", at, x, y)
		}
	}
	if _, direction := projection.Ray(150, 50); direction.Sub(geom.Vec{X: 1}).Length() > 1e-9 {
		t.Errorf("a quarter further it looks to %v", direction)
	}
	s.Setup.FNumber, s.Setup.Focus = 2, 3
	if err := s.Check(); err == nil || !strings.Contains(err.Error(), "all around") {
		t.Errorf("a lens for all around: %v", err)
	}
}

// Cancelled as soon as its first tile is there, a rendering ends without a picture.
func TestARenderingStopsSoon(t *testing.T) {
	w := Prepare(room()).At(0, look.Plain(), nil)
	s := settings(400)
	s.Samples, s.Passes = 16, []pass.Code{pass.Beauty, pass.Denoised}
	ctx, cancel := context.WithCancel(context.Background())
	var asked time.Time
	var once sync.Once
	img, err := w.Render(ctx, "cam", s, func(float64) {
		once.Do(func() { asked = time.Now(); cancel() })
	})
	if !errors.Is(err, context.Canceled) || img != nil {
		t.Errorf("it went on: %v", err)
	}
	t.Logf("it took %v to stop", time.Since(asked))
}
