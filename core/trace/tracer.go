package trace

import (
	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// A tracer sends rays into a world. One goroutine uses it; it keeps what would be made anew for each ray, and counts.
type tracer struct {
	*World
	time         float64 // 0 to 1 while the shutter is open; of the rays that follow
	rays         int64   // sent so far
	bent         bool    // visible has gone through glass that bends or blurs
	clamp        float64 // most exposed light that one indirect way may add; 0 for no end
	groups       *grouping
	weights      []float64 // of lamps, for the point that is lit
	glows        []float64 // of clusters, likewise
	outer, inner walk
}

// midway is the moment that a frame stands for: the shutter opens as long before as it closes after it.
const midway = 0.5

func (w *World) tracer() *tracer { return &tracer{World: w, time: midway, groups: noGroups} }

// A hit is where a ray first meets a surface.
type hit struct {
	distance float64
	instance *instance
	triangle int32
	u, v     float64
}

// node returns the node that was hit.
func (h *hit) node() int { return h.instance.nodeOf(&h.instance.solid.triangles[h.triangle]) }

// nodeOf returns the node that one of the instance's triangles belongs to.
func (in *instance) nodeOf(t *triangle) int {
	if in.node == scene.None {
		return int(t.node)
	}
	return in.node
}

// first finds the first surface along the ray before limit.
func (t *tracer) first(origin, direction geom.Vec, limit float64, h *hit) bool {
	h.instance, h.distance = nil, limit
	t.rays++
	if len(t.instances) == 0 {
		return false
	}
	r := newRay(origin, direction, t.time)
	if len(t.instances) == 1 {
		t.firstOf(&t.instances[0], &r, h)
		return h.instance != nil
	}
	t.outer.start()
	for {
		first, count := t.outer.leaf(t.tree, &r, h.distance)
		if count == 0 {
			return h.instance != nil
		}
		for _, item := range t.tree.order[first : first+count] {
			t.firstOf(&t.instances[item], &r, h)
		}
	}
}

// firstOf replaces h by the instance's first surface along the ray, if that is nearer.
func (t *tracer) firstOf(in *instance, outer *ray, h *hit) {
	r, inner := in.local(outer), &t.inner
	s := in.solid
	inner.start()
	for {
		first, count := inner.leaf(s.tree, &r, h.distance)
		if count == 0 {
			return
		}
		for i := first; i < first+count; i++ {
			corners := &s.triangles[i].corners
			if s.moved != nil {
				at := s.cornersAt(i, r.time)
				corners = &at
			}
			if d, u, v, ok := meet(corners, &r); ok &&
				(d < h.distance || d == h.distance && h.instance == in && i < h.triangle) &&
				!(s.holes && in.through(i, u, v, &r)) {
				h.distance, h.instance, h.triangle, h.u, h.v = d, in, i, u, v
			}
		}
	}
}

// visible returns the share of light that comes through before limit: 0 if anything stands in the way, less than 1 in
// each colour behind glass.
func (t *tracer) visible(origin, direction geom.Vec, limit float64) geom.Vec {
	light := geom.Vec{X: 1, Y: 1, Z: 1}
	t.rays++
	t.bent = false
	if len(t.instances) == 0 {
		return light
	}
	r := newRay(origin, direction, t.time)
	if len(t.instances) == 1 {
		t.dim(&t.instances[0], &r, limit, &light)
		return light
	}
	t.outer.start()
	for {
		first, count := t.outer.leaf(t.tree, &r, limit)
		if count == 0 {
			return light
		}
		for _, item := range t.tree.order[first : first+count] {
			if t.dim(&t.instances[item], &r, limit, &light); light == (geom.Vec{}) {
				return light
			}
		}
	}
}

// dim lessens light by what an instance keeps away before limit.
func (t *tracer) dim(in *instance, outer *ray, limit float64, light *geom.Vec) {
	r, inner := in.local(outer), &t.inner
	s := in.solid
	inner.start()
	for {
		first, count := inner.leaf(s.tree, &r, limit)
		if count == 0 {
			return
		}
		for i := first; i < first+count; i++ {
			corners := &s.triangles[i].corners
			if s.moved != nil {
				at := s.cornersAt(i, r.time)
				corners = &at
			}
			if d, u, v, ok := meet(corners, &r); ok && d < limit && !(s.holes && in.through(i, u, v, &r)) {
				share, bent := in.letsThrough(i, u, v, &r)
				if *light = light.Mul(share); *light == (geom.Vec{}) {
					return
				}
				t.bent = t.bent || bent
			}
		}
	}
}

// blocked reports whether anything keeps all light away before limit.
func (t *tracer) blocked(origin, direction geom.Vec, limit float64) bool {
	return t.visible(origin, direction, limit) == geom.Vec{}
}

// local returns the ray in the instance's space. The direction keeps its length through the transform, so
// that distances stay the world's.
func (in *instance) local(r *ray) ray {
	if in.node == scene.None {
		return *r // the still solid lies in the world's space
	}
	_, toObject := in.at(r.time)
	return newRay(toObject.Point(r.origin), toObject.Direction(r.direction), r.time)
}

// at returns the transforms of an instance at a time while the shutter is open.
func (in *instance) at(time float64) (toWorld, toObject geom.Affine) {
	if in.moved == nil || time == midway {
		return in.toWorld, in.toObject
	}
	steps := len(in.moved) - 1
	at := time * float64(steps)
	k := min(int(at), steps-1)
	a, b, share := &in.moved[k], &in.moved[k+1], at-float64(k)
	toWorld = geom.Affine{
		X:      a.X.Lerp(b.X, share),
		Y:      a.Y.Lerp(b.Y, share),
		Z:      a.Z.Lerp(b.Z, share),
		Origin: a.Origin.Lerp(b.Origin, share),
	}
	return toWorld, toWorld.Inverse()
}
