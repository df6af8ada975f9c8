package inspect

import (
	"math"
	"slices"
)

// Thresholds of places. A place is a square of cells of which only the mean is looked at, where it lies: what moves
// within it, as snow does, hardly changes that.
const (
	placeEdge   = 4    // cells
	placeApart  = 4.0  // times what is usual of the place nearby
	leastPlace  = 0.02 // of encoded light
	placesTimes = 2.5  // as many as in any frame nearby
	placesShare = 0.06 // of all places
)

// placesOf returns the means of a frame's places.
func placesOf(m *measured) []float64 {
	wide, high := (m.cellsWide+placeEdge-1)/placeEdge, (m.cellsHigh+placeEdge-1)/placeEdge
	sums, counts := make([]float64, wide*high), make([]float64, wide*high)
	for i, v := range m.cells {
		at := i/m.cellsWide/placeEdge*wide + i%m.cellsWide/placeEdge
		sums[at] += float64(v)
		counts[at]++
	}
	for i := range sums {
		sums[i] /= counts[i]
	}
	return sums
}

// strayed returns of each frame of the chain in how many places it is unlike both of its neighbours, and more so than
// is usual there. Where the camera moves on, that is usual everywhere.
func (b *beside) strayed() []int {
	n := len(b.chain)
	places := make([][]float64, n)
	for i, m := range b.chain {
		places[i] = placesOf(m)
	}
	unlike := make([][]float64, n) // by places, of all frames but the first and the last
	for i := 1; i+1 < n; i++ {
		unlike[i] = make([]float64, len(places[i]))
		for k, v := range places[i] {
			unlike[i][k] = min(math.Abs(v-places[i-1][k]), math.Abs(v-places[i+1][k]))
		}
	}
	counts := make([]int, n)
	for i := 1; i+1 < n; i++ {
		for k, v := range unlike[i] {
			if v < leastPlace {
				continue
			}
			usual := 0.0 // of either side by itself: another shot may begin here
			for _, side := range [][2]int{{i - 1 - around, i - 2}, {i + 2, i + 1 + around}} {
				var values []float64
				for o := max(1, side[0]); o <= min(n-2, side[1]); o++ {
					values = append(values, unlike[o][k])
				}
				usual = max(usual, median(values))
			}
			if v > placeApart*usual {
				counts[i]++
			}
		}
	}
	return counts
}

// strays reports whether a frame is unlike its neighbours in far more places than any frame nearby is.
func strays(counts []int, i, places int) bool {
	n := len(counts)
	others := nearby(counts[1:n-1], i-1, i-1)
	if len(others) < around {
		return false
	}
	return float64(counts[i]) > max(placesShare*float64(places), placesTimes*float64(slices.Max(others)))
}
