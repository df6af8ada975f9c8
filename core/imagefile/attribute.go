package imagefile

import (
	"fmt"
	"image"
	"reelhouse/core/pixel"
	"strings"
)

// An Attribute is a named value. Value is one of: int32, float32, float64, string, []string, []float32, Rational,
// TimeCode, KeyCode, Chromaticities, V2i, V2f, V2d, V3i, V3f, V3d, M33f, M33d, M44f, M44d, image.Rectangle (of whole
// pixels), Box2f, Preview or Opaque.
type Attribute struct {
	Name  string
	Value any
}

// Values of several numbers. Matrices stand line by line.
type (
	V2i [2]int32
	V2f [2]float32
	V2d [2]float64
	V3i [3]int32
	V3f [3]float32
	V3d [3]float64

	M33f [9]float32
	M33d [9]float64
	M44f [16]float32
	M44d [16]float64

	Box2f [2]V2f // least and greatest corner
)

// A Rational is a fraction, such as frames in a second.
type Rational struct {
	Numerator   int32
	Denominator uint32
}

func (r Rational) String() string { return fmt.Sprintf("%d/%d", r.Numerator, r.Denominator) }

// Chromaticities are the CIE x and y of the colours that a picture's red, green and blue stand for, and of white.
type Chromaticities struct{ Red, Green, Blue, White V2f }

// ChromaticitiesName is what OpenEXR calls the attribute that says them, and what it is called of other formats.
const ChromaticitiesName = "chromaticities"

// ChromaticitiesOf returns those of primaries.
func ChromaticitiesOf(p pixel.Primaries) Chromaticities { return ChromaticitiesIn(p.Gamut()) }

// ChromaticitiesIn returns those of a gamut.
func ChromaticitiesIn(g pixel.Gamut) Chromaticities {
	of := func(c pixel.Chromaticity) V2f { return V2f{float32(c.X), float32(c.Y)} }
	return Chromaticities{of(g.Red), of(g.Green), of(g.Blue), of(g.White)}
}

// Positive reports whether none of them lies below 0.
func (c Chromaticities) Positive() bool {
	return min(c.Red[0], c.Red[1], c.Green[0], c.Green[1], c.Blue[0], c.Blue[1], c.White[0], c.White[1]) >= 0
}

// Gamut returns the chromaticities as computations have them.
func (c Chromaticities) Gamut() pixel.Gamut {
	of := func(v V2f) pixel.Chromaticity { return pixel.Chromaticity{X: float64(v[0]), Y: float64(v[1])} }
	return pixel.Gamut{Red: of(c.Red), Green: of(c.Green), Blue: of(c.Blue), White: of(c.White)}
}

// A KeyCode names a frame of film (SMPTE ST 254): manufacturer, type, prefix, count, perforation offset,
// perforations a frame, perforations a count.
type KeyCode [7]int32

// A TimeCode is time and user data packed as SMPTE ST 12-1 packs them for television of 60 fields.
type TimeCode struct{ Time, User uint32 }

// NewTimeCode packs hours, minutes, seconds and a frame within the second, in binary-coded decimals (ST 12-1).
// Frames from 40 upwards do not fit: higher rates count pairs of frames.
func NewTimeCode(hours, minutes, seconds, frames int, drop bool) (TimeCode, error) {
	if hours < 0 || hours > 23 || minutes < 0 || minutes > 59 || seconds < 0 || seconds > 59 || frames < 0 ||
		frames > 39 {
		return TimeCode{}, fmt.Errorf(
			"%02d:%02d:%02d:%02d does not fit into a time code", hours, minutes, seconds, frames,
		)
	}
	decimal := func(v int) uint32 { return uint32(v/10<<4 | v%10) }
	t := decimal(frames) | decimal(seconds)<<8 | decimal(minutes)<<16 | decimal(hours)<<24
	if drop {
		t |= 1 << 6
	}
	return TimeCode{Time: t}, nil
}

// Fields unpacks the time.
func (t TimeCode) Fields() (hours, minutes, seconds, frames int, drop bool) {
	of := func(shift int, tens uint32) int { return int(t.Time>>shift&15 + 10*(t.Time>>(shift+4)&tens)) }
	return of(24, 3), of(16, 7), of(8, 7), of(0, 3), t.Time&(1<<6) != 0
}

func (t TimeCode) String() string {
	hours, minutes, seconds, frames, drop := t.Fields()
	mark := ":"
	if drop {
		mark = ";"
	}
	return fmt.Sprintf("%02d:%02d:%02d%s%02d", hours, minutes, seconds, mark, frames)
}

// A Preview is a small picture of 8 bits: red, green, blue, alpha.
type Preview struct {
	Width, Height int
	RGBA          []byte
}

func (p Preview) String() string { return fmt.Sprintf("%d × %d pixels", p.Width, p.Height) }

// Opaque is a value of a type that is not known here, in its file's own bytes.
type Opaque struct {
	Type string
	Data []byte
}

func (o Opaque) String() string { return fmt.Sprintf("%d bytes of %s", len(o.Data), o.Type) }

// String returns the value in words.
func (a Attribute) String() string {
	switch v := a.Value.(type) {
	case []string:
		return strings.Join(v, ", ")
	case Chromaticities:
		return fmt.Sprintf("red %v, green %v, blue %v, white %v", v.Red, v.Green, v.Blue, v.White)
	case image.Rectangle:
		return fmt.Sprintf("%d × %d from %d, %d", v.Dx(), v.Dy(), v.Min.X, v.Min.Y)
	}
	return fmt.Sprint(a.Value)
}

// Attributes are in the order of the file.
type Attributes []Attribute

// Get returns the value of a name, or nil.
func (a Attributes) Get(name string) any {
	for _, b := range a {
		if b.Name == name {
			return b.Value
		}
	}
	return nil
}

// Text returns a string's value, or "".
func (a Attributes) Text(name string) string {
	s, _ := a.Get(name).(string)
	return s
}
