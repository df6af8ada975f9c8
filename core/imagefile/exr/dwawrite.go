package exr

import (
	"math"
	"math/bits"

	"reelhouse/core/imagefile"
	"reelhouse/core/pixel"
)

// Quantisation tables of the luminance and the chrominance example of ITU-T T.81, annex K, in the order of lines, over
// their least entries.
var (
	quantLight = [64]float32{
		16, 11, 10, 16, 24, 40, 51, 61, 12, 12, 14, 19, 26, 58, 60, 55, 14, 13, 16, 24, 40, 57, 69, 56, 14, 17, 22, 29,
		51, 87, 80, 62,
		18, 22, 37, 56, 68, 109, 103, 77, 24, 35, 55, 64, 81, 104, 113, 92, 49, 64, 78, 87, 103, 121, 120, 101, 72, 92,
		95, 98, 112, 100, 103, 99,
	}
	quantColour = [64]float32{
		17, 18, 24, 47, 99, 99, 99, 99, 18, 21, 26, 66, 99, 99, 99, 99, 24, 26, 56, 99, 99, 99, 99, 99, 47, 66, 99, 99,
		99, 99, 99, 99,
		99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99,
		99, 99, 99, 99,
	}
)

const (
	leastLight  = 10
	leastColour = 17
)

// A dwaEncoder keeps its memory between chunks.
type dwaEncoder struct {
	ac, dc        []uint16
	raw           []byte
	squares       [3]square
	lines         [3][8][]uint16
	light, colour [64]float32
}

// packDWA packs a block; see unpacker.unpackDWA.
func (p *packer) packDWA(b block, lines band) ([]byte, error) {
	if p.dwa == nil {
		p.dwa = &dwaEncoder{}
	}
	e := p.dwa
	loss := lines.part.Loss
	if loss == 0 {
		loss = usualLoss
	}
	for i := range e.light {
		e.light[i] = loss / 100000 * quantLight[i] / leastLight
		e.colour[i] = loss / 100000 * quantColour[i] / leastColour
	}
	layers := b.layers(nil)
	rules := usualRules()
	plan := planDWA(layers, rules)
	level := lines.part.level()
	var head [dwaNumbers]int
	head[dwaVersion] = 2
	out := append(p.out[:0], make([]byte, 8*dwaNumbers)...)
	out = appendRules(out, rules, b.channels)
	p.out = out

	if len(plan.deflated) > 0 {
		e.raw = e.raw[:0]
		for _, i := range plan.deflated {
			for y := b.Min.Y; y < b.Max.Y; y++ {
				e.raw = append(e.raw, lines.row(layers[i].channel, b, y)...)
			}
		}
		packed, err := p.deflate(e.raw, level)
		if err != nil {
			return nil, err
		}
		head[dwaDeflatedRaw], head[dwaDeflatedSize] = len(e.raw), len(packed)
		out = append(out, packed...)
	}
	e.ac, e.dc = e.ac[:0], e.dc[:0]
	for _, set := range plan.colours {
		e.colours(b, lines, layers, set)
	}
	start := len(out)
	out = p.huffman.encode(out, e.ac)
	head[dwaACCount], head[dwaACSize] = len(e.ac), len(out)-start
	if len(e.dc) > 0 {
		e.raw = grown(e.raw, 2*len(e.dc))
		for i, w := range e.dc {
			le.PutUint16(e.raw[2*i:], w)
		}
		p.split = grown(p.split, len(e.raw))
		separate(p.split, e.raw)
		difference(p.split)
		packed, err := p.deflate(p.split, level)
		if err != nil {
			return nil, err
		}
		head[dwaDCCount], head[dwaDCSize] = len(e.dc), len(packed)
		out = append(out, packed...)
	}
	if len(plan.runs) > 0 {
		e.raw = e.raw[:0]
		for _, i := range plan.runs {
			e.raw = e.apart(e.raw, b, lines, layers[i])
		}
		p.split = run(p.split[:0], e.raw)
		packed, err := p.deflate(p.split, level)
		if err != nil {
			return nil, err
		}
		head[dwaRunsRaw], head[dwaRunsInflated], head[dwaRunsSize] = len(e.raw), len(p.split), len(packed)
		out = append(out, packed...)
	}
	for i, n := range head {
		le.PutUint64(out[8*i:], uint64(n))
	}
	p.out = out
	return out, nil
}

// apart appends the first bytes of all samples of a layer, then the second ones, and so on.
func (e *dwaEncoder) apart(dst []byte, b block, lines band, l layer) []byte {
	for k := range l.size {
		for y := b.Min.Y; y < b.Max.Y; y++ {
			row := lines.row(l.channel, b, y)
			for x := k; x < len(row); x += l.size {
				dst = append(dst, row[x])
			}
		}
	}
	return dst
}

