package exr

import (
	"fmt"
	"slices"

	"reelhouse/core/imagefile"
)

// An unpacker undoes compressions, with memory that it uses again for the next chunk.
type unpacker struct {
	head     [64]byte
	packed   []byte
	inflater imagefile.Inflater
	split    []byte
	raw      []byte
	words    []uint16
	values   []uint16
	layers   []layer
	huffman  huffman
	dwa      *dwaDecoder
}

// grown returns a slice of n values, in the memory of s if it is enough. What they are is not said.
func grown[T any](s []T, n int) []T { return slices.Grow(s[:0], n)[:n] }

// unpack returns the uncompressed bytes of a block: line by line, and in a line channel by channel. They are
// valid until the next call.
func (u *unpacker) unpack(b block, packed []byte) ([]byte, error) {
	size := b.bytes()
	if len(packed) == size { // what compression would not make smaller is stored as it is
		return packed, nil
	}
	u.raw = grown(u.raw, size)
	switch b.compression {
	case None:
		return nil, fmt.Errorf("%d bytes instead of %d", len(packed), size)
	case RLE:
		return u.raw, u.predicted(packed, unrun)
	case ZIPS, ZIP:
		return u.raw, u.predicted(packed, u.inflate)
	case PIZ:
		return u.raw, u.piz(b, packed)
	case PXR24:
		return u.raw, u.pxr24(b, packed)
	case B44, B44A:
		return u.raw, u.b44(b, packed)
	default:
		return u.raw, u.unpackDWA(b, packed)
	}
}

// predicted undoes RLE and deflate, which work on differences of bytes, even ones first.
func (u *unpacker) predicted(packed []byte, undo func(out, in []byte) error) error {
	u.split = grown(u.split, len(u.raw))
	if err := undo(u.split, packed); err != nil {
		return fmt.Errorf("damaged: %w", err)
	}
	undifference(u.split)
	interleave(u.raw, u.split)
	return nil
}

// inflate fills out from deflated bytes, exactly.
func (u *unpacker) inflate(out, packed []byte) error { return u.inflater.Fill(out, packed) }

// unrun undoes run-length coding: a count below 0 is followed by that many bytes as they are, any other
// by one byte that stands count+1 times.
func unrun(out, in []byte) error {
	for len(in) > 1 {
		count := int(int8(in[0]))
		in = in[1:]
		if count < 0 {
			if -count > len(in) || -count > len(out) {
				return fmt.Errorf("a run reaches too far")
			}
			copy(out, in[:-count])
			in, out = in[-count:], out[-count:]
			continue
		}
		if count+1 > len(out) {
			return fmt.Errorf("a run reaches too far")
		}
		same := out[:count+1]
		for i := range same {
			same[i] = in[0]
		}
		in, out = in[1:], out[count+1:]
	}
	if len(out) > 0 {
		return fmt.Errorf("%d bytes are missing", len(out))
	}
	return nil
}

// pxr24 undoes PXR24: deflated differences between neighbours, the highest bytes of a row first; floats have
// lost their lowest 8 bits.
func (u *unpacker) pxr24(b block, packed []byte) error {
	u.layers = b.layers(u.layers)
	size := 0
	for _, l := range u.layers {
		size += l.width * l.height * l.pxr24Bytes()
	}
	u.split = grown(u.split, size)
	if err := u.inflate(u.split, packed); err != nil {
		return fmt.Errorf("damaged: %w", err)
	}
	in, out := u.split, u.raw
	b.eachRow(u.layers, func(i, _ int) {
		l := u.layers[i]
		n := l.width
		value := uint32(0)
		switch l.Type {
		case imagefile.Half:
			high, low, row := in[:n], in[n:2*n], out[:2*n]
			for x, h := range high {
				value += uint32(h)<<8 | uint32(low[x])
				le.PutUint16(row[2*x:], uint16(value))
			}
		case imagefile.Float:
			high, middle, low, row := in[:n], in[n:2*n], in[2*n:3*n], out[:4*n]
			for x, h := range high {
				value += uint32(h)<<24 | uint32(middle[x])<<16 | uint32(low[x])<<8
				le.PutUint32(row[4*x:], value)
			}
		default:
			first, second, third, fourth, row := in[:n], in[n:2*n], in[2*n:3*n], in[3*n:4*n], out[:4*n]
			for x, h := range first {
				value += uint32(h)<<24 | uint32(second[x])<<16 | uint32(third[x])<<8 | uint32(fourth[x])
				le.PutUint32(row[4*x:], value)
			}
		}
		in, out = in[l.pxr24Bytes()*n:], out[l.size*n:]
	})
	return nil
}

// pxr24Bytes returns how many bytes of a sample PXR24 keeps.
func (c channel) pxr24Bytes() int {
	switch c.Type {
	case imagefile.Half:
		return 2
	case imagefile.Float:
		return 3
	}
	return 4
}
