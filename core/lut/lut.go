// Package lut reads look-up tables and other computations of colours from open formats, and applies them: .cube files
// (Cube LUT Specification 1.0) and the Academy/ASC Common LUT Format (S-2014-006, version 3).
//
// A transform takes codes to codes. What codes it is made for no file says for certain, so that whoever brings one in
// states it: see Input.
package lut

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"

	"reelhouse/core/pixel"
)

// Limits of files.
const (
	MostBytes = 64 << 20
	mostEdge  = 129     // entries along the edge of a table of three dimensions
	mostLine  = 1 << 16 // entries of a table of one
	mostSteps = 100     // computations in a file
)

// A Transform takes red, green and blue to others, step by step.
type Transform struct {
	Title string
	steps []step
}

// A step is one computation on red, green and blue.
type step interface {
	of(c [3]float64) [3]float64
	words() string
}

// Of returns what the transform makes of codes.
func (t *Transform) Of(r, g, b float64) (x, y, z float64) {
	c := [3]float64{r, g, b}
	for _, s := range t.steps {
		c = s.of(c)
	}
	return c[0], c[1], c[2]
}

// Words says what the transform does: its steps.
func (t *Transform) Words() string {
	var all []string
	for _, s := range t.steps {
		all = append(all, s.words())
	}
	return strings.Join(all, ", ")
}

// Parse reads a file of either format, by what is in it.
func Parse(data []byte) (*Transform, error) {
	if len(data) > MostBytes {
		return nil, fmt.Errorf("it is larger than %d MB", MostBytes>>20)
	}
	start := bytes.TrimLeft(bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")), " \t\r\n")
	if bytes.HasPrefix(start, []byte("<")) {
		return parseCLF(start)
	}
	return parseCube(start)
}

// A Curve is how light becomes the codes that a transform is made for.
type Curve string

// The curves.
const (
	Linear  Curve = "linear"
	SRGB    Curve = "srgb"
	BT1886  Curve = "bt1886"
	Gamma22 Curve = "gamma22"
	ACEScct Curve = "acescct" // Academy S-2016-001
)

// Curves returns all curves, in the order in which they are offered.
func Curves() []Curve { return []Curve{Linear, ACEScct, SRGB, BT1886, Gamma22} }

// Name returns what the curve is called.
func (c Curve) Name() string {
	switch c {
	case Linear:
		return "linear light"
	case ACEScct:
		return "ACEScct, logarithmic (Academy S-2016-001)"
	}
	return pixel.Curve(c).Name()
}

// Input is what a transform takes: light of primaries, by a curve.
type Input struct {
	Curve     Curve           `json:"curve"`
	Primaries pixel.Primaries `json:"primaries,omitempty"` // empty stands for BT.709
}

// Check says what is wrong with it, or nil.
func (i Input) Check() error {
	if !slices.Contains(Curves(), i.Curve) {
		return fmt.Errorf("there is no input %q; there are linear, acescct, srgb, bt1886 and gamma22", string(i.Curve))
	}
	return i.Primaries.Check()
}

// Name says what it is in words.
func (i Input) Name() string { return i.Curve.Name() + ", primaries " + i.Primaries.Name() }

// Encode returns the code of light. Linear light and ACEScct have no upper bound.
func (c Curve) Encode(light float64) float64 {
	switch c {
	case Linear:
		return light
	case ACEScct:
		const (
			from, slope, offset = 0.0078125, 10.5402377416545, 0.0729055341958355
		)
		if !(light > from) {
			return slope*light + offset
		}
		return (math.Log2(light) + 9.72) / 17.52
	}
	return pixel.Curve(c).Encode(light)
}

// A Shower shows linear light of BT.709 through a transform.
type Shower struct {
	transform *Transform
	curve     Curve
	matrix    *pixel.Matrix // to the input's primaries; nil for none

	once   sync.Once
	halves []float32 // codes of all half floats, by their bits, once they are wanted
}

// NewShower returns what shows light through a transform that takes the input.
func NewShower(t *Transform, in Input) (*Shower, error) {
	if err := in.Check(); err != nil {
		return nil, err
	}
	s := &Shower{transform: t, curve: in.Curve}
	if in.Primaries != "" && in.Primaries != pixel.BT709 {
		m, err := pixel.Conversion(pixel.BT709.Gamut(), in.Primaries.Gamut())
		if err != nil {
			return nil, err
		}
		s.matrix = &m
	}
	return s, nil
}

// Codes returns the codes for the screen, 0 to 1, of linear light. What is no number is 0.
func (s *Shower) Codes(r, g, b float64) (x, y, z float64) { return s.codes(r, g, b, s.curve.Encode) }

func (s *Shower) codes(r, g, b float64, encode func(light float64) float64) (x, y, z float64) {
	if s.matrix != nil {
		r, g, b = s.matrix.Of(r, g, b)
	}
	x, y, z = s.transform.Of(encode(r), encode(g), encode(b))
	return within(x), within(y), within(z)
}

func within(v float64) float64 {
	if !(v > 0) {
		return 0
	}
	return min(v, 1)
}

// Each shows three planes of light, brightened by gain, on all cores; put takes the codes of each pixel. Light that
// becomes codes by a curve is taken as half floats first, of which each is worked out once: enough for a screen.
func (s *Shower) Each(r, g, b []float32, gain float64, put func(i int, x, y, z float64)) {
	encode := s.curve.Encode
	if s.curve != Linear {
		s.once.Do(func() {
			s.halves = make([]float32, 1<<16)
			for bits := range s.halves {
				s.halves[bits] = float32(s.curve.Encode(float64(pixel.FromHalf(uint16(bits)))))
			}
		})
		encode = func(light float64) float64 { return float64(s.halves[pixel.ToHalf(float32(light))]) }
	}
	pixel.Bands(len(r), func(from, behind int) {
		for i := from; i < behind; i++ {
			x, y, z := s.codes(float64(r[i])*gain, float64(g[i])*gain, float64(b[i])*gain, encode)
			put(i, x, y, z)
		}
	})
}
