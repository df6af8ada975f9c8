package pass

import (
	"fmt"
	"math"
)

// A DepthStyle says what the depth pass holds. The zero value is true metres at the pixel's centre.
type DepthStyle struct {
	// Picture makes a picture of depth: 0 at Near and 1 at Far, both in metres.
	Picture bool    `json:"picture,omitempty"`
	Near    float64 `json:"near,omitempty"`
	Far     float64 `json:"far,omitempty"`
	// Inverted pictures are 1 at Near and 0 at Far.
	Inverted bool `json:"inverted,omitempty"`
	// Open pictures go on below 0 and above 1 instead of being clipped.
	Open bool `json:"open,omitempty"`
	// Filtered is the mean over the pixel, as the picture's filter weighs, the background's depth included; edges then
	// have depths where nothing is.
	Filtered bool `json:"filtered,omitempty"`
}

// MostDepth is the farthest that a depth may lie, in metres.
const MostDepth = 1e9

// DepthSettings are what the passes of depth and occlusion hold.
type DepthSettings struct {
	Style DepthStyle `json:"style,omitzero"`
	// Background is the depth where there is no surface, in metres.
	Background float64 `json:"background"`
	// OcclusionRadius is how far the pass of occlusion looks, in metres; 0 for UsualOcclusionRadius.
	OcclusionRadius float64 `json:"occlusionRadius,omitempty"`
}

// Usual depths, and the farthest that occlusion may look, in metres.
const (
	UsualBackground      = 1000
	UsualOcclusionRadius = 2
	MostOcclusionRadius  = 1e6
)

// UsualDepth is true metres.
func UsualDepth() DepthSettings { return DepthSettings{Background: UsualBackground} }

// Check says what is wrong with the settings, or nil.
func (d DepthSettings) Check() error {
	if !(d.OcclusionRadius >= 0 && d.OcclusionRadius <= MostOcclusionRadius) {
		return fmt.Errorf("the radius of occlusion has to be from 0 to a million metres")
	}
	if !(d.Background > 0 && d.Background <= MostDepth) {
		return fmt.Errorf("the background's depth must be a number of metres above 0")
	}
	return d.Style.Check()
}

// String describes the settings, such as "metres; background 1000 m, occlusion within 2 m".
func (d DepthSettings) String() string {
	return fmt.Sprintf("%s; background %g m, occlusion within %g m", d.Style, d.Background, d.Radius())
}

// Radius returns how far the pass of occlusion looks, in metres.
func (d DepthSettings) Radius() float64 {
	if d.OcclusionRadius == 0 {
		return UsualOcclusionRadius
	}
	return d.OcclusionRadius
}

// Check says what is wrong with the style, or nil.
func (d DepthStyle) Check() error {
	for _, v := range []float64{d.Near, d.Far} {
		if !(v >= 0 && v <= MostDepth) {
			return fmt.Errorf("a depth of %v m is outside 0 to %g m", v, MostDepth)
		}
	}
	if d.Picture && d.Near >= d.Far {
		return fmt.Errorf("near, %v m, has to be nearer than far, %v m", d.Near, d.Far)
	}
	return nil
}

// Value returns what the pass holds for a depth in metres.
func (d DepthStyle) Value(metres float64) float64 {
	if !d.Picture {
		return metres
	}
	v := (metres - d.Near) / (d.Far - d.Near)
	if !d.Open {
		v = min(1, max(0, v))
	}
	if d.Inverted {
		v = 1 - v
	}
	return v
}

// Metres returns the depth that a value stands for; what was clipped is lost.
func (d DepthStyle) Metres(value float64) float64 {
	if !d.Picture {
		return value
	}
	if d.Inverted {
		value = 1 - value
	}
	return d.Near + value*(d.Far-d.Near)
}

// String describes the style in a sentence's part, such as "metres" or "0 at 2 m, 1 at 80 m, clipped".
func (d DepthStyle) String() string {
	text := "metres"
	if d.Picture {
		first, last := 0, 1
		if d.Inverted {
			first, last = 1, 0
		}
		text = fmt.Sprintf("%d at %g m, %d at %g m", first, d.Near, last, d.Far)
		if !d.Open {
			text += ", clipped"
		}
	}
	if d.Filtered {
		text += ", filtered"
	}
	return text
}

// Proposed returns round distances a little nearer and farther than what was measured, with two digits.
func Proposed(nearest, farthest float64) (near, far float64) {
	round := func(v float64, how func(float64) float64) float64 {
		if v <= 0 {
			return 0
		}
		step := math.Pow(10, math.Floor(math.Log10(v))-1)
		return math.Round(how(v/step)*step*1e6) / 1e6
	}
	near, far = round(nearest*0.98, math.Floor), round(farthest*1.02, math.Ceil)
	if near >= far {
		far = near + max(0.01, near/10)
	}
	return near, far
}
