package trace

import "reelhouse/core/geom"

// A Probe sends single rays into a world. One goroutine may use it at a time.
type Probe struct{ tracer *tracer }

// Probe returns a probe.
func (w *World) Probe() Probe { return Probe{w.tracer()} }

// Nearest returns how far away the first surface lies along a ray, in lengths of its direction; false if there is none
// before limit.
func (p Probe) Nearest(origin, direction geom.Vec, limit float64) (distance float64, found bool) {
	var h hit
	found = p.tracer.first(origin, direction, limit, &h)
	return h.distance, found
}

// Blocked reports whether anything that lets no light through stands in a ray's way before limit.
func (p Probe) Blocked(origin, direction geom.Vec, limit float64) bool {
	return p.tracer.blocked(origin, direction, limit)
}

// Triangles returns the corners of all triangles, in the world.
func (w *World) Triangles() [][3]geom.Vec {
	var all [][3]geom.Vec
	for i := range w.instances {
		for k := range w.instances[i].solid.triangles {
			a, e1, e2 := w.cornersOf(i, int32(k), midway)
			all = append(all, [3]geom.Vec{a, a.Add(e1), a.Add(e2)})
		}
	}
	return all
}
