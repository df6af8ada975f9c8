package trace

import (
	"math"
	"testing"

	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/scene"
)

// Light is bent as Snell's law says, on both sides of a surface; beyond the critical angle all of it is mirrored
// inside, and head on as much as Fresnel's equations have it: ((n − 1)/(n + 1))².
func TestGlassBendsLightAsItsIndexSays(t *testing.T) {
	m := &scene.Material{BaseColor: geom.Vec{X: 1, Y: 1, Z: 1}, Transmission: 1, Thickness: 1, IOR: 1.52}
	for _, inside := range []bool{false, true} {
		n := 1.52
		if inside {
			n = 1 / n
		}
		for degrees := 0.0; degrees < 90; degrees += 7.5 {
			sin, cos := math.Sincos(degrees * math.Pi / 180)
			s := &surface{normal: geom.Vec{Y: 1}, face: geom.Vec{Y: 1}, material: m, base: m.BaseColor, inside: inside}
			f := newScatterer(s, geom.Vec{X: -sin, Y: -cos}, 0, true, true)
			mirrored := 0
			const tries = 1000
			for i := range tries {
				l, back := f.bent(geom.Vec{Z: 1}, (float64(i)+0.5)/tries)
				if math.Abs(l.Length()-1) > 1e-9 {
					t.Fatalf("at %v° the direction has a length of %v", degrees, l.Length())
				}
				if back {
					mirrored++
					continue
				}
				if got, want := math.Hypot(l.X, l.Y), sin/n; math.Abs(got-want) > 1e-3 || l.Z > 0 {
					t.Errorf(
						"inside %v, at %v°: the bent direction has a sine of %v, want %v", inside, degrees, got, want,
					)
					break
				}
			}
			if total := sin/n > 1; total != (mirrored == tries) {
				t.Errorf("inside %v, at %v°: %d of %d are mirrored", inside, degrees, mirrored, tries)
			}
			if want := math.Pow(0.52/2.52, 2) * tries; inside && degrees == 0 && math.Abs(float64(mirrored)-want) > 2 {
				t.Errorf("head on %d of %d are mirrored inside, want %v", mirrored, tries, want)
			}
		}
	}
}

// Below a green pane, the light of a lamp is tinted and lessened by what the pane mirrors; a part of what is seen
// through it is transmission; and a thick block of glass takes away more the farther light runs in it (Beer and
// Lambert): by e to the power of -2 in 2 m, where 1 m leaves 1/e.
func TestLightComesThroughGlass(t *testing.T) {
	s := lampRoom(4)
	s.Materials = append(
		s.Materials,
		scene.Material{Name: "pane", BaseColor: geom.Vec{X: 0.2, Y: 0.8, Z: 0.4}, Alpha: 1, Transmission: 1},
	)
	pane := s.Meshes[0]
	pane.Parts = []scene.Part{pane.Parts[0]}
	pane.Parts[0].Material = len(s.Materials) - 1
	s.Meshes = append(s.Meshes, pane)
	node := scene.NewNode("pane")
	node.Mesh, node.Translation = len(s.Meshes)-1, geom.Vec{Y: 2}
	s.Nodes = append(s.Nodes, node)
	set := settings(21)
	set.Passes, set.Filter = []pass.Code{pass.DiffuseDirect, pass.Transmission, pass.Beauty}, pixel.Box
	open := render(t, Prepare(s).At(0, dark, nil), set)
	s.Roots = append(s.Roots, len(s.Nodes)-1)
	l := dark
	l.Unseen = []string{"pane"}
	below := render(t, Prepare(s).At(0, l, nil), set)
	for i, name := range []string{"R", "G", "B"} {
		tint := [3]float64{0.2, 0.8, 0.4}[i]
		if got, want := value(below, "diffusedirect."+name, 10, 10)/value(open, "diffusedirect."+name, 10, 10),
			0.96*tint; math.Abs(
			got-want,
		) > 0.01 {
			t.Errorf("%s is %v of what it was, want %v", name, got, want)
		}
	}
	through := render(t, Prepare(s).At(0, dark, nil), set)
	if a, b := value(through, "transmission.G", 10, 10), value(through, "G", 10, 10); a < 0.85*b || a == 0 {
		t.Errorf("seen through the pane, %v of %v is transmission", a, b)
	}

	glass := scene.Material{
		BaseColor:    geom.Vec{X: 1, Y: 1, Z: 1},
		Transmission: 1,
		Thickness:    1,
		IOR:          1.0001,
		Clearness:    1,
		Tint:         geom.Vec{X: 1, Y: 1 / math.E, Z: 1},
	}
	set.Passes, set.Samples = []pass.Code{pass.Beauty}, 24
	img := render(t, Prepare(ball(glass)).At(0, even(), nil), set)
	if r, g := value(img, "R", 10, 10), value(img, "G", 10, 10); math.Abs(r-1) > 0.01 ||
		math.Abs(g-math.Exp(-2)) > 0.02 {
		t.Errorf("through 2 m of green glass red is %v and green %v, want 1 and %v", r, g, math.Exp(-2))
	}
}

// A picture is averaged over what a pixel sees of it: far away, a chessboard of single pixels is even grey, by its
// light.
func TestTexturesAreAveragedFarAway(t *testing.T) {
	s := board(func(_ *scene.Material, t *scene.Texture) { t.Nearest = false })
	w := Prepare(s).At(0, look.Plain(), nil)
	levels := w.model.levels[0]
	if last := levels[len(levels)-1].Rect; last.Dx() != 1 || last.Dy() != 1 {
		t.Fatalf("the smallest copy has %v", last)
	}
	want, _ := meanLight(s, 0)
	got := w.sample(&s.Textures[0], 0.3, 0.7, true, 4) // four times as wide as the picture
	if math.Abs(got[0]-want.X) > 0.01 || math.Abs(got[1]-want.Y) > 0.01 || math.Abs(got[2]-want.Z) > 0.01 {
		t.Errorf("over all of the picture it is %v, want %v", got, want)
	}
	near := w.sample(&s.Textures[0], 0.3, 0.7, true, 0)
	if near == got {
		t.Error("near by it is the same as far away")
	}
}
