package tiff

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"slices"

	"github.com/cespare/xxhash/v2"
	"golang.org/x/image/tiff/lzw"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/ifd"
	"reelhouse/core/pixel"
)

// maxPages bounds the pictures of a file, and so a ring of directories.
const maxPages = 1024

const maxSamples = 64

// NewReader reads a whole file of size bytes; limit bounds its own size and that of the planes of all its pictures.
func NewReader(in io.ReaderAt, size, limit int64) (imagefile.Reader, error) {
	parts, err := decode(in, size, limit)
	if err != nil {
		return nil, fmt.Errorf("tiff: %w", err)
	}
	return imagefile.Whole(parts...), nil
}

func decode(in io.ReaderAt, size, limit int64) ([]imagefile.Part, error) {
	data, err := imagefile.Load(in, size, limit)
	if err != nil {
		return nil, err
	}
	order, at, err := ifd.Open(data)
	if err != nil {
		return nil, err
	}
	var parts []imagefile.Part
	for at != 0 {
		if len(parts) == maxPages {
			return nil, fmt.Errorf("more than %d pictures", maxPages)
		}
		d, next, err := ifd.Read(data, order, at)
		if err != nil {
			return nil, err
		}
		p := page{directory: d, data: data, inflater: imagefile.Inflater{Longer: true}}
		if err := p.read(limit); err != nil {
			if len(parts) > 0 {
				err = fmt.Errorf("picture %d: %w", len(parts)+1, err)
			}
			return nil, err
		}
		limit -= p.Bytes()
		parts = append(parts, p.Part)
		at = next
	}
	if len(parts) == 0 {
		return nil, fmt.Errorf("there is no picture in it")
	}
	return parts, nil
}

// A page is one picture that is being read.
type page struct {
	imagefile.Part
	directory   ifd.Directory
	data        []byte
	compression Compression
	predictor   int
	samples     int // of a pixel, in one block
	size        int // bytes of a sample
	inverted    bool
	colours     []int // of a palette
	inflater    imagefile.Inflater
}

func (p *page) read(limit int64) error {
	if err := p.header(); err != nil {
		return err
	}
	if err := p.Within(limit); err != nil {
		return err
	}
	return p.pixels()
}

// checkSum compares the blocks, in their order, with the sum that the file says of itself, if it says any.
func (p *page) checkSum(offsets, counts []int) error {
	stated := p.Attributes.Text(imagefile.DataSum)
	if stated == "" {
		return nil
	}
	sum := xxhash.New()
	for i, at := range offsets {
		sum.Write(p.data[at : at+counts[i]]) // which were read before
	}
	if got := sumText(sum); got != stated {
		return fmt.Errorf("its checksum is %s and not %s, as it says: it is damaged", got, stated)
	}
	return nil
}

