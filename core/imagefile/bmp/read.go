package bmp

import (
	"encoding/binary"
	"fmt"
	"image"
	"io"
	"math/bits"
	"strings"

	"reelhouse/core/imagefile"
)

// Fields of the headers by their offsets ("Bitmap Storage", Windows GDI, from memory), and sizes of headers.
const (
	fieldPixels    = 10
	fieldHeader    = 14 // bytes of the second header
	fieldWidth     = 18
	fieldHeight    = 22
	fieldDepth     = 28
	fieldPacking   = 30
	fieldColours   = 46 // of the palette
	fieldMasks     = 54
	oldHeader      = 12 // with edges of 16 bits, and a palette of three bytes a colour
	plainHeader    = 40
	headerOfAlpha  = 56 // from which on it has a mask of alpha
	maxHeader      = 1 << 10
	oldFieldHeight = 20
	oldFieldDepth  = 24
)

// Packings.
const (
	plainPacking = 0
	runs8        = 1
	runs4        = 2
	masked       = 3
	maskedAlpha  = 6
)

// packings are those that are not read, which are told by name.
var packings = map[uint32]string{
	4:  "JPEG",
	5:  "PNG",
	11: "CMYK",
	12: "CMYK in runs of 8 bits",
	13: "CMYK in runs of 4 bits",
}

var le = binary.LittleEndian

// NewReader reads a whole file of size bytes; limit bounds its own size and that of its planes.
func NewReader(in io.ReaderAt, size, limit int64) (imagefile.Reader, error) {
	data, err := imagefile.Load(in, size, limit)
	if err != nil {
		return nil, fmt.Errorf("bmp: %w", err)
	}
	r := reader{data: data}
	p, err := r.read(limit)
	if err != nil {
		return nil, fmt.Errorf("bmp: %w", err)
	}
	return imagefile.Whole(p), nil
}

type reader struct {
	data          []byte
	width, height int
	topDown       bool
	depth         int // bits of a pixel
	packing       uint32
	masks         [4]uint32 // of red, green, blue and alpha
	palette       [][3]byte
	pixels        []byte
}

func (r *reader) read(limit int64) (imagefile.Part, error) {
	if err := r.header(); err != nil {
		return imagefile.Part{}, err
	}
	channels := "RGB"
	if r.palette == nil && r.masks[3] != 0 {
		channels = "RGBA"
	}
	p := imagefile.Part{
		Header: imagefile.Plain(r.width, r.height, imagefile.Uint8, strings.Split(channels, "")...),
	}
	if err := p.Within(limit); err != nil {
		return p, err
	}
	if len(channels) == 4 {
		p.Alpha = imagefile.Straight
	}
	if len(r.data) >= headerEnd && le.Uint32(r.data[fieldHeader:]) >= plainHeader {
		if x, y := le.Uint32(r.data[resolutionAt:]), le.Uint32(r.data[resolutionAt+4:]); x > 0 && y > 0 {
			p.PixelAspect = float64(y) / float64(x)
		}
	}
	line := (r.width*r.depth + 31) / 32 * 4
	if r.packing != runs8 && r.packing != runs4 && int64(len(r.pixels)) < int64(line)*int64(r.height) {
		return p, fmt.Errorf(
			"cut short: %d bytes of pixels instead of %d",
			len(r.pixels),
			int64(line)*int64(r.height),
		)
	}
	p.Planes = p.Header.Planes(p.Height())
	switch {
	case r.packing == runs8 || r.packing == runs4:
		codes, err := r.unpack()
		if err != nil {
			return p, err
		}
		for i, code := range codes {
			if err := r.colour(p, i, int(code)); err != nil {
				return p, err
			}
		}
	case r.palette != nil:
		for y := range r.height {
			row := r.pixels[y*line:]
			for x := range r.width {
				at := x * r.depth
				code := int(row[at/8]) >> (8 - r.depth - at%8) & (1<<r.depth - 1)
				if err := r.colour(p, r.place(x, y), code); err != nil {
					return p, err
				}
			}
		}
	default:
		r.direct(p, line)
	}
	return p, nil
}

