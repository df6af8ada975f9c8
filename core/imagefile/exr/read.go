package exr

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"

	"github.com/klauspost/compress/zlib"

	"reelhouse/core/pixel"
)

// ErrFormat marks every error about what a file holds, as against errors of reading it.
var ErrFormat = errors.New("exr")

// Decode reads a whole file.
func Decode(r io.Reader) (*File, error) {
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, fmt.Errorf("exr: %w", err)
	}
	d := &decoder{data: data}
	if err := d.decode(); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrFormat, err)
	}
	return d.file, nil
}

// shrink is more than deflate and RLE can shrink anything by; a header that promises more pixels than
// the file can hold is refused before memory is taken for them.
const shrink = 1100

type channel struct {
	name string
	kind uint32
}

type decoder struct {
	data     []byte
	pos      int
	file     *File
	window   [4]int32 // data window
	channels []channel
	lineSize int // bytes of one scan line, uncompressed
	deflated io.ReadCloser
}

func (d *decoder) decode() error {
	if err := d.header(); err != nil {
		return err
	}
	img := d.file.Image
	lines := d.file.Compression.lines()
	count := (img.Height + lines - 1) / lines
	if len(d.data)-d.pos < 8*count {
		return fmt.Errorf("cut short in its offset table")
	}
	if int64(d.lineSize)*int64(img.Height) > int64(len(d.data))*shrink {
		return fmt.Errorf("%d bytes cannot hold %d x %d pixels", len(d.data), img.Width, img.Height)
	}
	for _, c := range d.channels {
		img.Planes = append(img.Planes, pixel.Plane{Name: c.name, Half: c.kind == typeHalf, Data: make([]float32, img.Width*img.Height)})
	}
	table := d.data[d.pos : d.pos+8*count]
	seen := make([]bool, count)
	for i := range count {
		offset := binary.LittleEndian.Uint64(table[8*i:])
		if offset > uint64(len(d.data)) || len(d.data)-int(offset) < 8 {
			return fmt.Errorf("chunk %d of %d is missing: the file is cut short or was not finished", i+1, count)
		}
		if err := d.chunk(int(offset), seen); err != nil {
			return fmt.Errorf("chunk %d of %d: %w", i+1, count, err)
		}
	}
	return nil
}

func (d *decoder) uint32() (uint32, error) {
	if len(d.data)-d.pos < 4 {
		return 0, fmt.Errorf("cut short in its header")
	}
	d.pos += 4
	return binary.LittleEndian.Uint32(d.data[d.pos-4:]), nil
}

func (d *decoder) name() (string, error) {
	end := bytes.IndexByte(d.data[d.pos:min(len(d.data), d.pos+longName+1)], 0)
	if end < 0 {
		return "", fmt.Errorf("a name in its header does not end")
	}
	s := string(d.data[d.pos : d.pos+end])
	d.pos += end + 1
	return s, nil
}

func (d *decoder) header() error {
	if m, err := d.uint32(); err != nil || m != magic {
		return fmt.Errorf("not an OpenEXR file")
	}
	flags, err := d.uint32()
	if err != nil {
		return err
	}
	switch {
	case flags&versionMask != version:
		return fmt.Errorf("file version %d is not read, only %d", flags&versionMask, version)
	case flags&flagDeep != 0:
		return fmt.Errorf("deep files are not read")
	case flags&flagMultiPart != 0:
		return fmt.Errorf("multi-part files are not read")
	case flags&flagTiled != 0:
		return fmt.Errorf("tiled files are not read")
	}
	d.file = &File{Image: &pixel.Image{}}
	found := map[string]bool{}
	for {
		name, err := d.name()
		if err != nil {
			return err
		}
		if name == "" {
			break
		}
		kind, err := d.name()
		if err != nil {
			return err
		}
		size, err := d.uint32()
		if err != nil {
			return err
		}
		if uint64(size) > uint64(len(d.data)-d.pos) {
			return fmt.Errorf("attribute %s is cut short", name)
		}
		value := d.data[d.pos : d.pos+int(size)]
		d.pos += int(size)
		if err := d.attribute(name, kind, value); err != nil {
			return fmt.Errorf("attribute %s: %w", name, err)
		}
		found[name] = true
	}
	for _, name := range []string{"channels", "compression", "dataWindow"} {
		if !found[name] {
			return fmt.Errorf("the header has no %s", name)
		}
	}
	for _, c := range d.channels {
		if c.kind == typeHalf {
			d.lineSize += 2 * d.file.Image.Width
		} else {
			d.lineSize += 4 * d.file.Image.Width
		}
	}
	return nil
}

