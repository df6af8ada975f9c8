package exr

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"image"
	"io"
	"math"
	"slices"
	"strings"

	"reelhouse/core/imagefile"
)

// A part is one image of a file as its header describes it.
type part struct {
	Part
	channels []channel
	tiles    *tiling // nil for scan lines
	chunks   int     // by the attribute chunkCount, which parts of multi-part files have; 0 for none
	kind     string  // by the attribute type, which parts of multi-part files have
	table    []int64 // where the chunks of the full size begin
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

// grid returns how many chunks of the full size stand beside and below each other.
func (p *part) grid() (across, down int) {
	size := p.chunkSize()
	return (p.Width() + size.X - 1) / size.X, (p.Height() + size.Y - 1) / size.Y
}

// chunkSize returns the pixels that one chunk has, where the picture does not end.
func (p *Part) chunkSize() image.Point {
	if p.Tile != (image.Point{}) {
		return p.Tile
	}
	return image.Pt(p.Width(), p.Compression.lines())
}

// chunkCount returns how many chunks the part has, those of its levels included.
func (p *part) chunkCount() (int, error) {
	across, down := p.grid()
	count := across * down
	if p.tiles != nil && p.tiles.mode != oneLevel {
		count = 0
		add := func(x, y int) {
			width, height := p.tiles.reduced(p.Width(), x), p.tiles.reduced(p.Height(), y)
			count += ((width + p.tiles.width - 1) / p.tiles.width) * ((height + p.tiles.height - 1) / p.tiles.height)
		}
		if p.tiles.mode == mipMap {
			for level := range p.tiles.levels(max(p.Width(), p.Height())) {
				add(level, level)
			}
		} else {
			for y := range p.tiles.levels(p.Height()) {
				for x := range p.tiles.levels(p.Width()) {
					add(x, y)
				}
			}
		}
	}
	if p.chunks > 0 && p.chunks != count {
		return 0, fmt.Errorf("its header speaks of %d chunks, and its size needs %d", p.chunks, count)
	}
	return count, nil
}

// block returns chunk i of the full size.
func (p *part) block(i int) block {
	across, _ := p.grid()
	size := p.chunkSize()
	at := image.Pt(i%across*size.X, i/across*size.Y).Add(p.DataWindow.Min)
	return block{image.Rectangle{Min: at, Max: at.Add(size)}.Intersect(p.DataWindow), p.channels, p.Compression}
}

// A headerReader reads what stands before the chunks.
type headerReader struct {
	in   *bufio.Reader
	left int64 // bytes of the file that were not read yet
	// room is how many bytes attributes may still take.
	room int64
}

func (d *headerReader) bytes(n int64) ([]byte, error) {
	if n > d.left {
		return nil, fmt.Errorf("cut short in its header")
	}
	if d.room -= n; d.room < 0 {
		return nil, fmt.Errorf("its header is larger than may be read")
	}
	data := make([]byte, n)
	if _, err := io.ReadFull(d.in, data); err != nil {
		return nil, fmt.Errorf("cut short in its header")
	}
	d.left -= n
	return data, nil
}

func (d *headerReader) uint32() (uint32, error) {
	data, err := d.bytes(4)
	if err != nil {
		return 0, err
	}
	return le.Uint32(data), nil
}

func (d *headerReader) name() (string, error) {
	var name []byte
	for len(name) <= longName {
		b, err := d.in.ReadByte()
		if err != nil {
			break
		}
		d.left--
		if b == 0 {
			return string(name), nil
		}
		name = append(name, b)
	}
	return "", fmt.Errorf("a name in its header does not end")
}

// headers reads everything before the offset tables ("Version Field", "Header").
func (d *headerReader) headers() (parts []*part, multiPart bool, err error) {
	if m, err := d.uint32(); err != nil || m != magic {
		return nil, false, fmt.Errorf("not an OpenEXR file")
	}
	flags, err := d.uint32()
	if err != nil {
		return nil, false, err
	}
	switch {
	case flags&versionMask != version:
		return nil, false, fmt.Errorf("file version %d is not read, only %d", flags&versionMask, version)
	case flags&flagDeep != 0:
		return nil, false, errDeep
	}
	multiPart = flags&flagMultiPart != 0
	for {
		p, err := d.header(multiPart)
		if err != nil {
			return nil, false, err
		}
		if p == nil {
			break
		}
		tiled := flags&flagTiled != 0 // of a single part the flag decides, of several their types
		if multiPart {
			tiled = p.kind == partTiles
		}
		switch {
		case p.kind == partDeepScanLines || p.kind == partDeepTiles:
			return nil, false, errDeep
		case tiled && p.tiles == nil:
			return nil, false, fmt.Errorf("it is tiled, and its header has no tiles")
		case tiled:
			p.Tile = image.Pt(p.tiles.width, p.tiles.height)
		default:
			p.tiles = nil
		}
		if parts = append(parts, p); !multiPart {
			break
		}
		if len(parts) > maxParts {
			return nil, false, fmt.Errorf("more than %d parts", maxParts)
		}
	}
	if len(parts) == 0 {
		return nil, false, fmt.Errorf("there is no part in it")
	}
	return parts, multiPart, nil
}

// header reads one part's header; nil is the empty one behind the last part.
func (d *headerReader) header(multiPart bool) (*part, error) {
	p := &part{}
	p.Alpha = imagefile.Premultiplied // "Alpha Channels": colour is premultiplied
	found := map[string]bool{}
	for {
		name, err := d.name()
		if err != nil {
			return nil, err
		}
		if name == "" {
			if len(found) == 0 && multiPart {
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
		if found[name] {
			return nil, fmt.Errorf("attribute %s stands there twice", name)
		}
		size, err := d.uint32()
		if err != nil {
			return nil, err
		}
		data, err := d.bytes(int64(size))
		if err != nil {
			return nil, fmt.Errorf("attribute %s: %w", name, err)
		}
		if err := p.attribute(name, kind, data); err != nil {
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
		p.DisplayWindow = p.DataWindow
	}
	for i, c := range p.Channels {
		p.channels = append(p.channels, newChannel(c, i))
	}
	return p, nil
}

// attribute takes one attribute: those that describe the part itself into its fields, all others as they are.
func (p *part) attribute(name, kind string, data []byte) (err error) {
	need := func(size int) error {
		if len(data) != size {
			return fmt.Errorf("%d bytes instead of %d", len(data), size)
		}
		return nil
	}
	switch name {
	case "channels":
		return p.channelList(data)
	case "compression":
		if err := need(1); err != nil {
			return err
		}
		if p.Compression = Compression(data[0]); !p.Compression.known() {
			return fmt.Errorf(
				"it is compressed by %s; %s are read", p.Compression, strings.Join(compressionNames, ", "),
			)
		}
	case "dataWindow":
		if p.DataWindow, err = box(data); err != nil {
			return err
		}
		return checkWindow(p.DataWindow)
	case "displayWindow":
		p.DisplayWindow, err = box(data)
		return err
	case "tiles":
		if err := need(9); err != nil {
			return err
		}
		t := &tiling{int(le.Uint32(data)), int(le.Uint32(data[4:])), data[8] & 15, data[8] >> 4}
		if t.width < 1 || t.height < 1 || t.width > MaxEdge || t.height > MaxEdge || t.mode > ripMap ||
			t.round > roundUp {
			return fmt.Errorf("tiles of %d × %d pixels, mode %d, cannot be read", t.width, t.height, data[8])
		}
		p.tiles = t
	case "chunkCount":
		if err := need(4); err != nil {
			return err
		}
		p.chunks = int(int32(le.Uint32(data)))
	case "type":
		p.kind = string(data)
	case "name":
		p.Name = string(data)
	case "pixelAspectRatio":
		if err := need(4); err != nil {
			return err
		}
		p.PixelAspect = float64(math.Float32frombits(le.Uint32(data)))
	case "dwaCompressionLevel":
		if err := need(4); err != nil {
			return err
		}
		p.Loss = math.Float32frombits(le.Uint32(data))
	case "lineOrder", "screenWindowCenter", "screenWindowWidth", "version":
	default:
		value, err := decodeAttribute(kind, data)
		if err != nil {
			return err
		}
		p.Attributes = append(p.Attributes, imagefile.Attribute{Name: name, Value: value})
	}
	return nil
}

// checkWindow refuses windows that no picture has.
func checkWindow(w image.Rectangle) error {
	if w.Empty() || w.Dx() > MaxEdge || w.Dy() > MaxEdge {
		return fmt.Errorf("%d × %d pixels cannot be read or written", w.Dx(), w.Dy())
	}
	return nil
}

// channelList reads the channels ("Channel List").
func (p *part) channelList(data []byte) error {
	for len(data) > 0 && data[0] != 0 {
		end := bytes.IndexByte(data, 0)
		if end < 0 || end > longName || len(data)-end-1 < 16 {
			return fmt.Errorf("an entry is cut short")
		}
		kind := le.Uint32(data[end+1:])
		c := imagefile.Channel{
			Name: string(data[:end]), Perceptual: data[end+5] != 0,
			XSampling: int(le.Uint32(data[end+9:])), YSampling: int(le.Uint32(data[end+13:])),
		}
		if kind > typeFloat {
			return fmt.Errorf("channel %s has the unknown type %d", c.Name, kind)
		}
		c.Type = []imagefile.Type{typeUint: imagefile.Uint32, typeHalf: imagefile.Half,
			typeFloat: imagefile.Float}[kind]
		if c.XSampling < 1 || c.YSampling < 1 || c.XSampling > maxSampling || c.YSampling > maxSampling {
			return fmt.Errorf(
				"channel %s has a value at every %d × %d pixels, which is not read", c.Name, c.XSampling, c.YSampling,
			)
		}
		if slices.ContainsFunc(p.Channels, func(d imagefile.Channel) bool { return d.Name == c.Name }) {
			return fmt.Errorf("channel %s stands there twice", c.Name)
		}
		if p.Channels = append(p.Channels, c); len(p.Channels) > maxChannels {
			return fmt.Errorf("more than %d channels", maxChannels)
		}
		data = data[end+17:]
	}
	if len(p.Channels) == 0 {
		return fmt.Errorf("there are none")
	}
	return nil
}

var errDeep = errors.New("it is a deep file, with several samples a pixel; flat files of lines or tiles are read")
