package pixel

import (
	"math"
	"math/rand/v2"
	"testing"
)

// hueOf is the hue of the hexcone model, in sixths of a turn (A. R. Smith, Color Gamut Transform Pairs, 1978).
func hueOf(r, g, b float64) float64 {
	most, least := max(r, g, b), min(r, g, b)
	switch d := most - least; most {
	case r:
		return math.Mod((g-b)/d+6, 6)
	case g:
		return (b-r)/d + 2
	default:
		return (r-g)/d + 4
	}
}

func TestSoftHighlightsKeepTheirHue(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	for range 10_000 {
		r, g, b := 8*random.Float64(), 8*random.Float64(), 8*random.Float64()
		x, y, z := ViewSoft.Light(r, g, b)
		if min(x, y, z) < 0 || max(x, y, z) > 1 {
			t.Fatalf("%g %g %g becomes %g %g %g", r, g, b, x, y, z)
		}
		if max(x, y, z)-min(x, y, z) < 1e-6 { // white has no hue
			continue
		}
		if before, after := hueOf(r, g, b), hueOf(x, y, z); math.Abs(before-after) > 1e-6 {
			t.Fatalf("%g %g %g: hue %g becomes %g", r, g, b, before, after)
		}
	}
}

func TestSoftHighlightsAreSmooth(t *testing.T) {
	if r, g, b := ViewSoft.Light(0.5, 0.2, -0.1); r != 0.5 || g != 0.2 || b != -0.1 {
		t.Error("what is not bright is changed")
	}
	last, slope := 0.0, 1.0
	const step = 1e-3
	for v := step; v < 12; v += step {
		shown, _, _ := ViewSoft.Light(v, 0, 0)
		if shown < last {
			t.Fatalf("%g is shown darker than what is darker", v)
		}
		if s := (shown - last) / step; s > 1+1e-9 || math.Abs(s-slope) > 0.02 {
			t.Fatalf("at %g the slope goes from %g to %g", v, slope, s)
		} else {
			slope = s
		}
		last = shown
	}
	if r, g, b := ViewSoft.Light(math.Inf(1), 1, 0); r != 1 || g != 1 || b != 1 {
		t.Errorf("infinite light is %g %g %g", r, g, b)
	}
	if r, _, _ := ViewSoft.Light(math.NaN(), 1, 0); !math.IsNaN(r) {
		t.Errorf("what is no number is %g", r)
	}
}

func TestViewingsAreChecked(t *testing.T) {
	for _, v := range Viewings() {
		if v.Check() != nil || v.Name() == "" {
			t.Error(v)
		}
		if r, g, b := v.Light(0.25, 0.5, 0); r != 0.25 || g != 0.5 || b != 0 {
			t.Errorf("%s changes what is not bright", v)
		}
	}
	if Viewing("film").Check() == nil {
		t.Error("one that is not known is taken")
	}
}
