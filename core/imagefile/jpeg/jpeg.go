// Package jpeg reads and writes JPEG files (ITU-T T.81) of 8 bits, as JFIF (ITU-T T.871) with basic Exif facts (CIPA
// DC-008): grey, or colour with all of its colour differences (4:4:4) or a quarter of them (4:2:0).
//
// The standard library reads all of them and writes those of 4:2:0 and grey; 4:4:4, which it does not write, is written
// here.
package jpeg

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"io"
	"math"
	"strings"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/ifd"
	"reelhouse/core/pixel"
)

// Signature begins every file: the marker SOI, and another marker.
const Signature = "\xff\xd8\xff"

// Markers (T.81, table B.1), and identifiers of segments.
const (
	markerStart   = 0xd8
	markerEnd     = 0xd9
	markerScan    = 0xda
	markerTables  = 0xdb
	markerFrame   = 0xc0
	markerCodes   = 0xc4
	markerAPP0    = 0xe0
	markerAPP1    = 0xe1
	markerComment = 0xfe
	jfif          = "JFIF\x00"
	exif          = "Exif\x00\x00"
	maxSegment    = math.MaxUint16 - 2
	maxEdge       = math.MaxUint16
)

// Tags of Exif (CIPA DC-008, tables 4 and 5).
const (
	tagDescription  = 270
	tagMake         = 271
	tagModel        = 272
	tagXResolution  = 282
	tagYResolution  = 283
	tagUnit         = 296
	tagSoftware     = 305
	tagDateTime     = 306
	tagArtist       = 315
	tagYCbCrPlace   = 531
	tagExif         = 34665
	tagExposure     = 33434
	tagFNumber      = 33437
	tagVersion      = 36864
	tagComponents   = 37121
	tagFocalLength  = 37386
	tagFlashpix     = 40960
	tagColorSpace   = 40961
	tagPixelXSize   = 40962
	tagPixelYSize   = 40963
	colorSpaceSRGB  = 1
	unitInch        = 2
	placeCentred    = 1
	exifVersion     = "0230"
	flashpixVersion = "0100"
)

// texts and ratios are the attributes that have a tag.
var (
	texts = []struct {
		tag  uint16
		name string
	}{{tagDescription, "comments"}, {tagMake, "cameraMake"}, {tagModel, "cameraModel"}, {tagSoftware, "software"},
		{tagDateTime, "capDate"}, {tagArtist, "owner"}}
	ratios = []struct {
		tag  uint16
		name string
	}{{tagExposure, "expTime"}, {tagFNumber, "aperture"}, {tagFocalLength, "nominalFocalLength"}}
)

// Options say how a file is written.
type Options struct {
	Quality int // 1 to 100; 0 for 90
	// Full keeps all colour differences (4:4:4); otherwise there is one for four pixels (4:2:0).
	Full bool
}

const usualQuality = 90

// NewWriter writes a file when it is closed. Channels are Y or RGB of 8 bits, encoded as sRGB. Attributes that Exif has
// a tag for stand there, the others in a comment, one a line.
func NewWriter(out io.Writer, h imagefile.Header, o Options) (imagefile.Writer, error) {
	if o.Quality == 0 {
		o.Quality = usualQuality
	}
	err := h.CheckSize(maxEdge)
	if err == nil {
		err = h.CheckChannels([]imagefile.Type{imagefile.Uint8}, "Y", "RGB")
	}
	switch {
	case err != nil:
	case o.Quality < 1 || o.Quality > 100:
		err = fmt.Errorf("a quality of %d is outside 1 to 100", o.Quality)
	case h.Curve != "" && h.Curve != pixel.SRGB:
		err = fmt.Errorf("it is sRGB, and cannot say that it is %s", h.Curve.Name())
	}
	if err != nil {
		return nil, fmt.Errorf("jpeg: %w", err)
	}
	return imagefile.Gather(h, func(p imagefile.Part) error { return encode(out, p, o) }), nil
}

