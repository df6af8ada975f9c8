package pixel

import "math"

// Encode returns the sRGB value (IEC 61966-2-1) of linear light; both lie in 0 to 1, and what lies
// outside is clipped.
func Encode(linear float64) float64 {
	switch {
	case !(linear > 0):
		return 0
	case linear >= 1:
		return 1
	case linear <= 0.0031308:
		return 12.92 * linear
	}
	return 1.055*math.Pow(linear, 1/2.4) - 0.055
}

// Decode returns the linear light of an sRGB value (IEC 61966-2-1).
func Decode(encoded float64) float64 {
	if encoded <= 0.04045 {
		return max(0, encoded) / 12.92
	}
	return math.Pow((min(1, encoded)+0.055)/1.055, 2.4)
}

// Encoder turns linear light into display codes of 8 or 16 bits: by table for 8, where it differs from
// Encode by hardly more than the rounding, and by computing for 16.
type Encoder struct {
	table []uint16 // nil for 16 bits
	limit float64
}

const encoderSteps = 1 << 14

// NewEncoder returns an encoder to codes of 8 or 16 bits.
func NewEncoder(bits int) *Encoder {
	e := &Encoder{limit: float64(int(1)<<bits - 1)}
	if bits > 8 {
		return e
	}
	e.table = make([]uint16, encoderSteps+1)
	for i := range e.table {
		// The table is even in the square root of light, where the curve is nearly straight.
		r := float64(i) / encoderSteps
		e.table[i] = uint16(Encode(r*r)*e.limit + 0.5)
	}
	return e
}

// Code returns the display code of linear light.
func (e *Encoder) Code(linear float32) uint16 {
	if e.table == nil {
		return uint16(Encode(float64(linear))*e.limit + 0.5)
	}
	if !(linear > 0) {
		return 0
	}
	if linear >= 1 {
		return uint16(e.limit)
	}
	return e.table[int(math.Sqrt(float64(linear))*encoderSteps+0.5)]
}
