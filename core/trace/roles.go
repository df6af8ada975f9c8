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
func (w *World) seenFirst(origin, direction geom.Vec, h *hit) bool {
	if !w.unseen {
		return w.first(origin, direction, math.Inf(1), h)
	}
	gone := 0.0
	for w.first(origin.Add(direction.Scale(gone)), direction, math.Inf(1), h) {
		h.distance += gone
		if !w.roles[h.node()].Unseen {
			return true
		}
		gone = h.distance * (1 + 1e-12)
		gone += offset
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
func (w *World) shadow(origin, direction geom.Vec, h *hit, s *sampler) float64 {
	surf := w.surface(origin, direction, h)
	above := surf.point.Add(surf.face.Scale(offset * (1 + surf.point.Length()*0.01)))
	open, reaches := 0.0, 0.0
	meet := func(to geom.Vec, distance float64, light geom.Vec) {
		cos := to.Dot(surf.normal)
		strength := light.Max() * cos
		if cos <= 0 || strength <= 0 {
			return
		}
		open += strength
		if !w.blocked(above, to, distance) {
			reaches += strength
		}
	}
	for i := range w.lights {
		u, v := s.pair(dimLight + 2*i)
		to, distance, light := w.lights[i].towards(surf.point, u, v)
		meet(to, distance-2*offset, light)
	}
	u, v := s.pair(dimAmbient)
	if w.around != nil {
		if own, density := w.around.pick(u, v); density > 0 {
			meet(w.around.back(own), math.Inf(1), w.around.at(own).Scale(w.around.factor/density))
		}
	} else {
		// A direction by its cosine, whose light counts as much as the whole sky's.
		to := byCosine(surf.normal, u, v)
		if cos := to.Dot(surf.normal); cos > 0 {
			meet(to, ambientReach, w.sky(to).Scale(math.Pi/cos))
		}
	}
	if open == 0 {
		return 0
	}
	return 1 - reaches/open
}
