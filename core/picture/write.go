package picture

import (
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/exr"
	"reelhouse/core/imagefile/formats"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

var le = binary.LittleEndian

// A Writer writes one file from bands of the picture, as they come; see Begin.
type Writer struct {
	encoding output.Encoding
	passes   []pass.Code
	header   imagefile.Header
	lines    int // written
	file     imagefile.Writer
}

// Begin begins a file of a size in pixels. Formats other than OpenEXR do not seek.
func Begin(out io.WriteSeeker, e output.Encoding, width, height int, passes []pass.Code, h Header) (*Writer, error) {
	header, err := head(e, width, height, passes, h)
	if err != nil {
		return nil, err
	}
	w := &Writer{encoding: e, passes: passes, header: header}
	w.file, err = formats.Begin(out, e, header)
	return w, err
}

// Band takes the next lines of the picture. The image's planes have the names of pass.ChannelNames; it is not changed.
func (w *Writer) Band(img *pixel.Image) error {
	if img.Width != w.header.Width() {
		return fmt.Errorf("a band of %d pixels does not fit a picture of %d", img.Width, w.header.Width())
	}
	chosen, err := stored(w.encoding, img, w.passes)
	if err != nil {
		return err
	}
	planes := samples(w.encoding, chosen, w.header, w.lines)
	w.lines += img.Height
	return w.file.WriteLines(0, img.Height, planes)
}

// Close finishes the file. It is an error if lines are missing.
func (w *Writer) Close() error { return w.file.Close() }

// head returns the header of a file.
func head(e output.Encoding, width, height int, passes []pass.Code, h Header) (imagefile.Header, error) {
	if err := e.Check(); err != nil {
		return imagefile.Header{}, err
	}
	if err := e.Holds(passes); err != nil {
		return imagefile.Header{}, err
	}
	out := imagefile.Plain(width, height, imagefile.Float)
	for _, code := range passes {
		described, err := pass.Find(code)
		if err != nil {
			return imagefile.Header{}, err
		}
		for _, name := range e.Stored(described) {
			c := imagefile.Channel{Name: name, Type: imagefile.Float}
			switch {
			case e.Depth == output.Eight:
				c.Type = imagefile.Uint8
			case !e.Floating():
				c.Type = imagefile.Uint16
			case e.Half(described):
				c.Type = imagefile.Half
			}
			out.Channels = append(out.Channels, c)
		}
	}
	if out.Channel("A") >= 0 {
		out.Alpha = imagefile.Premultiplied
		if e.Alpha == output.Straight {
			out.Alpha = imagefile.Straight
		}
	}
	if !e.Floating() {
		out.Curve = e.Curve
	}
	if k := e.Format.Kind(); !k.Aspect && h.PixelAspect != 0 && h.PixelAspect != 1 {
		return imagefile.Header{}, fmt.Errorf(
			"%s cannot say that its pixels are %g times as wide as high", k.Name, h.PixelAspect,
		)
	}
	out.PixelAspect = h.PixelAspect
	out.Attributes = h.attributes(e)
	if e.Format == output.EXR && h.Window.Size() == out.DataWindow.Size() {
		out.DataWindow, out.DisplayWindow = h.Window, h.Display
	}
	if e.Format == output.EXR && out.Alpha == imagefile.Straight {
		out.Attributes = append(out.Attributes, imagefile.Attribute{Name: alphaFact, Value: string(output.Straight)})
	}
	return out, nil
}

// stored returns the planes of the passes under the names, and with the primaries, that they have in the file.
func stored(e output.Encoding, img *pixel.Image, passes []pass.Code) (*pixel.Image, error) {
	chosen, err := Select(img, passes)
	if err != nil {
		return nil, err
	}
	if err := toPrimaries(chosen, e.Primaries, passes); err != nil || len(passes) != 1 {
		return chosen, err
	}
	described, err := pass.Find(passes[0])
	if err != nil {
		return nil, err
	}
	names := e.Stored(described)
	chosen.Planes = chosen.Planes[:len(names)]
	for i, name := range names {
		chosen.Planes[i].Name = name
	}
	return chosen, nil
}

// Named returns an image that was read from a file of the passes with the names of pass.ChannelNames: files without
// layers call the channels of any pass R, G and B. The image is not changed.
func Named(img *pixel.Image, passes []pass.Code) *pixel.Image {
	if len(passes) != 1 || img == nil {
		return img
	}
	described, err := pass.Find(passes[0])
	if err != nil || passes[0] == pass.Beauty {
		return img
	}
	names := map[string]string{}
	for _, name := range described.ChannelNames() {
		names[name[strings.LastIndexByte(name, '.')+1:]] = name
	}
	out := &pixel.Image{Width: img.Width, Height: img.Height, Planes: slices.Clone(img.Planes)}
	for i := range out.Planes {
		if name, ok := names[out.Planes[i].Name]; ok {
			out.Planes[i].Name = name
		}
	}
	return out
}

// samples turns planes of light into samples as the encoding has them; the image's first line is one of the picture.
func samples(e output.Encoding, img *pixel.Image, header imagefile.Header, line int) [][]byte {
	p := imagefile.Part{Header: header, Planes: make([][]byte, len(header.Channels))}
	planes := make([]pixel.Plane, len(header.Channels))
	for i, c := range header.Channels {
		planes[i] = *img.Plane(c.Name)
		p.Planes[i] = make([]byte, c.Type.Size()*len(planes[i].Data))
	}
	if e.Floating() {
		storeLight(p, img, planes)
	} else {
		storeCodes(p, e, planes, line)
	}
	return p.Planes
}

// storeLight stores floats.
func storeLight(p imagefile.Part, img *pixel.Image, planes []pixel.Plane) {
	if p.Alpha == imagefile.Straight {
		img = img.Clone()
		img.Straighten()
	}
	for i, plane := range planes {
		data, to := img.Plane(plane.Name).Data, p.Planes[i]
		half := p.Channels[i].Type == imagefile.Half
		pixel.Bands(len(data), func(from, behind int) {
			if half {
				to := to[2*from : 2*behind]
				for i, v := range data[from:behind] {
					le.PutUint16(to[2*i:], pixel.ToHalf(v))
				}
				return
			}
			to := to[4*from : 4*behind]
			for i, v := range data[from:behind] {
				le.PutUint32(to[4*i:], math.Float32bits(v))
			}
		})
	}
}

// storeCodes stores colour that is encoded for a display. Straight colour is encoded as if nothing shone through;
// premultiplied codes are these times alpha, so that readers get them back by dividing; without alpha colour stands
// over black as it is.
func storeCodes(p imagefile.Part, e output.Encoding, planes []pixel.Plane, line int) {
	code := pixel.NewEncoder(e.Depth.Bits(), e.Curve, e.Dither)
	largest := float32(int(1)<<e.Depth.Bits() - 1)
	alpha := p.Channel("A")
	pixel.Bands(len(planes[0].Data), func(from, behind int) {
		for i := from; i < behind; i++ {
			x, y := i%p.Width(), line+i/p.Width()
			a := float32(1)
			if alpha >= 0 {
				a = planes[alpha].Data[i]
			}
			for k := range planes {
				v := planes[k].Data[i]
				var c uint16
				switch {
				case k == alpha:
					c = code.Whole(a, x, y)
				case alpha < 0:
					c = code.Code(v, x, y)
				case !(a > 0):
				case p.Alpha == imagefile.Straight:
					c = code.Code(v/a, x, y)
				default:
					c = uint16(float32(code.Code(v/a, x, y))*min(1, a) + 0.5)
					c = min(c, uint16(largest))
				}
				switch e.Depth {
				case output.Eight:
					p.Planes[k][i] = byte(c)
				case output.Ten:
					le.PutUint16(p.Planes[k][2*i:], c<<6|c>>4)
				default:
					le.PutUint16(p.Planes[k][2*i:], c)
				}
			}
		}
	})
}

// compressionOf returns the output's name of what an OpenEXR file is packed by.
func compressionOf(c exr.Compression) output.Compression {
	for ours, theirs := range formats.EXRCompressions {
		if theirs == c {
			return ours
		}
	}
	return output.None
}

// hasHalf reports whether any channel is stored in halves.
func hasHalf(h imagefile.Header) bool {
	return slices.ContainsFunc(h.Channels, func(c imagefile.Channel) bool { return c.Type == imagefile.Half })
}