// header settles what the picture is.
func (p *page) header() error {
	d := p.directory
	width, height := d.Int(tagWidth, 0), d.Int(tagHeight, 0)
	if width < 1 || height < 1 || width > maxEdge || height > maxEdge {
		return fmt.Errorf("%d × %d pixels cannot be read", width, height)
	}
	p.samples = d.Int(tagSamplesPerPixel, 1)
	if p.samples < 1 || p.samples > maxSamples {
		return fmt.Errorf("%d samples a pixel cannot be read", p.samples)
	}
	bits := d.Ints(tagBits)
	if len(bits) == 0 {
		bits = []int{1}
	}
	if slices.Max(bits) != slices.Min(bits) {
		return fmt.Errorf("channels of several depths are not read")
	}
	format := d.Int(tagSampleFormat, formatUnsigned)
	kinds := map[[2]int]imagefile.Type{
		{8, formatUnsigned}: imagefile.Uint8, {16, formatUnsigned}: imagefile.Uint16,
		{32, formatUnsigned}: imagefile.Uint32, {16, formatFloat}: imagefile.Half,
		{32, formatFloat}: imagefile.Float,
	}
	kind, known := kinds[[2]int{bits[0], format}]
	if !known {
		return fmt.Errorf("samples of %d bits and format %d are not read", bits[0], format)
	}
	p.size = kind.Size()
	switch extra := d.Int(tagExtraSamples, 0); extra {
	case extraAssociated:
		p.Alpha = imagefile.Premultiplied
	case extraUnassociated:
		p.Alpha = imagefile.Straight
	}
	photometric := d.Int(tagPhotometric, blackIsZero)
	var channels []string
	switch {
	case photometric == rgb && p.samples >= 3:
		channels = names(p.samples, false, p.Alpha)
	case photometric == blackIsZero || photometric == whiteIsZero:
		channels = names(p.samples, true, p.Alpha)
		p.inverted = photometric == whiteIsZero && kind != imagefile.Float && kind != imagefile.Half
	case photometric == palette && p.samples == 1 && kind == imagefile.Uint8:
		if p.colours = d.Ints(tagColorMap); len(p.colours) != 3*256 {
			return fmt.Errorf("its palette has %d numbers instead of %d", len(p.colours), 3*256)
		}
		channels = names(3, false, imagefile.Unstated)
		kind = imagefile.Uint16
	default:
		return fmt.Errorf("colours of kind %d with %d samples are not read", photometric, p.samples)
	}
	p.Header = imagefile.Header{Alpha: p.Alpha}
	plain := imagefile.Plain(width, height, kind, channels...)
	p.DataWindow, p.DisplayWindow, p.Channels = plain.DataWindow, plain.DisplayWindow, plain.Channels
	if x, y := d.Ratio(tagXResolution), d.Ratio(tagYResolution); x > 0 && y > 0 {
		p.PixelAspect = y / x
	}
	p.compression, p.predictor = Compression(d.Int(tagCompression, int(None))), d.Int(tagPredictor, predictNone)
	if _, known := compressionNames[p.compression]; !known {
		return fmt.Errorf("%s is not read", p.compression)
	}
	if p.predictor > predictFloats || d.Int(tagFillOrder, 1) != 1 {
		return fmt.Errorf("predictor %d and order of bits %d are not read", p.predictor, d.Int(tagFillOrder, 1))
	}
	for _, t := range texts {
		if v := d.Text(t.tag); v != "" {
			p.Attributes = append(p.Attributes, imagefile.Attribute{Name: t.name, Value: v})
		}
	}
	description := d.Text(tagDescription)
	for _, a := range imagefile.ParseLines(description) {
		if a.Name == curveName && pixel.Curve(a.String()).Check() == nil {
			p.Curve = pixel.Curve(a.String())
		} else {
			p.Attributes = append(p.Attributes, a)
		}
	}
	return nil
}

// pixels reads the blocks, which are tiles or strips, of all samples or of one each.
func (p *page) pixels() error {
	d := p.directory
	blockWidth, blockHeight := d.Int(tagTileWidth, 0), d.Int(tagTileLength, 0)
	offsets, counts := d.Ints(tagTileOffsets), d.Ints(tagTileByteCounts)
	if blockWidth == 0 {
		blockWidth, blockHeight = p.Width(), min(p.Height(), d.Int(tagRowsPerStrip, p.Height()))
		offsets, counts = d.Ints(tagStripOffsets), d.Ints(tagStripByteCounts)
	}
	if blockWidth < 1 || blockHeight < 1 || blockWidth > 1<<20 || blockHeight > 1<<20 {
		return fmt.Errorf("blocks of %d × %d pixels cannot be read", blockWidth, blockHeight)
	}
	across, down := (p.Width()+blockWidth-1)/blockWidth, (p.Height()+blockHeight-1)/blockHeight
	groups, per := 1, p.samples
	if d.Int(tagPlanar, chunky) == separate {
		groups, per = p.samples, 1
	}
	if len(offsets) < across*down*groups || len(counts) < len(offsets) {
		return fmt.Errorf("%d blocks instead of %d", min(len(offsets), len(counts)), across*down*groups)
	}
	line := blockWidth * per * p.size
	if int64(line)*int64(blockHeight) > 4*p.Bytes()+1<<20 { // tiles reach over the edges, but not so far
		return fmt.Errorf("blocks of %d × %d pixels are too large for the picture", blockWidth, blockHeight)
	}
	p.Planes = p.Header.Planes(p.Height())
	raw, scratch := make([]byte, line*blockHeight), make([]byte, line)
	for i := range across * down * groups {
		group, place := i/(across*down), i%(across*down)
		x, y := place%across*blockWidth, place/across*blockHeight
		rows := blockHeight
		if d.Int(tagTileWidth, 0) == 0 {
			rows = min(blockHeight, p.Height()-y)
		}
		if offsets[i] > len(p.data) || counts[i] > len(p.data)-offsets[i] {
			return fmt.Errorf("block %d of %d lies outside the file", i+1, across*down*groups)
		}
		if err := p.unpack(raw[:line*rows], p.data[offsets[i]:offsets[i]+counts[i]]); err != nil {
			return fmt.Errorf("block %d of %d: %w", i+1, across*down*groups, err)
		}
		for k := range min(rows, p.Height()-y) {
			row := raw[k*line : (k+1)*line]
			p.undo(row, scratch, per)
			p.put(row, group, per, x, y+k, min(blockWidth, p.Width()-x))
		}
	}
	return p.checkSum(offsets[:across*down*groups], counts)
}

