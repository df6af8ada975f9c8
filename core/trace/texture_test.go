package trace

import (
	"context"
	"image"
	"image/color"
	"math"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
	"reelhouse/core/scene"
)

// board is a square of 2 m, 5 m before an orthographic camera that sees just it; its texture has four pixels.
func board(change func(m *scene.Material, t *scene.Texture)) *scene.Scene {
	img := image.NewNRGBA(image.Rect(0, 0, 2, 2))
	img.SetNRGBA(0, 0, color.NRGBA{R: 255, A: 255})
	img.SetNRGBA(1, 0, color.NRGBA{G: 255, A: 255})
	img.SetNRGBA(0, 1, color.NRGBA{B: 255, A: 51})
	img.SetNRGBA(1, 1, color.NRGBA{R: 188, G: 188, B: 188, A: 255}) // a half of the light
	s := &scene.Scene{
		Roots:    []int{0, 1},
		Images:   []scene.Image{{Pixels: img}},
		Textures: []scene.Texture{{Nearest: true}},
	}
	m := scene.DefaultMaterial()
	m.Unlit, m.Base = true, &scene.Map{Scale: [2]float64{1, 1}}
	change(&m, &s.Textures[0])
	s.Materials = []scene.Material{m}
	s.Meshes = []scene.Mesh{{Parts: []scene.Part{{
		Positions: []geom.Vec{
			{X: -1, Y: -1},
			{X: 1, Y: -1},
			{X: -1, Y: 1},
			{X: 1, Y: 1},
		}, UV: [][]scene.UV{{{U: 0, V: 1}, {U: 1, V: 1}, {U: 0, V: 0}, {U: 1, V: 0}}},
		Indices: []uint32{0, 1, 2, 2, 1, 3}, Material: 0,
	}}}}
	s.Cameras = []scene.Camera{{Height: 2, Aspect: 1}}
	square, camera := scene.NewNode("board"), scene.NewNode("cam")
	square.Mesh, camera.Camera, camera.Translation = 0, 0, geom.Vec{Z: 5}
	s.Nodes = []scene.Node{square, camera}
	return s
}

