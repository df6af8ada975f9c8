// Package output says what files a shot becomes: file format, depth of number, compression, packing of
// passes, alpha, display encode, and what each format can hold of that.
//
// What a format cannot hold is known before it is chosen: Output.Cannot gives the reasons, each in a
// sentence. Float formats carry linear light; the display encode is applied once, on the way into a format
// of whole numbers, and never into a float format, so encoding twice cannot be set up.
package output

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"sync"

	"reelhouse/core/lut"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// A Format is a kind of image file.
type Format string

// The formats.
const (
	EXR  Format = "exr"
	PNG  Format = "png"
	JPEG Format = "jpeg"
	TIFF Format = "tiff"
	TGA  Format = "tga"
	DPX  Format = "dpx"
	HDR  Format = "hdr"
	BMP  Format = "bmp"
)

// A Depth is how numbers are stored.
type Depth string

// The depths.
const (
	ByPass  Depth = "by-pass" // half for colour, float for data
	Float   Depth = "float"   // 32-bit for everything
	Eight   Depth = "8"
	Ten     Depth = "10"
	Sixteen Depth = "16"
)

// Bits returns the bits of a colour value.
func (d Depth) Bits() int {
	switch d {
	case Eight:
		return 8
	case Ten:
		return 10
	case Float:
		return 32
	}
	return 16
}

// A Compression is how a file is made smaller.
type Compression string

// The compressions. Of those of OpenEXR, ZIPS takes a line at a time, ZIP and PXR24 16, PIZ, B44, B44A and DWAA 32,
// DWAB 256.
const (
	None      Compression = "none"
	RLE       Compression = "rle"
	PIZ       Compression = "piz"
	ZIPS      Compression = "zips"
	ZIP       Compression = "zip"
	PXR24     Compression = "pxr24"
	B44       Compression = "b44"
	B44A      Compression = "b44a"
	DWAA      Compression = "dwaa"
	DWAB      Compression = "dwab"
	Deflate   Compression = "deflate"
	LZW       Compression = "lzw"
	DCT       Compression = "dct"      // one colour difference for four pixels (4:2:0)
	DCTFull   Compression = "dct-full" // all of them (4:4:4)
	deflating             = "deflate level"
	usualLoss             = 45
)

// Lossless reports whether what was packed comes back bit by bit.
func (c Compression) Lossless() bool {
	switch c {
	case PXR24, B44, B44A, DWAA, DWAB, DCT, DCTFull:
		return false
	}
	return true
}

// A Scale is the range and the usual value of a compression's level. The zero Scale is that of compressions without
// one.
type Scale struct {
	Name              string
	Least, Most, Used int
}

// Scale returns what the level of a compression means in files of the format.
func (f Format) Scale(c Compression) Scale {
	switch c {
	case ZIP, ZIPS, PXR24:
		return Scale{deflating, 1, 9, 6}
	case DWAA, DWAB:
		return Scale{"loss", 1, 500, usualLoss}
	case DCT, DCTFull:
		return Scale{"quality", 1, 100, 90}
	case Deflate:
		if f == PNG {
			return Scale{"effort", 1, 3, 2}
		}
		return Scale{deflating, 1, 9, 5}
	}
	return Scale{}
}

// Leveled reports whether the compression has a level.
func (s Scale) Leveled() bool { return s.Most > 0 }

// Alpha is how coverage is stored.
type Alpha string

// The ways of alpha. AsStandard stands for the production's.
const (
	AsStandard    Alpha = ""
	NoAlpha       Alpha = "none"
	Straight      Alpha = "straight"      // colour as if nothing shone through
	Premultiplied Alpha = "premultiplied" // colour times coverage
)

// A Kind is what a format is and can hold. The first of its depths, compressions, alphas and curves is its
// usual one.
type Kind struct {
	Format       Format
	Name         string
	Ext          string
	Meaning      string // one sentence
	Depths       []Depth
	Compressions []Compression
	Alphas       []Alpha // empty if it has none
	Curves       []pixel.Curve
	Layers       bool // many passes in one file
	Float        bool
	Data         bool // passes of numbers, each channel by its name
	Lossless     bool // with some of its compressions
	// Facts says that there is room for facts of any name.
	Facts bool
	// Aspect says that files tell the shape of their pixels.
	Aspect bool
	// Software says that there is a field for the program that wrote the file.
	Software bool
	// Primaries are those of linear light that files can state; empty if they hold none.
	Primaries []pixel.Primaries
	// Unstated formats say nothing of a curve that is sRGB, which they are taken for.
	Unstated bool
	// Bytes are bytes a pixel, without alpha and with it, where that is 1 nearly everywhere, from frames of the demo
	// production; nil for formats whose files depend on more, see Encoding.Bytes.
	Bytes Sizes
}

