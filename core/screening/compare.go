package screening

import (
	"fmt"
	"image"
	"math"
	"strings"

	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// A Compared is how far two pictures of a pass are from each other.
type Compared struct {
	Pixels   int
	Differ   int     // pixels of which any value differs
	Greatest float64 // difference of two values
	Channel  string  // in which that is
	X, Y     int     // where it is, from the top left
	Mean     float64 // of the differences of all values
	Resized  bool    // the other picture had another size, and was resized
}

// Words says it in a line.
func (c Compared) Words(gain float64) string {
	if c.Differ == 0 {
		return "no value differs"
	}
	text := fmt.Sprintf(
		"differences of values, times %g, as light; %.3g %% of the pixels differ, most %s at %d, %d by %.5g; %.3g in "+
			"the mean",
		gain,
		100*float64(c.Differ)/float64(c.Pixels),
		c.Channel,
		c.X,
		c.Y,
		c.Greatest,
		c.Mean,
	)
	if c.Resized {
		text += "; the other was resized"
	}
	return text
}

// MostDifferenceGain is the greatest gain at which differences are shown.
const MostDifferenceGain = 1 << 20

// Difference returns the differences of the values of a pass in two pictures, times a gain, through the sRGB curve: of
// three values as red, green and blue, of one as grey; IDs that differ are white. Two values that are both no number
// are alike, and one beside a number differs as much as can be shown. A picture of another size than the first is
// resized by means. other is the pass of the second picture, whose values are held against those of the first.
func Difference(a, b *pixel.Image, code, other pass.Code, gain float64) (*image.NRGBA, Compared, error) {
	if math.IsNaN(gain) || gain <= 0 || gain > MostDifferenceGain {
		return nil, Compared{}, fmt.Errorf("a gain lies above 0, and is %d at most", MostDifferenceGain)
	}
	described, ours, err := shownPlanes(a, code)
	if err != nil {
		return nil, Compared{}, err
	}
	c := Compared{Pixels: a.Width * a.Height}
	if a.Width != b.Width || a.Height != b.Height {
		b, c.Resized = b.Resize(a.Width, a.Height, pixel.BoxKernel, func(string) bool { return !described.Data }), true
	}
	_, theirs, err := shownPlanes(b, other)
	if err != nil {
		return nil, c, err
	}
	if len(ours) != len(theirs) {
		return nil, c, fmt.Errorf("the passes %s and %s hold different things", code, other)
	}
	encode := pixel.NewEncoder(8, pixel.SRGB, pixel.NoDither)
	out := image.NewNRGBA(image.Rect(0, 0, a.Width, a.Height))
	sum := 0.0
	for i := range c.Pixels {
		differs := false
		for k := range ours {
			d := apart(float64(ours[k].Data[i]), float64(theirs[k].Data[i]))
			differs = differs || d > 0
			if !math.IsInf(d, 0) {
				sum += d
			}
			if d > c.Greatest {
				c.Greatest, c.Channel, c.X, c.Y = d, short(ours[k].Name), i%a.Width, i/a.Width
			}
			if k < 3 && !described.IsCryptomatte() {
				out.Pix[4*i+k] = byte(encode.Code(float32(min(d*gain, 1)), 0, 0))
			}
		}
		switch {
		case described.IsCryptomatte() && differs:
			out.Pix[4*i], out.Pix[4*i+1], out.Pix[4*i+2] = 255, 255, 255
		case len(ours) == 1:
			out.Pix[4*i+1], out.Pix[4*i+2] = out.Pix[4*i], out.Pix[4*i]
		}
		out.Pix[4*i+3] = 255
		if differs {
			c.Differ++
		}
	}
	c.Mean = sum / float64(c.Pixels*len(ours))
	return out, c, nil
}

// apart returns how far two values are from each other; infinity if one of them alone is no number.
func apart(a, b float64) float64 {
	switch {
	case a == b || math.IsNaN(a) && math.IsNaN(b):
		return 0
	case math.IsNaN(a) || math.IsNaN(b):
		return math.Inf(1)
	}
	return math.Abs(a - b)
}

// short returns the last part of a channel's name.
func short(name string) string { return name[strings.LastIndex(name, ".")+1:] }
