package picture

import (
	"bytes"
	"fmt"
	"io"
	"math"
	"strings"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/exr"
	"reelhouse/core/imagefile/formats"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pixel"
)

// Limit is the memory that the samples of one file may take, in bytes.
const Limit = 4 << 30

// Decode reads the first part of a file of any format, by what is in it.
func Decode(data []byte) (Picture, error) {
	f, err := Open(data)
	if err != nil {
		return Picture{}, err
	}
	return f.Part(0)
}

// A File is an image file of any format, of which parts can be read.
type File struct {
	reader  imagefile.Reader
	format  formats.Format
	Headers []imagefile.Header // of its parts
	Storage []string           // how each is compressed and laid out, of OpenEXR
	// KeepPrimaries says that light is read with the numbers that the file has for it, whatever its primaries are.
	KeepPrimaries bool
	// Only tells which channels of an OpenEXR file are read, besides its alpha; nil for all. The others have no planes.
	Only func(channel string) bool
}

// Open reads what a file says of itself.
func Open(data []byte) (*File, error) {
	return OpenLarge(bytes.NewReader(data), int64(len(data)), Limit)
}

// OpenLarge is Open for a file of size bytes, of which the samples of a part may take as many bytes as limit says. Of
// OpenEXR only the lines that are asked for are held; files of other formats are held as they are stored.
func OpenLarge(in io.ReaderAt, size, limit int64) (*File, error) {
	r, format, err := formats.Open(in, size, limit)
	if err != nil {
		return nil, err
	}
	f := &File{reader: r, format: format, Headers: r.Headers()}
	f.Storage = make([]string, len(f.Headers))
	if e, ok := r.(*exr.Reader); ok {
		for i := range f.Headers {
			part := e.Part(i)
			f.Storage[i] = part.Compression.String() + ", lines"
			if part.Tile.X > 0 {
				f.Storage[i] = fmt.Sprintf("%s, tiles of %d × %d", part.Compression, part.Tile.X, part.Tile.Y)
			}
		}
	}
	return f, nil
}

// CheckSum compares the file with the sum that it says of itself, if it says any; see imagefile.DataSum.
func (f *File) CheckSum() error {
	if r, ok := f.reader.(interface{ CheckSum() error }); ok {
		return r.CheckSum()
	}
	return nil // what is decoded as a whole was compared before
}

// Part reads one part, counted from 0.
func (f *File) Part(n int) (Picture, error) {
	return f.Lines(n, 0, f.Headers[n].Height())
}

// Lines reads the lines of a part from y0 up to y1, counted from the top of its data window.
func (f *File) Lines(n, y0, y1 int) (Picture, error) {
	part, err := f.Stored(n, y0, y1)
	if err != nil {
		return Picture{}, err
	}
	return f.Decoded(n, part), nil
}

// Decoded returns what lines are that were read as the file has them.
func (f *File) Decoded(n int, part imagefile.Part) Picture {
	h := f.Headers[n]
	e := encodingOf(h, f.format)
	p := Picture{Encoding: e, CurveStated: h.Curve != "" || e.Floating(), PixelAspect: h.Aspect()}
	if e, ok := f.reader.(*exr.Reader); ok {
		p.Encoding.Compression = compressionOf(e.Part(n).Compression)
	}
	for _, a := range h.Attributes {
		p.Facts = append(p.Facts, job.Fact{Name: strings.TrimPrefix(a.Name, Prefix), Value: a.String()})
	}
	p.load(part, f.KeepPrimaries)
	return p
}

// Stored reads the lines of a part from y0 up to y1 as the file has them, undecoded.
func (f *File) Stored(n, y0, y1 int) (imagefile.Part, error) {
	h := f.Headers[n]
	part := imagefile.Part{Header: h, Planes: make([][]byte, len(h.Channels))}
	_, layered := f.reader.(*exr.Reader)
	for i, c := range h.Channels {
		if f.Only == nil || !layered || c.Name == "A" || f.Only(c.Name) {
			part.Planes[i] = make([]byte, (y1-y0)*h.Width()*c.Type.Size())
		}
	}
	if err := f.reader.ReadLines(n, y0, y1, part.Planes); err != nil {
		return imagefile.Part{}, err
	}
	part.DataWindow.Min.Y, part.DataWindow.Max.Y = h.DataWindow.Min.Y+y0, h.DataWindow.Min.Y+y1
	return part, nil
}

