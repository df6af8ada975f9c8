package trace

import (
	"bytes"
	"context"
	"errors"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/geom"
	"reelhouse/core/job"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
)

func allPasses() []pass.Code {
	var codes []pass.Code
	for _, p := range pass.Catalogue() {
		codes = append(codes, p.Code)
	}
	return codes
}

// value reads a channel at a pixel.
func value(img *pixel.Image, channel string, x, y int) float64 {
	return float64(img.Plane(channel).Data[y*img.Width+x])
}

// The ray through pixel 50, 50 of 100 at 90 degrees leaves the axis by 0.01 to the right and down; the wall stands 7.2
// m ahead, seen from 2 m up.
func TestDataPassesByHand(t *testing.T) {
	s := settings(100)
	s.Passes = allPasses()
	img := render(t, Prepare(room()).At(0, look.Plain(), nil), s)
	long := math.Sqrt(1 + 2*0.01*0.01)
	for channel, want := range map[string]float64{
		"depth.Z": 7.2, "distance.D": 7.2 * long, "position.X": 0.072, "position.Y": 2 - 0.072, "position.Z": -7.2,
		"normal.Z": 1, "cameranormal.X": 0, "cameranormal.Z": 1,
		"facing.F": 1 / long, "albedo.R": 0.5, "uv.U": 0, "motion.X": 0, "motionback.Y": 0,
	} {
		if got := value(img, channel, 50, 50); math.Abs(got-want) > 1e-5 {
			t.Errorf("%s is %v, want %v", channel, got, want)
		}
	}
	// In the sky there is the background's depth, and nothing else.
	for channel, want := range map[string]float64{"depth.Z": 1000, "distance.D": 1000, "position.X": 0, "facing.F": 0,
		"albedo.G": 0, "occlusion.O": 1, "shadow.S": 0, "emission.R": 0, "motion.X": 0, "CryptoObject00.R": 0,
		"CryptoObject00.G": 0} {
		if got := value(img, channel, 50, 3); math.Abs(got-want) > 1e-9 {
			t.Errorf("in the sky %s is %v, want %v", channel, got, want)
		}
	}
}

// A tilted, shifted camera: going from the camera as far as the depth says leads to the position, within 1e-4 of the
// distance.
func TestPositionDepthAndCameraAgree(t *testing.T) {
	s := settings(40)
	s.PixelAspect = 1
	s.Passes = []pass.Code{pass.Depth, pass.Distance, pass.Position, pass.Normal, pass.CameraNormal}
	s.Setup = camera.Setup{
		Stand:       &camera.Stand{Position: geom.Vec{X: 1, Y: 3, Z: 2}, Heading: 20, Tilt: -15, Roll: 5},
		Focal:       24,
		ShiftAcross: 3,
		ShiftUp:     -4,
	}
	w := Prepare(room()).At(0.4, look.Plain(), nil)
	img := render(t, w, s)
	pose, optics, _ := w.CameraPose("cam")
	view, _, projection := s.projection(pose, optics, float64(s.Frame))
	met := 0
	for y := range 40 {
		for x := range 40 {
			depth := value(img, "depth.Z", x, y)
			if depth == 1000 {
				continue
			}
			met++
			origin, direction := projection.Ray(float64(x)+0.5, float64(y)+0.5)
			forward := view.Pose.Direction(geom.Vec{Z: -1})
			want := origin.Add(direction.Scale(depth / direction.Dot(forward)))
			at := geom.Vec{
				X: value(img, "position.X", x, y),
				Y: value(img, "position.Y", x, y),
				Z: value(img, "position.Z", x, y),
			}
			distance := value(img, "distance.D", x, y)
			if at.Sub(want).Length() > 1e-4*distance || math.Abs(at.Sub(origin).Length()-distance) > 1e-4*distance {
				t.Fatalf(
					"at %d, %d the position is %v, by depth %v, by distance %v from the camera", x, y, at, want,
					distance,
				)
			}
			n := geom.Vec{
				X: value(img, "normal.X", x, y),
				Y: value(img, "normal.Y", x, y),
				Z: value(img, "normal.Z", x, y),
			}
			own := geom.Vec{
				X: value(img, "cameranormal.X", x, y),
				Y: value(img, "cameranormal.Y", x, y),
				Z: value(img, "cameranormal.Z", x, y),
			}
			if view.Pose.Direction(own).Sub(n).Length() > 1e-5 {
				t.Fatalf("at %d, %d the normal is %v, in the camera's axes %v", x, y, n, own)
			}
		}
	}
	if met < 400 {
		t.Errorf("only %d pixels show a surface", met)
	}
}

