package exr

import (
	"bytes"
	"fmt"
	"io"
	"slices"

	"github.com/klauspost/compress/zlib"
)

// An unpacker undoes compressions, with memory that it uses again for the next block.
type unpacker struct {
	deflated   io.ReadCloser
	split, raw []byte
	words      []uint16
	huffman    huffman
}

// uncompressed returns how many bytes a block has without compression.
func (b block) uncompressed() int {
	size, corner := 0, b.part.file.DataWindow.Min
	for _, c := range b.part.channels {
		size += c.size() * c.samples(corner.X+b.x0, corner.X+b.x1) * multiples(corner.Y+b.y0, corner.Y+b.y1, c.ySampling)
	}
	return size
}

// unpack returns the uncompressed bytes of a block: line by line, and in a line channel by channel. They are
// valid until the next call.
func (u *unpacker) unpack(b block) ([]byte, error) {
	size := b.uncompressed()
	if len(b.data) == size { // what compression would not make smaller is stored as it is
		return b.data, nil
	}
	u.raw = slices.Grow(u.raw[:0], size)[:size]
	switch b.part.file.Compression {
	case None:
		return nil, fmt.Errorf("%d bytes instead of %d", len(b.data), size)
	case RLE:
		return u.raw, u.predicted(b.data, unrun)
	case ZIPS, ZIP:
		return u.raw, u.predicted(b.data, u.inflate)
	case PIZ:
		return u.raw, u.piz(b)
	case PXR24:
		return u.raw, u.pxr24(b)
	default:
		return u.raw, u.b44(b)
	}
}

// predicted undoes RLE and deflate, which work on differences of bytes, even ones first.
func (u *unpacker) predicted(packed []byte, undo func(out, in []byte) error) error {
	size := len(u.raw)
	u.split = slices.Grow(u.split[:0], size)[:size]
	if err := undo(u.split, packed); err != nil {
		return fmt.Errorf("damaged: %w", err)
	}
	for i := 1; i < size; i++ {
		u.split[i] += u.split[i-1] - 128
	}
	half := (size + 1) / 2
	for i := range u.raw {
		u.raw[i] = u.split[i/2+i%2*half]
	}
	return nil
}

// inflate fills out from deflated bytes.
func (u *unpacker) inflate(out, packed []byte) (err error) {
	if u.deflated == nil {
		u.deflated, err = zlib.NewReader(bytes.NewReader(packed))
	} else {
		err = u.deflated.(zlib.Resetter).Reset(bytes.NewReader(packed), nil)
	}
	if err == nil {
		_, err = io.ReadFull(u.deflated, out)
	}
	return err
}

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
		for i := range count + 1 {
			out[i] = in[0]
		}
		in, out = in[1:], out[count+1:]
	}
	if len(out) > 0 {
		return fmt.Errorf("%d bytes are missing", len(out))
	}
	return nil
}

// A layer is the values of one channel in a block.
type layer struct {
	channel
	width, height int
}

func (b block) layers() []layer {
	corner := b.part.file.DataWindow.Min
	layers := make([]layer, len(b.part.channels))
	for i, c := range b.part.channels {
		layers[i] = layer{c, c.samples(corner.X+b.x0, corner.X+b.x1), multiples(corner.Y+b.y0, corner.Y+b.y1, c.ySampling)}
	}
	return layers
}

// eachRow visits the rows of all channels in the order of the uncompressed bytes: line by line, and in a line
// channel by channel. row counts within the channel.
func (b block) eachRow(layers []layer, visit func(channel, row int)) {
	corner := b.part.file.DataWindow.Min
	rows := make([]int, len(layers))
	for y := corner.Y + b.y0; y < corner.Y+b.y1; y++ {
		for i, l := range layers {
			if y%l.ySampling == 0 {
				visit(i, rows[i])
				rows[i]++
			}
		}
	}
}

// pxr24 undoes PXR24: deflated differences between neighbours, the highest bytes of a row first; floats have
// lost their lowest 8 bits.
func (u *unpacker) pxr24(b block) error {
	layers := b.layers()
	size := 0
	for _, l := range layers {
		size += l.width * l.height * l.planes()
	}
	u.split = slices.Grow(u.split[:0], size)[:size]
	if err := u.inflate(u.split, b.data); err != nil {
		return fmt.Errorf("damaged: %w", err)
	}
	in, out := u.split, u.raw
	b.eachRow(layers, func(i, _ int) {
		l := layers[i]
		n, planes := l.width, l.planes()
		value := uint32(0)
		for x := range n {
			step := uint32(0)
			for k := range planes {
				step = step<<8 | uint32(in[k*n+x])
			}
			if l.kind == typeFloat {
				step <<= 8
			}
			value += step
			for k := range l.size() {
				out[k] = byte(value >> (8 * k))
			}
			out = out[l.size():]
		}
		in = in[planes*n:]
	})
	return nil
}

// planes returns how many bytes of a value PXR24 keeps.
func (l layer) planes() int {
	switch l.kind {
	case typeHalf:
		return 2
	case typeFloat:
		return 3
	}
	return 4
}
