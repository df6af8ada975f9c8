// Package tiff reads and writes TIFF 6.0 files, with the extensions that are in common use: Deflate (Adobe), 32-bit and
// 16-bit floats (section 19), and the predictor for floats (Adobe Photoshop TIFF technical note 3).
//
// Written is one picture in strips, of 8 or 16-bit codes or 32-bit floats. Read are strips and tiles of any number of
// pictures, each a part: codes of 1 to 16 bits, palettes, and four inks (CMYK), which become light as if each took its
// own away; and files with offsets of 64 bits (BigTIFF). They come upright, as their tag Orientation says.
package tiff

import (
	"fmt"
	"strings"

	"reelhouse/core/imagefile"
)

// Signatures begin every file, by the order of its bytes.
var Signatures = []string{"II\x2a\x00", "MM\x00\x2a", "II\x2b\x00", "MM\x00\x2b"}

// A Compression is a method of section 3, or a later one.
type Compression int

// The compressions; all are read, and the first three are written.
const (
	None     Compression = 1
	LZW      Compression = 5
	Deflate  Compression = 8
	packBits Compression = 32773
	deflate2 Compression = 32946 // the same method under its older number
)

var compressionNames = map[Compression]string{
	None:     "none",
	LZW:      "LZW",
	Deflate:  "Deflate",
	packBits: "PackBits",
	deflate2: "Deflate",
}

// unread are further compressions, which are told by name.
var unread = map[Compression]string{
	2: "CCITT runs", 3: "CCITT group 3", 4: "CCITT group 4", 6: "JPEG of the old kind", 7: "JPEG", 32766: "NeXT runs",
	32809: "ThunderScan", 32909: "PixarLog", 34661: "JBIG", 34676: "SGI LogLuv", 34677: "SGI LogLuv, 24 bits",
	34712: "JPEG 2000", 34887: "LERC", 34925: "LZMA", 50000: "Zstandard", 50001: "WebP",
}

func (c Compression) String() string {
	if name, known := compressionNames[c]; known {
		return name
	}
	if name, known := unread[c]; known {
		return name
	}
	return fmt.Sprintf("unknown compression %d", int(c))
}

// Options say how a file is written.
type Options struct {
	Compression Compression // 0 for none
	Level       int         // of Deflate, 1 to 9; 0 for 5
	Sum         bool        // write the sum of all strips; see imagefile.DataSum
}

// Tags (section 8 and later ones).
const (
	tagWidth           = 256
	tagHeight          = 257
	tagBits            = 258
	tagCompression     = 259
	tagPhotometric     = 262
	tagFillOrder       = 266
	tagDescription     = 270
	tagMake            = 271
	tagModel           = 272
	tagStripOffsets    = 273
	tagOrientation     = 274
	tagSamplesPerPixel = 277
	tagRowsPerStrip    = 278
	tagStripByteCounts = 279
	tagXResolution     = 282
	tagYResolution     = 283
	tagPlanar          = 284
	tagResolutionUnit  = 296
	tagSoftware        = 305
	tagDateTime        = 306
	tagArtist          = 315
	tagPredictor       = 317
	tagWhitePoint      = 318
	tagPrimaries       = 319 // CIE x and y of red, green and blue
	tagColorMap        = 320
	tagTileWidth       = 322
	tagTileLength      = 323
	tagTileOffsets     = 324
	tagTileByteCounts  = 325
	tagInkSet          = 332
	tagExtraSamples    = 338
	tagSampleFormat    = 339
)

// Values of tags.
const (
	whiteIsZero       = 0
	blackIsZero       = 1
	rgb               = 2
	palette           = 3
	inks              = 5
	chunky            = 1
	separate          = 2
	predictNone       = 1
	predictCodes      = 2
	predictFloats     = 3
	formatUnsigned    = 1
	formatFloat       = 3
	formatUndefined   = 4
	extraAssociated   = 1
	extraUnassociated = 2
)

// spaces are the colours of tagPhotometric that are not read, which are told by name.
var spaces = map[int]string{
	4: "a mask", 6: "YCbCr", 8: "CIE L*a*b*", 9: "ICC L*a*b*", 10: "ITU L*a*b*", 32803: "a colour filter's array",
	32844: "LogL", 32845: "LogLuv", 34892: "linear raw",
}

// sampleFormats are the kinds of tagSampleFormat, as they are told.
var sampleFormats = map[int]string{
	1: "unsigned",
	2: "signed",
	3: "floating",
	4: "undefined",
	5: "complex whole",
	6: "complex",
}

// texts are the attributes that have a tag of their own; all others stand in the description, one a line.
var texts = []struct {
	tag  uint16
	name string
}{{tagMake, "cameraMake"}, {tagModel, "cameraModel"}, {tagDateTime, "capDate"}, {tagArtist, "owner"},
	{tagSoftware, "software"}}

// names returns the channels of samples per pixel.
func names(samples int, grey bool, alpha imagefile.Alpha) []string {
	colours := 3
	list := "RGB"
	if grey {
		colours, list = 1, "Y"
	}
	channels := strings.Split(list, "")
	for i := colours; i < samples; i++ {
		if i == colours && alpha != imagefile.Unstated {
			channels = append(channels, "A")
		} else {
			channels = append(channels, fmt.Sprintf("extra.%d", i-colours+1))
		}
	}
	return channels
}

// undoCodes undoes predictor 2 on a row, little-endian, whose samples of size bytes differ from those of the pixel
// before.
func undoCodes(row []byte, samples, size int) {
	switch size {
	case 1:
		for i := samples; i < len(row); i++ {
			row[i] += row[i-samples]
		}
	case 2:
		for i := 2 * samples; i+1 < len(row); i += 2 {
			le.PutUint16(row[i:], le.Uint16(row[i:])+le.Uint16(row[i-2*samples:]))
		}
	case 4:
		for i := 4 * samples; i+3 < len(row); i += 4 {
			le.PutUint32(row[i:], le.Uint32(row[i:])+le.Uint32(row[i-4*samples:]))
		}
	}
}

// doCodes undoes undoCodes.
func doCodes(row []byte, samples, size int) {
	if size == 1 {
		for i := len(row) - 1; i >= samples; i-- {
			row[i] -= row[i-samples]
		}
		return
	}
	for i := len(row) - 2; i >= 2*samples; i -= 2 {
		le.PutUint16(row[i:], le.Uint16(row[i:])-le.Uint16(row[i-2*samples:]))
	}
}

// undoFloats undoes predictor 3 on a row: of all samples the highest bytes, then the next ones, as differences to the
// pixel before.
func undoFloats(row, scratch []byte, samples, size int) {
	for i := samples; i < len(row); i++ {
		row[i] += row[i-samples]
	}
	copy(scratch, row)
	n := len(row) / size
	for i := range n {
		for k := range size {
			row[i*size+k] = scratch[(size-1-k)*n+i]
		}
	}
}

// doFloats undoes undoFloats.
func doFloats(row, scratch []byte, samples, size int) {
	copy(scratch, row)
	n := len(row) / size
	for i := range n {
		for k := range size {
			row[(size-1-k)*n+i] = scratch[i*size+k]
		}
	}
	for i := len(row) - 1; i >= samples; i-- {
		row[i] -= row[i-samples]
	}
}
