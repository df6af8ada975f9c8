package pixel

import (
	"fmt"
	"math"
	"slices"
)

// Primaries are the colours that the numbers of linear light stand for. The zero value stands for BT709, or for what
// was agreed where something is left to that.
type Primaries string

// The primaries of linear light. Working light has those of BT709.
const (
	BT709    Primaries = "bt709"
	P3D65    Primaries = "p3-d65"
	BT2020   Primaries = "bt2020"
	ACEScg   Primaries = "acescg"
	ACES2065 Primaries = "aces2065-1"
)

// AllPrimaries returns all of them, in the order in which they are offered.
func AllPrimaries() []Primaries { return []Primaries{BT709, P3D65, BT2020, ACEScg, ACES2065} }

// Name returns what they are called, with the standard that they come from.
func (p Primaries) Name() string {
	switch p {
	case "", BT709:
		return "BT.709, D65 white (ITU-R BT.709)"
	case P3D65:
		return "P3, D65 white (SMPTE EG 432-1)"
	case BT2020:
		return "BT.2020, D65 white (ITU-R BT.2020)"
	case ACEScg:
		return "ACEScg, AP1 (Academy S-2014-004)"
	case ACES2065:
		return "ACES2065-1, AP0 (SMPTE ST 2065-1)"
	}
	return string(p)
}

// Check says whether they are known.
func (p Primaries) Check() error {
	if p != "" && !slices.Contains(AllPrimaries(), p) {
		return fmt.Errorf(
			"there are no primaries %q; there are bt709, p3-d65, bt2020, acescg and aces2065-1", string(p),
		)
	}
	return nil
}

// A Chromaticity is the CIE x and y of a colour.
type Chromaticity struct{ X, Y float64 }

// A Gamut is the chromaticities of red, green and blue, and of white.
type Gamut struct{ Red, Green, Blue, White Chromaticity }

var (
	whiteD65  = Chromaticity{0.3127, 0.3290}
	whiteACES = Chromaticity{0.32168, 0.33767}
)

// Gamut returns their chromaticities: ITU-R BT.709-6, table 1; SMPTE EG 432-1; ITU-R BT.2020-2, table 3; Academy
// S-2014-004 (AP1); SMPTE ST 2065-1 (AP0).
func (p Primaries) Gamut() Gamut {
	switch p {
	case P3D65:
		return Gamut{Chromaticity{0.680, 0.320}, Chromaticity{0.265, 0.690}, Chromaticity{0.150, 0.060}, whiteD65}
	case BT2020:
		return Gamut{Chromaticity{0.708, 0.292}, Chromaticity{0.170, 0.797}, Chromaticity{0.131, 0.046}, whiteD65}
	case ACEScg:
		return Gamut{Chromaticity{0.713, 0.293}, Chromaticity{0.165, 0.830}, Chromaticity{0.128, 0.044}, whiteACES}
	case ACES2065:
		return Gamut{
			Chromaticity{0.7347, 0.2653}, Chromaticity{0, 1}, Chromaticity{0.0001, -0.0770}, whiteACES,
		}
	}
	return Gamut{Chromaticity{0.640, 0.330}, Chromaticity{0.300, 0.600}, Chromaticity{0.150, 0.060}, whiteD65}
}

// PrimariesOf returns the primaries whose chromaticities are those of g, to within 0.0005 as headers round them, or
// none.
func PrimariesOf(g Gamut) (Primaries, bool) {
	for _, p := range AllPrimaries() {
		if p.Gamut().near(g) {
			return p, true
		}
	}
	return "", false
}

func (g Gamut) near(o Gamut) bool {
	a, b := g.corners(), o.corners()
	for i := range a {
		if !(math.Abs(a[i].X-b[i].X) < 0.0005 && math.Abs(a[i].Y-b[i].Y) < 0.0005) {
			return false
		}
	}
	return true
}

func (g Gamut) corners() [4]Chromaticity { return [4]Chromaticity{g.Red, g.Green, g.Blue, g.White} }

// A Matrix turns three numbers into three others, row by row.
type Matrix [3][3]float64

