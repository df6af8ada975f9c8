package exr

import (
	"encoding/binary"
	"fmt"
	"slices"
)

const (
	wordValues  = 1 << 16
	bitmapBytes = wordValues / 8
)

// piz undoes PIZ: 16-bit words that occur are numbered, turned into wavelets channel by channel, and stored
// in a Huffman code.
func (u *unpacker) piz(b block) error {
	le := binary.LittleEndian
	in := b.data
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
	bitmap[0] |= 1 // zero is always there
	values := make([]uint16, 0, wordValues)
	for v := range wordValues {
		if bitmap[v>>3]&(1<<(v&7)) != 0 {
			values = append(values, uint16(v))
		}
	}
	if len(in) < 4 {
		return fmt.Errorf("damaged: it is cut short")
	}
	size := int(int32(le.Uint32(in)))
	if in = in[4:]; size < 0 || size > len(in) {
		return fmt.Errorf("damaged: it is cut short")
	}
	words := len(u.raw) / 2
	u.words = slices.Grow(u.words[:0], words)[:words]
	if err := u.huffman.decode(u.words, in[:size]); err != nil {
		return err
	}
	layers := b.layers()
	starts := make([][]uint16, len(layers))
	rest := u.words
	for i, l := range layers {
		per := l.size() / 2
		n := l.width * l.height * per
		starts[i] = rest[:n]
		rest = rest[n:]
		for k := range per {
			grid{starts[i][min(k, n):], l.width, per, l.height, l.width * per}.unwavelet(len(values) - 1)
		}
	}
	for i, w := range u.words {
		if int(w) >= len(values) {
			u.words[i] = 0
			continue
		}
		u.words[i] = values[w]
	}
	raw := u.raw
	b.eachRow(layers, func(i, row int) {
		n := layers[i].width * layers[i].size() / 2
		for k, w := range starts[i][row*n : (row+1)*n] {
			le.PutUint16(raw[2*k:], w)
		}
		raw = raw[2*n:]
	})
	return nil
}
