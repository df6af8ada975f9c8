package exr

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"math"
	"slices"

	"reelhouse/core/pixel"
)

// Limits on what a header may ask for.
const (
	maxParts    = 1024
	maxChannels = 1024
	maxSampling = 64
)

// A part is one image of a file as its header describes it.
type part struct {
	file     *File
	channels []channel
	tiles    *tiling // nil for scan lines
	chunks   int     // by the attribute chunkCount, which parts of multi-part files have; 0 for none
	kind     string  // by the attribute type, which parts of multi-part files have
}

type channel struct {
	name                 string
	kind                 uint32
	linear               bool // pLinear: perceptually linear, which B44 treats in its own way
	xSampling, ySampling int
}

// size returns the bytes of one value.
func (c channel) size() int {
	if c.kind == typeHalf {
		return 2
	}
	return 4
}

// samples returns how many columns from x0 up to x1, counted as the data window counts, hold a value.
func (c channel) samples(x0, x1 int) int { return multiples(x0, x1, c.xSampling) }

// multiples returns how many whole multiples of n lie from a up to b.
func multiples(a, b, n int) int { return floorDiv(b-1, n) - floorDiv(a-1, n) }

func floorDiv(a, n int) int {
	if a < 0 {
		return -((-a + n - 1) / n)
	}
	return a / n
}

// Level modes of a tile description ("Tiled Files").
const (
	oneLevel = 0
	mipMap   = 1
	ripMap   = 2
	roundUp  = 1
)

type tiling struct {
	width, height int
	mode, round   byte
}

// bytes returns the size of the part's pixels in memory.
func (p *part) bytes() int64 {
	return 4 * int64(len(p.channels)) * int64(p.file.Image.Width) * int64(p.file.Image.Height)
}

// chunkCount returns how many chunks the part has.
func (p *part) chunkCount() (int, error) {
	img := p.file.Image
	if p.tiles == nil {
		lines := p.file.Compression.lines()
		return (img.Height + lines - 1) / lines, nil
	}
	across, down := p.tiles.levels(img.Width), p.tiles.levels(img.Height)
	count := 0
	tiles := func(width, height int) {
		count += ((width + p.tiles.width - 1) / p.tiles.width) * ((height + p.tiles.height - 1) / p.tiles.height)
	}
	switch p.tiles.mode {
	case oneLevel:
		tiles(img.Width, img.Height)
	case mipMap:
		n := p.tiles.levels(max(img.Width, img.Height))
		for level := range n {
			tiles(p.tiles.reduced(img.Width, level), p.tiles.reduced(img.Height, level))
		}
	case ripMap:
		for y := range down {
			for x := range across {
				tiles(p.tiles.reduced(img.Width, x), p.tiles.reduced(img.Height, y))
			}
		}
	}
	if p.chunks > 0 && p.chunks != count {
		return 0, fmt.Errorf("its header speaks of %d chunks, and its size needs %d", p.chunks, count)
	}
	return count, nil
}

// levels returns the number of levels of an edge.
func (t tiling) levels(edge int) int {
	n := 1
	for edge > 1 {
		edge = t.half(edge)
		n++
	}
	return n
}

func (t tiling) half(edge int) int {
	if t.round == roundUp {
		return (edge + 1) / 2
	}
	return edge / 2
}

// reduced returns an edge at a level.
func (t tiling) reduced(edge, level int) int {
	for range level {
		edge = t.half(edge)
	}
	return max(1, edge)
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

// headers reads everything before the offset tables ("Version Field", "Header").
func (d *decoder) headers() error {
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
	}
	d.multiPart = flags&flagMultiPart != 0
	for {
		p, err := d.header()
		if err != nil {
			return err
		}
		if p == nil {
			break
		}
		tiled := flags&flagTiled != 0 // of a single part the flag decides, of several their types
		if d.multiPart {
			tiled = p.kind == "tiledimage"
		}
		switch {
		case p.kind == "deepscanline" || p.kind == "deeptile":
			return fmt.Errorf("deep files are not read")
		case !tiled:
			p.tiles = nil
		case p.tiles == nil:
			return fmt.Errorf("it is tiled, and its header has no tiles")
		}
		if d.parts = append(d.parts, p); !d.multiPart {
			break
		}
		if len(d.parts) > maxParts {
			return fmt.Errorf("more than %d parts", maxParts)
		}
	}
	if len(d.parts) == 0 {
		return fmt.Errorf("there is no part in it")
	}
	return nil
}