// Sizes are bytes a pixel by compression and depth, without alpha and with it.
type Sizes map[Compression]map[Depth][2]float64

// Kinds returns every format, in the order in which they are offered.
func Kinds() []Kind { return slices.Clone(kinds()) }

// kinds is made once, as the passes are.
var kinds = sync.OnceValue(func() []Kind {
	display := []pixel.Curve{pixel.SRGB, pixel.BT1886, pixel.Gamma22, pixel.Linear}
	return []Kind{
		{
			Format: EXR, Name: "OpenEXR", Ext: "exr",
			Meaning:      "Float numbers and layers: for anything that will be graded or composited.",
			Depths:       []Depth{ByPass, Float},
			Compressions: []Compression{ZIP, ZIPS, PIZ, RLE, None, PXR24, B44, B44A, DWAA, DWAB},
			Alphas:       []Alpha{Premultiplied, Straight},
			Curves:       []pixel.Curve{pixel.Linear},
			Layers:       true, Float: true, Data: true, Lossless: true, Facts: true, Aspect: true,
			Primaries: pixel.AllPrimaries(),
		},
		{
			Format: PNG, Name: "PNG", Ext: "png",
			Meaning:      "Whole numbers without loss: for pictures that are final.",
			Depths:       []Depth{Sixteen, Eight},
			Compressions: []Compression{Deflate},
			Alphas:       []Alpha{Straight},
			Curves:       display,
			Lossless:     true, Facts: true, Aspect: true,
			Bytes: Sizes{Deflate: {Sixteen: {4.0, 4.0}, Eight: {1.1, 1.1}}}, // alpha that is 1 everywhere is left out
		},
		{
			Format: JPEG, Name: "JPEG", Ext: "jpg",
			Meaning:      "Small, and a little is lost at every save: for looking, never a master.",
			Depths:       []Depth{Eight},
			Compressions: []Compression{DCT, DCTFull},
			Curves:       []pixel.Curve{pixel.SRGB},
			Facts:        true, Aspect: true, Software: true,
		},
		{
			Format: TIFF, Name: "TIFF", Ext: "tif",
			Meaning:      "Whole numbers or floats without loss: for print and for houses that ask for it.",
			Depths:       []Depth{Sixteen, Eight, Float},
			Compressions: []Compression{Deflate, LZW, None},
			Alphas:       []Alpha{Premultiplied, Straight},
			Curves:       display,
			Float:        true, Lossless: true, Facts: true, Aspect: true, Software: true,
			Primaries: []pixel.Primaries{pixel.BT709, pixel.P3D65, pixel.BT2020, pixel.ACEScg}, // none below 0
			Bytes: Sizes{
				Deflate: {Sixteen: {4.0, 4.3}, Eight: {1.12, 1.22}, Float: {7.9, 8.8}},
				LZW:     {Sixteen: {5.1, 5.5}, Eight: {1.17, 1.31}, Float: {10.1, 10.9}},
				None:    {Sixteen: {6, 8}, Eight: {3, 4}, Float: {12, 16}},
			},
		},
		{
			Format: TGA, Name: "TGA", Ext: "tga",
			Meaning:      "Plain 8 bits with alpha, for older chains of tools.",
			Depths:       []Depth{Eight},
			Compressions: []Compression{RLE, None},
			Alphas:       []Alpha{Straight, Premultiplied},
			Curves:       display,
			Lossless:     true, Facts: true, Aspect: true, Software: true, Unstated: true,
			Bytes: Sizes{RLE: {Eight: {2.04, 2.67}}, None: {Eight: {3, 4}}},
		},
		{
			Format: DPX, Name: "DPX", Ext: "dpx",
			Meaning:      "10 bits a colour with timecode in the header: for film and finishing.",
			Depths:       []Depth{Ten},
			Compressions: []Compression{None},
			Curves:       []pixel.Curve{pixel.BT1886, pixel.Gamma22},
			Lossless:     true, Facts: true, Aspect: true, Software: true,
			Bytes: Sizes{None: {Ten: {4, 4}}},
		},
		{
			Format: HDR, Name: "Radiance HDR", Ext: "hdr",
			Meaning:      "Light of any brightness in 4 bytes a pixel: for environments and lighting.",
			Depths:       []Depth{Float},
			Compressions: []Compression{RLE},
			Curves:       []pixel.Curve{pixel.Linear},
			Float:        true, Facts: true, Aspect: true,
			Primaries: pixel.AllPrimaries(),
			Bytes:     Sizes{RLE: {Float: {2.44, 2.44}}},
		},
		{
			Format: BMP, Name: "BMP", Ext: "bmp",
			Meaning:      "Plain 8 bits that every program opens.",
			Depths:       []Depth{Eight},
			Compressions: []Compression{None},
			Curves:       []pixel.Curve{pixel.SRGB},
			Lossless:     true, Aspect: true, Unstated: true,
			Bytes: Sizes{None: {Eight: {3, 3}}},
		},
	}
})