// place returns where a pixel of the y-th stored line stands in the planes: lines run upwards, unless they are said not
// to.
func (r *reader) place(x, y int) int {
	if !r.topDown {
		y = r.height - 1 - y
	}
	return y*r.width + x
}

// header reads what the file is.
func (r *reader) header() error {
	if len(r.data) < fieldHeader+oldHeader {
		return fmt.Errorf("cut short in its header")
	}
	size := int(le.Uint32(r.data[fieldHeader:]))
	if size > maxHeader || size != oldHeader && size < plainHeader || len(r.data) < fieldHeader+size {
		return fmt.Errorf("a header of %d bytes; those of 12, and of 40 and more, are read", size)
	}
	entry, colours := 4, 0
	if size == oldHeader {
		r.width, r.height = int(le.Uint16(r.data[fieldWidth:])), int(le.Uint16(r.data[oldFieldHeight:]))
		r.depth, entry = int(le.Uint16(r.data[oldFieldDepth:])), 3
	} else {
		r.width, r.height = int(int32(le.Uint32(r.data[fieldWidth:]))), int(int32(le.Uint32(r.data[fieldHeight:])))
		r.depth, r.packing = int(le.Uint16(r.data[fieldDepth:])), le.Uint32(r.data[fieldPacking:])
		colours = int(le.Uint32(r.data[fieldColours:]))
	}
	if r.height < 0 {
		r.height, r.topDown = -r.height, true
	}
	if r.width < 1 || r.height < 1 || r.width > maxEdge || r.height > maxEdge {
		return fmt.Errorf("%d × %d pixels cannot be read", r.width, r.height)
	}
	if err := r.checkDepth(); err != nil {
		return err
	}
	behind := fieldHeader + size
	if behind = r.readMasks(size, behind); behind > len(r.data) {
		return fmt.Errorf("cut short in its header")
	}
	if r.depth <= 8 {
		if colours < 1 || colours > 1<<r.depth {
			colours = 1 << r.depth
		}
		if colours*entry > len(r.data)-behind {
			return fmt.Errorf("cut short in its palette")
		}
		r.palette = make([][3]byte, colours)
		for i := range r.palette {
			at := behind + i*entry
			r.palette[i] = [3]byte{r.data[at+2], r.data[at+1], r.data[at]}
		}
	}
	at := int64(le.Uint32(r.data[fieldPixels:]))
	if at < int64(fieldHeader+size) || at > int64(len(r.data)) {
		return fmt.Errorf("its pixels at %d lie outside the file", at)
	}
	r.pixels = r.data[at:]
	return nil
}

func (r *reader) checkDepth() error {
	if name, known := packings[r.packing]; known {
		return fmt.Errorf("its pixels are packed as %s; plain ones, masks and runs are read", name)
	}
	fits := map[uint32][]int{
		plainPacking: {1, 2, 4, 8, 16, 24, 32}, runs8: {8}, runs4: {4}, masked: {16, 32}, maskedAlpha: {16, 32},
	}
	depths, known := fits[r.packing]
	if !known {
		return fmt.Errorf("its packing is %d; plain pixels, masks and runs are read", r.packing)
	}
	for _, d := range depths {
		if d == r.depth {
			return nil
		}
	}
	return fmt.Errorf("pixels of %d bits in packing %d; 1, 2, 4, 8, 16, 24 and 32 bits are read", r.depth, r.packing)
}

