package trace

import (
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

const (
	offset       = 1e-4 // metres by which a new ray starts above the surface
	mirrorBelow  = 0.45 // roughness under which a surface mirrors what is around it
	maxBounces   = 2
	ambientReach = 7.0  // metres beyond which nothing dims the sky's light
	glowCeiling  = 8.0  // most that one sample of a glowing triangle may add, against bright specks
	dark         = 0.05 // albedo under which the sky's light is not worth a ray
	faint        = 4e-3 // light below this, in exposed units, casts no shadow ray
)

// radiance returns the light that arrives at origin against direction.
func (w *World) radiance(origin, direction geom.Vec, bounce int, s *sampler) geom.Vec {
	var h hit
	w.first(origin, direction, math.Inf(1), &h)
	return w.seen(origin, direction, &h, bounce, s)
}

// seen is radiance for a ray whose first hit is known; a hit without an instance is the sky.
func (w *World) seen(origin, direction geom.Vec, h *hit, bounce int, s *sampler) geom.Vec {
	if h.instance == nil {
		return w.background(direction, bounce)
	}
	surf := w.surface(origin, direction, h)
	if w.roles != nil && w.roles[h.node()].Catcher { // in a mirror; the camera looks at its shadow
		return w.background(direction, bounce)
	}
	color := surf.material.Emission
	if surf.material.Unlit {
		color = surf.material.BaseColor
	} else {
		color = color.Add(w.shade(&surf, direction, bounce, s))
	}
	if reach := w.look.Haze.Metres; reach > 0 {
		level := geom.Vec{X: direction.X, Y: math.Abs(direction.Y) * 0.2, Z: direction.Z}.Unit()
		color = w.sky(level).Lerp(color, math.Exp(-h.distance/reach))
	}
	return color
}

// background returns the sky and, for the camera itself, the sun's disc.
func (w *World) background(direction geom.Vec, bounce int) geom.Vec {
	color := w.sky(direction)
	if sun := w.look.Sun; bounce == 0 && sun.Irradiance.Max() > 0 {
		if half := sun.SizeDegrees * math.Pi / 360; half > 0 && direction.Dot(sun.Towards()) > math.Cos(half) {
			color = color.Add(sun.Irradiance.Scale(min(60, 1/(math.Pi*half*half))))
		}
	}
	return color
}

// shade returns the light that a surface reflects against direction.
func (w *World) shade(surf *surface, direction geom.Vec, bounce int, s *sampler) geom.Vec {
	m := surf.material
	view := direction.Scale(-1)
	above := surf.point.Add(surf.face.Scale(offset * (1 + surf.point.Length()*0.01)))
	f0 := geom.Vec{X: 0.04, Y: 0.04, Z: 0.04}.Lerp(m.BaseColor, m.Metallic)
	body := m.BaseColor.Scale(1 - m.Metallic)

	color := geom.Vec{}
	least := faint / w.gain
	for i := range w.lights {
		u, v := s.pair(dimLight + 2*i)
		to, distance, light := w.lights[i].towards(surf.point, u, v)
		cos := to.Dot(surf.normal)
		if cos <= 0 || to.Dot(surf.face) <= 0 || light.Max()*cos < least {
			continue
		}
		reflected := light.Scale(cos).Mul(brdf(m, body, f0, surf.normal, view, to))
		if reflected.Max() <= least {
			continue
		}
		// In a mirrored picture only the sun's shadows are missed.
		if bounce > 0 && w.lights[i].kind != scene.Sun || !w.blocked(above, to, distance-2*offset) {
			color = color.Add(reflected)
		}
	}
	if len(w.glow.triangles) > 0 && bounce == 0 {
		color = color.Add(w.glowLight(surf, above, view, body, f0, s))
	}
	if w.around != nil && bounce == 0 {
		color = color.Add(w.mapLight(surf, above, view, body, f0, s))
	} else {
		color = color.Add(body.Mul(w.ambient(surf, above, bounce, s)))
	}
	return color.Add(w.mirrored(surf, above, view, f0, bounce, s))
}

// glowLight returns the reflected light of one point on one glowing triangle.
func (w *World) glowLight(surf *surface, above, view, body, f0 geom.Vec, s *sampler) geom.Vec {
	u, v := s.pair(dimGlow)
	t, point, density := w.glow.pick(u, v)
	to := point.Sub(above)
	distance := to.Length()
	if distance < 0.01 {
		return geom.Vec{}
	}
	to = to.Scale(1 / distance)
	cos, cosGlow := to.Dot(surf.normal), math.Abs(to.Dot(t.normal))
	if cos <= 0 || to.Dot(surf.face) <= 0 {
		return geom.Vec{}
	}
	light := t.emission.Scale(cos * cosGlow / (distance * distance * density))
	reflected := light.Mul(brdf(surf.material, body, f0, surf.normal, view, to))
	if reflected.Max() < faint/w.gain || w.blocked(above, to, distance-0.02) {
		return geom.Vec{}
	}
	if peak := reflected.Max(); peak > glowCeiling {
		reflected = reflected.Scale(glowCeiling / peak)
	}
	return reflected
}

// ambient returns the sky's light on a surface from one direction, chosen by cosine, unless something
// near stands there; then a little of the light that would come from that.
func (w *World) ambient(surf *surface, above geom.Vec, bounce int, s *sampler) geom.Vec {
	if w.around != nil {
		return w.around.on(w.around.own(surf.normal)).Scale(0.7 * w.around.factor)
	}
	if bounce > 0 || surf.material.BaseColor.Max()*(1-surf.material.Metallic) < dark {
		up := geom.Vec{X: surf.normal.X, Y: math.Abs(surf.normal.Y) + 0.3, Z: surf.normal.Z}.Unit()
		return w.look.Radiance(up).Scale(0.7)
	}
	u, v := s.pair(dimAmbient)
	to := byCosine(surf.normal, u, v)
	if to.Dot(surf.face) <= 0 {
		return geom.Vec{}
	}
	if w.blocked(above, to, ambientReach) {
		return w.look.Sky.Ground.Scale(0.35)
	}
	return w.look.Radiance(to)
}

// byCosine returns a direction round a normal, chosen by its cosine: with the probability cosine / pi per steradian.
func byCosine(normal geom.Vec, u, v float64) geom.Vec {
	a, b := normal.Tangents()
	r, angle := math.Sqrt(u), 2*math.Pi*v
	return a.Scale(r * math.Cos(angle)).Add(b.Scale(r * math.Sin(angle))).Add(normal.Scale(math.Sqrt(max(0, 1-u))))
}

// mirrored returns what a smooth surface mirrors, blurred by its roughness.
func (w *World) mirrored(surf *surface, above, view, f0 geom.Vec, bounce int, s *sampler) geom.Vec {
	if surf.material.Roughness >= mirrorBelow || bounce >= maxBounces {
		return geom.Vec{}
	}
	half := surf.normal
	if rough := surf.material.Roughness; rough > 0.02 {
		u, v := s.pair(dimMirror + 2*bounce)
		alpha := rough * rough
		cos2 := (1 - u) / (1 + (alpha*alpha-1)*u)
		sin, angle := math.Sqrt(max(0, 1-cos2)), 2*math.Pi*v
		a, b := surf.normal.Tangents()
		half = a.Scale(sin * math.Cos(angle)).Add(b.Scale(sin * math.Sin(angle))).Add(surf.normal.Scale(math.Sqrt(cos2)))
	}
	cos := half.Dot(view)
	if cos <= 0 {
		half, cos = surf.normal, max(0, surf.normal.Dot(view))
	}
	to := half.Scale(2 * cos).Sub(view)
	if low := to.Dot(surf.face); low < 0.01 {
		to = to.Add(surf.face.Scale(0.01 - low)).Unit()
	}
	weight := fresnel(f0, cos)
	if weight.Max() < 0.01 {
		return geom.Vec{}
	}
	return weight.Mul(w.radiance(above, to, bounce+1, s))
}

// fresnel is Schlick's approximation (1994).
func fresnel(f0 geom.Vec, cos float64) geom.Vec {
	x := 1 - min(1, max(0, cos))
	x5 := x * x * x * x * x
	return f0.Add(geom.Vec{X: 1 - f0.X, Y: 1 - f0.Y, Z: 1 - f0.Z}.Scale(x5))
}

// brdf is the metallic-roughness model of glTF 2.0 (appendix B): Lambert's body under GGX highlights.
func brdf(m *scene.Material, body, f0, normal, view, to geom.Vec) geom.Vec {
	half := view.Add(to).Unit()
	nh, nl, nv, vh := max(0, normal.Dot(half)), max(1e-4, normal.Dot(to)), max(1e-4, normal.Dot(view)), max(0, view.Dot(half))
	alpha := max(0.03, m.Roughness*m.Roughness)
	a2 := alpha * alpha
	d := nh*nh*(a2-1) + 1
	distribution := a2 / (math.Pi * d * d)
	visible := 0.5 / (nl*math.Sqrt(nv*nv*(1-a2)+a2) + nv*math.Sqrt(nl*nl*(1-a2)+a2))
	f := fresnel(f0, vh)
	diffuse := body.Mul(geom.Vec{X: 1 - f.X, Y: 1 - f.Y, Z: 1 - f.Z}).Scale(1 / math.Pi)
	return diffuse.Add(f.Scale(distribution * visible))
}