// Kind returns what the format is; an unknown one has no name.
func (f Format) Kind() Kind {
	all := kinds()
	if i := slices.IndexFunc(all, func(k Kind) bool { return k.Format == f }); i >= 0 {
		return all[i]
	}
	return Kind{Format: f}
}

// Ext returns the file name extension.
func (f Format) Ext() string { return f.Kind().Ext }

// An Encoding is how one file is written, with nothing left open.
type Encoding struct {
	Format      Format      `json:"format"`
	Depth       Depth       `json:"depth"`
	Compression Compression `json:"compression"`
	Level       int         `json:"level"`
	Alpha       Alpha       `json:"alpha"`
	Curve       pixel.Curve `json:"curve"`
	// Dither scatters the rounding to whole numbers, so that shallow ramps show no steps.
	Dither pixel.Dither `json:"dither,omitempty"`
	// Primaries are those of linear light; empty stands for BT.709.
	Primaries pixel.Primaries `json:"primaries,omitempty"`
	// Viewing is a transform through which light goes before it is encoded: ViewSoft, or empty for none. LUT is a
	// look-up table instead, whose codes are stored as they are; empty for none.
	Viewing pixel.Viewing `json:"viewing,omitempty"`
	LUT     LUT           `json:"lut,omitzero"`
	// Other names passes, with commas between, that ByPass stores the other way round: colour in 32 bits, data in 16.
	Other string `json:"other,omitempty"`
}

// A LUT is a look-up table, and what it is made for.
type LUT struct {
	Path   string    `json:"path,omitempty"` // of its file, for who encodes
	SHA256 string    `json:"sha256"`
	Input  lut.Input `json:"input"`
}

// Viewed reports whether light goes through a viewing transform before it is encoded.
func (e Encoding) Viewed() bool { return e.Viewing != "" || e.LUT.SHA256 != "" }

// Floating reports whether the file holds light as floats, which are never encoded.
func (e Encoding) Floating() bool { return e.Depth == ByPass || e.Depth == Float }

// Lossless reports whether what is stored comes back as it was stored.
func (e Encoding) Lossless() bool { return e.Format.Kind().Lossless && e.Compression.Lossless() }

// Described names the format, and its compression where that loses something which the format can keep.
func (e Encoding) Described() string {
	if k := e.Format.Kind(); !k.Lossless || e.Compression.Lossless() {
		return k.Name
	}
	return e.Format.Kind().Name + " with " + strings.ToUpper(string(e.Compression))
}

// Usual returns the format's usual encoding.
func (f Format) Usual() Encoding {
	k := f.Kind()
	if k.Name == "" {
		return Encoding{Format: f}
	}
	alpha := NoAlpha
	if len(k.Alphas) > 0 {
		alpha = k.Alphas[0]
	}
	return Encoding{
		Format:      f,
		Depth:       k.Depths[0],
		Compression: k.Compressions[0],
		Level:       f.Scale(k.Compressions[0]).Used,
		Alpha:       alpha,
		Curve:       k.Curves[0],
	}
}

