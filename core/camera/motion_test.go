package camera

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"reelhouse/core/geom"
)

// moved is a camera with three keys, the middle one as an ease says.
func moved(ease Ease) *Motion {
	stand := func(x, heading, roll float64) Stand {
		return Stand{Position: geom.Vec{X: x, Y: 2}, Heading: heading, Roll: roll}
	}
	return &Motion{[]Key{
		{Frame: 1001, Stand: stand(0, 350, 0)}, {Frame: 1013, Stand: stand(6, 10, 0), Ease: ease},
		{Frame: 1037, Stand: stand(6, 20, 8)},
	}}
}

func TestACameraGoesFromKeyToKey(t *testing.T) {
	for _, ease := range Eases() {
		m := moved(ease)
		for _, k := range m.Keys {
			if got := m.At(float64(k.Frame)); got.Stand != k.Stand {
				t.Errorf("%q: at the key of frame %d it stands %+v", ease, k.Frame, got.Stand)
			}
		}
		if before, after := m.At(900), m.At(2000); before.Stand != m.Keys[0].Stand || after.Stand != m.Keys[2].Stand {
			t.Errorf("%q: outside of the keys it stands %+v and %+v", ease, before, after)
		}
	}
	m := moved(Linear)
	m.Keys[0].Ease, m.Keys[2].Ease = Linear, Linear
	got := m.At(1007).Stand
	if math.Abs(got.Position.X-3) > 1e-12 || math.Abs(math.Remainder(got.Heading, 360)) > 1e-9 {
		t.Errorf("half way, by way of north, it is %+v", got)
	}
	if got := moved(Hold).At(1036.9).Stand; got != moved(Hold).Keys[1].Stand {
		t.Errorf("held, it is %+v", got)
	}
	// A rest is a rest: as far in a frame before it as after it, and hardly anything.
	near := moved(Rest).At(1012.9).Stand.Position.X
	if step := 6 - near; step > 0.01 || step <= 0 {
		t.Errorf("a tenth of a frame before its rest it is %v m away", step)
	}
}

// What is equal at two keys stays so between them, whatever the keys beside are, and nothing goes beyond its keys.
func TestNothingWandersBetweenKeys(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		m := &Motion{}
		frame := 1000
		for range 2 + random.IntN(5) {
			frame += 1 + random.IntN(30)
			m.Keys = append(m.Keys, Key{
				Frame: frame, Ease: Eases()[random.IntN(4)], Focal: 20 + 80*random.Float64(),
				Stand: Stand{
					Position: geom.Vec{X: float64(random.IntN(3)), Y: 10 * random.Float64(), Z: 5},
					Heading:  359 * random.Float64(), Tilt: float64(random.IntN(2)), Roll: 0,
				},
			})
		}
		if err := m.Check(); err != nil {
			t.Fatal(err)
		}
		for i := range m.Keys[1:] {
			a, b := m.Keys[i], m.Keys[i+1]
			for range 5 {
				got := m.At(float64(a.Frame) + random.Float64()*float64(b.Frame-a.Frame))
				within := func(what string, v, p, q float64) {
					if v < min(p, q)-1e-9 || v > max(p, q)+1e-9 {
						t.Fatalf("%s is %v between keys of %v and %v: %+v", what, v, p, q, m.Keys)
					}
				}
				within("x", got.Stand.Position.X, a.Stand.Position.X, b.Stand.Position.X)
				within("y", got.Stand.Position.Y, a.Stand.Position.Y, b.Stand.Position.Y)
				within("z", got.Stand.Position.Z, 5, 5)
				within("tilt", got.Stand.Tilt, a.Stand.Tilt, b.Stand.Tilt)
				within("roll", got.Stand.Roll, 0, 0)
				within("focal length", got.Focal, a.Focal, b.Focal)
				turn := math.Abs(math.Remainder(b.Stand.Heading-a.Stand.Heading, 360))
				if done := math.Abs(math.Remainder(got.Stand.Heading-a.Stand.Heading, 360)); done > turn+1e-9 {
					t.Fatalf("it turns %v° of %v°", done, turn)
				}
			}
		}
	}
}

// Between two keys that aim at one point that point stays in the middle, and the roll is the keys' own.
func TestAnAimIsKept(t *testing.T) {
	target := geom.Vec{X: 3, Y: 1, Z: -10}
	m := &Motion{[]Key{
		{Frame: 1, Stand: Stand{Position: geom.Vec{X: -8, Y: 2}, Roll: 3}, Aim: &target},
		{Frame: 49, Stand: Stand{Position: geom.Vec{X: 20, Y: 9, Z: 4}, Roll: 3}, Aim: &target, Ease: Rest},
	}}
	for frame := 1.0; frame < 49; frame += 0.7 {
		k := m.At(frame)
		if frame == 1 {
			continue // the key itself, as it was set
		}
		v := k.Stand.Pose().Inverse().Point(target)
		if math.Hypot(v.X, v.Y) > 1e-9*v.Length() || v.Z >= 0 || math.Abs(k.Stand.Roll-3) > 1e-12 {
			t.Fatalf("at frame %v the point is at %v before the camera, roll %v", frame, v, k.Stand.Roll)
		}
	}
}

func TestKeysAreStretchedFoundAndChecked(t *testing.T) {
	m, err := moved(Smooth).Stretched(1001, 1073)
	if err != nil || m.Keys[1].Frame != 1025 || m.Keys[2].Frame != 1073 || moved(Smooth).Keys[1].Frame != 1013 {
		t.Errorf("stretched: %+v, %v", m, err)
	}
	if _, err := m.Stretched(1001, 1002); err == nil {
		t.Error("three keys went into two frames")
	}
	// As few keys as a movement needs, and no fewer.
	var stands []Stand
	for n := range 25 {
		stands = append(stands, Stand{Position: geom.Vec{X: float64(min(n, 12))}, Heading: 350 + float64(n)})
	}
	taken := KeysOf(stands, 1001)
	if len(taken.Keys) != 3 || taken.Keys[1].Frame != 1013 {
		t.Errorf("the keys are %+v", taken.Keys)
	}
	for n, s := range stands {
		got := taken.At(float64(1001 + n)).Stand
		if got.Position.Sub(s.Position).Length() > keyMetres ||
			math.Abs(math.Remainder(got.Heading-s.Heading, 360)) > keyDegrees {
			t.Errorf("at frame %d it is %+v, want %+v", 1001+n, got, s)
		}
	}
	for says, change := range map[string]func(m *Motion){
		"two keys at frame": func(m *Motion) { m.Keys[1].Frame = m.Keys[0].Frame },
		"eases smooth":      func(m *Motion) { m.Keys[1].Ease = "bounce" },
		"key at frame 1013": func(m *Motion) { m.Keys[1].Stand.Tilt = 100 },
		"1 to 10000 keys":   func(m *Motion) { m.Keys = nil },
		"too far away":      func(m *Motion) { m.Keys[2].Frame = 1 << 40 },
		"aims at":           func(m *Motion) { m.Keys[0].Aim = &geom.Vec{X: math.NaN()} },
	} {
		m := moved(Smooth)
		change(m)
		if err := (Setup{Motion: m}).Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v, want %q", err, says)
		}
	}
	some := moved(Smooth)
	some.Keys[0].Focal = 50
	if err := (Setup{Motion: some}).Check(); err == nil {
		t.Error("some keys have a focal length, and the others have none to take")
	}
	if got := (Setup{Motion: some, Focal: 20}).At(1037).Focal; got != 20 {
		t.Errorf("the last key has %v mm", got)
	}
}
