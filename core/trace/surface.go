package trace

import (
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// A surface is what shading needs to know of a hit: where it is, and its material with what textures make of it there.
type surface struct {
	point    geom.Vec
	normal   geom.Vec // shading normal, turned towards the viewer
	face     geom.Vec // the triangle's own normal, turned towards the viewer
	inside   bool     // the viewer is behind the triangle
	material *scene.Material

	base      geom.Vec
	emission  geom.Vec
	metallic  float64
	roughness float64
}

// surface returns what a ray has hit. Textures are averaged over width metres.
func (t *tracer) surface(origin, direction geom.Vec, h *hit, width float64) surface {
	in, tri := h.instance, &h.instance.solid.triangles[h.triangle]
	_, toObject := in.at(t.time)
	n := in.solid.normals[3*h.triangle : 3*h.triangle+3]
	smooth := double(n[0]).Scale(1 - h.u - h.v).Add(double(n[1]).Scale(h.u)).Add(double(n[2]).Scale(h.v))
	corners := in.solid.cornersAt(h.triangle, t.time)
	flat := edge(corners[0], corners[1]).Cross(edge(corners[0], corners[2]))
	m := &t.materials[len(t.materials)-1]
	if tri.material >= 0 {
		m = &t.materials[tri.material]
	}
	clad := t.roles != nil && t.roles[h.node()].Clay
	if clad {
		m = &clay
	}
	s := surface{
		point: origin.Add(
			direction.Scale(h.distance),
		), normal: toObject.Normal(smooth).Unit(), face: toObject.Normal(flat).Unit(),
		material: m, base: m.BaseColor, emission: m.Emission, metallic: m.Metallic, roughness: m.Roughness,
	}
	if !clad && len(in.solid.corners) > 0 {
		t.texture(&s, h, width)
	}
	if s.face.Dot(direction) > 0 {
		s.face, s.inside = s.face.Scale(-1), true
	}
	if s.normal.Dot(s.face) < 0 {
		s.normal = s.normal.Scale(-1)
	}
	if in.node == scene.None && t.pose.World[tri.node].Determinant() < 0 {
		s.inside = !s.inside // its corners were mirrored when they were brought into the world
	}
	return s
}

// offset is how far a new ray starts above a surface, as a share of how far it lies from the origin of the world; in
// metres within one of it.
const offset = 2e-5

// above returns where a ray starts that leaves a surface; to its far side, if it runs there.
func (s *surface) above(to geom.Vec) geom.Vec {
	up := offset * max(1, math.Abs(s.point.X), math.Abs(s.point.Y), math.Abs(s.point.Z))
	if to.Dot(s.face) < 0 {
		up = -up
	}
	return s.point.Add(s.face.Scale(up))
}
