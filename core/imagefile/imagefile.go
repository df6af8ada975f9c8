// Package imagefile writes and reads pictures as files: OpenEXR for light and numbers, PNG for finished
// pictures.
//
// Into OpenEXR go linear light and data as they are. Into PNG goes the beauty alone, encoded once with the
// sRGB curve (IEC 61966-2-1) and with straight alpha.
package imagefile

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/imagefile/exr"
	"reelhouse/core/job"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
)

// Holds says why a format cannot hold the passes in one file, or nil.
func Holds(f production.Format, passes []pass.Code) error {
	if f == production.EXR {
		return nil
	}
	for _, code := range passes {
		if code != pass.Beauty {
			return fmt.Errorf("PNG holds the beauty only: it has no layers and no floating point, which the %s pass needs", code)
		}
	}
	return nil
}

// Header is what a file says about itself.
type Header struct {
	Rate  frame.Rate
	Frame int
	Facts []job.Fact
}

// Encode writes the planes of the passes. The image's planes have the names of pass.ChannelNames.
func Encode(w io.Writer, f production.Format, img *pixel.Image, passes []pass.Code, h Header) error {
	if err := Holds(f, passes); err != nil {
		return err
	}
	var names []string
	for _, code := range passes {
		described, err := pass.Find(code)
		if err != nil {
			return err
		}
		names = append(names, described.ChannelNames()...)
	}
	chosen, err := img.Select(names...)
	if err != nil {
		return err
	}
	switch f {
	case production.EXR:
		return exr.Encode(w, &exr.File{Image: chosen, Compression: exr.ZIP, Attributes: attributes(h)})
	case production.PNG8:
		return encoder.Encode(w, display8(chosen))
	case production.PNG16:
		return encoder.Encode(w, display16(chosen))
	}
	return fmt.Errorf("there is no file format %q", f)
}

var encoder = png.Encoder{CompressionLevel: png.DefaultCompression}

// Prefix begins the names of the attributes that are ours alone.
const Prefix = "reelhouse:"

// attributes returns the header in OpenEXR's standard attributes and, for the rest, ours.
func attributes(h Header) []exr.Attribute {
	out := []exr.Attribute{
		exr.Int(Prefix+"frame", int32(h.Frame)),
		exr.Rational("framesPerSecond", int32(h.Rate.Numerator), uint32(h.Rate.Denominator)),
	}
	for _, f := range h.Facts {
		out = append(out, exr.Text(Prefix+f.Name, f.Value))
	}
	return out
}

// straight returns the colour of pixel i before it was multiplied by alpha, and alpha.
func straight(img *pixel.Image, i int) (r, g, b, a float32) {
	a = img.Planes[3].Data[i]
	if a <= 0 {
		return 0, 0, 0, 0
	}
	return img.Planes[0].Data[i] / a, img.Planes[1].Data[i] / a, img.Planes[2].Data[i] / a, min(1, a)
}

func display8(img *pixel.Image) *image.NRGBA {
	e := pixel.NewEncoder(8)
	out := image.NewNRGBA(image.Rect(0, 0, img.Width, img.Height))
	for i := range img.Width * img.Height {
		r, g, b, a := straight(img, i)
		copy(out.Pix[4*i:], []byte{byte(e.Code(r)), byte(e.Code(g)), byte(e.Code(b)), byte(a*255 + 0.5)})
	}
	return out
}

func display16(img *pixel.Image) *image.NRGBA64 {
	e := pixel.NewEncoder(16)
	out := image.NewNRGBA64(image.Rect(0, 0, img.Width, img.Height))
	for i := range img.Width * img.Height {
		r, g, b, a := straight(img, i)
		out.SetNRGBA64(i%img.Width, i/img.Width, color.NRGBA64{R: e.Code(r), G: e.Code(g), B: e.Code(b), A: uint16(a*65535 + 0.5)})
	}
	return out
}

// A Picture is a decoded file.
type Picture struct {
	Format production.Format
	Image  *pixel.Image // for PNG: R, G, B, A, decoded to premultiplied linear light
	Facts  []job.Fact
}

// Decode reads a file of any format that Encode writes, by what is in it.
func Decode(data []byte) (Picture, error) {
	switch {
	case bytes.HasPrefix(data, []byte("\x76\x2f\x31\x01")):
		f, err := exr.Decode(bytes.NewReader(data))
		if err != nil {
			return Picture{}, err
		}
		p := Picture{Format: production.EXR, Image: f.Image}
		for _, a := range f.Attributes {
			p.Facts = append(p.Facts, job.Fact{Name: strings.TrimPrefix(a.Name, Prefix), Value: a.String()})
		}
		return p, nil
	case bytes.HasPrefix(data, []byte("\x89PNG\r\n\x1a\n")):
		return decodePNG(data)
	case len(data) == 0:
		return Picture{}, fmt.Errorf("the file is empty")
	}
	return Picture{}, fmt.Errorf("neither an OpenEXR nor a PNG file")
}

// maxPNGPixels bounds the memory that a PNG header can ask for.
const maxPNGPixels = 1 << 28

func decodePNG(data []byte) (Picture, error) {
	config, err := png.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return Picture{}, err
	}
	if config.Width*config.Height > maxPNGPixels {
		return Picture{}, fmt.Errorf("png: %d x %d pixels are too many", config.Width, config.Height)
	}
	src, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		return Picture{}, err
	}
	p := Picture{Format: production.PNG8, Image: pixel.New(config.Width, config.Height, "R", "G", "B", "A")}
	if config.ColorModel == color.NRGBA64Model || config.ColorModel == color.RGBA64Model || config.ColorModel == color.Gray16Model {
		p.Format = production.PNG16
	}
	for i := range config.Width * config.Height {
		c := color.NRGBA64Model.Convert(src.At(i%config.Width, i/config.Width)).(color.NRGBA64)
		a := float64(c.A) / 65535
		for j, code := range []uint16{c.R, c.G, c.B} {
			p.Image.Planes[j].Data[i] = float32(pixel.Decode(float64(code)/65535) * a)
		}
		p.Image.Planes[3].Data[i] = float32(a)
	}
	return p, nil
}
