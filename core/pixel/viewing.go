package pixel

import (
	"fmt"
	"math"
	"slices"
	"strings"
)

// A Viewing is how linear light is brought to a screen to be looked at. It changes no file. The zero value shows it
// through the sRGB curve.
type Viewing string

// The viewing transforms.
const (
	ViewSRGB    Viewing = ""
	ViewBT1886  Viewing = "bt1886"
	ViewGamma22 Viewing = "gamma22"
	// ViewSoft brings light above the screen's white back into its range, and keeps the hue: what only clips turns
	// yellow, cyan or magenta where one channel after the other ends. It is shown through the sRGB curve.
	ViewSoft Viewing = "soft"
)

// viewLUT begins the transforms that are look-up tables of a production, before their codes.
const viewLUT = "lut:"

// ViewLUT returns the transform that is a look-up table, by its code.
func ViewLUT(code string) Viewing { return Viewing(viewLUT + code) }

// LUT returns the code of the look-up table that the transform is; false if it is none.
func (v Viewing) LUT() (code string, ok bool) { return strings.CutPrefix(string(v), viewLUT) }

// Viewings returns all viewing transforms but look-up tables, in the order in which they are offered.
func Viewings() []Viewing { return []Viewing{ViewSRGB, ViewBT1886, ViewGamma22, ViewSoft} }

// Name returns what the transform is called.
func (v Viewing) Name() string {
	if code, ok := v.LUT(); ok {
		return "look-up table " + code
	}
	if v == ViewSoft {
		return "sRGB, soft highlights with their hue"
	}
	return v.Curve().Name()
}

// Curve returns the curve by which light becomes codes in the end.
func (v Viewing) Curve() Curve {
	switch v {
	case ViewBT1886:
		return BT1886
	case ViewGamma22:
		return Gamma22
	}
	return SRGB
}

// Check says what is wrong with it, or nil.
func (v Viewing) Check() error {
	if _, ok := v.LUT(); !ok && !slices.Contains(Viewings(), v) {
		return fmt.Errorf(
			"%q is no viewing transform; there are bt1886, gamma22, soft, lut:CODE and, for sRGB, nothing",
			string(v),
		)
	}
	return nil
}

// softFrom is the light, as a share of the screen's white, up to which ViewSoft changes nothing. softWhite is how late
// colours turn white above it: the greater, the later.
const (
	softFrom  = 0.5
	softWhite = 8
)

// Light returns the light that is shown for red, green and blue. ViewSoft lets the greatest of them approach 1, with
// the slope of the light itself where that begins, and mixes in white of the same strength as it does: a mixture with
// grey has the hue that it had.
func (v Viewing) Light(r, g, b float64) (shownR, shownG, shownB float64) {
	greatest := max(r, g, b)
	if v != ViewSoft || !(greatest > softFrom) {
		return r, g, b
	}
	if math.IsInf(greatest, 1) {
		return 1, 1, 1
	}
	const room = 1 - softFrom
	over := 1 - math.Exp((softFrom-greatest)/room) // 0 to 1
	top := softFrom + room*over
	scale, white := top/greatest, math.Pow(over, softWhite)
	mixed := func(c float64) float64 {
		c = max(0, c) * scale
		return c + (top-c)*white
	}
	return mixed(r), mixed(g), mixed(b)
}
