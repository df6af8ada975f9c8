package screening

import (
	"fmt"
	"image"
	"math"

	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// Sizes of what is measured of a picture.
const (
	ScopeBins   = 256 // of a histogram, and lines of a waveform: codes from 0, black, to 255, white
	mostColumns = 256 // of a waveform, from left to right
)

// A Scope is how the values of a picture, or of a part of it, are spread, as they are shown: by the display's code of
// each, from 0 to 1, in ScopeBins steps.
type Scope struct {
	Pixels   int            `json:"pixels"`
	Channels []ScopeChannel `json:"channels"`
	// Waveform is how many pixels of each column have each code, the luminance of light and the mean of other passes:
	// Columns times ScopeBins counts, from black to white in each column. All columns are equally many pixels wide;
	// what is left over at the right is not counted.
	Waveform []int `json:"waveform"`
	Columns  int   `json:"columns"`
	Most     int   `json:"most"` // the greatest of the counts
}

// A ScopeChannel is how the values of a channel are spread.
type ScopeChannel struct {
	Name      string  `json:"name"`
	Histogram []int   `json:"histogram"` // ScopeBins counts; those out of range are not among them
	Below     int     `json:"below"`     // pixels that are darker than black
	Above     int     `json:"above"`     // pixels that are brighter than white
	NotFinite int     `json:"notFinite"`
	Least     float64 `json:"least"` // of the values as the file holds them
	Mean      float64 `json:"mean"`
	Greatest  float64 `json:"greatest"`
}

// Measure returns how the values of a pass are spread in a part of an image, as the codes by which a view shows them.
// Where a transform takes all three colours together, as a look-up table does, nothing is darker than black or brighter
// than white.
func Measure(img *pixel.Image, part image.Rectangle, code pass.Code, view View) (Scope, error) {
	described, planes, err := shownPlanes(img, code)
	if err != nil {
		return Scope{}, err
	}
	if part.Empty() || !part.In(image.Rect(0, 0, img.Width, img.Height)) {
		return Scope{}, fmt.Errorf("%v %w of %d × %d", part, ErrOutside, img.Width, img.Height)
	}
	shade := shadeOf(described, view.Gain, view.DepthFar, view.Viewing.Curve())
	var shown *image.NRGBA // of the part
	if described.Shown == pass.AsLight && len(planes) == 3 && (view.LUT != nil || view.Viewing == pixel.ViewSoft) {
		if shown, err = through(img.Crop(part), code, view); err != nil {
			return Scope{}, err
		}
	}
	wide := 1 + (part.Dx()-1)/mostColumns // pixels of a column
	s := Scope{Pixels: part.Dx() * part.Dy(), Columns: part.Dx() / wide}
	s.Waveform = make([]int, s.Columns*ScopeBins)
	weights := weightsOf(described, len(planes))
	together := make([]float64, part.Dx()*part.Dy())
	for i, p := range planes {
		c := ScopeChannel{Name: p.Name, Histogram: make([]int, ScopeBins), Least: math.Inf(1), Greatest: math.Inf(-1)}
		finite := 0
		for y := part.Min.Y; y < part.Max.Y; y++ {
			for x := part.Min.X; x < part.Max.X; x++ {
				v := float64(p.Data[y*img.Width+x])
				if math.IsNaN(v) || math.IsInf(v, 0) {
					c.NotFinite++
					continue
				}
				finite++
				c.Least, c.Greatest, c.Mean = min(c.Least, v), max(c.Greatest, v), c.Mean+v
				together[(y-part.Min.Y)*part.Dx()+x-part.Min.X] += weights[i] * v
				code, out := shade(v)
				if shown != nil {
					code, out = shown.Pix[shown.PixOffset(x-part.Min.X, y-part.Min.Y)+i], 0
				}
				switch {
				case out < 0:
					c.Below++
				case out > 0:
					c.Above++
				default:
					c.Histogram[code]++
				}
			}
		}
		if c.Mean /= float64(max(1, finite)); finite == 0 {
			c.Least, c.Greatest = 0, 0
		}
		s.Channels = append(s.Channels, c)
	}
	for i, v := range together {
		code, out := shade(v)
		if shown != nil {
			rgb := shown.Pix[4*i:]
			code, out = byte(weights[0]*float64(rgb[0])+weights[1]*float64(rgb[1])+weights[2]*float64(rgb[2])+0.5), 0
		}
		column := i % part.Dx() / wide
		if out != 0 || column >= s.Columns {
			continue
		}
		n := &s.Waveform[column*ScopeBins+int(code)]
		*n++
		s.Most = max(s.Most, *n)
	}
	return s, nil
}

// shownPlanes returns the planes of a pass that are shown.
func shownPlanes(img *pixel.Image, code pass.Code) (pass.Pass, []pixel.Plane, error) {
	described, err := pass.Find(code)
	if err != nil {
		return described, nil, err
	}
	names := described.ChannelNames()
	if code == pass.Beauty || code == pass.Denoised {
		names = names[:3] // a file may have no alpha
	}
	planes, err := img.Select(names...)
	if err != nil {
		return described, nil, fmt.Errorf("this file has no %s pass: %w", code, err)
	}
	return described, planes.Planes, nil
}

// shadeOf returns how a value of a pass becomes a code of the display, from 0 to 255; out is below 0 for one that is
// darker than black, and above 0 for one that is brighter than white.
func shadeOf(
	described pass.Pass, gain, depthFar float64, curve pixel.Curve,
) func(v float64) (code byte, out int) {
	if described.Shown == pass.AsDistance {
		return func(v float64) (byte, int) { return plainShade(v / depthFar) }
	}
	if m := mappings[described.Shown]; m.value != nil {
		return func(v float64) (byte, int) { return plainShade(m.value(v)) }
	}
	if described.IsCryptomatte() {
		return plainShade
	}
	encode := pixel.NewEncoder(8, curve, pixel.NoDither)
	return func(v float64) (byte, int) { return byte(encode.Code(float32(v*gain), 0, 0)), outOf(v * gain) }
}

// plainShade returns the code of what is no light: 0 is black, and 1 white.
func plainShade(at float64) (code byte, out int) {
	return byte(255*min(1, max(0, at)) + 0.5), outOf(at)
}

// outOf returns -1 for what lies below 0, 1 for what lies above 1, and otherwise 0.
func outOf(at float64) int {
	switch {
	case at < 0:
		return -1
	case at > 1:
		return 1
	}
	return 0
}

// weightsOf returns what each plane counts in one number of a pixel: as in luminance by ITU-R BT.709, item 3.2, of
// light, and otherwise alike.
func weightsOf(described pass.Pass, planes int) []float64 {
	if planes == 3 && described.Shown == pass.AsLight {
		return []float64{0.2126, 0.7152, 0.0722}
	}
	weights := make([]float64, planes)
	for i := range weights {
		weights[i] = 1 / float64(planes)
	}
	return weights
}
