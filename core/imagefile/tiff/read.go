package tiff

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math/bits"
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
	file, at, err := ifd.Open(data)
	if err != nil {
		return nil, err
	}
	var parts []imagefile.Part
	for at != 0 {
		if len(parts) == maxPages {
			return nil, fmt.Errorf("more than %d pictures", maxPages)
		}
		d, next, err := file.Read(at)
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
	bits        int // of a sample in the file
	size        int // bytes of a sample in a plane
	inverted    bool
	colours     []int // of a palette
	inks        bool  // CMYK, until all is read
	reversed    bool  // bits of bytes
	inflater    imagefile.Inflater
}

func (p *page) read(limit int64) error {
	if err := p.header(); err != nil {
		return err
	}
	if err := p.Within(limit); err != nil {
		return err
	}
	if err := p.pixels(); err != nil {
		return err
	}
	if p.inks {
		p.toLight()
	}
	p.Orient(p.directory.Int(tagOrientation, 1))
	return nil
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
	depths := d.Ints(tagBits)
	if len(depths) == 0 {
		depths = []int{1}
	}
	if slices.Max(depths) != slices.Min(depths) {
		return fmt.Errorf("its channels have %d to %d bits; channels of one depth are read", slices.Min(depths),
			slices.Max(depths))
	}
	kind, err := p.kind(depths[0], d.Int(tagSampleFormat, formatUnsigned))
	if err != nil {
		return err
	}
	p.bits, p.size = depths[0], kind.Size()
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
		if p.colours = d.Ints(tagColorMap); len(p.colours) != 3<<p.bits {
			return fmt.Errorf("its palette has %d numbers instead of %d", len(p.colours), 3<<p.bits)
		}
		channels = names(3, false, imagefile.Unstated)
		kind = imagefile.Uint16
	case photometric == inks && p.samples >= 4 && (kind == imagefile.Uint8 || kind == imagefile.Uint16):
		if set := d.Int(tagInkSet, 1); set != 1 {
			return fmt.Errorf("its inks are not those of CMYK; grey, RGB, palettes and CMYK are read")
		}
		p.inks = true
		channels = append([]string{"C", "M", "Y", "K"}, names(p.samples-1, false, p.Alpha)[3:]...)
	case photometric == palette:
		return fmt.Errorf(
			"its palette is for %d samples of %d bits; palettes of one sample of 1 to 8 bits are read",
			p.samples,
			p.bits,
		)
	default:
		name, known := spaces[photometric]
		if !known {
			name = fmt.Sprintf("of kind %d with %d samples", photometric, p.samples)
		}
		return fmt.Errorf("its colours are %s; grey, RGB, palettes and CMYK are read", name)
	}
	p.Header = imagefile.Header{Alpha: p.Alpha}
	plain := imagefile.Plain(width, height, kind, channels...)
	if p.bits < 8*p.size && p.colours == nil {
		p.CodeBits = p.bits
	}
	p.DataWindow, p.DisplayWindow, p.Channels = plain.DataWindow, plain.DisplayWindow, plain.Channels
	if x, y := d.Ratio(tagXResolution), d.Ratio(tagYResolution); x > 0 && y > 0 {
		p.PixelAspect = y / x
	}
	p.compression, p.predictor = Compression(d.Int(tagCompression, int(None))), d.Int(tagPredictor, predictNone)
	if _, known := compressionNames[p.compression]; !known {
		return fmt.Errorf(
			"it is compressed by %s; uncompressed files, LZW, Deflate and PackBits are read", p.compression,
		)
	}
	switch {
	case p.predictor < predictNone || p.predictor > predictFloats,
		p.predictor != predictNone && p.bits < 8, p.predictor == predictFloats && kind.Size() == 1:
		return fmt.Errorf(
			"predictor %d of samples of %d bits; that of TIFF 6.0 for 8 bits and more is read, and that of floats",
			p.predictor, p.bits,
		)
	case p.predictor == predictCodes && p.bits != 8*p.size:
		return fmt.Errorf("the predictor of samples of %d bits; that of 8, 16 and 32 bits is read", p.bits)
	}
	p.reversed = d.Int(tagFillOrder, 1) == 2
	if white, c := d.Ratios(tagWhitePoint), d.Ratios(tagPrimaries); len(white) == 2 && len(c) == 6 {
		g := pixel.Gamut{
			Red: pixel.Chromaticity{X: c[0], Y: c[1]}, Green: pixel.Chromaticity{X: c[2], Y: c[3]},
			Blue: pixel.Chromaticity{X: c[4], Y: c[5]}, White: pixel.Chromaticity{X: white[0], Y: white[1]},
		}
		p.Attributes = append(p.Attributes, imagefile.Attribute{
			Name: imagefile.ChromaticitiesName, Value: imagefile.ChromaticitiesIn(g),
		})
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

// kind returns the type of a plane whose samples have so many bits and a format of tagSampleFormat in the file.
func (p *page) kind(bits, format int) (imagefile.Type, error) {
	if format == formatUndefined { // which many take for no statement
		format = formatUnsigned
	}
	switch {
	case format == formatUnsigned && bits >= 1 && bits <= 8:
		return imagefile.Uint8, nil
	case format == formatUnsigned && bits > 8 && bits <= 16:
		return imagefile.Uint16, nil
	case format == formatUnsigned && bits == 32:
		return imagefile.Uint32, nil
	case format == formatFloat && bits == 16:
		return imagefile.Half, nil
	case format == formatFloat && bits == 32:
		return imagefile.Float, nil
	}
	name, known := sampleFormats[format]
	if !known {
		name = fmt.Sprintf("format %d", format)
	}
	return 0, fmt.Errorf(
		"its samples are %s, of %d bits; unsigned ones of 1 to 16 and 32 bits and floating ones of 16 and 32 are read",
		name,
		bits,
	)
}

// toLight makes red, green and blue of four inks, each of which takes its own light away.
func (p *page) toLight() {
	ink := func(k, i int) uint32 {
		if p.size == 1 {
			return uint32(p.Planes[k][i])
		}
		return uint32(le.Uint16(p.Planes[k][2*i:]))
	}
	white := uint32(1)<<(8*p.size) - 1
	for i := range p.Width() * p.Height() {
		black := white - ink(3, i)
		for k := range 3 {
			v := ((white-ink(k, i))*black + white/2) / white
			if p.size == 1 {
				p.Planes[k][i] = byte(v)
			} else {
				le.PutUint16(p.Planes[k][2*i:], uint16(v))
			}
		}
	}
	p.Planes = slices.Delete(p.Planes, 3, 4)
	p.Channels = slices.Delete(p.Channels, 3, 4)
	for k, name := range []string{"R", "G", "B"} {
		p.Channels[k].Name = name
	}
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
	line := (blockWidth*per*p.bits + 7) / 8 // bytes of a line in the file
	wide := make([]byte, blockWidth*per*p.size)
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
		block := p.data[offsets[i] : offsets[i]+counts[i]]
		if p.reversed {
			block = reversed(block)
		}
		if err := p.unpack(raw[:line*rows], block); err != nil {
			return fmt.Errorf("block %d of %d: %w", i+1, across*down*groups, err)
		}
		for k := range min(rows, p.Height()-y) {
			row := raw[k*line : (k+1)*line]
			if p.bits == 8*p.size {
				p.undo(row, scratch, per)
			} else {
				p.widen(wide, row)
				row = wide
			}
			p.put(row, group, per, x, y+k, min(blockWidth, p.Width()-x))
		}
	}
	return p.checkSum(offsets[:across*down*groups], counts)
}

// reversed returns bytes with their bits in the other order.
func reversed(block []byte) []byte {
	out := make([]byte, len(block))
	for i, v := range block {
		out[i] = bits.Reverse8(v)
	}
	return out
}

// widen puts samples that have no whole number of bytes, the highest bits first, into bytes: codes so that the largest
// is white, and the numbers of colours of a palette as they are.
func (p *page) widen(out, row []byte) {
	most := uint32(1)<<p.bits - 1
	white := uint32(1)<<(8*p.size) - 1
	held, have := uint32(0), 0
	for i := 0; i < len(out); i += p.size {
		for have < p.bits {
			held = held<<8 | uint32(row[0])
			row = row[1:]
			have += 8
		}
		have -= p.bits
		v := held >> have & most
		if p.colours == nil {
			v = (v*white + most/2) / most
		}
		if p.inverted {
			v = white - v
		}
		if p.size == 1 {
			out[i] = byte(v)
		} else {
			le.PutUint16(out[i:], uint16(v))
		}
	}
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
				le.PutUint16(plane[2*(y*p.Width()+x+i):], uint16(p.colours[k<<p.bits+int(code)]))
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