// Check says what the format cannot do of the encoding, or nil.
func (e Encoding) Check() error {
	k, scale := e.Format.Kind(), e.Format.Scale(e.Compression)
	switch {
	case k.Name == "":
		return fmt.Errorf("there is no file format %q", e.Format)
	case !slices.Contains(k.Depths, e.Depth):
		return fmt.Errorf("%s has no depth %q", k.Name, e.Depth)
	case !slices.Contains(k.Compressions, e.Compression):
		return fmt.Errorf("%s has no compression %q", k.Name, e.Compression)
	case scale.Leveled() && (e.Level < scale.Least || e.Level > scale.Most):
		return fmt.Errorf(
			"the %s of %s lies in %d to %d, not at %d", scale.Name, k.Name, scale.Least, scale.Most, e.Level,
		)
	case e.Alpha != NoAlpha && !slices.Contains(k.Alphas, e.Alpha):
		return fmt.Errorf("%s has no %s alpha", k.Name, e.Alpha)
	case e.Curve != pixel.Linear && e.Floating():
		return fmt.Errorf(
			"%s carries linear light; a display encode in it would be applied a second time by whoever opens it",
			k.Name,
		)
	case !slices.Contains(k.Curves, e.Curve):
		return fmt.Errorf("%s cannot say that it is %s, so it would be shown wrongly", k.Name, e.Curve.Name())
	case e.Dither != pixel.NoDither && e.Floating():
		return fmt.Errorf("floats are not rounded to whole numbers, so there is nothing to dither")
	}
	return cmp.Or(e.Dither.Check(), e.checkPrimaries(), e.checkViewing())
}

func (e Encoding) checkViewing() error {
	switch {
	case !e.Viewed():
		return nil
	case e.Floating():
		return fmt.Errorf("floats carry light as it is; a viewing transform is for codes of a display")
	case e.Viewing != "" && e.Viewing != pixel.ViewSoft:
		return fmt.Errorf("the viewing transform %q is a curve; choose it as the encode", e.Viewing)
	case e.LUT.SHA256 != "":
		return e.LUT.Input.Check()
	}
	return nil
}

func (e Encoding) checkPrimaries() error {
	k := e.Format.Kind()
	switch {
	case e.Primaries == "":
		return nil
	case e.Primaries.Check() != nil:
		return e.Primaries.Check()
	case !e.Floating():
		return fmt.Errorf("codes for a display have the primaries of BT.709; only linear light in floats has others")
	case !slices.Contains(k.Primaries, e.Primaries):
		return fmt.Errorf(
			"%s cannot say that its light is %s, so it would be shown wrongly",
			k.Name,
			e.Primaries.Name(),
		)
	}
	return nil
}

// Half reports whether a pass is stored in 16-bit floats.
func (e Encoding) Half(p pass.Pass) bool {
	return e.Depth == ByPass && p.Data == slices.Contains(strings.Split(e.Other, ","), string(p.Code))
}

// With returns the encoding with passes that it stores the other way round.
func (e Encoding) With(other []pass.Code) Encoding {
	e.Other = ""
	for i, code := range other {
		if i > 0 {
			e.Other += ","
		}
		e.Other += string(code)
	}
	return e
}

// Holds says why a file of this encoding cannot hold the passes together, or nil.
func (e Encoding) Holds(passes []pass.Code) error {
	k := e.Format.Kind()
	if k.Name == "" {
		return fmt.Errorf("there is no file format %q", e.Format)
	}
	if len(passes) > 1 && !k.Layers {
		return fmt.Errorf("%s has no layers: it holds one pass, not %d", k.Name, len(passes))
	}
	return k.holdsNumbers(passes)
}

// holdsNumbers says which of the passes the format cannot hold even one a file, or nil.
func (k Kind) holdsNumbers(passes []pass.Code) error {
	var data []string
	for _, code := range passes {
		p, err := pass.Find(code)
		if err != nil {
			return err
		}
		if p.Data && !p.Share {
			data = append(data, string(code))
		}
	}
	switch {
	case len(data) > 0 && !k.Float:
		return fmt.Errorf("%s has no float numbers, and %s", k.Name, need(data))
	case len(data) > 0 && !k.Data:
		return fmt.Errorf("%s names no channels beside colours, and %s", k.Name, need(data))
	}
	return nil
}

func need(passes []string) string {
	if len(passes) == 1 {
		return passes[0] + " needs them"
	}
	last := len(passes) - 1
	return strings.Join(passes[:last], ", ") + " and " + passes[last] + " need them"
}

// Channels returns those channels of a pass that a file stores, by the names of pass.ChannelNames: without its alpha
// where none is stored.
func (e Encoding) Channels(p pass.Pass) []string {
	names := p.ChannelNames()
	if e.Alpha == NoAlpha && len(names) == 4 && (p.Code == pass.Beauty || !e.Format.Kind().Layers) {
		return names[:3]
	}
	return names
}

// Stored returns the names that the channels of a pass have in the file. A format without layers holds one pass, whose
// channels are called what they are: R, and not albedo.R.
func (e Encoding) Stored(p pass.Pass) []string {
	names := e.Channels(p)
	if e.Format.Kind().Layers {
		return names
	}
	for i, name := range names {
		names[i] = name[strings.LastIndexByte(name, '.')+1:]
	}
	return names
}
