package trace

import (
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/scene"
)

// clay is what looks put in the place of materials: an even grey without gloss.
var clay = scene.Material{Name: "clay", BaseColor: geom.Vec{X: 0.5, Y: 0.5, Z: 0.5}, Roughness: 1, Alpha: 1}

// seenFirst is first for the camera, which looks through what it shall not see.
func (t *tracer) seenFirst(origin, direction geom.Vec, h *hit) bool {
	if !t.unseen {
		return t.first(origin, direction, math.Inf(1), h)
	}
	gone := 0.0
	for t.first(origin.Add(direction.Scale(gone)), direction, math.Inf(1), h) {
		h.distance += gone
		if !t.roles[h.node()].Unseen {
			return true
		}
		gone = h.distance * (1 + 1e-12)
		gone += 5 * offset
	}
	return false
}

// role returns what the object that was hit does.
func (w *World) role(h *hit) look.Role {
	if w.roles == nil {
		return look.Role{}
	}
	return w.roles[h.node()]
}

// shadow returns the share of the light on a surface that something keeps away from it, from 0 to 1.
func (t *tracer) shadow(s *surface, random *sampler) float64 {
	open, reaches := 0.0, 0.0
	meet := func(to geom.Vec, distance float64, light geom.Vec) {
		cos := to.Dot(s.normal)
		strength := light.Max() * cos
		if cos <= 0 || to.Dot(s.face) <= 0 || strength <= 0 {
			return
		}
		open += strength
		reaches += strength * t.visible(s.above(to), to, distance*(1-1e-5)).Max()
	}
	u, v := random.pair(dimShadowLamp)
	for i := range t.lights {
		to, distance, light := t.lights[i].towards(s.point, u, v)
		meet(to, distance, light)
	}
	if !t.sky.dark {
		u, v := random.pair(dimShadowSky)
		if to, density := t.sky.pickSky(u, v); density > 0 {
			meet(to, math.Inf(1), t.skyLight(to).Scale(1/density))
		}
	}
	if open == 0 {
		return 0
	}
	return 1 - reaches/open
}