// The sign moves by 1 m a second to the left, 5 m away: 1/24 m is 5/12 of a pixel at 50 pixels a tangent. A camera that
// moves to the right lets the wall move to the left, and leaves the sky alone; one that turns moves the sky, too.
func TestMovementIsInPixels(t *testing.T) {
	s := settings(100)
	s.Passes = []pass.Code{pass.Motion, pass.MotionBack, pass.Depth}
	near := func(img *pixel.Image, channel string, x, y int, want float64) {
		t.Helper()
		if got := value(img, channel, x, y); math.Abs(got-want) > 1e-4 {
			t.Errorf("%s at %d, %d is %v, want %v", channel, x, y, got, want)
		}
	}
	img := render(t, Prepare(room()).At(0.5, look.Plain(), nil), s)
	near(img, "motion.X", 70, 55, -5.0/12)
	near(img, "motionback.X", 70, 55, -5.0/12)
	near(img, "motion.Y", 70, 55, 0)
	near(img, "motion.X", 50, 50, 0) // the wall
	if img := render(t, Prepare(room()).At(0, look.Plain(), nil), s); value(img, "motionback.X", 74, 55) != 0 {
		t.Error("before its first key the sign moves")
	}

	still := room() // the sign changes its shape instead: a morph target moves all of it
	still.Channels = []scene.Channel{
		{Node: 2, Target: scene.Weights, Interpolation: scene.Linear, Times: []float64{0, 1}, Numbers: []float64{0, 1}},
	}
	part := &still.Meshes[2].Parts[0]
	part.Targets = []scene.Morph{{Positions: []geom.Vec{{X: -1}, {X: -1}, {X: -1}, {X: -1}}}}
	still.Meshes[2].Weights = []float64{0}
	img = render(t, Prepare(still).At(0.5, look.Plain(), nil), s)
	near(img, "motion.X", 70, 55, -5.0/12)
	near(img, "motionback.X", 70, 55, -5.0/12)

	ride := room()
	ride.Channels = []scene.Channel{
		{
			Node:          4,
			Target:        scene.Translation,
			Interpolation: scene.Linear,
			Times:         []float64{0, 1},
			Values:        []geom.Quat{{Y: 2}, {X: 1, Y: 2}},
		},
	}
	img = render(t, Prepare(ride).At(0, look.Plain(), nil), s)
	near(img, "motion.X", 50, 50, -50.0/24/7.2)
	near(img, "motion.X", 50, 3, 0)

	flat := s // an orthographic camera that stands still sees nothing move
	flat.Setup.Parallel = 20
	img = render(t, Prepare(room()).At(0, look.Plain(), nil), flat)
	near(img, "motion.X", 20, 3, 0)
	near(img, "motion.Y", 80, 3, 0)

	turning := room()
	turn := geom.AxisAngle(geom.Vec{Y: 1}, -0.24) // to the right
	turning.Channels = []scene.Channel{
		{
			Node:          4,
			Target:        scene.Rotation,
			Interpolation: scene.Linear,
			Times:         []float64{0, 1},
			Values:        []geom.Quat{{W: 1}, turn},
		},
	}
	img = render(t, Prepare(turning).At(0, look.Plain(), nil), s)
	if got := value(img, "motion.X", 49, 3); math.Abs(got+0.5) > 0.001 { // 0.01 rad at 50 pixels a tangent
		t.Errorf("the sky moves by %v pixels", got)
	}
}