// colours appends the coefficients of one layer, or of three that go together.
func (e *dwaEncoder) colours(b block, lines band, layers []layer, set []int) {
	across, down := (b.Dx()+7)/8, (b.Dy()+7)/8
	per := across * down
	start := len(e.dc)
	e.dc = append(e.dc, make([]uint16, per*len(set))...)
	encode, _ := dwaCurves()
	for y := range down {
		for i, at := range set {
			l := layers[at]
			table := encode
			if len(set) == 1 && l.Perceptual {
				table = nil
			}
			for k := range 8 {
				e.lines[i][k] = l.get(e.lines[i][k], lines.row(l.channel, b, b.Min.Y+mirrored(8*y+k, b.Dy())), table)
			}
		}
		for x := range across {
			for i := range set {
				s := &e.squares[i]
				for k := range 8 {
					line := e.lines[i][k]
					if 8*x+8 <= len(line) {
						for j, h := range line[8*x : 8*x+8] {
							s[8*k+j] = pixel.FromHalf(h)
						}
						continue
					}
					for j := range 8 {
						s[8*k+j] = pixel.FromHalf(line[mirrored(8*x+j, len(line))])
					}
				}
			}
			if len(set) == 3 {
				r, g, b := &e.squares[0], &e.squares[1], &e.squares[2]
				for i := range r {
					r[i], g[i], b[i] = toDifference(r[i], g[i], b[i])
				}
			}
			for i := range set {
				quant := &e.light
				if i > 0 {
					quant = &e.colour
				}
				e.squares[i].dct()
				e.dc[start+i*per+y*across+x] = e.block(&e.squares[i], quant)
			}
		}
	}
}

// mirrored returns the place that stands for place i of n behind the end.
func mirrored(i, n int) int {
	if i >= n {
		i = n - (i - (n - 1))
	}
	if i < 0 {
		i = n - 1
	}
	return i
}

// get turns a channel's samples into halves, through a table if there is one; what is too large is clipped.
func (l layer) get(dst []uint16, row []byte, table *[wordValues]uint16) []uint16 {
	n := len(row) / l.size
	dst = grown(dst, n)
	for x := range dst {
		var h uint16
		if l.Type == imagefile.Float {
			h = pixel.ToHalf(min(largestHalf, max(-largestHalf, math.Float32frombits(le.Uint32(row[4*x:])))))
		} else {
			h = le.Uint16(row[2*x:])
		}
		switch {
		case table != nil:
			h = table[h]
		case h&0x7c00 == 0x7c00: // one value that is no number would spoil its whole block
			h = 0
		}
		dst[x] = h
	}
	return dst
}

const largestHalf = 65504

// block rounds a block's coefficients, appends its waves and returns its mean.
func (e *dwaEncoder) block(s *square, quant *[64]float32) uint16 {
	zeros := 0
	flush := func() {
		switch {
		case zeros == 1:
			e.ac = append(e.ac, 0)
		case zeros > 1:
			e.ac = append(e.ac, zeroRun|uint16(zeros))
		}
		zeros = 0
	}
	for _, place := range zigzag[1:] {
		w := quantise(s[place], quant[place])
		if w == 0 {
			zeros++
			continue
		}
		flush()
		e.ac = append(e.ac, w)
	}
	if zeros > 1 {
		e.ac = append(e.ac, zerosToEnd)
		zeros = 0
	}
	flush()
	return quantise(s[0], quant[0])
}

// quantise returns the half that is nearer to v than the error, with as few bits set as can be, and of those with
// as few the nearest: few bits make few different words.
func quantise(v, err float32) uint16 {
	h := pixel.ToHalf(v)
	sign := h & 0x8000
	source := pixel.FromHalf(h &^ 0x8000)
	if source < err {
		return 0
	}
	// Halves of one sign are in the order of their bits. least and most are the ends of those that are near enough.
	least := pixel.ToHalf(source - err)
	for pixel.FromHalf(least) <= source-err {
		least++
	}
	most := pixel.ToHalf(min(largestHalf, source+err))
	for pixel.FromHalf(most) >= source+err {
		most--
	}
	h &^= 0x8000
	if least >= h && most <= h {
		return sign | h
	}
	return sign | fewestBits(least, most, h)
}

// fewestBits returns the number in least to most with the fewest bits set, and of those the nearest to h, which lies
// among them.
func fewestBits(least, most, h uint16) uint16 {
	different := bits.Len16(least ^ most)
	prefix := most >> different << different // the bits in common
	if prefix == least {
		return prefix
	}
	if bits.OnesCount16(prefix)+1 >= bits.OnesCount16(h) {
		return h
	}
	best := uint16(0)
	distance := math.MaxInt
	for bit := uint16(1); bit != 0 && bit <= most-prefix; bit <<= 1 {
		if c := prefix | bit; c >= least && c <= most {
			if d := abs(int(c) - int(h)); d < distance {
				best, distance = c, d
			}
		}
	}
	return best
}

func abs(n int) int { return max(n, -n) }

func floatBits(h uint16) uint32 { return math.Float32bits(pixel.FromHalf(h)) }
