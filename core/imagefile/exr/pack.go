package exr

import (
	"math"

	"reelhouse/core/pixel"
)

// Limits of run-length coding.
const (
	shortestRun = 3
	longestRun  = 127
)

// run packs bytes by their runs; see unrun.
func run(dst, in []byte) []byte {
	for len(in) > 0 {
		n := 1
		for n < len(in) && n <= longestRun && in[n] == in[0] {
			n++
		}
		if n >= shortestRun {
			dst, in = append(dst, byte(n-1), in[0]), in[n:]
			continue
		}
		// Bytes as they are, up to the next run.
		n = 0
		for n < len(in) && n < longestRun && !(n+2 < len(in) && in[n] == in[n+1] && in[n] == in[n+2]) {
			n++
		}
		dst, in = append(append(dst, byte(-n)), in[:n]...), in[n:]
	}
	return dst
}

// pxr24 puts the differences of a chunk's values into split, the highest bytes of a row first; see
// unpacker.pxr24.
func (e *chunkEncoder) pxr24(y0, y1 int) {
	width := e.file.Image.Width
	e.split = e.split[:0]
	for y := y0; y < y1; y++ {
		for _, p := range e.planes {
			row := p.Data[y*width : (y+1)*width]
			planes := 3
			if p.Half {
				planes = 2
			}
			start := len(e.split)
			e.split = append(e.split, make([]byte, planes*width)...)
			out := e.split[start:]
			before := uint32(0)
			for x, v := range row {
				value := uint32(0)
				if p.Half {
					value = uint32(pixel.ToHalf(v))
				} else {
					value = float24(v)
				}
				step := value - before
				before = value
				for k := range planes {
					out[k*width+x] = byte(step >> (8 * (planes - 1 - k)))
				}
			}
		}
	}
}

// float24 rounds a float to its upper 24 bits: infinities and what is not a number stay what they are, and
// nothing rounds to infinity.
func float24(v float32) uint32 {
	bits := math.Float32bits(v)
	sign, rest := bits&0x80000000, bits&0x7fffffff
	mantissa := rest & 0x7fffff
	switch {
	case rest > 0x7f800000: // not a number
		rest = 0x7f8000 | mantissa>>8
		if rest == 0x7f8000 {
			rest |= 1
		}
	case rest == 0x7f800000:
		rest = 0x7f8000
	default:
		rounded := (rest + mantissa&0x80) >> 8
		if rounded >= 0x7f8000 {
			rounded = rest >> 8
		}
		rest = rounded
	}
	return sign>>8 | rest
}