// header reads one part's header; nil is the empty one behind the last part.
func (d *decoder) header() (*part, error) {
	p := &part{file: &File{Image: &pixel.Image{}}}
	found := map[string]bool{}
	for {
		name, err := d.name()
		if err != nil {
			return nil, err
		}
		if name == "" {
			if len(found) == 0 && d.multiPart {
				return nil, nil
			}
			break
		}
		kind, err := d.name()
		if err != nil {
			return nil, err
		}
		if kind == "" {
			return nil, fmt.Errorf("attribute %s has no type", name)
		}
		size, err := d.uint32()
		if err != nil {
			return nil, err
		}
		if uint64(size) > uint64(len(d.data)-d.pos) {
			return nil, fmt.Errorf("attribute %s is cut short", name)
		}
		value := d.data[d.pos : d.pos+int(size)]
		d.pos += int(size)
		if err := p.attribute(name, kind, value); err != nil {
			return nil, fmt.Errorf("attribute %s: %w", name, err)
		}
		found[name] = true
	}
	for _, name := range []string{"channels", "compression", "dataWindow"} {
		if !found[name] {
			return nil, fmt.Errorf("the header has no %s", name)
		}
	}
	if !found["displayWindow"] {
		p.file.DisplayWindow = p.file.DataWindow
	}
	return p, nil
}

func (p *part) attribute(name, kind string, value []byte) error {
	le := binary.LittleEndian
	need := func(size int) error {
		if len(value) != size {
			return fmt.Errorf("%d bytes instead of %d", len(value), size)
		}
		return nil
	}
	switch name {
	case "channels":
		return p.channelList(value)
	case "compression":
		if err := need(1); err != nil {
			return err
		}
		p.file.Compression = Compression(value[0])
		if !p.file.Compression.readable() {
			return fmt.Errorf("%s is not read", p.file.Compression)
		}
	case "dataWindow":
		window, err := box(value)
		if err != nil {
			return err
		}
		if window.Dx() < 1 || window.Dy() < 1 || window.Dx() > MaxEdge || window.Dy() > MaxEdge {
			return fmt.Errorf("%d x %d pixels cannot be read", window.Dx(), window.Dy())
		}
		p.file.DataWindow = window
		p.file.Image.Width, p.file.Image.Height = window.Dx(), window.Dy()
	case "displayWindow":
		window, err := box(value)
		if err != nil {
			return err
		}
		p.file.DisplayWindow = window
	case "tiles":
		if err := need(9); err != nil {
			return err
		}
		t := &tiling{int(le.Uint32(value)), int(le.Uint32(value[4:])), value[8] & 15, value[8] >> 4}
		if t.width < 1 || t.height < 1 || t.width > MaxEdge || t.height > MaxEdge || t.mode > ripMap || t.round > roundUp {
			return fmt.Errorf("tiles of %d x %d pixels, mode %d, cannot be read", t.width, t.height, value[8])
		}
		p.tiles = t
	case "chunkCount":
		if err := need(4); err != nil {
			return err
		}
		p.chunks = int(int32(le.Uint32(value)))
	case "type":
		p.kind = string(value)
		p.file.Attributes = append(p.file.Attributes, Attribute{name, kind, bytes.Clone(value)})
	case "pixelAspectRatio":
		if err := need(4); err != nil {
			return err
		}
		p.file.PixelAspect = math.Float32frombits(le.Uint32(value))
	case "lineOrder", "screenWindowCenter", "screenWindowWidth":
	default:
		p.file.Attributes = append(p.file.Attributes, Attribute{name, kind, bytes.Clone(value)})
	}
	return nil
}

// box reads a box2i: its corners, of which the second is still inside.
func box(value []byte) (image.Rectangle, error) {
	if len(value) != 16 {
		return image.Rectangle{}, fmt.Errorf("%d bytes instead of 16", len(value))
	}
	var v [4]int
	for i := range v {
		v[i] = int(int32(binary.LittleEndian.Uint32(value[4*i:])))
	}
	return image.Rectangle{Min: image.Pt(v[0], v[1]), Max: image.Pt(v[2]+1, v[3]+1)}, nil
}

func (p *part) channelList(value []byte) error {
	le := binary.LittleEndian
	for len(value) > 0 && value[0] != 0 {
		end := bytes.IndexByte(value, 0)
		if end < 0 || end > longName || len(value)-end-1 < 16 {
			return fmt.Errorf("an entry is cut short")
		}
		c := channel{
			name: string(value[:end]), kind: le.Uint32(value[end+1:]), linear: value[end+5] != 0,
			xSampling: int(le.Uint32(value[end+9:])), ySampling: int(le.Uint32(value[end+13:])),
		}
		if c.kind > typeFloat {
			return fmt.Errorf("channel %s has the unknown type %d", c.name, c.kind)
		}
		if c.xSampling < 1 || c.ySampling < 1 || c.xSampling > maxSampling || c.ySampling > maxSampling {
			return fmt.Errorf("channel %s has a value at every %d x %d pixels, which is not read", c.name, c.xSampling, c.ySampling)
		}
		if slices.ContainsFunc(p.channels, func(d channel) bool { return d.name == c.name }) {
			return fmt.Errorf("channel %s stands there twice", c.name)
		}
		p.channels = append(p.channels, c)
		if len(p.channels) > maxChannels {
			return fmt.Errorf("more than %d channels", maxChannels)
		}
		value = value[end+17:]
	}
	if len(p.channels) == 0 {
		return fmt.Errorf("there are none")
	}
	return nil
}
