package raster

import (
	"fmt"
	"strconv"
	"strings"
)

// A Reduction makes a size smaller: to a percentage of both edges, or by a whole divisor. The zero value
// is the full size.
type Reduction struct {
	Percent int // 1 to 100; 0 if Divisor counts
	Divisor int // 1 and more; 0 if Percent counts
}

// Full reports whether nothing is reduced.
func (r Reduction) Full() bool { return r.Divisor <= 1 && (r.Percent == 0 || r.Percent == 100) }

// Of returns the reduced size: both edges rounded up, and never 0.
func (r Reduction) Of(s Size) Size {
	switch {
	case r.Divisor > 1:
		return Size{ceilDiv(s.Width, r.Divisor), ceilDiv(s.Height, r.Divisor)}
	case r.Percent > 0:
		return Size{ceilDiv(s.Width*r.Percent, 100), ceilDiv(s.Height*r.Percent, 100)}
	}
	return s
}

// Scale returns the true scale that rounding leaves, across and up: 1998 x 1080 by 7 is 286 x 155, which is
// 14.314 % and 14.352 %.
func (r Reduction) Scale(s Size) (across, up float64) {
	of := r.Of(s)
	return float64(of.Width) / float64(s.Width), float64(of.Height) / float64(s.Height)
}

// ParseReduction reads "25 %", "25" or "1/4".
func ParseReduction(text string) (Reduction, error) {
	trimmed := strings.TrimSpace(text)
	fail := func() (Reduction, error) {
		return Reduction{}, fmt.Errorf(
			"%q is no part of a size; write a percentage from 1 to 100 such as 25 %%, or a fraction such as 1/4", text,
		)
	}
	if over, under, ok := strings.Cut(trimmed, "/"); ok {
		n, err := strconv.Atoi(strings.TrimSpace(under))
		if strings.TrimSpace(over) != "1" || err != nil || n < 1 || n > MaxEdge {
			return fail()
		}
		return Reduction{Divisor: n}, nil
	}
	n, err := strconv.Atoi(strings.TrimSpace(strings.TrimSuffix(trimmed, "%")))
	if err != nil || n < 1 || n > 100 {
		return fail()
	}
	return Reduction{Percent: n}, nil
}

// String writes what ParseReduction reads.
func (r Reduction) String() string {
	switch {
	case r.Divisor > 0:
		return "1/" + strconv.Itoa(r.Divisor)
	case r.Percent > 0:
		return strconv.Itoa(r.Percent) + " %"
	}
	return "100 %"
}

// MarshalText writes the text form.
func (r Reduction) MarshalText() ([]byte, error) { return []byte(r.String()), nil }

// UnmarshalText reads the text form.
func (r *Reduction) UnmarshalText(text []byte) error {
	parsed, err := ParseReduction(string(text))
	if err == nil {
		*r = parsed
	}
	return err
}
