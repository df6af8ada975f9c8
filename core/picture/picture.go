// Package picture turns what is rendered into files of the outputs' formats, and files back into light.
//
// Pictures come and go as planes of linear light with premultiplied alpha. What a file's encoding says
// (core/output) is done on the way: alpha is divided out where it is to be straight, the display encode is
// applied once, into whole numbers only, and these are dithered if that is asked for. A file says which encode it
// carries, and is decoded by what it says.
package picture

import (
	"fmt"
	"image"
	"io"
	"slices"
	"strings"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/exr"
	"reelhouse/core/imagefile/formats"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// Prefix begins the names of the attributes that are ours alone.
const Prefix = "reelhouse:"

// CameraPrefix stands before the names of attributes that tell of the camera and have no standard name.
const CameraPrefix = Prefix + "camera/"

// Software is what files say that they were made by.
const Software = "Reelhouse"

// alphaFact names the attribute of OpenEXR files whose colour is not premultiplied, as the format expects it to be.
const alphaFact = Prefix + "alpha"

// Header is what a file says about itself.
type Header struct {
	Rate        frame.Rate
	Frame       int
	PixelAspect float64 // 0 stands for 1
	FocalLength float64 // of the camera, in millimetres; 0 if it is not known
	Facts       []job.Fact
	// Attributes go into an OpenEXR file as they are, beside the facts.
	Attributes imagefile.Attributes
	// Window is where the image lies in Display, if it is a part of a larger picture; OpenEXR says so.
	Window, Display image.Rectangle
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

// Cryptomatte returns the attributes that an OpenEXR file with a Cryptomatte has to have (Cryptomatte specification,
// version 1.2.0).
func Cryptomatte(p pass.Pass, manifest string) imagefile.Attributes {
	prefix := "cryptomatte/" + p.LayerKey() + "/"
	return imagefile.Attributes{
		{
			Name:  prefix + "name",
			Value: p.Layer,
		}, {Name: prefix + "hash", Value: "MurmurHash3_32"}, {Name: prefix + "conversion", Value: "uint32_to_float32"},
		{Name: prefix + "manifest", Value: manifest},
	}
}

// Encode writes the planes of the passes. The image's planes have the names of pass.ChannelNames; it is not changed.
func Encode(w io.Writer, e output.Encoding, img *pixel.Image, passes []pass.Code, h Header) error {
	header, err := head(e, img.Width, img.Height, passes, h)
	if err != nil {
		return err
	}
	chosen, err := stored(e, img, passes)
	if err != nil {
		return err
	}
	planes := samples(e, chosen, header, 0)
	if e.Format == output.EXR {
		return exr.Encode(w, exr.Picture{Part: formats.EXRPart(e, header), Planes: planes})
	}
	file, err := formats.Begin(w, e, header)
	if err != nil {
		return err
	}
	return imagefile.WriteAll(file, imagefile.Part{Header: header, Planes: planes})
}

// A Picture is a decoded file.
type Picture struct {
	Encoding    output.Encoding // as far as the file says it; level and dither are not known
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

// attributes returns the facts as attributes: under our prefix, and those that a standard names also under its name and
// in its type.
func (h Header) attributes(e output.Encoding) imagefile.Attributes {
	f := e.Format
	var a imagefile.Attributes
	add := func(name string, value any) { a = append(a, imagefile.Attribute{Name: name, Value: value}) }
	add(
		"framesPerSecond",
		imagefile.Rational{Numerator: int32(h.Rate.Numerator), Denominator: uint32(h.Rate.Denominator)},
	)
	add(Prefix+"frame", int32(h.Frame))
	if f == output.EXR || e.Primaries != "" {
		add(imagefile.ChromaticitiesName, imagefile.ChromaticitiesOf(e.Primaries))
	}
	if f.Kind().Software {
		add("software", Software)
	}
	if f == output.DPX {
		add("frame", int32(h.Frame))
	}
	if h.FocalLength > 0 {
		add("nominalFocalLength", float32(h.FocalLength))
	}
	if f == output.EXR {
		a = append(a, h.Attributes...)
	}
	for _, fact := range h.Facts {
		if name, value := standardFact(fact, f); name != "" {
			add(name, value)
		}
		add(Prefix+fact.Name, fact.Value)
	}
	return a
}

// Ours reports whether an attribute of a name is made of a header's own fields and facts.
func Ours(name string) bool {
	if strings.HasPrefix(name, CameraPrefix) {
		return false
	}
	return strings.HasPrefix(name, Prefix) || slices.Contains([]string{
		"framesPerSecond", imagefile.ChromaticitiesName, "software", "frame", "nominalFocalLength", "timeCode",
		"capDate",
		"comments", "title",
	}, name)
}

// standardFact returns a fact as the OpenEXR project's "Standard Attributes" or a field of the format has it; "" if
// none does.
func standardFact(fact job.Fact, f output.Format) (name string, value any) {
	switch fact.Name {
	case "timecode":
		if t, err := parseTimeCode(fact.Value); err == nil {
			return "timeCode", t
		}
	case "date": // of sending, so that a frame that is rendered again is the same file
		if t, err := time.Parse(time.DateOnly, fact.Value); err == nil {
			return "capDate", t.Format("2006:01:02 15:04:05")
		}
	case "note":
		return "comments", fact.Value
	case "title":
		if f == output.DPX || f == output.TGA {
			return "title", fact.Value
		}
	}
	return "", nil
}

// parseTimeCode reads HH:MM:SS:FF, with ; before the frames where frame numbers are dropped.
func parseTimeCode(text string) (imagefile.TimeCode, error) {
	var hours, minutes, seconds, frames int
	drop := strings.Contains(text, ";")
	if _, err := fmt.Sscanf(strings.ReplaceAll(text, ";", ":"), "%d:%d:%d:%d", &hours, &minutes, &seconds,
		&frames); err != nil {
		return imagefile.TimeCode{}, fmt.Errorf("%q is no timecode", text)
	}
	return imagefile.NewTimeCode(hours, minutes, seconds, frames, drop)
}
