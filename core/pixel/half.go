package pixel

import "math"

// ToHalf returns the 16-bit half (IEEE 754 binary16) nearest to f, ties to even. What is too large
// becomes infinite; a NaN stays one.
func ToHalf(f float32) uint16 {
	bits := math.Float32bits(f)
	if size := bits & 0x7fffffff; size-smallestNormal < tooLarge-smallestNormal {
		return uint16(bits>>16&0x8000 | (size-rebias+0xfff+size>>13&1)>>13)
	}
	return unusualHalf(bits)
}

// ToHalves fills dst with the halves of src, which is at least as long.
func ToHalves(dst []uint16, src []float32) {
	src = src[:len(dst)]
	for i := range dst {
		bits := math.Float32bits(src[i])
		if size := bits & 0x7fffffff; size-smallestNormal < tooLarge-smallestNormal {
			dst[i] = uint16(bits>>16&0x8000 | (size-rebias+0xfff+size>>13&1)>>13)
		} else {
			dst[i] = unusualHalf(bits)
		}
	}
}

// Bits of floats without their sign.
const (
	smallestNormal = 0x38800000 // of the halves, 2^-14
	tooLarge       = 0x477ff000 // 65520, which rounds to infinity
	rebias         = 0x38000000 // between the exponents of floats and halves
	infinite       = 0x7f800000
)

// unusualHalf rounds what is no normal half.
func unusualHalf(bits uint32) uint16 {
	sign := uint16(bits >> 16 & 0x8000)
	bits &= 0x7fffffff
	switch {
	case bits > infinite: // NaN: keep the top of its payload, never 0
		return sign | 0x7c00 | uint16(bits>>13&0x3ff) | 1
	case bits >= tooLarge:
		return sign | 0x7c00
	}
	// The steps of subnormal halves are those of floats from 0.5 on, which the addition rounds to.
	return sign | uint16(math.Float32bits(math.Float32frombits(bits)+0.5)-math.Float32bits(0.5))
}

// FromHalf returns the value of a 16-bit half, exactly.
func FromHalf(h uint16) float32 {
	bits := uint32(h&0x7fff) << 13
	if bits >= 0x7c00<<13 { // infinite or a NaN
		bits += infinite - 0x7c00<<13
	} else {
		bits = math.Float32bits(math.Float32frombits(bits) * 0x1p112)
	}
	return math.Float32frombits(bits | uint32(h&0x8000)<<16)
}