func encode(out io.Writer, p imagefile.Part, o Options) error {
	var b bytes.Buffer
	if o.Full && len(p.Planes) == 3 {
		e := encoder{quality: o.Quality}
		b.Write(e.encode(p))
	} else if err := jpeg.Encode(&b, standard(p), &jpeg.Options{Quality: o.Quality}); err != nil {
		return err
	}
	own := appendSegment([]byte{0xff, markerStart}, markerAPP0, densities(p.Aspect()))
	facts, rest := exifFacts(p.Header)
	if len(facts) <= maxSegment {
		own = appendSegment(own, markerAPP1, facts)
	}
	var comment strings.Builder
	for line := range strings.Lines(rest.Lines()) {
		if comment.Len()+len(line) <= maxSegment {
			comment.WriteString(line)
		}
	}
	if comment.Len() > 0 {
		own = appendSegment(own, markerComment, []byte(comment.String()))
	}
	for _, part := range [][]byte{own, b.Bytes()[2:]} {
		if _, err := out.Write(part); err != nil {
			return err
		}
	}
	return nil
}

// standard returns the part as an image of the standard library.
func standard(p imagefile.Part) image.Image {
	bounds := image.Rect(0, 0, p.Width(), p.Height())
	if len(p.Planes) == 1 {
		return &image.Gray{Pix: p.Planes[0], Stride: p.Width(), Rect: bounds}
	}
	img := image.NewRGBA(bounds)
	for i := range p.Planes[0] {
		img.Pix[4*i], img.Pix[4*i+1], img.Pix[4*i+2], img.Pix[4*i+3] = p.Planes[0][i], p.Planes[1][i], p.Planes[2][i],
			0xff
	}
	return img
}

// densities returns the data of the JFIF segment: version 1.02, and, with unit 0, the pixel's shape only; no thumbnail.
func densities(aspect float64) []byte {
	app0 := append([]byte(jfif), 1, 2, 0)
	app0 = binary.BigEndian.AppendUint16(app0, uint16(math.Round(1000/aspect)))
	app0 = binary.BigEndian.AppendUint16(app0, 1000)
	return append(app0, 0, 0)
}

func appendSegment(dst []byte, marker byte, data []byte) []byte {
	dst = append(dst, 0xff, marker)
	return append(binary.BigEndian.AppendUint16(dst, uint16(len(data)+2)), data...)
}

// exifFacts returns the data of the Exif segment, and the attributes that it has no tag for.
func exifFacts(h imagefile.Header) ([]byte, imagefile.Attributes) {
	first, second := ifd.Directory{Order: binary.LittleEndian}, ifd.Directory{Order: binary.LittleEndian}
	var rest imagefile.Attributes
	for _, a := range h.Attributes {
		placed := false
		for _, t := range texts {
			if v, ok := a.Value.(string); ok && t.name == a.Name {
				first.AddText(t.tag, v)
				placed = true
			}
		}
		for _, r := range ratios {
			if v, ok := a.Value.(float32); ok && r.name == a.Name && v >= 0 && v < 1e6 {
				second.AddRatio(r.tag, float64(v))
				placed = true
			}
		}
		if !placed {
			rest = append(rest, a)
		}
	}
	first.AddRatio(tagXResolution, 72)
	first.AddRatio(tagYResolution, 72)
	first.AddInts(tagUnit, ifd.Short, unitInch)
	first.AddInts(tagYCbCrPlace, ifd.Short, placeCentred)
	second.Entries = append(second.Entries,
		ifd.Entry{Tag: tagVersion, Kind: ifd.Undefined, Count: 4, Data: []byte(exifVersion)},
		ifd.Entry{Tag: tagComponents, Kind: ifd.Undefined, Count: 4, Data: []byte{1, 2, 3, 0}},
		ifd.Entry{Tag: tagFlashpix, Kind: ifd.Undefined, Count: 4, Data: []byte(flashpixVersion)})
	second.AddInts(tagColorSpace, ifd.Short, colorSpaceSRGB)
	second.AddInts(tagPixelXSize, ifd.Long, h.Width())
	second.AddInts(tagPixelYSize, ifd.Long, h.Height())
	// The first directory names the place of the second, which stands behind it.
	first.AddInts(tagExif, ifd.Long, 0)
	at := 8 + len(first.Append(nil, 8, 0))
	binary.LittleEndian.PutUint32(first.Entries[len(first.Entries)-1].Data, uint32(at))
	data := append([]byte("II\x2a\x00"), 8, 0, 0, 0)
	data = first.Append(data, 0, 0)
	return append([]byte(exif), second.Append(data, 0, 0)...), rest
}