// Of returns what the matrix makes of three numbers.
func (m *Matrix) Of(a, b, c float64) (x, y, z float64) {
	return m[0][0]*a + m[0][1]*b + m[0][2]*c,
		m[1][0]*a + m[1][1]*b + m[1][2]*c,
		m[2][0]*a + m[2][1]*b + m[2][2]*c
}

// times returns the matrix that does what n does, and then what m does.
func (m *Matrix) times(n Matrix) (all Matrix) {
	for col := range 3 {
		all[0][col], all[1][col], all[2][col] = m.Of(n[0][col], n[1][col], n[2][col])
	}
	return all
}

// inverse returns the matrix that takes back what m does; ok is false if none does.
func (m *Matrix) inverse() (back Matrix, ok bool) {
	cross := func(a, b [3]float64) [3]float64 {
		return [3]float64{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
	}
	cols := [3][3]float64{cross(m[1], m[2]), cross(m[2], m[0]), cross(m[0], m[1])}
	det := m[0][0]*cols[0][0] + m[0][1]*cols[0][1] + m[0][2]*cols[0][2]
	if !(math.Abs(det) > 1e-9) {
		return back, false
	}
	for row := range 3 {
		for col := range 3 {
			back[row][col] = cols[col][row] / det
		}
	}
	return back, true
}

// xyz returns the CIE XYZ of a chromaticity at luminance 1; ok is false if it has none.
func (c Chromaticity) xyz() (x, y, z float64, ok bool) {
	x, z = c.X/c.Y, (1-c.X-c.Y)/c.Y
	return x, 1, z, !math.IsInf(x, 0) && !math.IsNaN(x) && !math.IsInf(z, 0)
}

// toXYZ returns the matrix from the gamut's light to CIE XYZ, with white at Y = 1 (SMPTE RP 177).
func (g Gamut) toXYZ() (m Matrix, ok bool) {
	for col, c := range [3]Chromaticity{g.Red, g.Green, g.Blue} {
		m[0][col], m[1][col], m[2][col] = c.X, c.Y, 1-c.X-c.Y
	}
	back, ok := m.inverse()
	x, y, z, white := g.White.xyz()
	if !ok || !white {
		return m, false
	}
	r, gr, b := back.Of(x, y, z)
	for row := range 3 {
		m[row][0], m[row][1], m[row][2] = m[row][0]*r, m[row][1]*gr, m[row][2]*b
	}
	return m, true
}

// bradford takes CIE XYZ to sharpened responses of cones: the Bradford matrix, as ICC.1 (annex E) gives it, and as the
// ACES system adapts by.
var bradford = Matrix{{0.8951, 0.2664, -0.1614}, {-0.7502, 1.7135, 0.0367}, {0.0389, -0.0685, 1.0296}}

// Conversion returns the matrix that takes linear light of one gamut to another. Where their whites differ, one becomes
// the other by the Bradford adaptation. It fails for chromaticities that are no gamut, such as three on a line.
func Conversion(from, to Gamut) (Matrix, error) {
	in, ok := from.toXYZ()
	out, outOK := to.toXYZ()
	back, backOK := out.inverse()
	cones, _ := bradford.inverse()
	if !ok || !outOK || !backOK {
		return Matrix{}, fmt.Errorf("the chromaticities are those of no gamut")
	}
	fx, fy, fz, _ := from.White.xyz()
	tx, ty, tz, _ := to.White.xyz()
	fx, fy, fz = bradford.Of(fx, fy, fz)
	tx, ty, tz = bradford.Of(tx, ty, tz)
	if from.White != to.White {
		adapt := Matrix{{tx / fx}, {0, ty / fy}, {0, 0, tz / fz}}
		adapt = adapt.times(bradford)
		adapt = cones.times(adapt)
		in = adapt.times(in)
	}
	all := back.times(in)
	for row := range all {
		for col := range 3 {
			if math.IsNaN(all[row][col]) || math.IsInf(all[row][col], 0) {
				return Matrix{}, fmt.Errorf("the chromaticities are those of no gamut")
			}
		}
	}
	return all, nil
}
