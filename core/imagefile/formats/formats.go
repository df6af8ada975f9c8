// Package formats begins image files of every format, and opens them by what is in them. What a format is and can hold
// says output.Kind; here each has the codec that does it, in one row.
package formats

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/bmp"
	"reelhouse/core/imagefile/dpx"
	"reelhouse/core/imagefile/exr"
	"reelhouse/core/imagefile/hdr"
	"reelhouse/core/imagefile/jpeg"
	"reelhouse/core/imagefile/png"
	"reelhouse/core/imagefile/tga"
	"reelhouse/core/imagefile/tiff"
	"reelhouse/core/output"
)

// A Format is a kind of image file with its codec.
type Format struct {
	output.Format
	Name  string
	Other []string // further extensions of file names
	is    func(head []byte) bool
	open  func(in io.ReaderAt, size, limit int64) (imagefile.Reader, error)
	begin func(out io.Writer, e output.Encoding, h imagefile.Header) (imagefile.Writer, error)
}

// All returns every format, in the order in which files are tried.
func All() []Format {
	all := []Format{
		{Format: output.EXR, is: begins("\x76\x2f\x31\x01"), open: openEXR, begin: beginEXR},
		{
			Format: output.PNG, is: begins(png.Signature), open: png.NewReader,
			begin: func(out io.Writer, e output.Encoding, h imagefile.Header) (imagefile.Writer, error) {
				return png.NewWriter(out, h, png.Options{Effort: e.Level})
			},
		},
		{
			Format: output.JPEG, Other: []string{"jpeg"}, is: begins(jpeg.Signature), open: jpeg.NewReader,
			begin: func(out io.Writer, e output.Encoding, h imagefile.Header) (imagefile.Writer, error) {
				return jpeg.NewWriter(out, h, jpeg.Options{Quality: e.Level, Full: e.Compression == output.DCTFull})
			},
		},
		{
			Format: output.TIFF, Other: []string{"tiff"}, is: begins(tiff.Signatures...), open: tiff.NewReader,
			begin: func(out io.Writer, e output.Encoding, h imagefile.Header) (imagefile.Writer, error) {
				how := tiff.Options{Compression: tiffCompressions[e.Compression], Level: e.Level, Sum: true}
				return tiff.NewWriter(out, h, how)
			},
		},
		{
			Format: output.DPX, is: begins(dpx.Signatures...), open: dpx.NewReader,
			begin: func(out io.Writer, _ output.Encoding, h imagefile.Header) (imagefile.Writer, error) {
				return dpx.NewWriter(out, h)
			},
		},
		{
			Format: output.HDR, is: begins(hdr.Signatures...), open: hdr.NewReader,
			begin: func(out io.Writer, _ output.Encoding, h imagefile.Header) (imagefile.Writer, error) {
				return hdr.NewWriter(out, h)
			},
		},
		{
			Format: output.BMP, is: begins(bmp.Signature), open: bmp.NewReader,
			begin: func(out io.Writer, _ output.Encoding, h imagefile.Header) (imagefile.Writer, error) {
				return bmp.NewWriter(out, h)
			},
		},
		{ // has no signature, so it comes last
			Format: output.TGA, is: tga.Is, open: tga.NewReader,
			begin: func(out io.Writer, e output.Encoding, h imagefile.Header) (imagefile.Writer, error) {
				return tga.NewWriter(out, h, tga.Options{Runs: e.Compression == output.RLE})
			},
		},
	}
	for i := range all {
		all[i].Name = all[i].Kind().Name
	}
	return all
}

// Extensions returns the extensions of file names, the usual one first.
func (f Format) Extensions() []string { return append([]string{f.Ext()}, f.Other...) }

// begins returns what tells a format by how its files begin.
func begins(signatures ...string) func([]byte) bool {
	return func(head []byte) bool {
		return slices.ContainsFunc(signatures, func(s string) bool { return strings.HasPrefix(string(head), s) })
	}
}

// EXRCompressions are what OpenEXR calls what files are packed by.
var EXRCompressions = map[output.Compression]exr.Compression{
	output.None: exr.None, output.RLE: exr.RLE, output.PIZ: exr.PIZ, output.ZIPS: exr.ZIPS, output.ZIP: exr.ZIP,
	output.PXR24: exr.PXR24, output.B44: exr.B44, output.B44A: exr.B44A, output.DWAA: exr.DWAA, output.DWAB: exr.DWAB,
}

var tiffCompressions = map[output.Compression]tiff.Compression{
	output.None: tiff.None, output.LZW: tiff.LZW, output.Deflate: tiff.Deflate,
}

func openEXR(in io.ReaderAt, size, limit int64) (imagefile.Reader, error) {
	return exr.NewReader(in, size, limit)
}

