// Package bmp reads and writes BMP files: of 24 bits a pixel; palettes and 32 bits with alpha are read, too. Pixels are
// golang.org/x/image's work; the pixel's shape is added to what it writes.
package bmp

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"io"
	"math"
	"strings"

	"golang.org/x/image/bmp"

	"reelhouse/core/imagefile"
)

// Signature begins every file.
const Signature = "BM"

const (
	resolutionAt = 38 // pixels per metre across and up, in the header of 40 bytes or more
	headerEnd    = 46
	perMetre     = 2835 // 72 pixels an inch
	maxEdge      = 1 << 16
)

// NewWriter writes a file when it is closed. Channels are RGB of 8 bits. There is no room for attributes.
func NewWriter(out io.Writer, h imagefile.Header) (imagefile.Writer, error) {
	if err := h.CheckSize(maxEdge); err != nil {
		return nil, fmt.Errorf("bmp: %w", err)
	}
	if err := h.CheckChannels([]imagefile.Type{imagefile.Uint8}, "RGB"); err != nil {
		return nil, fmt.Errorf("bmp: %w", err)
	}
	return imagefile.Gather(h, func(p imagefile.Part) error { return encode(out, p) }), nil
}

func encode(out io.Writer, p imagefile.Part) error {
	img := image.NewRGBA(image.Rect(0, 0, p.Width(), p.Height()))
	for i := range p.Planes[0] {
		img.Pix[4*i], img.Pix[4*i+1], img.Pix[4*i+2], img.Pix[4*i+3] = p.Planes[0][i], p.Planes[1][i], p.Planes[2][i],
			0xff
	}
	var b bytes.Buffer
	if err := bmp.Encode(&b, img); err != nil {
		return err
	}
	data := b.Bytes()
	binary.LittleEndian.PutUint32(data[resolutionAt:], uint32(math.Round(perMetre/p.Aspect())))
	binary.LittleEndian.PutUint32(data[resolutionAt+4:], perMetre)
	_, err := out.Write(data)
	return err
}

// NewReader reads a whole file of size bytes; limit bounds its own size and that of its planes.
func NewReader(in io.ReaderAt, size, limit int64) (imagefile.Reader, error) {
	p, err := decode(in, size, limit)
	if err != nil {
		return nil, fmt.Errorf("bmp: %w", err)
	}
	return imagefile.Whole(p), nil
}

func decode(in io.ReaderAt, size, limit int64) (imagefile.Part, error) {
	data, err := imagefile.Load(in, size, limit)
	if err != nil {
		return imagefile.Part{}, err
	}
	config, err := bmp.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return imagefile.Part{}, err
	}
	if config.Width < 1 || config.Height < 1 || int64(config.Width)*int64(config.Height) > limit/8 {
		return imagefile.Part{}, fmt.Errorf("%d × %d pixels cannot be read", config.Width, config.Height)
	}
	src, err := bmp.Decode(bytes.NewReader(data))
	if err != nil {
		return imagefile.Part{}, err
	}
	channels := "RGB"
	if _, alpha := src.(*image.NRGBA); alpha {
		channels = "RGBA"
	}
	p := imagefile.Part{
		Header: imagefile.Plain(config.Width, config.Height, imagefile.Uint8, strings.Split(channels, "")...),
	}
	p.Planes = p.Header.Planes(p.Height())
	if len(channels) == 4 {
		p.Alpha = imagefile.Straight
	}
	for y := range p.Height() {
		for x := range p.Width() {
			c := color.NRGBAModel.Convert(src.At(x, y)).(color.NRGBA)
			codes := [4]byte{c.R, c.G, c.B, c.A}
			for k, plane := range p.Planes {
				plane[y*p.Width()+x] = codes[k]
			}
		}
	}
	if len(data) >= headerEnd {
		if x, y := binary.LittleEndian.Uint32(data[resolutionAt:]),
			binary.LittleEndian.Uint32(data[resolutionAt+4:]); x > 0 &&
			y > 0 {
			p.PixelAspect = float64(y) / float64(x)
		}
	}
	return p, nil
}
