// Package output says what files a shot becomes: file format, depth of number, compression, packing of
// passes, alpha, display encode, and what each format can hold of that.
//
// What a format cannot hold is known before it is chosen: Output.Cannot gives the reasons, each in a
// sentence. Float formats carry linear light; the display encode is applied once, on the way into a format
// of whole numbers, and never into a float format, so encoding twice cannot be set up.
package output

import (
	"fmt"
	"slices"

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
)

// A Depth is how numbers are stored.
type Depth string

// The depths.
const (
	ByPass  Depth = "by-pass" // half for colour, float for data
	Float   Depth = "float"   // 32-bit for everything
	Eight   Depth = "8"
	Sixteen Depth = "16"
)

// Bits returns the bits of a colour value.
func (d Depth) Bits() int {
	switch d {
	case Eight:
		return 8
	case Float:
		return 32
	}
	return 16
}

// A Compression is how a file is made smaller.
type Compression string

// The compressions. ZIP takes 16 lines at a time, ZIPS one, PIZ 32.
const (
	None    Compression = "none"
	RLE     Compression = "rle"
	PIZ     Compression = "piz"
	ZIPS    Compression = "zips"
	ZIP     Compression = "zip"
	Deflate Compression = "deflate"
	DCT     Compression = "dct"
)

// Leveled reports whether the compression has a level.
func (c Compression) Leveled() bool { return c != None && c != RLE && c != PIZ }

// Alpha is how coverage is stored.
type Alpha string

// The ways of alpha. Agreed stands for the production's.
const (
	Agreed        Alpha = ""
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
	Lossless     bool
	// Level is the range and the usual value of the compression's level; all 0 for none.
	LevelName                        string
	LeastLevel, MostLevel, UsedLevel int
}

// Kinds returns every format, in the order in which they are offered.
func Kinds() []Kind {
	display := []pixel.Curve{pixel.SRGB, pixel.BT1886, pixel.Gamma22, pixel.Linear}
	return []Kind{
		{
			Format: EXR, Name: "OpenEXR", Ext: "exr", Meaning: "Float numbers and layers: for anything that will be graded or composited.",
			Depths: []Depth{ByPass, Float}, Compressions: []Compression{ZIP, ZIPS, PIZ, RLE, None}, Alphas: []Alpha{Premultiplied, Straight},
			Curves: []pixel.Curve{pixel.Linear}, Layers: true, Float: true, Lossless: true,
			LevelName: "deflate level", LeastLevel: 1, MostLevel: 9, UsedLevel: 4,
		},
		{
			Format: PNG, Name: "PNG", Ext: "png", Meaning: "Whole numbers without loss: for pictures that are final.",
			Depths: []Depth{Sixteen, Eight}, Compressions: []Compression{Deflate}, Alphas: []Alpha{Straight},
			Curves: display, Lossless: true, LevelName: "effort", LeastLevel: 1, MostLevel: 3, UsedLevel: 2,
		},
		{
			Format: JPEG, Name: "JPEG", Ext: "jpg", Meaning: "Small, and a little is lost at every save: for looking, never a master.",
			Depths: []Depth{Eight}, Compressions: []Compression{DCT}, Curves: []pixel.Curve{pixel.SRGB},
			LevelName: "quality", LeastLevel: 1, MostLevel: 100, UsedLevel: 90,
		},
	}
}

// Kind returns what the format is; an unknown one has no name.
func (f Format) Kind() Kind {
	all := Kinds()
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
	return Encoding{f, k.Depths[0], k.Compressions[0], k.UsedLevel, alpha, k.Curves[0]}
}

// Check says what the format cannot do of the encoding, or nil.
func (e Encoding) Check() error {
	k := e.Format.Kind()
	switch {
	case k.Name == "":
		return fmt.Errorf("there is no file format %q", e.Format)
	case !slices.Contains(k.Depths, e.Depth):
		return fmt.Errorf("%s has no depth %q", k.Name, e.Depth)
	case !slices.Contains(k.Compressions, e.Compression):
		return fmt.Errorf("%s has no compression %q", k.Name, e.Compression)
	case e.Compression.Leveled() && (e.Level < k.LeastLevel || e.Level > k.MostLevel):
		return fmt.Errorf("the %s of %s lies in %d to %d, not at %d", k.LevelName, k.Name, k.LeastLevel, k.MostLevel, e.Level)
	case e.Alpha != NoAlpha && !slices.Contains(k.Alphas, e.Alpha):
		return fmt.Errorf("%s has no %s alpha", k.Name, e.Alpha)
	case !slices.Contains(k.Curves, e.Curve) && k.Float:
		return fmt.Errorf("%s carries linear light; a display encode in it would be applied a second time by whoever opens it", k.Name)
	case !slices.Contains(k.Curves, e.Curve):
		return fmt.Errorf("%s cannot say that it is %s, so it would be shown wrongly", k.Name, e.Curve.Name())
	}
	return nil
}

// Half reports whether a pass is stored in 16-bit floats.
func (e Encoding) Half(p pass.Pass) bool { return e.Depth == ByPass && !p.Data }

// Holds says why a file of this encoding cannot hold the passes together, or nil.
func (e Encoding) Holds(passes []pass.Code) error {
	k := e.Format.Kind()
	if k.Name == "" {
		return fmt.Errorf("there is no file format %q", e.Format)
	}
	if len(passes) > 1 && !k.Layers {
		return fmt.Errorf("%s has no layers: it holds one pass, not %d", k.Name, len(passes))
	}
	for _, code := range passes {
		p, err := pass.Find(code)
		if err != nil {
			return err
		}
		if p.Data && !k.Float {
			return fmt.Errorf("%s has no float numbers, which the pass %s needs", k.Name, code)
		}
	}
	return nil
}

// Channels returns the channels that a file stores of a pass: without its alpha where none is stored.
func (e Encoding) Channels(p pass.Pass) []string {
	names := p.ChannelNames()
	if e.Alpha == NoAlpha && p.Code == pass.Beauty {
		return names[:3]
	}
	return names
}
