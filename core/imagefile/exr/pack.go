package exr

import (
	"bytes"
	"slices"

	"github.com/klauspost/compress/zlib"

	"reelhouse/core/imagefile"
)

// A packer packs chunks, with memory that it uses again for the next one.
type packer struct {
	raw, split []byte
	out        []byte
	words      []uint16
	present    []byte   // by word: 1 if it occurs
	numbers    []uint16 // by word
	huffman    huffmanWriter
	deflated   bytes.Buffer
	deflaters  map[int]*zlib.Writer // by level
	dwa        *dwaEncoder
}

// row returns the samples of a channel on a line of a block.
func (from band) row(c channel, b block, y int) []byte {
	corner := from.part.DataWindow.Min
	at := (y-corner.Y-from.y0)*from.part.Width() + b.Min.X - corner.X
	return from.planes[c.plane][at*c.size : (at+b.Dx())*c.size]
}

// pack returns the bytes of a block. They are valid until the next call.
func (p *packer) pack(b block, lines band) ([]byte, error) {
	var packed []byte
	var err error
	switch b.compression {
	case None:
	case RLE:
		p.predict(b, lines)
		p.out = run(p.out[:0], p.split)
		packed = p.out
	case PIZ:
		packed = p.piz(b, lines)
	case PXR24:
		p.pxr24(b, lines)
		packed, err = p.deflate(p.split, lines.part.level())
	case B44, B44A:
		packed = p.b44(b, lines)
	case DWAA, DWAB:
		packed, err = p.packDWA(b, lines)
	default:
		p.predict(b, lines)
		packed, err = p.deflate(p.split, lines.part.level())
	}
	if err != nil {
		return nil, err
	}
	if b.compression == None || len(packed) >= b.bytes() { // what does not shrink is stored as it is
		p.gather(b, lines)
		return p.raw, nil
	}
	return packed, nil
}

func (p *Part) level() int {
	if p.Level == 0 {
		return usualLevel
	}
	return p.Level
}

// gather puts the block into raw: line by line, and in a line channel by channel.
func (p *packer) gather(b block, lines band) {
	p.raw = slices.Grow(p.raw[:0], b.bytes())
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for _, c := range b.channels {
			p.raw = append(p.raw, lines.row(c, b, y)...)
		}
	}
}

// predict puts the block into split, even bytes before odd ones, as differences.
func (p *packer) predict(b block, lines band) {
	p.gather(b, lines)
	p.split = grown(p.split, len(p.raw))
	separate(p.split, p.raw)
	difference(p.split)
}

// deflate returns data deflated.
func (p *packer) deflate(data []byte, level int) ([]byte, error) {
	p.deflated.Reset()
	z := p.deflaters[level]
	if z == nil {
		var err error
		if z, err = zlib.NewWriterLevel(&p.deflated, level); err != nil {
			return nil, err
		}
		if p.deflaters == nil {
			p.deflaters = map[int]*zlib.Writer{}
		}
		p.deflaters[level] = z
	} else {
		z.Reset(&p.deflated)
	}
	if _, err := z.Write(data); err != nil {
		return nil, err
	}
	if err := z.Close(); err != nil {
		return nil, err
	}
	return p.deflated.Bytes(), nil
}

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

// pxr24 puts the differences of a block's samples into split, the highest bytes of a row first; see
// unpacker.pxr24.
func (p *packer) pxr24(b block, lines band) {
	width := b.Dx()
	p.split = slices.Grow(p.split[:0], b.bytes())
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for _, c := range b.channels {
			row := lines.row(c, b, y)
			planes := c.pxr24Bytes()
			start := len(p.split)
			p.split = p.split[:start+planes*width]
			out := p.split[start:]
			before := uint32(0)
			for x := range width {
				value := uint32(0)
				switch c.Type {
				case imagefile.Half:
					value = uint32(le.Uint16(row[2*x:]))
				case imagefile.Float:
					value = float24(le.Uint32(row[4*x:]))
				default:
					value = le.Uint32(row[4*x:])
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

// float24 rounds the bits of a float to its upper 24: infinities and what is not a number stay what they are, and
// nothing rounds to infinity.
func float24(bits uint32) uint32 {
	const infinite = 0x7f8000
	sign, rest := bits&0x80000000, bits&0x7fffffff
	mantissa := rest & 0x7fffff
	switch {
	case rest > 0x7f800000: // not a number
		rest = infinite | mantissa>>8
		if rest == infinite {
			rest |= 1
		}
	case rest == 0x7f800000:
		rest = infinite
	default:
		rounded := (rest + mantissa&0x80) >> 8
		if rounded >= infinite {
			rounded = rest >> 8
		}
		rest = rounded
	}
	return sign>>8 | rest
}
