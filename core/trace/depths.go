package trace

import (
	"math"

	"reelhouse/core/geom"
)

// Depths are depths along the camera's axis of a grid of rays over a picture, in metres.
type Depths struct {
	Met []float64 // of rays that met a surface
	Sky int       // rays that met none
}

// Rows and columns of rays that depths are measured by.
const (
	depthColumns = 96
	depthRows    = 54
)

// Depths measures how deep the named camera's picture is.
func (w *World) Depths(name string, s Settings) (Depths, error) {
	_, window, projection, err := w.aim(name, s)
	if err != nil {
		return Depths{}, err
	}
	var d Depths
	w.tracer().
		grid(window.Picture, projection, depthColumns, depthRows,
			func(origin, direction geom.Vec, h *hit, found bool) bool {
				if found {
					d.Met = append(d.Met, projection.Depth(origin.Add(direction.Scale(h.distance))))
				} else {
					d.Sky++
				}
				return false
			})
	return d, nil
}

// Add takes in another picture's depths.
func (d *Depths) Add(o Depths) { d.Met, d.Sky = append(d.Met, o.Met...), d.Sky+o.Sky }

// Range returns the nearest and the farthest; 0 and 0 if no surface was met.
func (d Depths) Range() (near, far float64) {
	if len(d.Met) == 0 {
		return 0, 0
	}
	near, far = math.Inf(1), 0
	for _, v := range d.Met {
		near, far = min(near, v), max(far, v)
	}
	return near, far
}

// Histogram counts depths in parts of the range between two, those beyond in the first and the last.
func (d Depths) Histogram(near, far float64, parts int) []int {
	counts := make([]int, parts)
	for _, v := range d.Met {
		at := 0
		if far > near {
			at = int(float64(parts) * (v - near) / (far - near))
		}
		counts[min(parts-1, max(0, at))]++
	}
	return counts
}
