// Package formats opens image files of every format by what is in them.
package formats

import (
	"errors"
	"fmt"
	"io"
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
)

// A Format is a kind of image file.
type Format struct {
	Name       string
	Extensions []string // of file names, the usual one first
	open       func(in io.ReaderAt, size, limit int64) (imagefile.Reader, error)
	is         func(head []byte) bool
}

const exrSignature = "\x76\x2f\x31\x01"

// All returns every format.
func All() []Format {
	begins := func(signatures ...string) func([]byte) bool {
		return func(head []byte) bool {
			for _, s := range signatures {
				if strings.HasPrefix(string(head), s) {
					return true
				}
			}
			return false
		}
	}
	return []Format{
		{"OpenEXR", []string{"exr"}, func(in io.ReaderAt, size, limit int64) (imagefile.Reader, error) {
			return exr.NewReader(in, size, limit)
		}, begins(exrSignature)},
		{"PNG", []string{"png"}, png.NewReader, begins(png.Signature)},
		{"JPEG", []string{"jpg", "jpeg"}, jpeg.NewReader, begins(jpeg.Signature)},
		{"TIFF", []string{"tif", "tiff"}, tiff.NewReader, begins(tiff.Signatures...)},
		{"DPX", []string{"dpx"}, dpx.NewReader, begins(dpx.Signatures...)},
		{"Radiance HDR", []string{"hdr"}, hdr.NewReader, begins(hdr.Signatures...)},
		{"BMP", []string{"bmp"}, bmp.NewReader, begins(bmp.Signature)},
		{"TGA", []string{"tga"}, tga.NewReader, tga.Is}, // has no signature, so it comes last
	}
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
	return nil, Format{}, fmt.Errorf("it is none of %s", strings.Join(names, ", "))
}
