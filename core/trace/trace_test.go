package trace

import (
	"context"
	"errors"
	"image"
	"math"
	"runtime"
	"slices"
	"testing"

	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
)

// room is a floor and a back wall that stands 7.2 m ahead of the camera, with a ball-like bump, a lamp and
// a glowing square; the camera stands 2 m above the floor and looks level along -Z.
func room() *scene.Scene {
	s := &scene.Scene{Name: "room", Roots: []int{0, 1, 2, 3, 4}}
	s.Materials = []scene.Material{
		{Name: "grey", BaseColor: geom.Vec{X: 0.5, Y: 0.5, Z: 0.5}, Alpha: 1, Roughness: 0.9},
		{Name: "polished", BaseColor: geom.Vec{X: 0.1, Y: 0.2, Z: 0.3}, Alpha: 1, Roughness: 0.1},
		{
			Name:      "lit",
			BaseColor: geom.Vec{X: 1, Y: 1, Z: 1},
			Alpha:     1,
			Roughness: 1,
			Emission:  geom.Vec{X: 4, Y: 3, Z: 2},
		},
	}
	square := func(material int, corners ...geom.Vec) scene.Part {
		return scene.Part{Positions: corners, Indices: []uint32{0, 1, 2, 0, 2, 3}, Material: material}
	}
	s.Meshes = []scene.Mesh{
		{
			Name: "floor",
			Parts: []scene.Part{
				square(1, geom.Vec{X: -9, Z: 9}, geom.Vec{X: 9, Z: 9}, geom.Vec{X: 9, Z: -9}, geom.Vec{X: -9, Z: -9}),
			},
		},
		{
			Name: "wall",
			Parts: []scene.Part{
				square(
					0, geom.Vec{X: -1, Y: 1, Z: -7.2}, geom.Vec{X: 1, Y: 1, Z: -7.2}, geom.Vec{X: 1, Y: 3, Z: -7.2},
					geom.Vec{X: -1, Y: 3, Z: -7.2},
				),
			},
		},
		{
			Name: "sign",
			Parts: []scene.Part{
				square(
					2, geom.Vec{X: 2, Y: 1, Z: -5}, geom.Vec{X: 3, Y: 1, Z: -5}, geom.Vec{X: 3, Y: 2, Z: -5},
					geom.Vec{X: 2, Y: 2, Z: -5},
				),
			},
		},
	}
	s.Lights = []scene.Light{{Name: "lamp", Kind: scene.Point, Color: geom.Vec{X: 1, Y: 1, Z: 1}, Intensity: 10}}
	s.Cameras = []scene.Camera{{Name: "cam", Up: math.Pi / 2, Aspect: 1}}
	for i, name := range []string{"floor", "wall", "sign"} {
		n := scene.NewNode(name)
		n.Mesh = i
		s.Nodes = append(s.Nodes, n)
	}
	lamp, camera := scene.NewNode("lamp"), scene.NewNode("cam")
	lamp.Light, lamp.Translation = 0, geom.Vec{X: -2, Y: 4, Z: -4}
	camera.Camera, camera.Translation = 0, geom.Vec{Y: 2}
	s.Nodes = append(s.Nodes, lamp, camera)
	s.Channels = []scene.Channel{
		{
			Node:          2,
			Target:        scene.Translation,
			Interpolation: scene.Linear,
			Times:         []float64{0, 1},
			Values:        []geom.Quat{{}, {X: -1}},
		},
	}
	return s
}

var everything = []pass.Code{pass.Beauty, pass.Depth, pass.Normal, pass.Object}