func beginEXR(out io.Writer, e output.Encoding, h imagefile.Header) (imagefile.Writer, error) {
	seeker, ok := out.(io.WriteSeeker)
	if !ok {
		return nil, fmt.Errorf("an OpenEXR file needs a place where it can be gone back")
	}
	return exr.NewWriter(seeker, EXRPart(e, h))
}

// EXRPart returns the part of an OpenEXR file as the encoding says.
func EXRPart(e output.Encoding, h imagefile.Header) exr.Part {
	part := exr.Part{Header: h, Compression: EXRCompressions[e.Compression], Level: e.Level, Sum: true}
	if e.Compression == output.DWAA || e.Compression == output.DWAB {
		part.Level, part.Loss = 0, float32(e.Level)
	}
	return part
}

// Begin begins a file as the encoding says. Only OpenEXR seeks.
func Begin(out io.Writer, e output.Encoding, h imagefile.Header) (imagefile.Writer, error) {
	for _, f := range All() {
		if f.Format == e.Format {
			return f.begin(out, e, h)
		}
	}
	return nil, fmt.Errorf("there is no file format %q", e.Format)
}

// headBytes is what the formats need to know themselves by.
const headBytes = 32

// Open reads the beginning of a file of size bytes and returns a reader of its format. limit bounds the memory of its
// planes, and of formats that are decoded as a whole also the file's own size.
func Open(in io.ReaderAt, size, limit int64) (imagefile.Reader, Format, error) {
	head := make([]byte, min(size, headBytes))
	if _, err := in.ReadAt(head, 0); err != nil && !errors.Is(err, io.EOF) {
		return nil, Format{}, err
	}
	if len(head) == 0 {
		return nil, Format{}, fmt.Errorf("the file is empty")
	}
	var names []string
	for _, f := range All() {
		if f.is(head) {
			r, err := f.open(in, size, limit)
			return r, f, err
		}
		names = append(names, f.Name)
	}
	if name := otherFormat(head); name != "" {
		return nil, Format{}, fmt.Errorf("it is %s; what is read is %s", name, strings.Join(names, ", "))
	}
	return nil, Format{}, fmt.Errorf("it is none of %s", strings.Join(names, ", "))
}

// Known reports whether a file begins as those of a format that is read.
func Known(in io.ReaderAt, size int64) bool {
	head := make([]byte, min(size, headBytes))
	if _, err := in.ReadAt(head, 0); err != nil && !errors.Is(err, io.EOF) {
		return false
	}
	return slices.ContainsFunc(All(), func(f Format) bool { return f.is(head) })
}

// others are files of other formats by how they begin, as their publishers say.
var others = []struct {
	at          int
	begin, name string
}{
	{0, "GIF8", "a GIF picture"}, {8, "WEBP", "a WebP picture"}, {0, "8BPS", "a layered picture (PSD)"},
	{4, "ftypavif", "an AVIF picture"}, {4, "ftypheic", "a HEIC picture"}, {4, "ftypheix", "a HEIC picture"},
	{4, "ftypmif1", "a HEIF picture"}, {4, "ftyp", "a movie (MP4 or QuickTime)"}, {4, "moov", "a movie (QuickTime)"},
	{0, "\x00\x00\x00\x0cjP  ", "a JPEG 2000 picture"}, {0, "\xff\x4f\xff\x51", "a JPEG 2000 picture"},
	{0, "\xff\x0a", "a JPEG XL picture"}, {0, "\x00\x00\x00\x0cJXL ", "a JPEG XL picture"},
	{0, "\xabKTX", "a texture (KTX)"}, {0, "DDS ", "a texture (DDS)"}, {0, "%PDF", "a PDF document"},
	{
		0,
		"PK\x03\x04",
		"a zip archive",
	}, {0, "\x80\x2a\x5f\xd7", "a Cineon picture"}, {0, "\x01\xda", "an SGI picture"},
	{
		0,
		"P3\n",
		"a portable pixmap (PNM)",
	}, {0, "P6\n", "a portable pixmap (PNM)"}, {0, "PF\n", "a portable float map (PFM)"},
	{0, "\x1f\x8b", "a file packed by gzip"}, {0, "<svg", "a drawing (SVG)"}, {0, "glTF", "a scene (glTF)"},
	{0, "RIFF", "a RIFF file (sound or movie)"}, {0, "\x1a\x45\xdf\xa3", "a movie (Matroska)"},
}

// otherFormat returns what a file is that begins so, or "".
func otherFormat(head []byte) string {
	for _, o := range others {
		if len(head) >= o.at && bytes.HasPrefix(head[o.at:], []byte(o.begin)) {
			return o.name
		}
	}
	return ""
}
