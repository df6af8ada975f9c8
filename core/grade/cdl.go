package grade

import (
	"fmt"
	"math"
)

// A CDL is a correction as the ASC Color Decision List, version 1.2, has it: for each of red, green and blue
// out = (in x slope + offset) ^ power, and then a saturation.
type CDL struct {
	Slope      [3]float64 `json:"slope"`
	Offset     [3]float64 `json:"offset"`
	Power      [3]float64 `json:"power"`
	Saturation float64    `json:"saturation"`
}

// Neutral returns the correction that changes nothing.
func Neutral() CDL { return CDL{Slope: White, Power: White, Saturation: 1} }

// Bounds of a correction. The list itself knows none but that slope and saturation are not below, and power is above 0.
const (
	mostSlope  = 1e4
	mostOffset = 1e4
	mostPower  = 100
	leastPower = 1e-3
)

// Check says what is wrong with the correction, or nil.
func (c CDL) Check() error {
	for i, colour := range []string{"red", "green", "blue"} {
		for _, b := range []struct {
			name           string
			v, least, most float64
		}{
			{"slope", c.Slope[i], 0, mostSlope}, {"offset", c.Offset[i], -mostOffset, mostOffset},
			{"power", c.Power[i], leastPower, mostPower},
		} {
			if err := within(b.name+" of "+colour, b.v, b.least, b.most); err != nil {
				return err
			}
		}
	}
	return within("saturation", c.Saturation, 0, mostSlope)
}

// Weights of red, green and blue in what stays when saturation is taken away (ASC CDL 1.2, as ITU-R BT.709).
var Weights = [3]float64{0.2126, 0.7152, 0.0722}

// Apply returns a colour corrected. Clamped, values are brought to 0 to 1 before the power and after the saturation, as
// the list has it; otherwise they go on, and what is below 0 is not raised to a power.
func (c CDL) Apply(rgb [3]float64, clamped bool) [3]float64 {
	bound := func(v float64) float64 { return v }
	if clamped {
		bound = func(v float64) float64 { return min(1, max(0, v)) }
	}
	luma := 0.0
	for i, v := range rgb {
		v = bound(v*c.Slope[i] + c.Offset[i])
		if v > 0 && c.Power[i] != 1 {
			v = math.Pow(v, c.Power[i])
		}
		rgb[i] = v
		luma += Weights[i] * v
	}
	if c.Saturation != 1 {
		for i := range rgb {
			rgb[i] = luma + c.Saturation*(rgb[i]-luma)
		}
	}
	for i := range rgb {
		rgb[i] = bound(rgb[i])
	}
	return rgb
}

// A Space is what a correction is done in.
type Space string

// The spaces. The primaries are those of working light, BT.709, in each.
const (
	Linear  Space = ""        // light as it is
	ACEScct Space = "acescct" // by the curve of ACEScct (Academy S-2016-001), which has black at 0.0729
)

// Spaces returns all spaces, in the order in which they are offered.
func Spaces() []Space { return []Space{Linear, ACEScct} }

// Name returns what a space is called.
func (s Space) Name() string {
	if s == ACEScct {
		return "log, the curve of ACEScct"
	}
	return "linear light"
}

// Constants of ACEScct (Academy S-2016-001, section 4.4).
const (
	cctSlope  = 10.5402377416545
	cctOffset = 0.0729055341958355
	cctBreak  = 0.0078125         // of light
	cctCode   = 0.155251141552511 // of it
	cctScale  = 17.52
	cctShift  = 9.72
)

// Encode returns the code of light in the space.
func (s Space) Encode(v float64) float64 {
	switch {
	case s != ACEScct:
		return v
	case v <= cctBreak:
		return cctSlope*v + cctOffset
	}
	return (math.Log2(v) + cctShift) / cctScale
}

// Decode returns the light of a code in the space.
func (s Space) Decode(v float64) float64 {
	switch {
	case s != ACEScct:
		return v
	case v <= cctCode:
		return (v - cctOffset) / cctSlope
	}
	return math.Exp2(v*cctScale - cctShift)
}

// String describes the correction in a line.
func (c CDL) String() string {
	return fmt.Sprintf("slope %g %g %g, offset %g %g %g, power %g %g %g, saturation %g", c.Slope[0], c.Slope[1],
		c.Slope[2], c.Offset[0], c.Offset[1], c.Offset[2], c.Power[0], c.Power[1], c.Power[2], c.Saturation)
}
