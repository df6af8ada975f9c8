package imagefile

import (
	"bytes"
	"io"
	"strings"

	"reelhouse/core/imagefile/exr"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// Prefix begins the names of the attributes that are ours alone.
const Prefix = "reelhouse:"

// alphaFact names the attribute of files whose colour is not premultiplied, as the OpenEXR document expects
// it to be.
const alphaFact = "alpha"

var exrCompressions = map[output.Compression]exr.Compression{output.None: exr.None, output.RLE: exr.RLE, output.PIZ: exr.PIZ, output.ZIPS: exr.ZIPS, output.ZIP: exr.ZIP}

func encodeEXR(w io.Writer, e output.Encoding, img *pixel.Image, passes []pass.Code, h Header) error {
	if e.Alpha == output.Straight && img.Plane("A") != nil {
		img = img.Clone()
		straight(img, true)
	}
	stored := &pixel.Image{Width: img.Width, Height: img.Height}
	for _, code := range passes {
		described, err := pass.Find(code)
		if err != nil {
			return err
		}
		for _, name := range e.Channels(described) {
			p := *img.Plane(name)
			p.Half = e.Half(described)
			stored.Planes = append(stored.Planes, p)
		}
	}
	attributes := []exr.Attribute{
		exr.Int(Prefix+"frame", int32(h.Frame)),
		exr.Rational("framesPerSecond", int32(h.Rate.Numerator), uint32(h.Rate.Denominator)),
	}
	for _, f := range h.Facts {
		attributes = append(attributes, exr.Text(Prefix+f.Name, f.Value))
	}
	if e.Alpha == output.Straight && stored.Plane("A") != nil {
		attributes = append(attributes, exr.Text(Prefix+alphaFact, string(output.Straight)))
	}
	return exr.Encode(w, &exr.File{
		Image: stored, Compression: exrCompressions[e.Compression], Level: e.Level, PixelAspect: float32(h.pixelAspect()), Attributes: attributes,
	})
}

func decodeEXR(data []byte) (Picture, error) {
	f, err := exr.Decode(bytes.NewReader(data))
	if err != nil {
		return Picture{}, err
	}
	p := Picture{Encoding: output.Encoding{Format: output.EXR, Alpha: output.NoAlpha, Curve: pixel.Linear}, CurveStated: true, PixelAspect: float64(f.PixelAspect), Image: f.Image}
	for ours, theirs := range exrCompressions {
		if theirs == f.Compression {
			p.Encoding.Compression = ours
		}
	}
	for _, a := range f.Attributes {
		p.Facts = append(p.Facts, job.Fact{Name: strings.TrimPrefix(a.Name, Prefix), Value: a.String()})
	}
	p.Encoding.Depth = output.Float
	for _, plane := range f.Image.Planes {
		if plane.Half {
			p.Encoding.Depth = output.ByPass
		}
	}
	if f.Image.Plane("A") != nil {
		p.Encoding.Alpha = output.Premultiplied
		if p.Fact(alphaFact) == string(output.Straight) {
			p.Encoding.Alpha = output.Straight
			straight(f.Image, false)
		}
	}
	return p, nil
}
