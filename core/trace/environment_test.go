package trace

import (
	"bytes"
	"math"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// around returns a map of light by direction.
func mapOf(t testing.TB, width int, light func(d geom.Vec) geom.Vec) *Environment {
	t.Helper()
	img := pixel.New(width, width/2, "R", "G", "B")
	for y := range img.Height {
		for x := range img.Width {
			v := light(direction((float64(x)+0.5)/float64(img.Width), (float64(y)+0.5)/float64(img.Height)))
			store([][]float32{img.Planes[0].Data, img.Planes[1].Data, img.Planes[2].Data}, y*img.Width+x, v)
		}
	}
	e, err := NewEnvironment(img)
	if err != nil {
		t.Fatal(err)
	}
	return e
}

func TestTheMapTurnsWithItsLook(t *testing.T) {
	e := mapOf(t, 64, func(d geom.Vec) geom.Vec {
		return geom.Vec{
			X: max(0, -d.Z),
			Y: max(0, d.X),
			Z: max(0, d.Y),
		} // red in the north, green in the east, blue above
	})
	s := room()
	s.Roots = s.Roots[3:] // the lamp and the camera, which looks north
	for turn, want := range map[float64]geom.Vec{0: {X: 1}, 90: {}, -90: {Y: 1}} {
		l := look.Look{Code: "l", LightGain: 1, Environment: look.Environment{Map: "m", TurnDegrees: turn, Strength: 2}}
		img := render(t, Prepare(s).At(0, l, e), settings(21))
		if got := colour(img, 10, 10); got.Sub(want.Scale(2)).Length() > 0.15 {
			t.Errorf("turned by %v° the north is %v, want %v", turn, got, want.Scale(2))
		}
	}
	l := look.Look{Code: "l", LightGain: 1, Environment: look.Environment{Map: "m"}}
	up := settings(21)
	up.Setup.Stand = &camera.Stand{Tilt: 90}
	if got := colour(render(t, Prepare(s).At(0, l, e), up), 10, 10); got.Sub(geom.Vec{Z: 1}).Length() > 0.1 {
		t.Errorf("overhead it is %v", got)
	}
}

// Under even light of 1, clay of a half reflects about a half (and a little gloss more).
func TestEvenLightIsEven(t *testing.T) {
	e := mapOf(t, 128, func(geom.Vec) geom.Vec { return geom.Vec{X: 1, Y: 1, Z: 1} })
	s := room()
	s.Roots = []int{1, 4} // the wall and the camera
	l := look.Look{Code: "l", Clay: []string{"wall"}, Environment: look.Environment{Map: "m"}}
	many := settings(20)
	many.Samples = 16
	img := render(t, Prepare(s).At(0, l, e), many)
	if got := colour(img, 10, 10); got.X < 0.48 || got.X > 0.56 || got.X != got.Z {
		t.Errorf("clay reflects %v of even light", got)
	}
}

// A small sun of radiance L over a solid angle w, at an angle a to the surface, gives the irradiance L w cos a; picked
// by its power it does so with hardly any noise. Lambert's law makes E / pi of it.
func TestASmallSunIsFound(t *testing.T) {
	sun := geom.Vec{X: 1, Y: 1.5, Z: -0.5}.Unit()
	e := mapOf(t, 512, func(d geom.Vec) geom.Vec {
		if d.Dot(sun) > math.Cos(3*math.Pi/180) {
			return geom.Vec{X: 1000, Y: 1000, Z: 1000}
		}
		return geom.Vec{X: 0.01, Y: 0.01, Z: 0.01}
	})
	want := 0.0 // summed over the map's own pixels
	for i, light := range e.light {
		u, v := (float64(i%512)+0.5)/512, (float64(i/512)+0.5)/256
		want += float64(light[0]) * max(0, direction(u, v).Y) * math.Sin(math.Pi*v) * 2 * math.Pi / (512 * 256)
	}
	if analytic := 2000*(1-math.Cos(3*math.Pi/180))*sun.Y + 0.01; math.Abs(want-analytic) > 0.03*analytic {
		t.Errorf("the map has %v, want %v", want, analytic)
	}
	sum, n, unlike := 0.0, 4096, 0
	s := newSampler(1, 2, 3)
	for i := range n {
		s.sample = uint32(i)
		d, density := e.pick(s.pair(dimShadowSky))
		if math.Abs(e.density(d)-density) > 1e-6*density {
			unlike++ // on the edge between two cells
		}
		if density > 0 && d.Y > 0 {
			sum += e.at(d).X * d.Y / density / math.Pi
		}
	}
	if unlike > n/100 {
		t.Errorf("%d of %d directions have another density than they were picked by", unlike, n)
	}
	if got := sum / float64(n); math.Abs(got-want) > 0.01*want {
		t.Errorf("picked light adds up to %v, want %v", got, want)
	}
}

func TestWhatIsNoEnvironmentIsRefused(t *testing.T) {
	if _, err := NewEnvironment(pixel.New(100, 60, "R", "G", "B")); err == nil {
		t.Error("a picture of another shape was taken")
	}
	if _, err := NewEnvironment(pixel.New(100, 50, "Y")); err == nil {
		t.Error("a picture without colours was taken")
	}
	img := pixel.New(100, 50, "R", "G", "B", "A")
	img.Planes[1].Data[120] = float32(math.NaN())
	if _, err := NewEnvironment(img); err == nil {
		t.Error("a picture with a number that is none was taken")
	}
	img.Planes[1].Data[120] = -1
	for i := range img.Planes[0].Data {
		img.Planes[0].Data[i] = 0.5
	}
	for _, f := range []output.Format{output.EXR, output.HDR} {
		var b bytes.Buffer
		if err := picture.Encode(&b, f.Usual(), img, []pass.Code{pass.Beauty}, picture.Header{}); err != nil {
			t.Fatal(err)
		}
		e, err := DecodeEnvironment(b.Bytes())
		if err != nil {
			t.Fatal(err)
		}
		if w, h := e.Size(); w != 100 || h != 50 || e.at(geom.Vec{X: 1}).Sub(geom.Vec{X: 0.5}).Length() > 0.01 {
			t.Errorf("%s: %d × %d with %v", f, w, h, e.at(geom.Vec{X: 1}))
		}
	}
	if dark := mapOf(t, 16, func(geom.Vec) geom.Vec { return geom.Vec{} }); dark.at(geom.Vec{Y: 1}) != (geom.Vec{}) {
		t.Error("darkness gives light")
	} else if _, density := dark.pick(0.5, 0.5); density != 0 {
		t.Error("a direction of darkness was picked")
	}
}
