// Package png reads and writes PNG files (W3C, Portable Network Graphics, third edition) of 8 and 16 bits: grey or
// colour, with straight alpha or none; and what they say in gAMA, sRGB, pHYs and iTXt.
//
// Pixels are the standard library's work.
package png

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/png"
	"io"
	"iter"
	"math"
	"strings"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/ifd"
	"reelhouse/core/pixel"
)

// Signature begins every file ("PNG signature").
const Signature = "\x89PNG\r\n\x1a\n"

const (
	headerEnd  = len(Signature) + 12 + 13 // behind the chunk IHDR
	gammaUnit  = 100000
	maxEdge    = 1<<31 - 1
	maxKeyword = 79
	noText     = "\x00\x00\x00\x00" // of iTXt: not compressed, no language, no translated keyword
)

var types = []imagefile.Type{imagefile.Uint8, imagefile.Uint16}

// Options say how a file is written.
type Options struct {
	Effort int // 1 (fast) to 3 (small); 0 for 2
}

var efforts = []png.CompressionLevel{png.DefaultCompression, png.BestSpeed, png.DefaultCompression, png.BestCompression}

// NewWriter writes a file when it is closed. Channels are Y, YA, RGB or RGBA; attributes become text.
func NewWriter(out io.Writer, h imagefile.Header, o Options) (imagefile.Writer, error) {
	if err := check(h, o); err != nil {
		return nil, fmt.Errorf("png: %w", err)
	}
	return imagefile.Gather(h, func(p imagefile.Part) error { return encode(out, p, o) }), nil
}

func check(h imagefile.Header, o Options) error {
	if err := h.CheckSize(maxEdge); err != nil {
		return err
	}
	if err := h.CheckChannels(types, "Y", "YA", "RGB", "RGBA"); err != nil {
		return err
	}
	if o.Effort < 0 || o.Effort >= len(efforts) {
		return fmt.Errorf("an effort of %d is outside 1 to 3", o.Effort)
	}
	if h.Alpha == imagefile.Premultiplied && h.Channel("A") >= 0 {
		return fmt.Errorf("its colour is straight, not premultiplied")
	}
	for _, a := range h.Attributes {
		if a.Name == "" || len(a.Name) > maxKeyword ||
			strings.ContainsFunc(a.Name, func(r rune) bool { return r < ' ' || r > '~' }) {
			return fmt.Errorf("the attribute name %q is not 1 to %d plain letters", a.Name, maxKeyword)
		}
	}
	return nil
}

func encode(out io.Writer, p imagefile.Part, o Options) error {
	var b bytes.Buffer
	encoder := png.Encoder{CompressionLevel: efforts[o.Effort]}
	img := picture{p}.standard()
	if p.Channel("A") >= 0 {
		img = withAlpha{img}
	}
	if err := encoder.Encode(&b, img); err != nil {
		return err
	}
	data := b.Bytes()
	var own []byte
	if p.Curve != "" {
		if p.Curve == pixel.SRGB {
			own = appendChunk(own, "sRGB", []byte{0}) // perceptual
		}
		own = appendChunk(
			own, "gAMA", binary.BigEndian.AppendUint32(nil, uint32(math.Round(gammaUnit/p.Curve.Gamma()))),
		)
	}
	if aspect := p.Aspect(); aspect != 1 {
		// Pixels per unit across and up, of an unknown unit: their ratio is the pixel's shape.
		const up = 100000
		own = appendChunk(
			own,
			"pHYs",
			append(
				binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, uint32(math.Round(up/aspect))), up), 0,
			),
		)
	}
	for _, a := range p.Attributes {
		own = appendChunk(own, "iTXt", []byte(a.Name+"\x00"+noText+strings.ToValidUTF8(a.String(), "\uFFFD")))
	}
	for _, part := range [][]byte{data[:headerEnd], own, data[headerEnd:]} {
		if _, err := out.Write(part); err != nil {
			return err
		}
	}
	return nil
}

