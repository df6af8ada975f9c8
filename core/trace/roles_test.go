package trace

import (
	"math"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/pass"
	"reelhouse/core/scene"
)

// sunny is the room without its lamps, under a sun overhead: the wall, laid flat by the test, throws a shadow on the
// floor.
func sunny() *scene.Scene {
	s := room()
	s.Roots = []int{0, 1, 4}
	s.Nodes[0].Scale = geom.Vec{X: 3, Y: 1, Z: 3}
	for i := range s.Meshes[1].Parts[0].Positions { // 2 m square, 1 m above the floor
		p := &s.Meshes[1].Parts[0].Positions[i]
		p.Y, p.Z = 1, -p.Y-4
	}
	return s
}

func overhead() look.Look {
	return look.Look{Code: "sunny", Sun: look.Sun{ElevationDegrees: 90, Irradiance: geom.Vec{X: 3, Y: 3, Z: 3}}}
}

// From 2 m up, ahead and down by the tangent 0.4 the floor is met at 5 m, in the plate's shadow; at 0.9 it is met at
// 2.2 m, in the sun. The plate itself spans 5 to 7 m ahead at a fall of 0.14 to 0.2.
func at(fall float64) (x, y int) { return 50, int(50 + 50*fall) }

func TestWhatTheCameraDoesNotSeeStillShades(t *testing.T) {
	l := overhead()
	x, y := at(0.17)
	before := render(t, Prepare(sunny()).At(0, l, nil), settings(100))
	l.Unseen = []string{"wall"}
	img := render(t, Prepare(sunny()).At(0, l, nil), settings(100))
	if d := img.Plane("depth.Z").Data[y*100+x]; math.Abs(float64(d)-2/(float64(y)+0.5-50)*50) > 0.01 {
		t.Errorf("through the plate the camera sees %v m deep", d)
	}
	x, y = at(0.34) // 5.8 m ahead, below the plate
	if a, b := colour(before, x, y), colour(img, x, y); a != b {
		t.Errorf("its shadow went from %v to %v", a, b)
	}
}

func TestAHoldoutCutsAHole(t *testing.T) {
	l := overhead()
	l.Holdouts = []string{"wall"}
	img := render(t, Prepare(sunny()).At(0, l, nil), settings(100))
	x, y := at(0.17)
	if a := img.Plane("A").Data[y*100+x]; a != 0 || colour(img, x, y) != (geom.Vec{}) {
		t.Errorf("in the hole there is %v of %v", a, colour(img, x, y))
	}
	x, y = at(0.9)
	if a := img.Plane("A").Data[y*100+x]; a != 1 || colour(img, x, y).X == 0 {
		t.Errorf("beside it there is %v of %v", a, colour(img, x, y))
	}
}

func TestAShadowCatcherShowsNothingElse(t *testing.T) {
	l := overhead()
	l.ShadowCatchers = []string{"floor"}
	s := settings(100)
	s.Background = Background{Transparent: true}
	img := render(t, Prepare(sunny()).At(0, l, nil), s)
	for fall, want := range map[float64]float32{0.34: 1, 0.9: 0} {
		x, y := at(fall)
		if a := img.Plane("A").Data[y*100+x]; math.Abs(float64(a-want)) > 1e-6 || colour(img, x, y) != (geom.Vec{}) {
			t.Errorf("at %v there is %v of %v, want %v of black", fall, a, colour(img, x, y), want)
		}
	}
	s.Background = Background{Plain: true, Colour: geom.Vec{X: 1, Y: 0.5}}
	img = render(t, Prepare(sunny()).At(0, l, nil), s)
	for fall, want := range map[float64]geom.Vec{0.34: {}, 0.9: {X: 1, Y: 0.5}} {
		x, y := at(fall)
		if got := colour(img, x, y); got.Sub(want).Length() > 1e-5 || img.Plane("A").Data[y*100+x] != 1 {
			t.Errorf("over a colour, at %v there is %v, want %v", fall, got, want)
		}
	}
}

// A group is hidden by the name of the node that it hangs below.
func TestAGroupHasOneRole(t *testing.T) {
	s := sunny()
	group := scene.NewNode("set")
	group.Children = []int{0, 1}
	s.Nodes = append(s.Nodes, group)
	s.Roots = []int{5, 4}
	l := overhead()
	l.Clay = []string{"set"}
	for _, r := range l.Roles(s)[:2] {
		if !r.Clay {
			t.Errorf("roles %+v", l.Roles(s))
		}
	}
	p, err := Prepare(s).At(0, l, nil).Pick("cam", settings(100), 50, 95)
	if err != nil || p.Material != "clay" {
		t.Errorf("picked %+v, %v", p, err)
	}
	l.Hidden = []string{"se*"}
	if p, _ := Prepare(l.Dressed(s)).At(0, l, nil).Pick("cam", settings(100), 50, 95); p.Found {
		t.Errorf("hidden, it is picked: %+v", p)
	}
}

