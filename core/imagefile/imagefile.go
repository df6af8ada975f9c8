// Package imagefile writes and reads pictures as files: OpenEXR for light and numbers, PNG for finished
// pictures, JPEG for looking.
//
// Pictures come and go as planes of linear light with premultiplied alpha. What a file's encoding says
// (core/output) is done on the way: alpha is divided out where it is to be straight, and the display encode is
// applied once, into whole numbers only. A file says which encode it carries, and is decoded by what it says.
package imagefile

import (
	"bytes"
	"fmt"
	"io"

	"reelhouse/core/frame"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// Header is what a file says about itself.
type Header struct {
	Rate        frame.Rate
	Frame       int
	PixelAspect float64 // 0 stands for 1
	Facts       []job.Fact
}

func (h Header) pixelAspect() float64 {
	if h.PixelAspect == 0 {
		return 1
	}
	return h.PixelAspect
}

// Select returns the planes of the passes, by the names of pass.ChannelNames.
func Select(img *pixel.Image, passes []pass.Code) (*pixel.Image, error) {
	var names []string
	for _, code := range passes {
		described, err := pass.Find(code)
		if err != nil {
			return nil, err
		}
		names = append(names, described.ChannelNames()...)
	}
	return img.Select(names...)
}

// Encode writes the planes of the passes. The image's planes have the names of pass.ChannelNames.
func Encode(w io.Writer, e output.Encoding, img *pixel.Image, passes []pass.Code, h Header) error {
	if err := e.Check(); err != nil {
		return err
	}
	if err := e.Holds(passes); err != nil {
		return err
	}
	chosen, err := Select(img, passes)
	if err != nil {
		return err
	}
	switch e.Format {
	case output.EXR:
		return encodeEXR(w, e, chosen, passes, h)
	case output.PNG:
		return encodePNG(w, e, chosen, h)
	}
	return encodeJPEG(w, e, chosen, h)
}

// A Picture is a decoded file.
type Picture struct {
	Encoding    output.Encoding // as far as the file says it; level is not known
	CurveStated bool            // the file says its display encode; otherwise sRGB was taken for it
	PixelAspect float64
	Image       *pixel.Image // premultiplied linear light, or data
	Facts       []job.Fact
}

// Fact returns a fact's value, "" if it is not there.
func (p Picture) Fact(name string) string {
	for _, f := range p.Facts {
		if f.Name == name {
			return f.Value
		}
	}
	return ""
}

// Decode reads a file of any format that Encode writes, by what is in it.
func Decode(data []byte) (Picture, error) {
	switch {
	case bytes.HasPrefix(data, []byte("\x76\x2f\x31\x01")):
		return decodeEXR(data)
	case bytes.HasPrefix(data, []byte(pngSignature)):
		return decodePNG(data)
	case bytes.HasPrefix(data, []byte("\xff\xd8\xff")):
		return decodeJPEG(data)
	case len(data) == 0:
		return Picture{}, fmt.Errorf("the file is empty")
	}
	return Picture{}, fmt.Errorf("neither an OpenEXR nor a PNG nor a JPEG file")
}

// straight divides premultiplied colour by alpha, in place, or multiplies it again.
func straight(img *pixel.Image, divide bool) {
	alpha := img.Plane("A")
	if alpha == nil {
		return
	}
	for _, name := range []string{"R", "G", "B"} {
		p := img.Plane(name)
		if p == nil {
			continue
		}
		for i, a := range alpha.Data {
			switch {
			case !divide:
				p.Data[i] *= a
			case a > 0:
				p.Data[i] /= a
			default:
				p.Data[i] = 0
			}
		}
	}
}

// maxPixels bounds the memory that a header of PNG or JPEG can ask for.
const maxPixels = 1 << 28
