package pixel

import "math"

// ToHalf returns the 16-bit half (IEEE 754 binary16) nearest to f, ties to even. What is too large
// becomes infinite; a NaN stays one.
func ToHalf(f float32) uint16 {
	bits := math.Float32bits(f)
	sign := uint16(bits >> 16 & 0x8000)
	bits &= 0x7fffffff
	switch {
	case bits > 0x7f800000: // NaN: keep the top of its payload, never 0
		return sign | 0x7c00 | uint16(bits>>13&0x3ff) | 1
	case bits >= 0x477ff000: // rounds beyond 65504, or infinite
		return sign | 0x7c00
	case bits >= 0x38800000: // normal
		bits += 0xfff + bits>>13&1
		return sign | uint16((bits-0x38000000)>>13)
	case bits < 0x33000001: // at most half of the smallest subnormal
		return sign
	}
	shift := 126 - bits>>23
	mantissa := bits&0x7fffff | 0x800000
	half := mantissa >> shift
	rest, tie := mantissa&(1<<shift-1), uint32(1)<<(shift-1)
	if rest > tie || rest == tie && half&1 == 1 {
		half++
	}
	return sign | uint16(half)
}

// FromHalf returns the value of a 16-bit half, exactly.
func FromHalf(h uint16) float32 {
	sign := uint32(h&0x8000) << 16
	exponent, mantissa := uint32(h>>10&0x1f), uint32(h&0x3ff)
	switch exponent {
	case 0:
		v := math.Float32bits(float32(mantissa) / (1 << 24))
		return math.Float32frombits(sign | v)
	case 31:
		return math.Float32frombits(sign | 0x7f800000 | mantissa<<13)
	}
	return math.Float32frombits(sign | (exponent+112)<<23 | mantissa<<13)
}
