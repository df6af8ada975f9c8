package pixel

import "fmt"

// A Dither is how numbers are rounded to codes.
type Dither string

// The dithers.
const (
	NoDither      Dither = ""        // to the nearest code
	OrderedDither Dither = "ordered" // up or down by an even pattern of 8 x 8 pixels, so that means are kept
)

// Dithers returns all of them, in the order in which they are offered.
func Dithers() []Dither { return []Dither{NoDither, OrderedDither} }

// Check says whether the dither is known.
func (d Dither) Check() error {
	if d == NoDither || d == OrderedDither {
		return nil
	}
	return fmt.Errorf("there is no dither %q", d)
}

// thresholds holds the numbers 0 to 63 so that any few of them lie evenly: the recursive matrix of B. E. Bayer, "An
// Optimum Method for Two-Level Rendition of Continuous-Tone Pictures", 1973.
var thresholds = func() (t [8][8]float64) {
	for y := range 8 {
		for x := range 8 {
			v := 0
			for bit := range 3 { // the lowest bits of the place weigh most
				v = v<<2 | (x>>bit&1^y>>bit&1)<<1 | y>>bit&1
			}
			t[y][x] = (float64(v) + 0.5) / 64
		}
	}
	return t
}()

// Round returns what is added to a number at pixel x, y before its fraction is cut off.
func (d Dither) Round(x, y int) float64 {
	if d == OrderedDither {
		return thresholds[y&7][x&7]
	}
	return 0.5
}
