package scene

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/geom"
)

func TestTheReportCountsAndMeasures(t *testing.T) {
	r := small().Report()
	if r.Size != (geom.Vec{X: 4, Z: 4}) || r.Comparison != "a car" || r.Triangles != 2 || r.Nodes != 4 ||
		r.Moving != 1 ||
		r.Begin != 0 ||
		r.End != 2 ||
		!r.Usable() {
		t.Errorf("%+v", r)
	}
	if o := r.Objects[0]; o.Name != "square" || o.Shown != 1 || o.Share != 1 || !o.Moves {
		t.Errorf("object %+v", o)
	}
	// 0.5 rad up at 1.5 : 1 is 2 atan(1.5 tan 0.25) across.
	if c := r.Cameras[0]; c.Name != "cam_a" || math.Abs(c.Across-2*math.Atan(1.5*math.Tan(0.25))*180/math.Pi) > 1e-9 ||
		c.Place != (geom.Vec{Y: 3, Z: 8}) {
		t.Errorf("camera %+v", c)
	}
	if l := r.Lights[0]; l.Kind != Spot || l.Unit != "cd" || l.Intensity != 12 || !l.Moves {
		t.Errorf("light %+v", l)
	}
	if len(r.Findings) != 0 {
		t.Errorf("findings in a sound scene: %v", r.Findings)
	}
}

func TestTheReportFindsWhatIsWrong(t *testing.T) {
	for says, spoil := range map[string]func(s *Scene){
		"no camera in it":              func(s *Scene) { s.Nodes[3].Camera = None },
		"nothing in it that could be":  func(s *Scene) { s.Nodes[1].Mesh = None },
		"another unit than metres":     func(s *Scene) { s.Nodes[0].Scale = geom.Vec{X: 1e-3, Y: 1e-3, Z: 1e-3} },
		"2 cameras have this name":     func(s *Scene) { s.Nodes[2].Camera, s.Nodes[2].Name = 0, "cam_a" },
		"2 objects have this name":     func(s *Scene) { s.Nodes[2].Mesh, s.Nodes[2].Name = 0, "child" },
		"1 have no name":               func(s *Scene) { s.Nodes[1].Name = "" },
		"scaled to nothing":            func(s *Scene) { s.Nodes[2].Mesh, s.Nodes[2].Scale = 0, geom.Vec{} },
		"1 triangles have no area and": func(s *Scene) { s.Meshes[0].Parts[0].Indices = []uint32{0, 1, 2, 0, 0, 3} },
		"no texture coordinates":       func(s *Scene) { s.Materials[0].Base = &Map{} },
		"It is drawn without: it is mi": func(s *Scene) {
			s.Images = []Image{{Name: "sail.png",
				Fault: "it is missing"}}
		},
	} {
		s := small()
		spoil(s)
		r := s.Report()
		if !slices.ContainsFunc(
			r.Findings,
			func(f Finding) bool { return strings.Contains(f.Text, says) && f.Place != "" },
		) {
			t.Errorf("%q was not found: %v", says, r.Findings)
		}
	}
}

func TestVersionsAreCompared(t *testing.T) {
	if c := Compare(small(), small()); len(c) != 0 {
		t.Errorf("the same scene has changed: %v", c)
	}
	for want, change := range map[string]func(s *Scene){
		"camera cam_a has moved by 0.50 m": func(s *Scene) { s.Nodes[3].Translation.Z += 0.5 },
		"camera cam_a has turned by 90.00°": func(s *Scene) {
			s.Nodes[3].Rotation = geom.AxisAngle(geom.Vec{Y: 1},
				math.Pi/2)
		},
		"camera cam_a is gone":                func(s *Scene) { s.Nodes[3].Name = "cam_b" },
		"camera cam_b is new":                 func(s *Scene) { s.Nodes[3].Name = "cam_b" },
		"camera cam_a sees 40.11° up":         func(s *Scene) { s.Cameras[0].Up = 0.7 },
		"object child has 1 triangles":        func(s *Scene) { s.Meshes[0].Parts[0].Indices = []uint32{0, 1, 2} },
		"light lamp is a spot light of 24":    func(s *Scene) { s.Lights[0].Intensity = 24 },
		"scene  movement from 0 to 5 s":       func(s *Scene) { s.Channels[0].Times[1] = 5 },
		"scene  8.00 m across, 0 mm up and 8": func(s *Scene) { s.Nodes[1].Scale = geom.Vec{X: 4, Y: 4, Z: 4} },
	} {
		after := small()
		change(after)
		changes := Compare(small(), after)
		if !slices.ContainsFunc(
			changes,
			func(c Change) bool { return strings.HasPrefix(fmt.Sprint(c.Kind, " ", c.Name, " ", c.Text), want) },
		) {
			t.Errorf("%q is not among %v", want, changes)
		}
	}
}

// A file in millimetres: lengths shrink, and a lamp gives as much light to what is as many times nearer.
func TestUnitsAreCorrected(t *testing.T) {
	s := small()
	scaled := s.Scaled(0.001)
	if size := scaled.Bounds(scaled.At(0)).Size(); math.Abs(size.X-0.004) > 1e-12 {
		t.Errorf("it is %v m", size)
	}
	if got := scaled.At(0).World[3].Origin; got.Sub(geom.Vec{Y: 0.003, Z: 0.008}).Length() > 1e-12 {
		t.Errorf("its camera stands at %v", got)
	}
	if l := scaled.Lights[0]; math.Abs(l.Intensity-12e-6) > 1e-15 || math.Abs(l.Range-0.02) > 1e-12 {
		t.Errorf("its lamp is %+v", l)
	}
	if s.Lights[0].Intensity != 12 || s.Scaled(1) != s {
		t.Error("the scene itself was changed")
	}
}

func TestComparisons(t *testing.T) {
	for metres, want := range map[float64]string{0: "nothing", 0.013: "a fingernail", 4: "a car",
		90: "a football pitch", 9000: "a high mountain"} {
		if got := Comparison(metres); got != want {
			t.Errorf("%v m: %s, want %s", metres, got, want)
		}
	}
}
