package lut

import (
	"fmt"
	"math"

	"reelhouse/core/pixel"
)

// least is the smallest number that a logarithm is taken of: that of normal floats of 32 bits.
const least = 0x1p-126

// A matrix multiplies and adds.
type matrix struct {
	pixel.Matrix
	offset [3]float64
}

func (m *matrix) words() string { return "a matrix" }

func (m *matrix) of(c [3]float64) [3]float64 {
	x, y, z := m.Of(c[0], c[1], c[2])
	return [3]float64{x + m.offset[0], y + m.offset[1], z + m.offset[2]}
}

// A span takes one range to another, and clips unless it is told not to.
type span struct {
	scale, offset float64
	least, top    float64 // of what comes out; infinite for no bound
}

func (s *span) words() string { return "a range" }

func (s *span) of(c [3]float64) [3]float64 {
	for k, v := range c {
		c[k] = max(s.least, min(s.top, v*s.scale+s.offset))
	}
	return c
}

// Curves are one computation for each of red, green and blue.
type curves struct {
	name string
	each [3]func(v float64) float64
}

func (s *curves) words() string { return s.name }

func (s *curves) of(c [3]float64) [3]float64 {
	for k, v := range c {
		c[k] = s.each[k](v)
	}
	return c
}

// A logarithm is what a Log node says of a channel.
type logarithm struct {
	base                                               float64
	logSlope, logOffset, linSlope, linOffset           float64
	linBreak, linearSlope, logBreak, linearOffset, lnB float64
	hasBreak                                           bool
}

func (l *logarithm) prepare(linearSlope *float64) error {
	if !(l.base > 0) || l.base == 1 || l.logSlope == 0 || l.linSlope == 0 {
		return fmt.Errorf("its base or a slope makes no logarithm")
	}
	l.lnB = math.Log(l.base)
	if !l.hasBreak {
		return nil
	}
	at := l.linSlope*l.linBreak + l.linOffset
	if !(at > 0) {
		return fmt.Errorf("its break lies where there is no logarithm")
	}
	l.logBreak = l.logSlope*math.Log(at)/l.lnB + l.logOffset
	l.linearSlope = l.logSlope * l.linSlope / (at * l.lnB)
	if linearSlope != nil {
		l.linearSlope = *linearSlope
	}
	if l.linearSlope == 0 {
		return fmt.Errorf("its linear slope is 0")
	}
	l.linearOffset = l.logBreak - l.linearSlope*l.linBreak
	return nil
}

func (l *logarithm) toLog(v float64) float64 {
	if l.hasBreak && v <= l.linBreak {
		return l.linearSlope*v + l.linearOffset
	}
	return l.logSlope*math.Log(max(least, l.linSlope*v+l.linOffset))/l.lnB + l.logOffset
}

func (l *logarithm) toLin(v float64) float64 {
	if l.hasBreak && v <= l.logBreak {
		return (v - l.linearOffset) / l.linearSlope
	}
	return (math.Exp((v-l.logOffset)/l.logSlope*l.lnB) - l.linOffset) / l.linSlope
}

// exponents are the styles of an Exponent node, without what they do below 0.
var exponents = map[string]func(g, offset float64) func(v float64) float64{
	"basicFwd": func(g, _ float64) func(float64) float64 {
		return func(v float64) float64 { return math.Pow(max(0, v), g) }
	},
	"basicRev": func(g, _ float64) func(float64) float64 {
		return func(v float64) float64 { return math.Pow(max(0, v), 1/g) }
	},
	"monCurveFwd": func(g, k float64) func(float64) float64 {
		from, slope := k/(g-1), (g-1)/k*math.Pow(k*g/((g-1)*(1+k)), g)
		return func(v float64) float64 {
			if v >= from {
				return math.Pow((v+k)/(1+k), g)
			}
			return v * slope
		}
	},
	"monCurveRev": func(g, k float64) func(float64) float64 {
		from, slope := math.Pow(k*g/((g-1)*(1+k)), g), (g-1)/k*math.Pow(k*g/((g-1)*(1+k)), g)
		return func(v float64) float64 {
			if v >= from {
				return (1+k)*math.Pow(v, 1/g) - k
			}
			return v / slope
		}
	},
}

// mirrored does below 0 what a curve does above it.
func mirrored(f func(float64) float64) func(float64) float64 {
	return func(v float64) float64 { return math.Copysign(f(math.Abs(v)), v) }
}

// passed leaves alone what lies below 0.
func passed(f func(float64) float64) func(float64) float64 {
	return func(v float64) float64 {
		if v < 0 {
			return v
		}
		return f(v)
	}
}

// A decision is an ASC colour decision list (version 1.2): slope, offset and power, and saturation.
type decision struct {
	slope, offset, power [3]float64
	saturation           float64
	reverse, clamp       bool
}

func (d *decision) words() string { return "an ASC CDL" }

func (d *decision) bound(v float64) float64 {
	if d.clamp {
		return within(v)
	}
	return v
}

func (d *decision) raise(v, power float64) float64 {
	if v < 0 {
		return v
	}
	return math.Pow(v, power)
}

// saturate moves colours away from the grey of their luma (ITU-R BT.709, item 3.2).
func saturate(c [3]float64, by float64) [3]float64 {
	luma := 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2]
	for k, v := range c {
		c[k] = luma + by*(v-luma)
	}
	return c
}

func (d *decision) of(c [3]float64) [3]float64 {
	if d.reverse {
		for k, v := range c {
			c[k] = d.bound(v)
		}
		c = saturate(c, 1/d.saturation)
		for k, v := range c {
			c[k] = d.bound((d.raise(d.bound(v), 1/d.power[k]) - d.offset[k]) / d.slope[k])
		}
		return c
	}
	for k, v := range c {
		c[k] = d.raise(d.bound(v*d.slope[k]+d.offset[k]), d.power[k])
	}
	c = saturate(c, d.saturation)
	for k, v := range c {
		c[k] = d.bound(v)
	}
	return c
}