func TestExposureOfTheViewComesFirst(t *testing.T) {
	l := overhead()
	l.ExposureEV = 5
	s := settings(20)
	s.Setup = camera.Setup{Exposure: camera.Fixed, EV: 1}
	plain := overhead()
	plain.ExposureEV = 1
	a, b := render(t, Prepare(sunny()).At(0, l, nil), s), render(t, Prepare(sunny()).At(0, plain, nil), settings(20))
	if x, y := colour(a, 10, 19), colour(b, 10, 19); x != y || x.X == 0 {
		t.Errorf("at 1 EV of its own the view has %v, want %v", x, y)
	}
}

// The wall stands 7.2 m ahead; its corner at 1 m right and up is farther away and as deep.
func TestAPointIsPicked(t *testing.T) {
	w := Prepare(room()).At(0, look.Plain(), nil)
	s := settings(100)
	s.Passes = []pass.Code{pass.Beauty}
	x := 50 + 50*0.99/7.2
	p, err := w.Pick("cam", s, x, 50-50*0.99/7.2)
	if err != nil {
		t.Fatal(err)
	}
	if p.Object != "wall" || p.Material != "grey" || p.Point.Sub(geom.Vec{X: 0.99, Y: 2.99, Z: -7.2}).Length() > 1e-6 ||
		math.Abs(p.Depth-7.2) > 1e-6 ||
		math.Abs(p.Distance-math.Sqrt(7.2*7.2+2*0.99*0.99)) > 1e-6 {
		t.Errorf("picked %+v", p)
	}
	if p, _ := w.Pick("cam", s, 50, 5); p.Found {
		t.Errorf("in the sky there is %+v", p)
	}
	if p, _ := w.Pick("cam", s, 50, 101); p.Found {
		t.Errorf("outside the picture there is %+v", p)
	}
	if _, err := w.Pick("nobody", s, 1, 1); err == nil {
		t.Error("a camera that is not there picked something")
	}
}

func TestCamerasThatSeeNothingAreFound(t *testing.T) {
	s := room()
	box := scene.Mesh{Name: "crate", Parts: []scene.Part{{Material: scene.None, Positions: []geom.Vec{
		{
			X: -1,
			Y: -1,
			Z: -1,
		}, {X: 1, Y: -1, Z: -1}, {X: 1, Y: 1, Z: -1}, {X: -1, Y: 1, Z: -1}, {X: -1, Y: -1, Z: 1}, {X: 1, Y: -1, Z: 1},
		{X: 1, Y: 1, Z: 1}, {X: -1, Y: 1, Z: 1},
	}, Indices: []uint32{0, 2, 1, 0, 3, 2, 4, 5, 6, 4, 6, 7, 0, 1, 5, 0, 5, 4, 3, 6, 2, 3, 7, 6, 1, 2, 6, 1, 6, 5, 0, 7,
		3, 0, 4, 7}}}}
	s.Meshes = append(s.Meshes, box)
	crate := scene.NewNode("crate")
	crate.Mesh, crate.Translation, crate.Scale.X = 3, geom.Vec{X: 25, Y: 6, Z: 5}, -1 // a mirrored one
	s.Nodes = append(s.Nodes, crate)
	s.Roots = append(s.Roots, 5)
	w := Prepare(s).At(0, look.Plain(), nil)
	for name, c := range map[string]struct {
		stand camera.Stand
		want  Sight
	}{
		"as it stands": {camera.Stand{Position: geom.Vec{Y: 2}}, Sight{}},
		"looking up":   {camera.Stand{Position: geom.Vec{Y: 2}, Tilt: 90}, Sight{Blank: true}},
		"in the crate": {camera.Stand{Position: geom.Vec{X: 25.2, Y: 6, Z: 5}}, Sight{Inside: "crate"}},
		"beside it":    {camera.Stand{Position: geom.Vec{X: 27, Y: 6, Z: 5}, Heading: 270}, Sight{}},
		// an open surface holds nothing
		"below the floor": {camera.Stand{Position: geom.Vec{Y: -1}, Tilt: 10}, Sight{}},
	} {
		s := settings(20)
		s.Setup.Stand = &c.stand
		if got, err := w.Sight("cam", s); err != nil || got != c.want {
			t.Errorf("%s: %+v, %v; want %+v", name, got, err, c.want)
		}
	}
}
