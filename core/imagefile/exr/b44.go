package exr

import (
	"encoding/binary"
	"fmt"
	"math"
	"slices"

	"reelhouse/core/pixel"
)

// b44 undoes B44 and B44A: halves in blocks of 4 x 4, of 14 bytes, or of 3 if all are the same; other channels
// stand as they are. Each channel comes whole, one after the other.
func (u *unpacker) b44(b block) error {
	layers := b.layers()
	size := 0
	for _, l := range layers {
		size += l.width * l.height * l.size()
	}
	u.split = slices.Grow(u.split[:0], size)[:size]
	in, out := b.data, u.split
	starts := make([][]byte, len(layers))
	for i, l := range layers {
		n := l.width * l.height * l.size()
		starts[i] = out[:n]
		if l.kind != typeHalf {
			if len(in) < n {
				return fmt.Errorf("damaged: it is cut short")
			}
			copy(out[:n], in)
			in = in[n:]
		} else {
			var err error
			if in, err = b44Channel(out[:n], in, l); err != nil {
				return err
			}
		}
		out = out[n:]
	}
	raw := u.raw
	b.eachRow(layers, func(i, row int) {
		n := layers[i].width * layers[i].size()
		copy(raw[:n], starts[i][row*n:])
		raw = raw[n:]
	})
	return nil
}

// b44Channel unpacks one channel of halves and returns the rest of the input.
func b44Channel(out, in []byte, l layer) ([]byte, error) {
	var values [16]uint16
	for y := 0; y < l.height; y += 4 {
		for x := 0; x < l.width; x += 4 {
			if len(in) < 3 {
				return nil, fmt.Errorf("damaged: it is cut short")
			}
			if in[2]>>2 >= 13 { // flat
				flat := ordered(uint16(in[0])<<8 | uint16(in[1]))
				for i := range values {
					values[i] = flat
				}
				in = in[3:]
			} else {
				if len(in) < 14 {
					return nil, fmt.Errorf("damaged: it is cut short")
				}
				unpack14(&values, in)
				in = in[14:]
			}
			for dy := range min(4, l.height-y) {
				for dx := range min(4, l.width-x) {
					v := values[4*dy+dx]
					if l.linear {
						v = fromPerceptual(v)
					}
					binary.LittleEndian.PutUint16(out[2*((y+dy)*l.width+x+dx):], v)
				}
			}
		}
	}
	return in, nil
}

// ordered turns a number whose order is that of the halves into the half.
func ordered(v uint16) uint16 {
	if v&0x8000 != 0 {
		return v & 0x7fff
	}
	return ^v
}

// unpack14 undoes a block of 14 bytes: the first value, a shift, and 15 differences of 6 bits, down the first
// column and then from column to column.
func unpack14(s *[16]uint16, b []byte) {
	shift := b[2] >> 2
	bias := uint16(0x20) << shift
	bits := uint64(0)
	for _, v := range b[2:8] { // 6 bits of shift, then differences
		bits = bits<<8 | uint64(v)
	}
	var steps [15]uint16
	for i := range 7 {
		steps[i] = uint16(bits >> (36 - 6*i) & 0x3f)
	}
	bits = 0
	for _, v := range b[8:14] {
		bits = bits<<8 | uint64(v)
	}
	for i := range 8 {
		steps[7+i] = uint16(bits >> (42 - 6*i) & 0x3f)
	}
	step := func(to, from, i int) { s[to] = s[from] + steps[i]<<shift - bias }
	s[0] = uint16(b[0])<<8 | uint16(b[1])
	for i := range 3 {
		step(4*(i+1), 4*i, i)
	}
	for column := 1; column < 4; column++ {
		for row := range 4 {
			step(4*row+column, 4*row+column-1, 3+4*(column-1)+row)
		}
	}
	for i, v := range s {
		s[i] = ordered(v)
	}
}

// fromPerceptual undoes the exponential that B44 puts on channels that are marked perceptually linear.
func fromPerceptual(h uint16) uint16 {
	v := float64(pixel.FromHalf(h))
	if h&0x7c00 == 0x7c00 || v < 0 {
		return 0
	}
	if v == 0 {
		return pixel.ToHalf(-math.MaxFloat32)
	}
	return pixel.ToHalf(float32(8 * math.Log(v)))
}