// NewReader reads a whole file of size bytes; limit bounds its own size and that of its planes.
func NewReader(in io.ReaderAt, size, limit int64) (imagefile.Reader, error) {
	data, err := imagefile.Load(in, size, limit)
	if err != nil {
		return nil, fmt.Errorf("jpeg: %w", err)
	}
	p, err := decode(data, limit)
	if err != nil {
		return nil, fmt.Errorf("jpeg: %w", err)
	}
	return imagefile.Whole(p), nil
}

func decode(data []byte, limit int64) (p imagefile.Part, err error) {
	config, err := jpeg.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return p, told(err)
	}
	if config.Width < 1 || config.Height < 1 {
		return p, fmt.Errorf("%d × %d pixels cannot be read", config.Width, config.Height)
	}
	// The library makes an image of its own beside the planes, and of files in several scans all coefficients.
	if int64(config.Width)*int64(config.Height) > limit/24 {
		return p, fmt.Errorf(
			"%d × %d pixels take more than the %d bytes that may be read", config.Width, config.Height, limit,
		)
	}
	src, err := jpeg.Decode(bytes.NewReader(data))
	if err != nil {
		return p, told(err)
	}
	channels := "RGB"
	if _, grey := src.(*image.Gray); grey {
		channels = "Y"
	}
	p.Header = imagefile.Plain(config.Width, config.Height, imagefile.Uint8, strings.Split(channels, "")...)
	p.Curve = pixel.SRGB // JFIF has no other
	p.Planes = p.Header.Planes(p.Height())
	switch src := src.(type) {
	case *image.Gray:
		for y := range p.Height() {
			copy(p.Planes[0][y*p.Width():][:p.Width()], src.Pix[y*src.Stride:])
		}
	case *image.YCbCr:
		colours(p.Planes, src)
	default: // of four inks, or RGB
		for i := range p.Planes[0] {
			v := color.RGBAModel.Convert(src.At(i%p.Width(), i/p.Width())).(color.RGBA)
			p.Planes[0][i], p.Planes[1][i], p.Planes[2][i] = v.R, v.G, v.B
		}
	}
	p.Orient(segments(&p.Header, data))
	return p, nil
}

// told returns an error of the library with what would be read.
func told(err error) error {
	var feature jpeg.UnsupportedError
	if errors.As(err, &feature) {
		return fmt.Errorf("its kind is not read (%s); baseline and progressive files of 8 bits are", string(feature))
	}
	return err
}

// segments reads what a decoded file says before its first scan, and returns the orientation that Exif says, or 0.
func segments(h *imagefile.Header, data []byte) (orientation int) {
	for at := 2; at+4 <= len(data) && data[at] == 0xff && data[at+1] != markerScan; {
		size := int(binary.BigEndian.Uint16(data[at+2:]))
		if size < 2 || at+2+size > len(data) {
			return orientation
		}
		value := data[at+4 : at+2+size]
		switch {
		case data[at+1] == markerAPP0 && bytes.HasPrefix(value, []byte(jfif)) && len(value) >= 12:
			if x, y := binary.BigEndian.Uint16(value[8:]), binary.BigEndian.Uint16(value[10:]); x > 0 && y > 0 {
				h.PixelAspect = float64(y) / float64(x)
			}
		case data[at+1] == markerAPP1 && bytes.HasPrefix(value, []byte(exif)):
			readExif(h, value[len(exif):])
			orientation = ifd.Orientation(value[len(exif):])
		case data[at+1] == markerComment:
			h.Attributes = append(h.Attributes, imagefile.ParseLines(strings.ToValidUTF8(string(value), "\uFFFD"))...)
		}
		at += 2 + size
	}
	return orientation
}

// readExif reads the facts that have an attribute; what is damaged is left aside.
func readExif(h *imagefile.Header, data []byte) {
	file, at, err := ifd.Open(data)
	if err != nil {
		return
	}
	first, _, err := file.Read(at)
	if err != nil {
		return
	}
	for _, t := range texts {
		if v := first.Text(t.tag); v != "" {
			h.Attributes = append(
				h.Attributes, imagefile.Attribute{Name: t.name, Value: strings.ToValidUTF8(v, "\uFFFD")},
			)
		}
	}
	second, _, err := file.Read(first.Int(tagExif, 0))
	if err != nil {
		return
	}
	for _, r := range ratios {
		if v := second.Ratio(r.tag); v > 0 {
			h.Attributes = append(h.Attributes, imagefile.Attribute{Name: r.name, Value: float32(v)})
		}
	}
}
