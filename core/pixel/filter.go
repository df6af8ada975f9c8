package pixel

import (
	"fmt"
	"math"
	"sync"
)

// A Filter is a reconstruction filter by which a pixel gathers samples around its centre.
type Filter string

// The filters.
const (
	Box            Filter = "box"         // even over the pixel
	Gaussian       Filter = "gaussian"    // standard deviation half a pixel, cut off at 1.5 pixels
	TriangleFilter Filter = "triangle"    // as Triangle
	BSplineFilter  Filter = "b-spline"    // as BSpline
	MitchellFilter Filter = "mitchell"    // as Mitchell
	CatmullFilter  Filter = "catmull-rom" // as CatmullRom
	HannFilter     Filter = "hann"        // as Hann
	LanczosFilter  Filter = "lanczos"     // as Lanczos
)

// Filters returns all filters, from the softest kind to the sharpest.
func Filters() []Filter {
	return []Filter{
		Box, TriangleFilter, Gaussian, BSplineFilter, MitchellFilter, CatmullFilter, HannFilter, LanczosFilter,
	}
}

// Name returns what the filter is called, with its source.
func (f Filter) Name() string {
	if f == Gaussian {
		return "Gaussian, deviation 1/2, 1.5 pixels"
	}
	return Kernel(f).Name()
}

const (
	gaussianDeviation = 0.5
	gaussianRadius    = 1.5
)

// Check says whether the filter is known.
func (f Filter) Check() error {
	if f.Radius() == 0 {
		return fmt.Errorf("there is no filter %q; known are %v", f, Filters())
	}
	return nil
}

// Radius returns the distance, in pixels, from which on the weight is 0; 0 for an unknown filter.
func (f Filter) Radius() float64 {
	if f == Gaussian {
		return gaussianRadius
	}
	return Kernel(f).Radius()
}

// Weight returns the weight of a sample at a distance from the pixel's centre, in pixels.
func (f Filter) Weight(x float64) float64 {
	if f == Gaussian {
		if math.Abs(x) >= gaussianRadius {
			return 0
		}
		return math.Exp(-x * x / (2 * gaussianDeviation * gaussianDeviation))
	}
	return Kernel(f).Weight(x)
}

// Lobes reports whether the filter has weights below 0.
func (f Filter) Lobes() bool {
	return f == MitchellFilter || f == CatmullFilter || f == HannFilter || f == LanczosFilter
}

// A Sampler places samples as a filter weighs.
type Sampler struct {
	filter Filter
	table  *filterTable // nil for a box
}

// Sampler returns the filter's sampler.
func (f Filter) Sampler() Sampler {
	if f == Box {
		return Sampler{filter: f}
	}
	return Sampler{f, tables(f)}
}

// Sample returns an offset in pixels from the pixel's centre, distributed as the filter weighs, for a number u in 0 to
// 1, and whether the weight there is below 0 (Ernst, Stamminger and Greiner, "Filter Importance Sampling", 2006).
// Samples placed so weigh 1 or -1, and need none of the neighbours' samples: a tile comes out as the same part of the
// whole frame does.
func (s Sampler) Sample(u float64) (offset float64, negative bool) {
	t := s.table
	if t == nil {
		return u - 0.5, false
	}
	at := u * filterSteps
	i := min(int(at), filterSteps-1)
	offset = t.places[i] + (t.places[i+1]-t.places[i])*(at-float64(i))
	return offset, t.lobes && s.filter.Weight(offset) < 0
}

// A filterTable holds the places that even steps of the running sum of a filter's weights, without their signs, lead
// to.
type filterTable struct {
	places [filterSteps + 1]float64
	lobes  bool
}

const filterSteps = 2048

var filterTables sync.Map

func tables(f Filter) *filterTable {
	if t, ok := filterTables.Load(f); ok {
		return t.(*filterTable)
	}
	const fine = 16 * filterSteps
	t := &filterTable{lobes: f.Lobes()}
	radius := f.Radius()
	sums := make([]float64, fine+1)
	for i := range fine {
		sums[i+1] = sums[i] + math.Abs(f.Weight((float64(i)+0.5)/fine*2*radius-radius))
	}
	at := 0
	for i := range t.places {
		want := sums[fine] * float64(i) / filterSteps
		for at < fine-1 && sums[at+1] < want {
			at++
		}
		within := 0.0
		if step := sums[at+1] - sums[at]; step > 0 {
			within = min(1, (want-sums[at])/step)
		}
		t.places[i] = (float64(at)+within)/fine*2*radius - radius
	}
	filterTables.Store(f, t)
	return t
}
