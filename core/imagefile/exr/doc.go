// Package exr reads and writes OpenEXR files, as "OpenEXR File Layout" (OpenEXR project, file version 2)
// lays them out.
//
// Written are single-part scan-line files with half and float channels, uncompressed or with RLE, ZIPS, ZIP, PIZ
// or PXR24 compression. Read are scan-line and tiled files (the full size of those with levels), of one part or many,
// with half, float and unsigned integer channels (as floats), subsampled ones spread over their pixels, in
// every compression but DWAA and DWAB, which are refused by name, as deep files are. Attributes that are not
// understood are kept.
//
//	err := exr.Encode(w, &exr.File{Image: img, Compression: exr.ZIP})
package exr

import (
	"encoding/binary"
	"fmt"
	"image"
	"math"

	"reelhouse/core/pixel"
)

// A Compression is one of the file layout's methods ("Compression", attribute type compression).
type Compression uint8

// The compressions that are read; all but B44 and B44A are written.
const (
	None  Compression = iota
	RLE               // runs of bytes
	ZIPS              // deflate, one line at a time
	ZIP               // deflate, 16 lines at a time
	PIZ               // wavelets, 32 lines at a time
	PXR24             // deflate, floats to 24 bits, 16 lines at a time
	B44               // halves in blocks of 4 x 4, lossy, 32 lines at a time
	B44A              // the same, with flat blocks smaller
)

func (c Compression) readable() bool { return c <= B44A }
func (c Compression) writable() bool { return c <= PXR24 }

var compressionNames = []string{"none", "RLE", "ZIPS", "ZIP", "PIZ", "PXR24", "B44", "B44A", "DWAA", "DWAB"}

func (c Compression) String() string {
	if int(c) < len(compressionNames) {
		return compressionNames[c]
	}
	return fmt.Sprintf("unknown compression %d", uint8(c))
}

// lines returns how many scan lines one chunk holds.
func (c Compression) lines() int {
	switch c {
	case ZIP, PXR24:
		return 16
	case PIZ, B44, B44A:
		return 32
	}
	return 1
}

// Pixel types of the channel list.
const (
	typeUint  = 0
	typeHalf  = 1
	typeFloat = 2
)

// The magic number, and the version field with its flags ("Version Field").
const (
	magic         = 20000630
	version       = 2
	versionMask   = 0xff
	flagTiled     = 1 << 9
	flagLongNames = 1 << 10
	flagDeep      = 1 << 11
	flagMultiPart = 1 << 12
	shortName     = 31
	longName      = 255
)

// MaxEdge is the longest edge that is read.
const MaxEdge = 1 << 16

// A File is an image with what its header says beside the pixels.
type File struct {
	Image       *pixel.Image
	Compression Compression
	Level       int     // of deflate, 1 to 9; 0 for the usual one. Not known when read
	PixelAspect float32 // a pixel's width over its height; 0 for 1
	// DataWindow is where the image's pixels lie, DisplayWindow what is to be shown, in one system of
	// coordinates. Read only: what is written begins at 0, 0 and is shown whole.
	DataWindow, DisplayWindow image.Rectangle
	Attributes                []Attribute // without those that describe the image itself
}

// An Attribute is a named, typed value of the header; Value is in the file's own bytes.
type Attribute struct {
	Name, Type string
	Value      []byte
}

// Text returns a string attribute.
func Text(name, value string) Attribute { return Attribute{name, "string", []byte(value)} }

// Int returns an int attribute.
func Int(name string, value int32) Attribute {
	return Attribute{name, "int", binary.LittleEndian.AppendUint32(nil, uint32(value))}
}

// Float returns a float attribute.
func Float(name string, value float32) Attribute {
	return Attribute{name, "float", binary.LittleEndian.AppendUint32(nil, math.Float32bits(value))}
}

// Rational returns a rational attribute, such as framesPerSecond.
func Rational(name string, numerator int32, denominator uint32) Attribute {
	value := binary.LittleEndian.AppendUint32(nil, uint32(numerator))
	return Attribute{name, "rational", binary.LittleEndian.AppendUint32(value, denominator)}
}

// String returns the value in words; types that are not understood show their size.
func (a Attribute) String() string {
	le := binary.LittleEndian
	switch {
	case a.Type == "string":
		return string(a.Value)
	case a.Type == "int" && len(a.Value) == 4:
		return fmt.Sprint(int32(le.Uint32(a.Value)))
	case a.Type == "float" && len(a.Value) == 4:
		return fmt.Sprint(math.Float32frombits(le.Uint32(a.Value)))
	case a.Type == "rational" && len(a.Value) == 8:
		return fmt.Sprintf("%d/%d", int32(le.Uint32(a.Value)), le.Uint32(a.Value[4:]))
	}
	return fmt.Sprintf("%d bytes of %s", len(a.Value), a.Type)
}
