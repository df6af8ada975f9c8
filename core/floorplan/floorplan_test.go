package floorplan

import (
	"math"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
)

// yard is a slab of 10 by 4 m, a camera 20 m south of its middle that looks north and sees 53.13 degrees (2 atan 1/2)
// across, and a camera that moves from west to east within 2 s.
func yard() *scene.Scene {
	s := &scene.Scene{Roots: []int{0, 1, 2, 3}}
	s.Meshes = []scene.Mesh{
		{
			Parts: []scene.Part{
				{
					Positions: []geom.Vec{{X: -5, Z: -2}, {X: 5, Z: -2}, {X: 5, Z: 2}, {X: -5, Z: 2}, {}},
					Indices:   []uint32{0, 1, 2},
					Material:  scene.None,
				},
			},
		},
	}
	s.Cameras = []scene.Camera{{Up: 2 * math.Atan(0.25), Aspect: 2}}
	s.Lights = []scene.Light{{Name: "lamp", Kind: scene.Point}}
	slab, still, moves, lamp := scene.NewNode("slab"), scene.NewNode("still"), scene.NewNode("moves"), scene.NewNode(
		"lamp",
	)
	slab.Mesh, still.Camera, moves.Camera, lamp.Light = 0, 0, 0, 0
	still.Translation, lamp.Translation = geom.Vec{Y: 1.5, Z: 20}, geom.Vec{X: 3, Y: 4}
	s.Nodes = []scene.Node{slab, still, moves, lamp}
	s.Channels = []scene.Channel{
		{
			Node:          2,
			Target:        scene.Translation,
			Interpolation: scene.Linear,
			Times:         []float64{0, 2},
			Values:        []geom.Quat{{X: -6}, {X: 6}},
		},
	}
	return s
}

var eyes = []Eye{
	{Code: "a", Camera: "still", Size: raster.Size{Width: 200, Height: 100}, PixelAspect: 1},
	{Code: "b", Camera: "moves", Size: raster.Size{Width: 200, Height: 100}, PixelAspect: 1},
}

func TestThePlanIsToScale(t *testing.T) {
	p := Draw(yard(), Above, 1, 0, 2, eyes, false)
	if len(p.Outlines) != 1 || len(p.Outlines[0].Points) != 4 || area(p.Outlines[0].Points) != 40 {
		t.Errorf("outlines %+v", p.Outlines)
	}
	if len(p.Lights) != 1 || p.Lights[0].At != (Point{3, 0}) {
		t.Errorf("lights %+v", p.Lights)
	}
	a, b := p.Eyes[0], p.Eyes[1]
	if a.At != (Point{0, 20}) || len(a.Path) != 0 {
		t.Errorf("the still camera is at %v with a path of %d", a.At, len(a.Path))
	}
	if b.At != (Point{0, 0}) || len(b.Path) != pathSteps+1 || b.Path[0] != (Point{-6, 0}) ||
		b.Path[pathSteps] != (Point{6, 0}) {
		t.Errorf("the moving camera is at %v, its path %v", b.At, b.Path)
	}
	// At the drawing's reach, north is up, and half as far to either side.
	far := reach * p.Wide
	if a.Ahead.X != 0 || math.Abs(a.Ahead.Y-(20-far)) > 1e-9 {
		t.Errorf("ahead is %v, want %v m north", a.Ahead, far)
	}
	west := math.Inf(1)
	for _, c := range a.Cone {
		west = min(west, c.X)
	}
	if math.Abs(west+far/2) > 1e-9 {
		t.Errorf("it sees %v m to the west, want %v", -west, far/2)
	}
	if math.Abs(p.Wide/p.High-Shape) > 1e-9 || p.Left > -6 || p.Left+p.Wide < 6 || p.Top > 0 || p.Top+p.High < 20 {
		t.Errorf("it shows %v, %v, %v by %v", p.Left, p.Top, p.Wide, p.High)
	}
}

func TestSidesAndSetups(t *testing.T) {
	for side, want := range map[Side]Point{Above: {0, 20}, South: {0, -1.5}, East: {-20, -1.5}} {
		if got := Draw(yard(), side, 0, 0, 0, eyes[:1], true).Eyes[0].At; got != want {
			t.Errorf("from %s the camera is at %v, want %v", side, got, want)
		}
	}
	moved := eyes[1]
	moved.Setup = camera.Setup{Stand: &camera.Stand{Position: geom.Vec{X: 2, Z: 3}, Heading: 90}, Locked: true}
	e := Draw(yard(), Above, 0, 0, 2, []Eye{moved}, false).Eyes[0]
	if e.At != (Point{2, 3}) || len(e.Path) != 0 || !e.Locked || e.Ahead.X <= 2 || math.Abs(e.Ahead.Y-3) > 1e-9 {
		t.Errorf("a camera that was put somewhere: %+v", e)
	}
	if got := Draw(yard(), Above, 0, 0, 2, []Eye{{Code: "x", Camera: "gone"}}, false); len(got.Eyes) != 0 ||
		got.Wide != smallest {
		t.Errorf("without cameras: %+v", got)
	}
}

// Two lines within the drawing: at 4 m, and where 18 mm at f/2 begin to be sharp; they are as long as the view is wide
// there.
func TestSharpnessIsDrawn(t *testing.T) {
	e := eyes[0]
	e.Setup = camera.Setup{Focal: 36, FNumber: 2, Focus: 4}
	got := Draw(yard(), Above, 0, 0, 0, []Eye{e, eyes[1]}, true).Eyes[0].Sharp
	if len(got) != 3 || math.Abs(got[0][0].Y-16) > 1e-9 || math.Abs(got[0][1].X-got[0][0].X-4) > 1e-9 {
		t.Fatalf("lines %v", got)
	}
	near, far, _ := e.Setup.Sharpness(yard().Cameras[0])
	if math.Abs(got[1][0].Y-(20-near)) > 1e-9 || math.Abs(got[2][0].Y-(20-far)) > 1e-9 {
		t.Errorf("limits at %v and %v, want %v and %v m ahead", 20-got[1][0].Y, 20-got[2][0].Y, near, far)
	}
}

func TestHullsAndSteps(t *testing.T) {
	if h := Hull([]Point{{0, 0}, {2, 0}, {2, 2}, {0, 2}, {1, 1}, {1, 0}, {0, 0}}); len(h) != 4 || area(h) != 4 {
		t.Errorf("hull %v", h)
	}
	if h := Hull([]Point{{1, 1}, {1, 1}}); len(h) != 1 {
		t.Errorf("hull of one point %v", h)
	}
	for least, want := range map[float64]float64{0.9: 1, 1: 1, 1.1: 2, 3: 5, 6: 10, 70: 100, 0.03: 0.05} {
		if got := Step(least); math.Abs(got-want) > 1e-12 {
			t.Errorf("no smaller than %v: %v, want %v", least, got, want)
		}
	}
}
