package pixel

import (
	"fmt"
	"math"
	"sync"
)

// A Curve is how linear light becomes display codes; it is applied once, at the end.
type Curve string

// The curves.
const (
	Linear  Curve = "linear"  // none
	SRGB    Curve = "srgb"    // IEC 61966-2-1
	BT1886  Curve = "bt1886"  // ITU-R BT.1886: gamma 2.4, for a display whose black is black
	Gamma22 Curve = "gamma22" // the plain power 2.2
)

// Curves returns all curves, in the order in which they are offered.
func Curves() []Curve { return []Curve{SRGB, BT1886, Gamma22, Linear} }

// Name returns what the curve is called, with the standard that it comes from.
func (c Curve) Name() string {
	switch c {
	case Linear:
		return "linear, no encode"
	case SRGB:
		return "sRGB (IEC 61966-2-1)"
	case BT1886:
		return "gamma 2.4 (ITU-R BT.1886)"
	case Gamma22:
		return "gamma 2.2"
	}
	return string(c)
}

// Check says whether the curve is known.
func (c Curve) Check() error {
	switch c {
	case Linear, SRGB, BT1886, Gamma22:
		return nil
	}
	return fmt.Errorf("there is no display encode %q", c)
}

// Gamma returns the exponent that a file header states for the curve: display light is code to this power.
// For sRGB it is the nearest plain power.
func (c Curve) Gamma() float64 {
	switch c {
	case BT1886:
		return 2.4
	case SRGB, Gamma22:
		return 2.2
	}
	return 1
}

// Encode returns the code, 0 to 1, of linear light; what lies outside 0 to 1 is clipped.
func (c Curve) Encode(linear float64) float64 {
	switch {
	case !(linear > 0):
		return 0
	case linear >= 1:
		return 1
	case c == Linear:
		return linear
	case c != SRGB:
		return math.Pow(linear, 1/c.Gamma())
	case linear <= 0.0031308:
		return 12.92 * linear
	}
	return 1.055*math.Pow(linear, 1/2.4) - 0.055
}

// Decode returns the linear light, 0 to 1, of a code; what lies outside 0 to 1 is clipped.
func (c Curve) Decode(code float64) float64 {
	switch {
	case !(code > 0):
		return 0
	case code >= 1:
		return 1
	case c == Linear:
		return code
	case c != SRGB:
		return math.Pow(code, c.Gamma())
	case code <= 0.04045:
		return code / 12.92
	}
	return math.Pow((code+0.055)/1.055, 2.4)
}

// An Encoder turns linear light into display codes: by a table of the curve that is even in the square root of light,
// where the curves are nearly straight. Between its entries codes are interpolated, off by less than 0.01 codes of 16
// bits; the darkest are computed.
type Encoder struct {
	curve  Curve
	table  []float32 // codes before rounding
	limit  float64
	dither Dither
}

const (
	encoderSteps = 1 << 14
	darkSteps    = 64 // that are computed
)

// NewEncoder returns an encoder to codes of 8, 10 or 16 bits.
func NewEncoder(bits int, curve Curve, dither Dither) *Encoder {
	limit := float64(int(1)<<bits - 1)
	return &Encoder{curve, encoderTable(curve, limit), limit, dither}
}

// encoderTable returns the codes of a curve, which nobody changes.
func encoderTable(curve Curve, limit float64) []float32 {
	return madeOnce(tableKey{curve, limit}, encoderSteps+2, func(i int) float64 {
		r := float64(i) / encoderSteps
		return curve.Encode(r*r) * limit
	})
}

// Lights returns the light of each code of 16 bits: 65 536 numbers, which nobody changes.
func (c Curve) Lights() []float32 {
	return madeOnce(tableKey{curve: c}, math.MaxUint16+1, func(code int) float64 {
		return c.Decode(float64(code) / math.MaxUint16)
	})
}

// curveTables are tables of curves that were made, by their tableKey: a few for each. To make one takes longer than a
// small picture does.
var curveTables sync.Map

type tableKey struct {
	curve Curve
	limit float64 // of codes; 0 for light
}

func madeOnce(key tableKey, entries int, of func(i int) float64) []float32 {
	if made, there := curveTables.Load(key); there {
		return made.([]float32)
	}
	table := make([]float32, entries)
	for i := range table {
		table[i] = float32(of(i))
	}
	made, _ := curveTables.LoadOrStore(key, table)
	return made.([]float32)
}

// Code returns the code of linear light at pixel x, y. What lies outside 0 to 1 is clipped, and what is not a number is
// 0.
func (e *Encoder) Code(linear float32, x, y int) uint16 {
	if !(linear > 0) {
		return 0
	}
	if linear >= 1 {
		return uint16(e.limit)
	}
	at := math.Sqrt(float64(linear)) * encoderSteps
	i := int(at)
	if i < darkSteps {
		return uint16(e.curve.Encode(float64(linear))*e.limit + e.dither.Round(x, y))
	}
	low, high := float64(e.table[i]), float64(e.table[i+1])
	return uint16(low + (high-low)*(at-float64(i)) + e.dither.Round(x, y))
}

// Whole returns the code of a number that is not light, such as coverage: 0 to 1, clipped.
func (e *Encoder) Whole(v float32, x, y int) uint16 {
	switch {
	case !(v > 0):
		return 0
	case v >= 1:
		return uint16(e.limit)
	}
	return uint16(float64(v)*e.limit + e.dither.Round(x, y))
}

// OfGamma returns the curve whose stated exponent is nearest to gamma, or none if it is near no one's. sRGB is not
// among them: what states a plain power is taken for it.
func OfGamma(gamma float64) Curve {
	for _, c := range []Curve{Gamma22, BT1886, Linear} {
		if math.Abs(c.Gamma()/gamma-1) < 0.005 {
			return c
		}
	}
	return ""
}
