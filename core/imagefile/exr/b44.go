package exr

import (
	"fmt"
	"math"
	"slices"

	"reelhouse/core/imagefile"
	"reelhouse/core/pixel"
)

// Sizes of a block of 4 x 4 halves, and the shift that marks a flat one.
const (
	b44Block  = 14
	flatBlock = 3
	flatShift = 13
	b44Bias   = 0x20
)

// b44 undoes B44 and B44A: halves in blocks of 4 x 4, of 14 bytes, or of 3 if all are the same; other channels
// stand as they are. Each channel comes whole, one after the other.
func (u *unpacker) b44(b block, in []byte) error {
	u.layers = b.layers(u.layers)
	u.split = grown(u.split, len(u.raw))
	out := u.split
	starts := make([][]byte, len(u.layers))
	for i, l := range u.layers {
		n := l.width * l.height * l.size
		starts[i] = out[:n]
		if l.Type != imagefile.Half {
			if len(in) < n {
				return fmt.Errorf("damaged: it is cut short")
			}
			copy(out[:n], in)
			in = in[n:]
		} else {
			var err error
			if in, err = unpackHalves(out[:n], in, l); err != nil {
				return err
			}
		}
		out = out[n:]
	}
	raw := u.raw
	b.eachRow(u.layers, func(i, row int) {
		n := u.layers[i].width * u.layers[i].size
		copy(raw[:n], starts[i][row*n:])
		raw = raw[n:]
	})
	return nil
}

// unpackHalves unpacks one channel of halves and returns the rest of the input.
func unpackHalves(out, in []byte, l layer) ([]byte, error) {
	var values [16]uint16
	for y := 0; y < l.height; y += 4 {
		for x := 0; x < l.width; x += 4 {
			if len(in) < flatBlock {
				return nil, fmt.Errorf("damaged: it is cut short")
			}
			if in[2]>>2 >= flatShift {
				flat := ordered(uint16(in[0])<<8 | uint16(in[1]))
				for i := range values {
					values[i] = flat
				}
				in = in[flatBlock:]
			} else {
				if len(in) < b44Block {
					return nil, fmt.Errorf("damaged: it is cut short")
				}
				unpack14(&values, in)
				in = in[b44Block:]
			}
			if l.Perceptual {
				for i, v := range values {
					values[i] = fromExponential(v)
				}
			}
			if x+4 <= l.width && y+4 <= l.height {
				for dy := range 4 {
					row := out[2*((y+dy)*l.width+x):][:8]
					v := values[4*dy : 4*dy+4]
					le.PutUint64(row, uint64(v[0])|uint64(v[1])<<16|uint64(v[2])<<32|uint64(v[3])<<48)
				}
				continue
			}
			for dy := range min(4, l.height-y) {
				for dx := range min(4, l.width-x) {
					le.PutUint16(out[2*((y+dy)*l.width+x+dx):], values[4*dy+dx])
				}
			}
		}
	}
	return in, nil
}

// order turns a half into a number that rises with it; what is not finite is taken for 0.
func order(h uint16) uint16 {
	switch {
	case h&0x7c00 == 0x7c00:
		return 0x8000
	case h&0x8000 != 0:
		return ^h
	}
	return h | 0x8000
}

// ordered undoes order.
func ordered(v uint16) uint16 {
	negative := ^uint16(int16(v) >> 15) // all bits, or none
	return v ^ (0x8000 | negative)
}

// b44Chain says between which of the 16 values the 15 differences stand: down the first column, and then from column
// to column.
var b44Chain = [15][2]int{
	{0, 4},
	{4, 8},
	{8, 12},
	{0, 1},
	{4, 5},
	{8, 9},
	{12, 13},
	{1, 2},
	{5, 6},
	{9, 10},
	{13, 14},
	{2, 3},
	{6, 7},
	{10, 11},
	{14, 15},
}