func appendChunk(dst []byte, kind string, data []byte) []byte {
	dst = binary.BigEndian.AppendUint32(dst, uint32(len(data)))
	start := len(dst)
	dst = append(append(dst, kind...), data...)
	return binary.BigEndian.AppendUint32(dst, crc32.ChecksumIEEE(dst[start:]))
}

// withAlpha keeps the library from leaving alpha out where every pixel is covered: the channels of a sequence are the
// same in all of its frames.
type withAlpha struct{ image.Image }

// Opaque implements what the library asks of images.
func (withAlpha) Opaque() bool { return false }

// A picture is a part as the standard library has images.
type picture struct{ imagefile.Part }

// code returns sample x, y of a channel, of 16 bits.
func (p picture) code(channel, x, y int) uint16 {
	plane, at := p.Planes[channel], y*p.Width()+x
	if p.Channels[channel].Type == imagefile.Uint8 {
		return uint16(plane[at]) * 0x101
	}
	return binary.LittleEndian.Uint16(plane[2*at:])
}

// standard returns the image of the standard library that is encoded as the part's channels and type.
func (p picture) standard() image.Image {
	bounds := image.Rect(0, 0, p.Width(), p.Height())
	grey, alpha, deep := len(p.Channels) < 3, len(p.Channels)%2 == 0, p.Channels[0].Type == imagefile.Uint16
	var img interface {
		image.Image
		Set(x, y int, c color.Color)
	}
	switch {
	case grey && !alpha && deep:
		img = image.NewGray16(bounds)
	case grey && !alpha:
		img = image.NewGray(bounds)
	case deep:
		img = image.NewNRGBA64(bounds)
	default:
		img = image.NewNRGBA(bounds)
	}
	for y := range p.Height() {
		for x := range p.Width() {
			c := color.NRGBA64{R: p.code(0, x, y), A: 0xffff}
			c.G, c.B = c.R, c.R
			if !grey {
				c.G, c.B = p.code(1, x, y), p.code(2, x, y)
			}
			if alpha {
				c.A = p.code(len(p.Channels)-1, x, y)
			}
			switch img := img.(type) {
			case *image.NRGBA64:
				img.SetNRGBA64(x, y, c)
			case *image.NRGBA:
				img.SetNRGBA(x, y, color.NRGBA{uint8(c.R >> 8), uint8(c.G >> 8), uint8(c.B >> 8), uint8(c.A >> 8)})
			case *image.Gray16:
				img.SetGray16(x, y, color.Gray16{Y: c.R})
			case *image.Gray:
				img.SetGray(x, y, color.Gray{Y: uint8(c.R >> 8)})
			}
		}
	}
	return img
}

// NewReader reads a whole file of size bytes; limit bounds its own size and that of its planes.
func NewReader(in io.ReaderAt, size, limit int64) (imagefile.Reader, error) {
	p, err := decode(in, size, limit)
	if err != nil {
		return nil, fmt.Errorf("png: %w", err)
	}
	return imagefile.Whole(p), nil
}

func decode(in io.ReaderAt, size, limit int64) (imagefile.Part, error) {
	data, err := imagefile.Load(in, size, limit)
	if err != nil {
		return imagefile.Part{}, err
	}
	config, err := png.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return imagefile.Part{}, err
	}
	// The library makes an image of its own beside the planes.
	if int64(config.Width)*int64(config.Height) > limit/8 {
		return imagefile.Part{}, fmt.Errorf(
			"%d × %d pixels take more than the %d bytes that may be read", config.Width, config.Height, limit,
		)
	}
	src, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		return imagefile.Part{}, err
	}
	kind, channels := imagefile.Uint8, "RGB"
	switch src.(type) {
	case *image.Gray16:
		kind, channels = imagefile.Uint16, "Y"
	case *image.Gray:
		channels = "Y"
	case *image.RGBA64:
		kind = imagefile.Uint16
	case *image.NRGBA64:
		kind, channels = imagefile.Uint16, "RGBA"
	case *image.NRGBA:
		channels = "RGBA"
	}
	if _, paletted := src.(*image.Paletted); paletted && hasChunk(data, "tRNS") {
		channels = "RGBA"
	}
	p := imagefile.Part{Header: imagefile.Plain(config.Width, config.Height, kind, strings.Split(channels, "")...)}
	p.Planes = p.Header.Planes(p.Height())
	if channels == "RGBA" {
		p.Alpha = imagefile.Straight
	}
	fill(p, src)
	chunks(&p.Header, data)
	p.Orient(orientation(data))
	return p, nil
}

