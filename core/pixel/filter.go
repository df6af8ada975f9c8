package pixel

import (
	"fmt"
	"math"
)

// A Filter is a reconstruction filter by which a pixel gathers samples around its centre.
type Filter string

// The filters.
const (
	Box      Filter = "box"      // even over the pixel
	Gaussian Filter = "gaussian" // standard deviation half a pixel, cut off at 1.5 pixels
)

const (
	gaussianDeviation = 0.5
	gaussianRadius    = 1.5
)

// Check says whether the filter is known.
func (f Filter) Check() error {
	if f != Box && f != Gaussian {
		return fmt.Errorf("there is no filter %q; known are %s and %s", f, Box, Gaussian)
	}
	return nil
}

// Sample returns an offset in pixels from the pixel's centre, distributed as the filter weighs, for a
// number u in 0 to 1. Samples placed so have equal weight, and need none of the neighbours' samples: a
// tile comes out as the same part of the whole frame does.
func (f Filter) Sample(u float64) float64 {
	if f == Gaussian {
		edge := math.Erf(gaussianRadius / gaussianDeviation / math.Sqrt2)
		return gaussianDeviation * math.Sqrt2 * math.Erfinv((2*u-1)*edge)
	}
	return u - 0.5
}