// unpack14 undoes a block of 14 bytes: the first value, a shift, and 15 differences of 6 bits.
func unpack14(s *[16]uint16, b []byte) {
	shift := b[2] >> 2
	bias := uint16(b44Bias) << shift
	high := uint64(b[2])<<40 | uint64(b[3])<<32 | uint64(b[4])<<24 | uint64(b[5])<<16 | uint64(b[6])<<8 | uint64(b[7])
	low := uint64(b[8])<<40 | uint64(b[9])<<32 | uint64(b[10])<<24 | uint64(
		b[11],
	)<<16 | uint64(b[12])<<8 | uint64(b[13])
	step := func(bits uint64, at uint) uint16 { return uint16(bits>>at&0x3f)<<(shift&15) - bias }
	// Down the first column, and from column to column: see b44Chain. Behind the shift there are 7 differences, and 8
	// behind them.
	a := uint16(b[0])<<8 | uint16(b[1])
	e := a + step(high, 36)
	i := e + step(high, 30)
	m := i + step(high, 24)
	s[0], s[4], s[8], s[12] = ordered(a), ordered(e), ordered(i), ordered(m)
	a, e, i, m = a+step(high, 18), e+step(high, 12), i+step(high, 6), m+step(high, 0)
	s[1], s[5], s[9], s[13] = ordered(a), ordered(e), ordered(i), ordered(m)
	a, e, i, m = a+step(low, 42), e+step(low, 36), i+step(low, 30), m+step(low, 24)
	s[2], s[6], s[10], s[14] = ordered(a), ordered(e), ordered(i), ordered(m)
	a, e, i, m = a+step(low, 18), e+step(low, 12), i+step(low, 6), m+step(low, 0)
	s[3], s[7], s[11], s[15] = ordered(a), ordered(e), ordered(i), ordered(m)
}

// b44 packs a block; see unpacker.b44.
func (p *packer) b44(b block, lines band) []byte {
	p.out = p.out[:0]
	for _, c := range b.channels {
		if c.Type != imagefile.Half {
			for y := b.Min.Y; y < b.Max.Y; y++ {
				p.out = append(p.out, lines.row(c, b, y)...)
			}
			continue
		}
		var rows [4][]byte
		for y := b.Min.Y; y < b.Max.Y; y += 4 {
			for i := range rows { // behind the picture its last line stands again, and its last column
				rows[i] = lines.row(c, b, min(y+i, b.Max.Y-1))
			}
			for x := 0; x < b.Dx(); x += 4 {
				var values [16]uint16
				for i := range values {
					h := le.Uint16(rows[i/4][2*min(x+i%4, b.Dx()-1):])
					if c.Perceptual {
						h = toExponential(h)
					}
					values[i] = order(h)
				}
				p.out = pack14(p.out, values, b.compression == B44A, !c.Perceptual)
			}
		}
	}
	return p.out
}

// pack14 appends a block; see unpack14. The differences are shifted until they fit; exact keeps the largest value
// as it is, and errors fall on the others.
func pack14(dst []byte, values [16]uint16, flat, exact bool) []byte {
	most := slices.Max(values[:])
	var below [16]int
	var steps [15]int
	shift := 0
	for _, c := range b44Chain { // shifts that are too small for sure
		for step := abs(int(values[c[0]]) - int(values[c[1]])); step>>shift > b44Bias+2; {
			shift++
		}
	}
	for ; ; shift++ {
		for i, v := range values {
			below[i] = shiftAndRound(int(most-v), shift)
		}
		least, largest := math.MaxInt, math.MinInt
		for i, c := range b44Chain {
			steps[i] = below[c[0]] - below[c[1]] + b44Bias
			least, largest = min(least, steps[i]), max(largest, steps[i])
		}
		if least == b44Bias && largest == b44Bias && flat {
			return append(dst, byte(values[0]>>8), byte(values[0]), 0xfc)
		}
		if least >= 0 && largest <= 0x3f {
			break
		}
	}
	first := values[0]
	if exact {
		first = most - uint16(below[0]<<shift)
	}
	high, low := uint64(shift), uint64(0)
	for _, s := range steps[:7] {
		high = high<<6 | uint64(s)
	}
	for _, s := range steps[7:] {
		low = low<<6 | uint64(s)
	}
	dst = append(dst, byte(first>>8), byte(first))
	for _, v := range []uint64{high, low} {
		dst = append(dst, byte(v>>40), byte(v>>32), byte(v>>24), byte(v>>16), byte(v>>8), byte(v))
	}
	return dst
}

// shiftAndRound divides by a power of two and rounds, ties to even.
func shiftAndRound(v, shift int) int {
	v <<= 1
	half := 1<<shift - 1
	shift++
	return (v + half + v>>shift&1) >> shift
}

// fromExponential undoes the exponential that B44 puts on channels that are even to the eye.
func fromExponential(h uint16) uint16 {
	v := float64(pixel.FromHalf(h))
	if h&0x7c00 == 0x7c00 || v < 0 {
		return 0
	}
	if v == 0 {
		return pixel.ToHalf(-math.MaxFloat32)
	}
	return pixel.ToHalf(float32(8 * math.Log(v)))
}

// toExponential makes every half positive, as far as it is not too large.
func toExponential(h uint16) uint16 {
	const largest = 65504
	v := float64(pixel.FromHalf(h))
	switch {
	case h&0x7c00 == 0x7c00:
		return 0
	case v >= 8*math.Log(largest):
		return pixel.ToHalf(largest)
	}
	return pixel.ToHalf(float32(math.Exp(v / 8)))
}
