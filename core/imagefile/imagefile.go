// Package imagefile is one model of image files, whatever their format.
//
// A file is a sequence of parts, of which most formats have one. A part has a data window (where its samples lie), a
// display window (what is to be shown), named channels of one type each, and attributes: typed values that say
// something about the picture. Windows count pixels to the right and down; an image.Rectangle's Max is outside.
//
// Samples stand in planes, one a channel: lines of the data window from the top, in each line samples from the left,
// each in its type's little-endian bytes, without gaps. Half and Float are numbers; Uint8 and Uint16 are codes, of
// which the largest is white; Uint32 are counts and identities.
//
// Formats are packages below this one (exr, png, tiff, ...), each with a NewReader and a NewWriter; package formats
// opens a file by what is in it. None registers itself anywhere.
//
//	r, err := exr.NewReader(file, size, 1<<30)
//	if err != nil { ... }
//	parts, err := imagefile.ReadAll(r)
package imagefile

import (
	"fmt"
	"image"
	"slices"

	"reelhouse/core/pixel"
)

// A Type is how a channel's samples are stored.
type Type uint8

// The types.
const (
	Half   Type = iota // IEEE 754 binary16
	Float              // IEEE 754 binary32
	Uint32             // identities, counts
	Uint8              // codes 0 to 255
	Uint16             // codes 0 to 65535
)

var typeNames = []string{"half", "float", "uint32", "uint8", "uint16"}

func (t Type) String() string {
	if int(t) < len(typeNames) {
		return typeNames[t]
	}
	return fmt.Sprintf("unknown type %d", uint8(t))
}

// Size returns the bytes of one sample.
func (t Type) Size() int {
	switch t {
	case Uint8:
		return 1
	case Half, Uint16:
		return 2
	}
	return 4
}

// A Channel is one kind of number that every pixel has.
type Channel struct {
	Name string // with its layer before a dot, as in "depth.Z"
	Type Type
	// A channel of a read file may have a sample only at every so many columns and lines; its plane has all pixels
	// nevertheless, each with the sample above and to the left of it. 0 stands for 1.
	XSampling, YSampling int
	// Perceptual marks samples that are even to the eye rather than in light (OpenEXR: pLinear).
	Perceptual bool
}

// Alpha says what colour means where a pixel is not wholly covered.
type Alpha uint8

// The meanings.
const (
	Unstated      Alpha = iota
	Premultiplied       // times coverage; OpenEXR, TIFF "associated"
	Straight            // as if nothing shone through; PNG, TIFF "unassociated"
)

// A Header is what a part is, beside its samples.
type Header struct {
	Name                      string // of the part, where there are several
	DataWindow, DisplayWindow image.Rectangle
	PixelAspect               float64 // a pixel's width over its height; 0 for 1
	Channels                  []Channel
	Alpha                     Alpha
	Curve                     pixel.Curve // what whole numbers are encoded by; empty if it is not stated
	Attributes                Attributes
	// CodeBits is how many bits codes had in a file that was read, where that is fewer than their type has; 0 for as
	// many.
	CodeBits int
}

// Plain returns the header of a picture that begins at 0, 0 and is shown whole, with channels of one type.
func Plain(width, height int, t Type, channels ...string) Header {
	h := Header{DataWindow: image.Rect(0, 0, width, height), DisplayWindow: image.Rect(0, 0, width, height)}
	for _, name := range channels {
		h.Channels = append(h.Channels, Channel{Name: name, Type: t})
	}
	return h
}

// Width and Height are those of the data window.
func (h *Header) Width() int { return h.DataWindow.Dx() }

// Height is that of the data window.
func (h *Header) Height() int { return h.DataWindow.Dy() }

// Aspect returns a pixel's width over its height.
func (h *Header) Aspect() float64 {
	if h.PixelAspect == 0 {
		return 1
	}
	return h.PixelAspect
}

// Channel returns the place of a channel, or -1.
func (h *Header) Channel(name string) int {
	return slices.IndexFunc(h.Channels, func(c Channel) bool { return c.Name == name })
}

// Bytes returns the memory that the planes of the part take.
func (h *Header) Bytes() int64 {
	sum := int64(0)
	for _, c := range h.Channels {
		sum += int64(c.Type.Size())
	}
	return sum * int64(h.Width()) * int64(h.Height())
}

// Planes takes the memory for lines of every channel.
func (h *Header) Planes(lines int) [][]byte {
	planes := make([][]byte, len(h.Channels))
	for i, c := range h.Channels {
		planes[i] = make([]byte, c.Type.Size()*h.Width()*lines)
	}
	return planes
}

// Within refuses a part whose planes take more than limit bytes.
func (h *Header) Within(limit int64) error {
	if n := h.Bytes(); n > limit {
		return fmt.Errorf(
			"%d × %d pixels of %d channels take %d bytes, and no more than %d may be read", h.Width(), h.Height(),
			len(h.Channels), n, limit,
		)
	}
	return nil
}

// A Part is a header with its samples: one plane a channel.
type Part struct {
	Header
	Planes [][]byte
}

// A Reader reads one file.
type Reader interface {
	// Headers returns what the file's parts are.
	Headers() []Header
	// ReadLines fills planes, one a channel of the part, with the lines y0 up to y1, counted from the top of the
	// data window. A nil plane is a channel that is not wanted.
	ReadLines(part, y0, y1 int, planes [][]byte) error
}

// A Writer writes one file, of the parts that it was made for.
type Writer interface {
	// WriteLines takes the next lines of a part, one plane a channel.
	WriteLines(part, lines int, planes [][]byte) error
	// Close finishes the file. It is an error if lines are missing.
	Close() error
}

// ReadAll returns all parts of a file.
func ReadAll(r Reader) ([]Part, error) {
	var parts []Part
	for i, h := range r.Headers() {
		p := Part{h, h.Planes(h.Height())}
		if err := r.ReadLines(i, 0, h.Height(), p.Planes); err != nil {
			return nil, err
		}
		parts = append(parts, p)
	}
	return parts, nil
}

// WriteAll writes all parts and closes the writer.
func WriteAll(w Writer, parts ...Part) error {
	for i, p := range parts {
		if err := w.WriteLines(i, p.Height(), p.Planes); err != nil {
			return err
		}
	}
	return w.Close()
}