// readMasks reads which bits of a pixel are red, green, blue and alpha, and returns where the palette begins.
func (r *reader) readMasks(size, behind int) int {
	switch r.depth {
	case 16:
		r.masks = [4]uint32{0x7c00, 0x3e0, 0x1f, 0}
	case 32:
		r.masks = [4]uint32{0xff0000, 0xff00, 0xff, 0}
	default:
		return behind
	}
	count := 3
	if size >= headerOfAlpha || r.packing == maskedAlpha {
		count = 4
	}
	switch {
	case r.packing == plainPacking && size < headerOfAlpha:
		return behind
	case r.packing == plainPacking: // of which only the alpha counts
		r.masks[3] = le.Uint32(r.data[fieldMasks+12:])
		return behind
	case fieldMasks+4*count > len(r.data):
		return len(r.data) + 1
	}
	for i := range count {
		r.masks[i] = le.Uint32(r.data[fieldMasks+4*i:])
	}
	return max(behind, fieldMasks+4*count)
}

// colour puts a colour of the palette into the planes.
func (r *reader) colour(p imagefile.Part, at, code int) error {
	if code >= len(r.palette) {
		return fmt.Errorf("damaged: a pixel has the colour %d of %d", code, len(r.palette))
	}
	for k, v := range r.palette[code] {
		p.Planes[k][at] = v
	}
	return nil
}

// direct reads pixels that say their colours themselves.
func (r *reader) direct(p imagefile.Part, line int) {
	for y := range r.height {
		row := r.pixels[y*line:]
		for x := range r.width {
			at := r.place(x, y)
			switch r.depth {
			case 24:
				for k := range 3 {
					p.Planes[k][at] = row[3*x+2-k]
				}
			case 16:
				r.masked(p, at, uint32(le.Uint16(row[2*x:])))
			default:
				r.masked(p, at, le.Uint32(row[4*x:]))
			}
		}
	}
}

// masked puts the parts of a pixel into the planes.
func (r *reader) masked(p imagefile.Part, at int, v uint32) {
	for k, plane := range p.Planes {
		mask := r.masks[k]
		if mask == 0 {
			continue
		}
		shift := bits.TrailingZeros32(mask)
		most := uint64(mask >> shift)
		plane[at] = byte((uint64(v&mask>>shift)*255 + most/2) / most)
	}
}

// unpack returns the codes of pixels in runs, in the order of the planes. What runs pass over keeps the code 0.
func (r *reader) unpack() ([]byte, error) {
	codes := make([]byte, r.width*r.height)
	in, at := r.pixels, image.Point{}
	put := func(code byte) {
		if at.X < r.width && at.Y < r.height {
			codes[r.place(at.X, at.Y)] = code
		}
		at.X++
	}
	// Of two pixels in a byte the first stands in the upper half.
	nth := func(v byte, i int) byte {
		if r.packing == runs8 {
			return v
		}
		return v >> (4 - 4*(i%2)) & 15
	}
	for len(in) >= 2 && at.Y < r.height { // what runs on behind the last line is not seen
		count, v := int(in[0]), in[1]
		in = in[2:]
		switch {
		case count > 0:
			for i := range min(count, max(0, r.width-at.X)) { // nor what runs over the end of one
				put(nth(v, i))
			}
		case v == 0: // the end of a line
			at = image.Pt(0, at.Y+1)
		case v == 1: // the end of the picture
			return codes, nil
		case v == 2: // a step to the right and up
			if len(in) < 2 {
				return nil, fmt.Errorf("cut short in its runs")
			}
			at = at.Add(image.Pt(int(in[0]), int(in[1])))
			in = in[2:]
		default: // so many pixels as they are, to an even number of bytes
			n := int(v)
			if r.packing == runs4 {
				n = (n + 1) / 2
			}
			if len(in) < n+n%2 {
				return nil, fmt.Errorf("cut short in its runs")
			}
			for i := range int(v) {
				at := i
				if r.packing == runs4 {
					at /= 2
				}
				put(nth(in[at], i))
			}
			in = in[n+n%2:]
		}
	}
	if at.Y >= r.height {
		return codes, nil
	}
	return nil, fmt.Errorf("cut short in its runs")
}