// Bits returns how many bits the codes of a part have in the file.
func (f *File) Bits(n int) int {
	if b := f.Headers[n].CodeBits; b > 0 {
		return b
	}
	return 8 * f.Headers[n].Channels[0].Type.Size()
}

// encodingOf returns what a header says of how its file is encoded.
func encodingOf(h imagefile.Header, f formats.Format) output.Encoding {
	e := f.Usual()
	e.Level = 0
	switch h.Channels[0].Type {
	case imagefile.Uint8:
		e.Depth = output.Eight
	case imagefile.Uint16:
		if e.Depth = output.Sixteen; h.CodeBits == 10 {
			e.Depth = output.Ten
		}
	default:
		if e.Depth = output.Float; hasHalf(h) {
			e.Depth = output.ByPass
		}
	}
	switch {
	case e.Floating():
		e.Curve = pixel.Linear
	case h.Curve != "":
		e.Curve = h.Curve
	default:
		e.Curve = pixel.SRGB
	}
	if e.Floating() {
		e.Primaries = statedPrimaries(h)
	}
	e.Alpha = output.NoAlpha
	if h.Channel("A") >= 0 {
		e.Alpha = output.Premultiplied
		if h.Alpha == imagefile.Straight || h.Attributes.Text(alphaFact) == string(output.Straight) {
			e.Alpha = output.Straight
		}
	}
	return e
}

// load turns samples into light: working light, unless it is to keep the primaries that the file says. Grey becomes
// red, green and blue.
func (p *Picture) load(part imagefile.Part, asStored bool) {
	p.Image = &pixel.Image{Width: part.Width(), Height: part.Height()}
	for i, c := range part.Channels {
		if part.Planes[i] == nil { // it was not wanted
			continue
		}
		name := c.Name
		if name == "Y" && !p.Encoding.Floating() {
			name = "R"
		}
		plane := pixel.Plane{
			Name: name,
			Half: c.Type == imagefile.Half,
			Data: make([]float32, part.Width()*part.Height()),
		}
		from := part.Planes[i]
		pixel.Bands(len(plane.Data), func(first, behind int) {
			numbers(plane.Data[first:behind], from[first*c.Type.Size():], c.Type)
		})
		p.Image.Planes = append(p.Image.Planes, plane)
		if name != c.Name {
			p.Image.Planes = append(
				p.Image.Planes, pixel.Plane{Name: "G", Data: plane.Data}, pixel.Plane{Name: "B", Data: plane.Data},
			)
		}
	}
	if !p.Encoding.Floating() {
		p.decodeCodes()
	}
	if !asStored {
		p.toWorking(part.Header)
	}
	if p.Encoding.Alpha == output.Straight {
		p.Image.Premultiply()
	}
}

// numbers turns samples into floats: codes into 0 to 1.
func numbers(to []float32, from []byte, t imagefile.Type) {
	switch t {
	case imagefile.Half:
		for i := range to {
			to[i] = pixel.FromHalf(le.Uint16(from[2*i:]))
		}
	case imagefile.Float:
		for i := range to {
			to[i] = math.Float32frombits(le.Uint32(from[4*i:]))
		}
	case imagefile.Uint32:
		for i := range to {
			to[i] = float32(le.Uint32(from[4*i:]))
		}
	case imagefile.Uint8:
		for i := range to {
			to[i] = float32(from[i]) / math.MaxUint8
		}
	default:
		for i := range to {
			to[i] = float32(le.Uint16(from[2*i:])) / math.MaxUint16
		}
	}
}

// decodeCodes turns codes of colour into light. Premultiplied ones are divided by alpha for it, since they were encoded
// straight.
func (p *Picture) decodeCodes() {
	decoded := p.Encoding.Curve.Lights()
	premultiplied := p.Encoding.Alpha == output.Premultiplied
	alpha := p.Image.Plane("A")
	done := map[*float32]bool{} // grey stands in three planes
	for _, plane := range p.Image.Planes {
		if plane.Name == "A" || done[&plane.Data[0]] {
			continue
		}
		done[&plane.Data[0]] = true
		pixel.Bands(len(plane.Data), func(first, behind int) {
			for i := first; i < behind; i++ {
				v, a := plane.Data[i], float32(1)
				if premultiplied && alpha != nil {
					if a = alpha.Data[i]; a > 0 {
						v = min(1, v/a)
					}
				}
				plane.Data[i] = decoded[int(v*math.MaxUint16+0.5)] * a
			}
		})
	}
}
