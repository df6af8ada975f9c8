package camera

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
)

func standsOf(r Rig) []Stand {
	var all []Stand
	for _, m := range r.Members(Setup{}, 0) {
		all = append(all, *m.Setup.Stand)
	}
	return all
}

// Eight cameras round a subject are 45 degrees apart; each looks at it.
func TestEightRoundASubject(t *testing.T) {
	r := Rig{Kind: Ring, Subject: geom.Vec{X: 3, Y: 1, Z: -2}, Count: 8, Radius: 10, Height: 4, Start: 90, Arc: 360}
	stands := standsOf(r)
	if len(stands) != 8 || r.Apart() != 45 {
		t.Fatalf("%d cameras, %v° apart", len(stands), r.Apart())
	}
	if at := stands[0]; at.Position.Sub(geom.Vec{X: 13, Y: 5, Z: -2}).Length() > 1e-12 || at.Heading != 270 ||
		math.Abs(at.Tilt+21.801) > 0.001 { // atan 0.4
		t.Errorf("the first stands at %+v", at)
	}
	if at := stands[2]; at.Position.Sub(geom.Vec{X: 3, Y: 5, Z: 8}).
		Length() >
		1e-12 { // a quarter clockwise from the east is the south
		t.Errorf("the third stands at %+v", at)
	}
	for i, at := range stands {
		towards := r.Subject.Sub(at.Position).Unit()
		if looks := at.Pose().Direction(geom.Vec{Z: -1}); looks.Sub(towards).Length() > 1e-9 {
			t.Errorf("camera %d looks along %v, not at the subject along %v", i, looks, towards)
		}
		next := stands[(i+1)%8]
		if chord := next.Position.Sub(at.Position).Length(); math.Abs(chord-2*10*math.Sin(22.5*math.Pi/180)) > 1e-9 {
			t.Errorf("from camera %d to the next it is %v m", i, chord)
		}
	}
	r.Counter = true
	if at := standsOf(r)[2]; at.Position.Sub(geom.Vec{X: 3, Y: 5, Z: -12}).Length() > 1e-12 {
		t.Errorf("against the clock, the third stands at %+v", at)
	}
}

func TestArcsReachFromEndToEnd(t *testing.T) {
	r := Rig{Kind: Ring, Count: 5, Radius: 1, Arc: 90, Start: 350}
	s := standsOf(r)
	if r.Apart() != 22.5 || math.Abs(s[0].Heading-170) > 1e-9 || math.Abs(s[4].Heading-260) > 1e-9 {
		t.Errorf("%v° apart, from %v to %v", r.Apart(), s[0].Heading, s[4].Heading)
	}
	r.Count = 1
	if r.Apart() != 0 || len(standsOf(r)) != 1 {
		t.Error("one camera of an arc")
	}
}

