package exr

import (
	"fmt"
	"slices"
)

const bitmapBytes = wordValues / 8

// piz undoes PIZ: 16-bit words that occur are numbered, turned into wavelets channel by channel, and stored
// in a Huffman code.
func (u *unpacker) piz(b block, in []byte) error {
	if len(in) < 4 {
		return fmt.Errorf("damaged: it is cut short")
	}
	first, last := int(le.Uint16(in)), int(le.Uint16(in[2:]))
	in = in[4:]
	var bitmap [bitmapBytes]byte
	if last >= bitmapBytes {
		return fmt.Errorf("damaged: its table of values is too long")
	}
	if first <= last {
		n := last - first + 1
		if len(in) < n {
			return fmt.Errorf("damaged: it is cut short")
		}
		copy(bitmap[first:], in[:n])
		in = in[n:]
	}
	bitmap[0] |= 1                         // zero is always there
	u.values = grown(u.values, wordValues) // by number
	most := 0
	for at, eight := range bitmap {
		for bit := 0; eight != 0; bit, eight = bit+1, eight>>1 {
			if eight&1 != 0 {
				u.values[most] = uint16(8*at + bit)
				most++
			}
		}
	}
	most--
	clear(u.values[most+1:])
	if len(in) < 4 {
		return fmt.Errorf("damaged: it is cut short")
	}
	size := int(int32(le.Uint32(in)))
	if in = in[4:]; size < 0 || size > len(in) {
		return fmt.Errorf("damaged: it is cut short")
	}
	u.words = grown(u.words, len(u.raw)/2)
	if err := u.huffman.decode(u.words, in[:size]); err != nil {
		return err
	}
	u.layers = b.layers(u.layers)
	starts := make([][]uint16, len(u.layers))
	rest := u.words
	for i, l := range u.layers {
		per := l.size / 2
		n := l.width * l.height * per
		starts[i] = rest[:n]
		rest = rest[n:]
		for k := range per {
			grid{starts[i][min(k, n):], l.width, per, l.height, l.width * per}.unwavelet(most)
		}
	}
	raw, values := u.raw, (*[wordValues]uint16)(u.values)
	b.eachRow(u.layers, func(i, row int) {
		n := u.layers[i].width * u.layers[i].size / 2
		out, in := raw[:2*n], starts[i][row*n:(row+1)*n]
		for len(in) >= 4 && len(out) >= 8 {
			le.PutUint64(
				out,
				uint64(values[in[0]])|uint64(values[in[1]])<<16|uint64(values[in[2]])<<32|uint64(values[in[3]])<<48,
			)
			in, out = in[4:], out[8:]
		}
		for k, w := range in {
			le.PutUint16(out[2*k:], values[w])
		}
		raw = raw[2*n:]
	})
	return nil
}

// piz packs a block; see unpacker.piz.
func (p *packer) piz(b block, lines band) []byte {
	p.words = slices.Grow(p.words[:0], b.bytes()/2)
	for _, c := range b.channels {
		for y := b.Min.Y; y < b.Max.Y; y++ {
			row := lines.row(c, b, y)
			n := len(p.words)
			p.words = p.words[:n+len(row)/2]
			for i := range p.words[n:] {
				p.words[n+i] = le.Uint16(row[2*i:])
			}
		}
	}
	p.present = grown(p.present, wordValues)
	clear(p.present)
	for _, w := range p.words {
		p.present[w] = 1
	}
	var bitmap [bitmapBytes]byte
	p.numbers = grown(p.numbers, wordValues)
	first, last, most := bitmapBytes-1, 0, 0
	p.numbers[0] = 0 // zero is always there
	for at := range bitmap {
		eight := p.present[8*at : 8*at+8]
		if le.Uint64(eight) == 0 {
			continue
		}
		for bit, there := range eight {
			if v := 8*at + bit; there != 0 && v > 0 {
				most++
				p.numbers[v] = uint16(most)
				bitmap[at] |= 1 << bit
				first, last = min(first, at), at
			}
		}
	}
	for i, w := range p.words {
		p.words[i] = p.numbers[w]
	}
	out := le.AppendUint16(le.AppendUint16(p.out[:0], uint16(first)), uint16(last))
	if first <= last {
		out = append(out, bitmap[first:last+1]...)
	}
	rest := p.words
	for _, c := range b.channels {
		per := c.size / 2
		n := b.Dx() * b.Dy() * per
		for k := range per {
			grid{rest[k:n], b.Dx(), per, b.Dy(), b.Dx() * per}.wavelet(most)
		}
		rest = rest[n:]
	}
	size := len(out)
	out = p.huffman.encode(append(out, 0, 0, 0, 0), p.words)
	le.PutUint32(out[size:], uint32(len(out)-size-4))
	p.out = out
	return out
}