// The wall ends 1 m to the right, 7.2 m away: at pixel 50 + 50/7.2, which is 56.94.
func TestCryptomattesCoverPixels(t *testing.T) {
	s := settings(100)
	s.Passes, s.Samples, s.Filter = []pass.Code{pass.CryptoObject, pass.CryptoMaterial, pass.CryptoAsset}, 16, pixel.Box
	of := room()
	group := scene.NewNode("set")
	group.Children = []int{0, 1}
	of.Nodes = append(of.Nodes, group)
	of.Roots = []int{5, 2, 3, 4}
	w := Prepare(of).At(0, look.Plain(), nil)
	img := render(t, w, s)
	first := func(layer string, x, y int) (float32, float64) {
		return img.Plane(layer + "00.R").Data[y*100+x], value(img, layer+"00.G", x, y)
	}
	for layer, name := range map[string]string{"CryptoObject": "wall", "CryptoMaterial": "grey", "CryptoAsset": "set"} {
		if id, coverage := first(layer, 52, 48); id != pass.ID(name) || math.Abs(coverage-1) > 1e-6 {
			t.Errorf("%s: %08x covers %v, want %s", layer, math.Float32bits(id), coverage, pass.IDText(name))
		}
		if rest := value(img, layer+"00.A", 52, 48); rest != 0 {
			t.Errorf("%s: a second one covers %v", layer, rest)
		}
	}
	if id, coverage := first("CryptoObject", 56, 48); id != pass.ID("wall") || math.Abs(coverage-0.944) > 0.01 {
		t.Errorf("at the edge the wall covers %v", coverage)
	}
	if id, coverage := first("CryptoObject", 50, 80); id != pass.ID("floor") || math.Abs(coverage-1) > 1e-6 {
		t.Errorf("the floor covers %v (%v)", coverage, id)
	}
	if m := pass.Manifest(w.MatteNames(pass.CryptoAsset)); m != `{"set":"`+pass.IDText(
		"set",
	)+`","sign":"`+pass.IDText(
		"sign",
	)+`"}` {
		t.Errorf("the manifest of assets is %s", m)
	}
}

// A file with a Cryptomatte says so in the attributes that its specification names; exrheader of the OpenEXR project
// reads them.
func TestAFileSaysWhatItsCryptomatteIs(t *testing.T) {
	var file bytes.Buffer
	if err := room().Write(&file); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "a.exr")
	passes := []pass.Code{pass.Beauty, pass.CryptoObject, pass.UV}
	j := job.Job{
		Version: job.Version, Scene: "room.glb", View: job.View{Camera: "cam", Look: look.Plain()},
		Rate: frame.Rate{Numerator: 24, Denominator: 1}, FirstFrame: 1001, Size: raster.Size{Width: 20, Height: 20},
		Passes: passes, Samples: 1, Filter: pixel.Box,
		Frames: []job.Frame{{Number: 1001, Files: []job.File{{Path: path, Encoding: output.EXR.Usual(),
			Passes: passes}}}},
	}
	files := map[string][]byte{}
	err := Perform(context.Background(), j, Outside{
		Open:   func(string) (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(file.Bytes())), nil },
		Create: kept(files), Now: func() time.Time { return time.Time{} }, Say: func(job.Message) {},
	})
	if err := errors.Join(err, os.WriteFile(path, files[path], 0o644)); err != nil {
		t.Fatal(err)
	}
	said, err := exec.Command("exrheader", path).CombinedOutput()
	if err != nil {
		t.Fatalf("exrheader: %v\n%s", err, said)
	}
	described, _ := pass.Find(pass.CryptoObject)
	key := "cryptomatte/" + described.LayerKey() + "/"
	for _, want := range []string{key + `name (type string): "CryptoObject"`,
		key + `hash (type string): "MurmurHash3_32"`, key + `conversion (type string): "uint32_to_float32"`,
		key + `manifest (type string): "{"floor":"` + pass.IDText("floor"),
		"CryptoObject02.A, 32-bit floating-point", "uv.V, 32-bit floating-point"} {
		if !strings.Contains(string(said), want) {
			t.Errorf("the header does not say %s\n%s", want, said)
		}
	}
}

// The wall stands 7.2 m ahead and ends at pixel 56.94. As a picture from 5.2 to 9.2 m it is a half; filtered, the edge
// lies between it and the background, by how much the wall covers.
func TestDepthAsAPictureAndFiltered(t *testing.T) {
	s := settings(100)
	s.Passes, s.Samples, s.Filter = []pass.Code{pass.Depth, pass.Distance}, 16, pixel.Box
	w := Prepare(room()).At(0, look.Plain(), nil)
	s.Depth = pass.DepthStyle{Picture: true, Near: 5.2, Far: 9.2, Inverted: true}
	img := render(t, w, s)
	if got := value(img, "depth.Z", 50, 48); math.Abs(got-0.5) > 1e-6 || value(img, "depth.Z", 50, 3) != 0 ||
		value(img, "distance.D", 50, 3) != 1000 {
		t.Errorf(
			"the wall is %v, the sky %v, its distance %v", got, value(img, "depth.Z", 50, 3),
			value(img, "distance.D", 50, 3),
		)
	}
	s.Depth = pass.DepthStyle{Filtered: true}
	img = render(t, w, s)
	if got, want := value(img, "depth.Z", 56, 48), 0.944*7.2+0.056*1000; math.Abs(got-want) > 10 {
		t.Errorf("at the edge it is %v m, want about %v", got, want)
	}
	if got := value(img, "depth.Z", 50, 48); math.Abs(got-7.2) > 1e-5 {
		t.Errorf("on the wall it is %v m", got)
	}
	s.Depth = pass.DepthStyle{Picture: true}
	if _, err := w.Render(context.Background(), "cam", s, func(float64) {}); err == nil {
		t.Error("a picture without a range was rendered")
	}
}