func TestRigsThatCannotBeAreRefused(t *testing.T) {
	good := Rig{Kind: Ring, Count: 8, Radius: 10, Arc: 360}
	if err := good.Check(); err != nil {
		t.Error(err)
	}
	for says, spoil := range map[string]func(r *Rig){
		"0 cameras": func(r *Rig) { r.Count = 0 }, "no rig of the kind": func(r *Rig) { r.Kind = "heap" },
		"3 views":         func(r *Rig) { r.Kind, r.Count = Panorama, 2 },
		"take more views": func(r *Rig) { r.Kind, r.Count, r.Overlap = Panorama, 3, 50 },
		"separation":      func(r *Rig) { r.Kind = Pair },
		"cannot meet":     func(r *Rig) { r.Kind, r.Separation, r.Convergence = Pair, 1, -1 },
		"endings":         func(r *Rig) { r.Kind, r.Separation, r.Left, r.Right = Pair, 1, "x", "x" },
		"radius":          func(r *Rig) { r.Radius = 0 }, "arc": func(r *Rig) { r.Arc = 361 },
		"start": func(r *Rig) { r.Start = -1 }, "too far": func(r *Rig) { r.Subject.X = math.Inf(1) },
	} {
		r := good
		spoil(&r)
		if err := r.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

// The six squares of a cube see 90 degrees both ways, and together everything once: a direction lies in one of them
// only.
func TestACubeSeesEverythingOnce(t *testing.T) {
	r := Rig{Kind: Cube, Subject: geom.Vec{X: 1, Y: 2, Z: 3}, Start: 30}
	if err := r.Check(); err != nil {
		t.Fatal(err)
	}
	random := rand.New(rand.NewPCG(1, 2))
	for range 1000 {
		d := geom.Vec{X: random.NormFloat64(), Y: random.NormFloat64(), Z: random.NormFloat64()}.Unit()
		seen := 0
		for _, m := range r.Members(Setup{}, 0) {
			v := m.Over(Setup{FNumber: 4, Focus: 2}).Of(geom.Identity(), scene.Camera{Up: 0.3, Aspect: 1.9})
			w := v.Window(raster.Fit{}, raster.Size{Width: 64, Height: 64}, 1)
			own := v.Pose.Inverse().Direction(d)
			if x, y := own.X/-own.Z, own.Y/-own.Z; own.Z < 0 && x > w.Left && x < w.Right && y > w.Bottom && y < w.Top {
				seen++
			}
			if v.Pose.Origin != r.Subject || v.Lens == 0 {
				t.Fatalf("%s stands at %v, lens %v", m.Name, v.Pose.Origin, v.Lens)
			}
		}
		if seen != 1 {
			t.Fatalf("%v is seen %d times", d, seen)
		}
	}
}

// Twelve pictures that share a fifth of their width lie 30 degrees apart and see 37.5 degrees.
func TestPicturesOfAPanoramaOverlap(t *testing.T) {
	r := Rig{Kind: Panorama, Count: 12, Overlap: 20}
	all := r.Members(Setup{}, 0)
	if r.Apart() != 30 || all[3].Setup.Stand.Heading != 90 || all[3].Suffix != "04" {
		t.Errorf("%v° apart, the fourth %+v", r.Apart(), all[3])
	}
	if across := lens.Degrees(lens.FieldOfView(36, all[0].Setup.Focal)); math.Abs(across-37.5) > 1e-9 {
		t.Errorf("each sees %v°", across)
	}
}

// What lies at the convergence is seen in the same place by both eyes; what lies behind it is farther right for the
// right eye's picture than for the left one's, by focal × separation × (1/convergence − 1/distance).
func TestEyesMeetAtTheConvergence(t *testing.T) {
	of := Setup{Stand: &Stand{Position: geom.Vec{Y: 1.6}}, Focal: 35, ShiftUp: 2}
	r := Rig{Kind: Pair, View: "v", Separation: 0.065, Convergence: 4, Left: "L", Right: "R"}
	at := func(m Member, metres float64) float64 { // in millimetres on the film back
		v := m.Over(Setup{Locked: true}).Of(geom.Identity(), scene.Camera{Up: 0.5, Aspect: 1.5})
		p := v.Pose.Inverse().Point(geom.Vec{X: 0.3, Y: 1.6, Z: -metres})
		return 35 * (p.X/-p.Z - v.ShiftAcross)
	}
	eyes := r.Members(of, 35)
	if l, r := at(eyes[0], 4), at(eyes[1], 4); math.Abs(l-r) > 1e-12 {
		t.Errorf("at the convergence the eyes see %v and %v mm", l, r)
	}
	if got, want := at(eyes[1], 10)-at(eyes[0], 10), 35*0.065*(1.0/4-1.0/10); math.Abs(got-want) > 1e-12 {
		t.Errorf("at 10 m they differ by %v mm, want %v", got, want)
	}
	if s := eyes[0].Over(Setup{Locked: true, FNumber: 8, Focus: 1}); !s.Locked || s.ShiftUp != 2 || s.Focal != 35 ||
		s.FNumber != 0 {
		t.Errorf("an eye has the setup %+v", s)
	}
	r.Convergence = 0
	if s := r.Members(of, 35)[0].Setup; s.ShiftAcross != 0 || s.Aside != -0.0325 {
		t.Errorf("looking straight ahead: %+v", s)
	}
}
