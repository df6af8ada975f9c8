// Package sampling says how much work a renderer puts into a pixel: when it is done, how far light is followed, and how
// samples become pixels.
package sampling

import (
	"fmt"
	"math"
)

// Most is the most samples along one edge of a pixel.
const Most = 64

// An Effort is what a quality asks for beside the number of samples. The zero value takes all samples everywhere.
type Effort struct {
	// Noise is the standard error of a pixel's brightness, as a share of it, at which the pixel is done; 0 for never.
	Noise float64 `json:"noise,omitempty"`
	// Least is how many samples along each edge a pixel gets before it may be done; 0 for UsualLeast.
	Least   int     `json:"least,omitempty"`
	Bounces Bounces `json:"bounces,omitzero"`
	// Clamp is the indirect light limit: the most exposed light that one indirect way may add to a sample; 0 for no
	// end. It removes fireflies, and light with them.
	Clamp float64 `json:"clamp,omitempty"`
	// Seconds is for how long a frame may be rendered; 0 for no end. Every pixel gets its first samples, however short
	// it is.
	Seconds float64 `json:"seconds,omitempty"`
	// Splat gives each sample to all pixels that the filter reaches. Without it, samples are placed as the filter
	// weighs and count for one pixel, which needs none of its neighbours.
	Splat bool `json:"splat,omitempty"`
}

// UsualLeast is the fewest samples along an edge, where nothing else is said.
const UsualLeast = 4

// Bounces is how often light may be scattered on its way from its source to the camera, by kind.
type Bounces struct {
	Diffuse int `json:"diffuse"` // by the bodies of surfaces
	Glossy  int `json:"glossy"`  // by highlights and mirrors
	Through int `json:"through"` // by glass that it goes through, each side counted
}

// Usual are the bounces of an effort that says nothing else.
var Usual = Bounces{Diffuse: 3, Glossy: 4, Through: 8}

// OrUsual returns the bounces, or the usual ones if none are set.
func (b Bounces) OrUsual() Bounces {
	if b == (Bounces{}) {
		return Usual
	}
	return b
}

// Limits of an effort.
const (
	MostBounces = 64
	MostSeconds = 7 * 24 * 3600
	MostNoise   = 1.0
	MostClamp   = 1e6
)

// Check says what is wrong with the effort, or nil.
func (e Effort) Check() error {
	outside := func(v, most float64) bool { return !(v >= 0 && v <= most) || math.IsInf(v, 0) }
	switch {
	case outside(e.Noise, MostNoise):
		return fmt.Errorf("a noise threshold of %v is outside 0 to %v", e.Noise, MostNoise)
	case e.Least < 0 || e.Least > Most:
		return fmt.Errorf("at least %d samples along a pixel's edge is outside 0 to %d", e.Least, Most)
	case outside(e.Clamp, MostClamp):
		return fmt.Errorf("an indirect light limit of %v is outside 0 to %v", e.Clamp, float64(MostClamp))
	case outside(e.Seconds, MostSeconds):
		return fmt.Errorf("a time of %v s for a frame is outside 0 to %v s", e.Seconds, MostSeconds)
	}
	for _, n := range []int{e.Bounces.Diffuse, e.Bounces.Glossy, e.Bounces.Through} {
		if n < 0 || n > MostBounces {
			return fmt.Errorf("%d bounces are outside 0 to %d", n, MostBounces)
		}
	}
	return nil
}