// What is measured are the nearest floor in the picture and its far end.
func TestDepthsAreMeasured(t *testing.T) {
	d, err := Prepare(room()).At(0, look.Plain(), nil).Depths("cam", settings(100))
	if err != nil {
		t.Fatal(err)
	}
	near, far := d.Range()
	if math.Abs(near-2/(1-1.0/54)) > 0.01 || far > 9.01 || far < 8 || d.Sky == 0 || d.Sky+len(d.Met) != 96*54 {
		t.Errorf("surfaces lie from %v to %v m; %d rays met them, %d did not", near, far, len(d.Met), d.Sky)
	}
	counts, sum := d.Histogram(near, far, 10), 0
	for _, n := range counts {
		sum += n
	}
	if sum != len(d.Met) || counts[0] == 0 || counts[9] == 0 {
		t.Errorf("the parts hold %v", counts)
	}
	if near, far := (Depths{}).Range(); near != 0 || far != 0 {
		t.Errorf("nothing lies from %v to %v", near, far)
	}
}

// A floor 1 m below a plate of 2 m is open to nothing above it within 2 m but at the sides; far from it, it is open.
// The sun overhead leaves a full shadow there. The sign gives off what its material says, and the sky is what it is,
// both twice as bright at one stop.
func TestPassesOfSurfacesAndSky(t *testing.T) {
	s := settings(100)
	s.Passes, s.Samples, s.Filter = []pass.Code{
		pass.Beauty, pass.Occlusion, pass.Shadow, pass.Emission, pass.Environment,
	}, 4, pixel.Box
	l := overhead()
	l.ExposureEV = 1
	l.Sky.Zenith, l.Sky.Horizon = geom.Vec{X: 0.1, Y: 0.1, Z: 0.1}, geom.Vec{X: 0.1, Y: 0.1, Z: 0.1}
	img := render(t, Prepare(sunny()).At(0, l, nil), s)
	x, y := at(0.34) // below the plate
	open, shade := value(img, "occlusion.O", x, y), value(img, "shadow.S", x, y)
	if open > 0.6 || shade < 0.9 {
		t.Errorf("below the plate it is open by %v, in shadow by %v", open, shade)
	}
	x, y = at(0.9)
	if open, shade := value(img, "occlusion.O", x, y), value(img, "shadow.S", x, y); open != 1 || shade > 0.01 {
		t.Errorf("in the open it is open by %v, in shadow by %v", open, shade)
	}
	if a, b := value(img, "environment.G", 50, 5), value(img, "G", 50, 5); a != b || math.Abs(a-0.2) > 1e-6 {
		t.Errorf("the sky is %v, in the picture %v", a, b)
	}
	s.OcclusionRadius = 0.5 // the plate is farther away
	img = render(t, Prepare(sunny()).At(0, l, nil), s)
	if x, y := at(0.34); value(img, "occlusion.O", x, y) != 1 {
		t.Errorf("within half a metre it is open by %v", value(img, "occlusion.O", x, y))
	}
	l.LightGain = 0.5
	img = render(t, Prepare(room()).At(0, l, nil), s)
	if got := value(img, "emission.R", 74, 55); math.Abs(got-4*0.5*2) > 1e-6 { // 4, halved by the look, and one stop
		t.Errorf("the sign gives off %v", got)
	}
	padded := s // bars have nothing near them, either
	padded.Size, padded.Fit = raster.Size{Width: 100, Height: 40}, raster.Fit{Fitting: raster.Pad}
	if img := render(t, Prepare(room()).At(0, l, nil), padded); value(img, "occlusion.O", 2, 20) != 1 {
		t.Errorf("a bar is open by %v", value(img, "occlusion.O", 2, 20))
	}
	s.OcclusionRadius = math.Inf(1)
	if s.Check() == nil {
		t.Error("an endless radius was taken")
	}
}