func (d *decoder) attribute(name, kind string, value []byte) error {
	switch name {
	case "channels":
		return d.channelList(value)
	case "compression":
		if len(value) != 1 {
			return fmt.Errorf("%d bytes", len(value))
		}
		d.file.Compression = Compression(value[0])
		if d.file.Compression > ZIP {
			return fmt.Errorf("%s is not read", d.file.Compression)
		}
	case "dataWindow":
		if len(value) != 16 {
			return fmt.Errorf("%d bytes", len(value))
		}
		for i := range d.window {
			d.window[i] = int32(binary.LittleEndian.Uint32(value[4*i:]))
		}
		width, height := int64(d.window[2])-int64(d.window[0])+1, int64(d.window[3])-int64(d.window[1])+1
		if width < 1 || height < 1 || width > MaxEdge || height > MaxEdge {
			return fmt.Errorf("%d x %d pixels cannot be read", width, height)
		}
		d.file.Image.Width, d.file.Image.Height = int(width), int(height)
	case "pixelAspectRatio":
		if len(value) != 4 {
			return fmt.Errorf("%d bytes", len(value))
		}
		d.file.PixelAspect = math.Float32frombits(binary.LittleEndian.Uint32(value))
	case "displayWindow", "lineOrder", "screenWindowCenter", "screenWindowWidth":
	default:
		d.file.Attributes = append(d.file.Attributes, Attribute{name, kind, bytes.Clone(value)})
	}
	return nil
}

func (d *decoder) channelList(value []byte) error {
	le := binary.LittleEndian
	for len(value) > 0 && value[0] != 0 {
		end := bytes.IndexByte(value, 0)
		if end < 0 || end > longName || len(value)-end-1 < 16 {
			return fmt.Errorf("an entry is cut short")
		}
		c := channel{string(value[:end]), le.Uint32(value[end+1:])}
		if c.kind > typeFloat {
			return fmt.Errorf("channel %s has the unknown type %d", c.name, c.kind)
		}
		if le.Uint32(value[end+9:]) != 1 || le.Uint32(value[end+13:]) != 1 {
			return fmt.Errorf("channel %s is subsampled, which is not read", c.name)
		}
		d.channels = append(d.channels, c)
		if len(d.channels) > 1024 {
			return fmt.Errorf("more than 1024 channels")
		}
		value = value[end+17:]
	}
	if len(d.channels) == 0 {
		return fmt.Errorf("there are none")
	}
	return nil
}

func (d *decoder) chunk(at int, seen []bool) error {
	le := binary.LittleEndian
	img := d.file.Image
	first := int64(int32(le.Uint32(d.data[at:]))) - int64(d.window[1])
	size := int(int32(le.Uint32(d.data[at+4:])))
	at += 8
	lines := d.file.Compression.lines()
	if first < 0 || first >= int64(img.Height) || first%int64(lines) != 0 {
		return fmt.Errorf("its line %d lies outside the picture", first)
	}
	if size < 0 || size > len(d.data)-at {
		return fmt.Errorf("cut short")
	}
	if i := int(first) / lines; seen[i] {
		return fmt.Errorf("line %d stands there twice", first)
	} else {
		seen[i] = true
	}
	y0 := int(first)
	y1 := min(img.Height, y0+lines)
	raw, err := d.unpack(d.data[at:at+size], (y1-y0)*d.lineSize)
	if err != nil {
		return err
	}
	for y := y0; y < y1; y++ {
		for i, c := range d.channels {
			row := img.Planes[i].Data[y*img.Width : (y+1)*img.Width]
			for x := range row {
				switch c.kind {
				case typeHalf:
					row[x] = pixel.FromHalf(le.Uint16(raw))
					raw = raw[2:]
					continue
				case typeFloat:
					row[x] = math.Float32frombits(le.Uint32(raw))
				default:
					row[x] = float32(le.Uint32(raw))
				}
				raw = raw[4:]
			}
		}
	}
	return nil
}

// unpack returns the size uncompressed bytes of a chunk.
func (d *decoder) unpack(packed []byte, size int) ([]byte, error) {
	if len(packed) == size {
		return packed, nil
	}
	split := make([]byte, size)
	switch d.file.Compression {
	case None:
		return nil, fmt.Errorf("%d bytes instead of %d", len(packed), size)
	case RLE:
		if err := unrun(split, packed); err != nil {
			return nil, err
		}
	default:
		if err := d.inflate(split, packed); err != nil {
			return nil, fmt.Errorf("damaged: %w", err)
		}
	}
	for i := 1; i < size; i++ {
		split[i] += split[i-1] - 128
	}
	raw := make([]byte, size)
	half := (size + 1) / 2
	for i := range raw {
		raw[i] = split[i/2+i%2*half]
	}
	return raw, nil
}

// inflate fills out from deflated bytes, with one reader for all chunks of a file.
func (d *decoder) inflate(out, packed []byte) (err error) {
	if d.deflated == nil {
		d.deflated, err = zlib.NewReader(bytes.NewReader(packed))
	} else {
		err = d.deflated.(zlib.Resetter).Reset(bytes.NewReader(packed), nil)
	}
	if err == nil {
		_, err = io.ReadFull(d.deflated, out)
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
				return fmt.Errorf("damaged: a run reaches too far")
			}
			copy(out, in[:-count])
			in, out = in[-count:], out[-count:]
			continue
		}
		if count+1 > len(out) {
			return fmt.Errorf("damaged: a run reaches too far")
		}
		for i := range count + 1 {
			out[i] = in[0]
		}
		in, out = in[1:], out[count+1:]
	}
	if len(out) > 0 {
		return fmt.Errorf("damaged: %d bytes are missing", len(out))
	}
	return nil
}