func render(t testing.TB, w *World, s Settings) *pixel.Image {
	t.Helper()
	img, err := w.Render(context.Background(), "cam", s, func(float64) {})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

func settings(edge int) Settings {
	return Settings{
		Size:            raster.Size{Width: edge, Height: edge},
		Passes:          everything,
		Samples:         2,
		Filter:          pixel.Gaussian,
		Frame:           1001,
		DepthBackground: 1000,
	}
}

// With 90 degrees across 100 pixels, the ray through pixel x leaves the axis by the tangent (x+0.5)/50-1.
// The wall stands 7.2 m ahead; the floor lies 2 m below, so a ray that falls by the tangent t meets it 2/t
// ahead.
func TestDepthIsTheDistanceByHand(t *testing.T) {
	img := render(t, Prepare(room()).At(0, look.Plain(), nil), settings(100))
	depth, normal := img.Plane("depth.Z").Data, img.Plane("normal.Y").Data
	fall := (75.5)/50 - 1
	for _, c := range []struct {
		what string
		x, y int
		want float64
	}{{"wall", 50, 50, 7.2}, {"wall off the axis", 55, 45, 7.2}, {"floor", 20, 75, 2 / fall}, {"sign", 74, 55, 5},
		{"sky", 50, 5, 1000}} {
		if got := float64(depth[c.y*100+c.x]); math.Abs(got-c.want) > c.want*1e-5 {
			t.Errorf("%s: %v m, want %v m", c.what, got, c.want)
		}
	}
	if normal[75*100+20] != 1 || normal[50*100+50] != 0 || normal[5*100+50] != 0 {
		t.Error("normals of floor, wall and sky are wrong")
	}
	if z := img.Plane("normal.Z").Data[50*100+50]; z != 1 {
		t.Errorf("the wall faces %v along Z, want 1, towards the camera", z)
	}
}

func TestBackgroundsStandWhereThereIsNoSurface(t *testing.T) {
	w := Prepare(room()).At(0, look.Plain(), nil)
	const sky, wall = 5*100 + 50, 50*100 + 50
	at := func(b Background, i int) [4]float32 {
		s := settings(100)
		s.Background = b
		img := render(t, w, s)
		var v [4]float32
		for k, name := range []string{"R", "G", "B", "A"} {
			v[k] = img.Plane(name).Data[i]
		}
		return v
	}
	own := at(Background{}, wall)
	for name, c := range map[string]struct {
		background Background
		want       [4]float32
	}{
		"transparent": {Background{Transparent: true}, [4]float32{}},
		"plain":       {Background{Plain: true, Colour: geom.Vec{X: 0.25, Y: 0.5, Z: 2}}, [4]float32{0.25, 0.5, 2, 1}},
	} {
		if got := at(c.background, sky); got != c.want {
			t.Errorf("%s: the sky is %v, want %v", name, got, c.want)
		}
		if got := at(c.background, wall); got != own {
			t.Errorf("%s: the wall is %v, want %v", name, got, own)
		}
	}
	if got := at(Background{}, sky); got[3] != 1 || got[0] <= 0 {
		t.Errorf("the look's own sky is %v", got)
	}
}

func TestPaddingLeavesBarsAndKeepsThePicture(t *testing.T) {
	w := Prepare(room()).At(0, look.Plain(), nil)
	s := settings(100)
	s.Samples, s.Filter = 1, pixel.Box
	square := render(t, w, s)
	s.Size.Width, s.Fit = 140, raster.Fit{Fitting: raster.Pad}
	padded := render(t, w, s)
	for _, x := range []int{0, 19, 120, 139} {
		i := 50*140 + x
		if padded.Plane("R").Data[i] != 0 || padded.Plane("A").Data[i] != 1 || padded.Plane("depth.Z").Data[i] != 1000 {
			t.Errorf("column %d is no bar: %v", x, padded.Plane("R").Data[i])
		}
	}
	for y := range 100 {
		for x := range 100 {
			a, b := square.Plane("depth.Z").Data[y*100+x], padded.Plane("depth.Z").Data[y*140+x+20]
			if math.Abs(float64(a-b)) > 1e-3*float64(a) && a < 900 && b < 900 {
				t.Fatalf("pixel %d, %d is %v m, and %v m between bars", x, y, a, b)
			}
		}
	}
}

func TestObjectColoursAreThoseOfTheNames(t *testing.T) {
	img := render(t, Prepare(room()).At(0, look.Plain(), nil), settings(100))
	want := ObjectColor("wall")
	i := 50*100 + 50
	if r, g, b := img.Plane("object.R").Data[i], img.Plane("object.G").Data[i], img.Plane("object.B").Data[i]; math.Abs(
		float64(r)-want.X,
	) > 1e-6 ||
		math.Abs(float64(g)-want.Y) > 1e-6 ||
		math.Abs(float64(b)-want.Z) > 1e-6 {
		t.Errorf("the wall is %v %v %v, want %v", r, g, b, want)
	}
	if v := img.Plane("object.R").Data[5*100+50]; v != 0 {
		t.Errorf("the sky is %v, want black", v)
	}
}

func TestSameBitsOnOneCoreOrManyAndInPieces(t *testing.T) {
	w := Prepare(room()).At(0.5, look.Plain(), nil)
	want := render(t, w, settings(61))
	old := runtime.GOMAXPROCS(1)
	single := render(t, w, settings(61))
	runtime.GOMAXPROCS(old)
	piece := settings(61)
	piece.Region = image.Rect(13, 20, 47, 55)
	part := render(t, Prepare(room()).At(0.5, look.Plain(), nil), piece)
	for i, plane := range want.Planes {
		if !slices.Equal(plane.Data, single.Planes[i].Data) {
			t.Errorf("%s differs between one core and %d", plane.Name, old)
		}
		for y := range part.Height {
			row := plane.Data[(y+20)*61+13 : (y+20)*61+47]
			if !slices.Equal(part.Planes[i].Data[y*part.Width:(y+1)*part.Width], row) {
				t.Fatalf("%s: row %d of the piece differs from the whole", plane.Name, y)
			}
		}
	}
}

func TestThingsMoveAndLightsGoOut(t *testing.T) {
	m := Prepare(room())
	at := func(seconds float64, l look.Look) *pixel.Image {
		return render(t, m.At(seconds, l, nil), settings(100))
	}
	before, after := at(0, look.Plain()), at(1, look.Plain())
	i := 55*100 + 74
	if b, a := before.Plane("depth.Z").Data[i], after.Plane("depth.Z").Data[i]; b == a {
		t.Errorf("the sign did not move: %v, %v", b, a)
	}
	dark := look.Plain()
	dark.LightsOff = []string{"lamp"}
	wall := 50*100 + 50
	if on, off := before.Plane("R").Data[wall], at(0, dark).Plane("R").Data[wall]; on <= off {
		t.Errorf("the wall is %v with the lamp and %v without", on, off)
	}
	brighter := look.Plain()
	brighter.ExposureEV = 1
	if one, two := before.Plane("R").Data[5*100+50], at(0, brighter).Plane("R").Data[5*100+50]; math.Abs(
		float64(two/one)-2,
	) > 1e-5 {
		t.Errorf("one stop more brightens the sky by %v, want 2", two/one)
	}
}

func TestRenderRefusesWhatItCannotDo(t *testing.T) {
	w := Prepare(room()).At(0, look.Plain(), nil)
	for name, spoil := range map[string]func(s *Settings){
		"size": func(s *Settings) { s.Size.Width = 0 }, "samples": func(s *Settings) { s.Samples = 0 },
		"filter": func(s *Settings) { s.Filter = "x" },
		"passes": func(s *Settings) { s.Passes = nil }, "pass": func(s *Settings) { s.Passes = []pass.Code{"x"} },
		"region": func(s *Settings) { s.Region = image.Rect(0, 0, 200, 2) },
	} {
		s := settings(10)
		spoil(&s)
		if _, err := w.Render(context.Background(), "cam", s, func(float64) {}); err == nil {
			t.Errorf("%s: rendered", name)
		}
	}
	if _, err := w.Render(context.Background(), "nobody", settings(10), func(float64) {}); err == nil {
		t.Error("a missing camera was rendered")
	}
	ctx, cancel := context.WithCancel(context.Background())
	if _, err := w.Render(ctx, "cam", settings(200), func(done float64) {
		if done > 0.1 {
			cancel()
		}
	}); !errors.Is(err, context.Canceled) {
		t.Errorf("a cancelled rendering ended with %v", err)
	}
}

func TestAnEmptySceneIsSky(t *testing.T) {
	s := room()
	for i := range s.Nodes[:3] {
		s.Nodes[i].Mesh = scene.None
	}
	img := render(t, Prepare(s).At(0, look.Plain(), nil), settings(8))
	if st := img.Plane("depth.Z").Stats(); st.Min != 1000 || st.Max != 1000 {
		t.Errorf("depth runs from %v to %v", st.Min, st.Max)
	}
}

func BenchmarkFirstHit(b *testing.B) {
	tr := Prepare(room()).At(0, look.Plain(), nil).tracer()
	b.ReportAllocs()
	n := 0
	for b.Loop() {
		var h hit
		s := newSampler(n, 1, 1)
		u, v := s.pair(0)
		tr.first(geom.Vec{Y: 2}, geom.Vec{X: u - 0.5, Y: v - 0.5, Z: -1}.Unit(), math.Inf(1), &h)
		n++
	}
	b.ReportMetric(float64(n)/b.Elapsed().Seconds(), "rays/s")
}