func shoot(t *testing.T, s *scene.Scene, size, samples int) *pixel.Image {
	t.Helper()
	img, err := Prepare(s).At(0, look.Look{Code: "dark"}, nil).Render(context.Background(), "cam", Settings{
		Size: raster.Size{
			Width:  size,
			Height: size,
		}, Passes: []pass.Code{pass.Beauty, pass.Depth, pass.Normal}, Samples: samples, Filter: pixel.Box,
		Background: Background{Transparent: true}, DepthBackground: 99,
	}, func(float64) {})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

func colour(img *pixel.Image, x, y int) geom.Vec {
	at := y*img.Width + x
	return geom.Vec{
		X: float64(img.Plane("R").Data[at]),
		Y: float64(img.Plane("G").Data[at]),
		Z: float64(img.Plane("B").Data[at]),
	}
}

// What is unlit shows its texture as it is, decoded from sRGB: 188 of 255 is 0.503 of the light. Depth is straight
// ahead, everywhere the same for parallel rays.
func TestTexturesShowWhereTheyAreMapped(t *testing.T) {
	for name, c := range map[string]struct {
		change func(m *scene.Material, t *scene.Texture)
		want   [4]geom.Vec // top left, top right, bottom left, bottom right
	}{
		"as it is": {func(*scene.Material, *scene.Texture) {},
			[4]geom.Vec{{X: 1}, {Y: 1}, {Z: 1}, {X: 0.503, Y: 0.503, Z: 0.503}}},
		"tinted": {func(m *scene.Material,
			_ *scene.Texture) {
			m.BaseColor = geom.Vec{X: 0.5, Y: 1, Z: 1}
		},
			[4]geom.Vec{{X: 0.5}, {Y: 1}, {Z: 1}, {X: 0.2515, Y: 0.503, Z: 0.503}}},
		"moved by a half, repeated": {func(m *scene.Material, _ *scene.Texture) { m.Base.Offset[0] = 0.5 },
			[4]geom.Vec{{Y: 1}, {X: 1}, {X: 0.503, Y: 0.503, Z: 0.503}, {Z: 1}}},
		"moved by a half, held": {func(m *scene.Material, x *scene.Texture) {
			m.Base.Offset[0], x.WrapU = 0.5,
				scene.Clamp
		}, [4]geom.Vec{{Y: 1}, {Y: 1}, {X: 0.503, Y: 0.503, Z: 0.503}, {X: 0.503, Y: 0.503, Z: 0.503}}},
		"moved by one, mirrored": {func(m *scene.Material, x *scene.Texture) {
			m.Base.Offset[0], x.WrapU = 1,
				scene.Mirror
		}, [4]geom.Vec{{Y: 1}, {X: 1}, {X: 0.503, Y: 0.503, Z: 0.503}, {Z: 1}}},
	} {
		img := shoot(t, board(c.change), 2, 2)
		for i, want := range c.want {
			if got := colour(img, i%2, i/2); got.Sub(want).Length() > 0.002 {
				t.Errorf("%s: quarter %d is %v, want %v", name, i, got, want)
			}
			if d := img.Plane("depth.Z").Data[i]; d != 5 {
				t.Errorf("%s: depth %v, want 5", name, d)
			}
		}
	}
	if mid := colour(shoot(t, board(func(_ *scene.Material, x *scene.Texture) {
		x.Nearest, x.WrapU, x.WrapV = false, scene.Clamp, scene.Clamp
	}), 9, 1), 4, 0); math.Abs(mid.X-0.5) > 0.15 || math.Abs(mid.Y-0.5) > 0.15 {
		t.Errorf("between red and green, smoothed, it is %v", mid)
	}
}

// Where the texture's alpha is 0.2: a mask at 0.5 has a hole; blending covers by a fifth.
func TestAlphaLetsThrough(t *testing.T) {
	masked := shoot(t, board(func(m *scene.Material, _ *scene.Texture) { m.Mode, m.Cutoff = scene.Mask, 0.5 }), 2, 4)
	if a := masked.Plane("A").Data; a[0] != 1 || a[2] != 0 || masked.Plane("depth.Z").Data[2] != 99 {
		t.Errorf("masked: alpha %v, depth %v", a, masked.Plane("depth.Z").Data)
	}
	blended := shoot(t, board(func(m *scene.Material, _ *scene.Texture) { m.Mode = scene.Blend }), 2, 32)
	if a := blended.Plane("A").Data; a[0] != 1 || math.Abs(float64(a[2])-0.2) > 0.04 {
		t.Errorf("blended: alpha %v", a)
	}
	again := shoot(t, board(func(m *scene.Material, _ *scene.Texture) { m.Mode = scene.Blend }), 2, 32)
	if again.Plane("A").Data[2] != blended.Plane("A").Data[2] {
		t.Error("chance differs from time to time")
	}
}

// A normal map that leans by 45 degrees to the right, or upwards, turns the normal of a board that faces the camera so.
func TestNormalMapsTurnNormals(t *testing.T) {
	for _, c := range []struct {
		code color.NRGBA
		want geom.Vec
	}{
		{color.NRGBA{R: 255, G: 128, B: 255, A: 255}, geom.Vec{X: math.Sqrt2 / 2, Z: math.Sqrt2 / 2}},
		{color.NRGBA{R: 128, G: 255, B: 255, A: 255}, geom.Vec{Y: math.Sqrt2 / 2, Z: math.Sqrt2 / 2}},
		{color.NRGBA{R: 128, G: 128, B: 255, A: 255}, geom.Vec{Z: 1}},
	} {
		s := board(func(m *scene.Material, _ *scene.Texture) {
			m.Bumps, m.BumpScale, m.Base = &scene.Map{Scale: [2]float64{1, 1}}, 1, nil
		})
		for i := range 4 {
			s.Images[0].Pixels.SetNRGBA(i%2, i/2, c.code)
		}
		img := shoot(t, s, 2, 1)
		got := geom.Vec{
			X: float64(img.Plane("normal.X").Data[0]),
			Y: float64(img.Plane("normal.Y").Data[0]),
			Z: float64(img.Plane("normal.Z").Data[0]),
		}
		if got.Sub(c.want).Length() > 0.01 {
			t.Errorf("%v: the normal is %v, want %v", c.code, got, c.want)
		}
	}
}

// Edges of a board stand where the set-up camera's own window says, to a tenth of a pixel: with a stand, a focal length
// and shifts.
func TestEdgesStandWhereTheCameraSays(t *testing.T) {
	s := board(func(m *scene.Material, _ *scene.Texture) { m.Base = nil })
	s.Cameras[0] = scene.Camera{Up: 0.6, Aspect: 1.5}
	size := raster.Size{Width: 150, Height: 100}
	for _, setup := range []camera.Setup{
		{}, {Focal: 40}, {ShiftAcross: 3, ShiftUp: -2},
		{Stand: &camera.Stand{Position: geom.Vec{X: 0.7, Y: 0.4, Z: 6}}, Focal: 22, Back: 24, ShiftUp: 1.3},
	} {
		img, err := Prepare(s).At(0, look.Look{Code: "dark"}, nil).Render(context.Background(), "cam", Settings{
			Size: size, Setup: setup, Passes: []pass.Code{pass.Beauty}, Samples: 10, Filter: pixel.Box,
			Background: Background{Transparent: true},
			Effort:     sampling.Effort{Bounces: sampling.Bounces{Through: 1}}, // coverage is all that is looked at
		}, func(float64) {})
		if err != nil {
			t.Fatal(err)
		}
		v := setup.Of(s.At(0).World[1], s.Cameras[0])
		w := v.Window(raster.Fit{}, size, 1)
		place := func(p geom.Vec) (x, y float64) {
			p = v.Pose.Inverse().Point(p)
			return (p.X/-p.Z - w.Left) / w.Width() * float64(
				size.Width,
			), (w.Top - p.Y/-p.Z) / w.Height() * float64(size.Height)
		}
		left, top := place(geom.Vec{X: -1, Y: 1})
		right, bottom := place(geom.Vec{X: 1, Y: -1})
		row, column := (int(top)+int(bottom))/2, (int(left)+int(right))/2
		alpha := img.Plane("A").Data
		// from the covered share of the pixels that an edge runs through
		var gotLeft, gotRight, gotTop, gotBottom float64
		gotLeft, gotRight, gotTop, gotBottom = float64(column), float64(column), float64(row), float64(row)
		for x := range size.Width {
			if a := float64(alpha[row*size.Width+x]); x < column {
				gotLeft -= a
			} else {
				gotRight += a
			}
		}
		for y := range size.Height {
			if a := float64(alpha[y*size.Width+column]); y < row {
				gotTop -= a
			} else {
				gotBottom += a
			}
		}
		for i, pair := range [4][2]float64{{gotLeft, left}, {gotRight, right}, {gotTop, top}, {gotBottom, bottom}} {
			if math.Abs(pair[0]-pair[1]) > 0.1 {
				t.Errorf("%+v: edge %d stands at %.3f pixels, want %.3f", setup, i, pair[0], pair[1])
			}
		}
	}
}

// An edge 5 m away, seen through 100 mm at f/0.5 that is focused at 4 m, is as wide as a thin lens makes it: on the
// back a point is a disc of A f (d − s) / (d (s − f)), with the opening A = f/N. Focused at 5 m, the edge is sharp.
func TestThinLensesBlurAsTheyShould(t *testing.T) {
	s := board(func(m *scene.Material, _ *scene.Texture) { m.Base = nil })
	s.Cameras[0] = scene.Camera{Up: 0.5, Aspect: 1}
	size := raster.Size{Width: 400, Height: 20}
	edge := func(focus float64) float64 { // pixels that it covers in part
		img, err := Prepare(s).At(0, look.Look{Code: "dark"}, nil).Render(context.Background(), "cam", Settings{
			Size: size, Setup: camera.Setup{Focal: 100, FNumber: 0.5, Focus: focus,
				Stand: &camera.Stand{Position: geom.Vec{X: 1, Z: 5}}}, Passes: []pass.Code{pass.Beauty}, Samples: 24,
			Filter: pixel.Box, Background: Background{Transparent: true},
			Region: image.Rect(
				0, 10, size.Width, 11,
			), Effort: sampling.Effort{Bounces: sampling.Bounces{Through: 1}}, // coverage is all that is looked at
		}, func(float64) {})
		if err != nil {
			t.Fatal(err)
		}
		row := img.Plane("A").Data
		width := 0
		for _, a := range row {
			if a > 0.002 && a < 0.998 {
				width++
			}
		}
		return float64(width)
	}
	const f, opening, d, focus = 0.1, 0.2, 5.0, 4.0
	disc := opening * f * (d - focus) / (d * (focus - f)) // metres on the back
	// Our back stands at f from the lens whatever it is focused at, as cameras of one angle do: a pixel is 36 mm over
	// 400.
	want := disc * (focus - f) / focus / 0.036 * float64(size.Width)
	if got := edge(focus); got < math.Floor(want) ||
		got > math.Ceil(want)+1 { // an edge runs through that many whole pixels
		t.Errorf("the edge is %v pixels wide, want %.2f", got, want)
	}
	if got := edge(d); got > 1 {
		t.Errorf("in focus it is %v pixels wide", got)
	}
}
