package pixel

import (
	"math"
	"testing"
)

// The matrices that the standards print, from memory: IEC 61966-2-1 for BT.709 with four decimals, SMPTE ST 2065-1 for
// AP0 and Academy S-2014-004 for AP1 with ten.
func TestLightToXYZ(t *testing.T) {
	for p, want := range map[Primaries]struct {
		Matrix
		off float64
	}{
		BT709: {Matrix{{0.4124, 0.3576, 0.1805}, {0.2126, 0.7152, 0.0722}, {0.0193, 0.1192, 0.9505}}, 0.0001},
		ACES2065: {Matrix{
			{0.9525523959, 0, 0.0000936786}, {0.3439664498, 0.7281660966, -0.0721325464}, {0, 0, 1.0088251844},
		}, 1e-9},
		ACEScg: {Matrix{
			{0.6624541811, 0.1340042065, 0.1561876870}, {0.2722287168, 0.6740817658, 0.0536895174},
			{-0.0055746495, 0.0040607335, 1.0103391003},
		}, 1e-9},
	} {
		m, ok := p.Gamut().toXYZ()
		if apart := m.apart(want.Matrix); !ok || apart > want.off {
			t.Errorf("%s: %v, %g off", p, m, apart)
		}
	}
}

func (m *Matrix) apart(o Matrix) (most float64) {
	for row := range m {
		for col := range m[row] {
			most = max(most, math.Abs(m[row][col]-o[row][col]))
		}
	}
	return most
}

// ITU-R BT.2087-0, for BT.709 in BT.2020; and, with the Bradford adaptation, what the ACES system has for BT.709 in
// ACEScg and ACES2065-1. All are from memory.
func TestConversions(t *testing.T) {
	for to, want := range map[Primaries]struct {
		Matrix
		off float64
	}{
		BT2020: {Matrix{{0.6274, 0.3293, 0.0433}, {0.0691, 0.9195, 0.0114}, {0.0164, 0.0880, 0.8956}}, 0.0001},
		ACEScg: {Matrix{
			{0.613097, 0.339523, 0.047379}, {0.070194, 0.916354, 0.013452}, {0.020616, 0.109570, 0.869815},
		}, 2e-6},
		ACES2065: {Matrix{
			{0.439633, 0.382989, 0.177378}, {0.089776, 0.813439, 0.096784}, {0.017541, 0.111547, 0.870912},
		}, 2e-6},
	} {
		m, err := Conversion(BT709.Gamut(), to.Gamut())
		if apart := m.apart(want.Matrix); err != nil || apart > want.off {
			t.Errorf("%s: %v, %g off, %v", to, m, apart, err)
		}
	}
}

// White stays white, and what is taken to other primaries comes back.
func TestConversionsKeepWhiteAndComeBack(t *testing.T) {
	for _, p := range AllPrimaries() {
		to, err := Conversion(BT709.Gamut(), p.Gamut())
		if err != nil {
			t.Fatal(err)
		}
		back, err := Conversion(p.Gamut(), BT709.Gamut())
		if err != nil {
			t.Fatal(err)
		}
		r, g, b := to.Of(1, 1, 1)
		if math.Abs(r-1)+math.Abs(g-1)+math.Abs(b-1) > 1e-12 {
			t.Errorf("%s: white is %v %v %v", p, r, g, b)
		}
		same := Matrix{{1}, {0, 1}, {0, 0, 1}}
		if all := back.times(to); all.apart(same) > 1e-12 {
			t.Errorf("%s: back is %v", p, all)
		}
		if got, ok := PrimariesOf(p.Gamut()); !ok || got != p {
			t.Errorf("%s is found as %s", p, got)
		}
	}
}

func TestWhatIsNoGamutIsRefused(t *testing.T) {
	line := Chromaticity{0.3, 0.3}
	for name, g := range map[string]Gamut{
		"nothing": {}, "one point": {line, line, line, line},
		"on a line": {Chromaticity{0.1, 0.1}, Chromaticity{0.2, 0.2}, Chromaticity{0.3, 0.3}, whiteD65},
		"no white":  {Red: BT709.Gamut().Red, Green: BT709.Gamut().Green, Blue: BT709.Gamut().Blue},
		"endless":   {Chromaticity{math.Inf(1), 0}, Chromaticity{0, 1}, Chromaticity{0, 0}, whiteD65},
		"black white": {
			BT709.Gamut().Red, BT709.Gamut().Green, BT709.Gamut().Blue, Chromaticity{math.NaN(), 1},
		},
	} {
		if m, err := Conversion(g, BT709.Gamut()); err == nil {
			t.Errorf("%s: %v", name, m)
		}
	}
}