// orientation returns that of the Exif data in the chunk eXIf, or 0.
func orientation(data []byte) int {
	for kind, value := range allChunks(data) {
		if kind == "eXIf" {
			return ifd.Orientation(value)
		}
	}
	return 0
}

func hasChunk(data []byte, name string) bool {
	for kind := range allChunks(data) {
		if kind == name {
			return true
		}
	}
	return false
}

// allChunks goes through the chunks of a file.
func allChunks(data []byte) iter.Seq2[string, []byte] {
	return func(yield func(string, []byte) bool) {
		for at := len(Signature); at+12 <= len(data); {
			size := int(binary.BigEndian.Uint32(data[at:]))
			if size > len(data)-at-12 || !yield(string(data[at+4:at+8]), data[at+8:at+8+size]) {
				return
			}
			at += size + 12
		}
	}
}

// fill takes the codes out of an image.
func fill(p imagefile.Part, src image.Image) {
	for y := range p.Height() {
		for x := range p.Width() {
			var c color.NRGBA64
			switch img := src.(type) {
			case *image.NRGBA64:
				c = img.NRGBA64At(x, y)
			case *image.NRGBA:
				n := img.NRGBAAt(x, y)
				c = color.NRGBA64{uint16(n.R) << 8, uint16(n.G) << 8, uint16(n.B) << 8, uint16(n.A) << 8}
			case *image.RGBA: // of files without alpha only
				n := img.RGBAAt(x, y)
				c = color.NRGBA64{uint16(n.R) << 8, uint16(n.G) << 8, uint16(n.B) << 8, 0xffff}
			default:
				c = color.NRGBA64Model.Convert(src.At(x, y)).(color.NRGBA64)
			}
			codes := [4]uint16{c.R, c.G, c.B, c.A}
			for i := range p.Planes {
				at := y*p.Width() + x
				if p.Channels[i].Type == imagefile.Uint8 {
					p.Planes[i][at] = byte(codes[i] >> 8)
				} else {
					binary.LittleEndian.PutUint16(p.Planes[i][2*at:], codes[i])
				}
			}
		}
	}
}

// chunks reads what a decoded file says beside its pixels. Its chunks are known to be whole.
func chunks(h *imagefile.Header, data []byte) {
	for kind, value := range allChunks(data) {
		size := len(value)
		switch {
		case kind == "sRGB":
			h.Curve = pixel.SRGB
		case kind == "gAMA" && size == 4 && h.Curve == "":
			h.Curve = pixel.OfGamma(gammaUnit / float64(binary.BigEndian.Uint32(value)))
		case kind == "pHYs" && size == 9:
			if x, y := binary.BigEndian.Uint32(value), binary.BigEndian.Uint32(value[4:]); x > 0 && y > 0 {
				h.PixelAspect = float64(y) / float64(x)
			}
		case kind == "iTXt":
			name, rest, ok := strings.Cut(string(value), "\x00")
			if text, plain := strings.CutPrefix(rest, noText); ok && plain {
				h.Attributes = append(h.Attributes, imagefile.Attribute{Name: name, Value: text})
			}
		}
	}
}