// unpack fills out with the bytes of a block.
func (p *page) unpack(out, in []byte) error {
	var r io.Reader
	switch p.compression {
	case None:
		r = bytes.NewReader(in)
	case packBits:
		return unpackBits(out, in)
	case LZW:
		l := lzw.NewReader(bytes.NewReader(in), lzw.MSB, 8)
		defer l.Close()
		r = l
	default:
		if err := p.inflater.Fill(out, in); err != nil {
			return fmt.Errorf("damaged: %w", err)
		}
		return nil
	}
	if _, err := io.ReadFull(r, out); err != nil {
		return fmt.Errorf("damaged: %w", err)
	}
	return nil
}

// unpackBits undoes runs of bytes (section 9).
func unpackBits(out, in []byte) error {
	for len(out) > 0 && len(in) > 1 {
		n := int(int8(in[0]))
		in = in[1:]
		switch {
		case n >= 0:
			if n+1 > len(in) || n+1 > len(out) {
				return fmt.Errorf("damaged: a run reaches too far")
			}
			copy(out, in[:n+1])
			in, out = in[n+1:], out[n+1:]
		case n > -128:
			if 1-n > len(out) {
				return fmt.Errorf("damaged: a run reaches too far")
			}
			for i := range 1 - n {
				out[i] = in[0]
			}
			in, out = in[1:], out[1-n:]
		}
	}
	if len(out) > 0 {
		return fmt.Errorf("damaged: %d bytes are missing", len(out))
	}
	return nil
}

// undo turns the bytes of a row into samples, the lower bytes first.
func (p *page) undo(row, scratch []byte, samples int) {
	if p.predictor == predictFloats {
		undoFloats(row, scratch, samples, p.size)
	} else if p.directory.Order == binary.BigEndian {
		for i := 0; i+p.size <= len(row); i += p.size {
			slices.Reverse(row[i : i+p.size])
		}
	}
	if p.predictor == predictCodes {
		undoCodes(row, samples, p.size)
	}
	if p.inverted {
		for i := range row {
			row[i] = ^row[i]
		}
	}
}

// put puts samples of a row into the planes, from column x on.
func (p *page) put(row []byte, group, per, x, y, width int) {
	if p.colours != nil {
		for i, code := range row[:width] {
			for k, plane := range p.Planes {
				le.PutUint16(plane[2*(y*p.Width()+x+i):], uint16(p.colours[k*256+int(code)]))
			}
		}
		return
	}
	for k := range per {
		plane := p.Planes[group+k][(y*p.Width()+x)*p.size:]
		for i := range width {
			copy(plane[i*p.size:(i+1)*p.size], row[(i*per+k)*p.size:])
		}
	}
}
