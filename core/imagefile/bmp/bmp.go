// Package bmp reads and writes BMP files: of 24 bits a pixel; palettes, runs, masks and 32 bits with alpha are read,
// too. What is written is golang.org/x/image's work, to which the pixel's shape is added.
package bmp

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"io"
	"math"

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
