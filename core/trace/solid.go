package trace

import (
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// A solid is triangles with a tree over them.
type solid struct {
	tree      *tree
	triangles []triangle
	normals   [][3]float32 // three a triangle
	corners   []corner     // three a triangle; none where no part has texture coordinates or colours
	box       geom.Box
	holes     bool // some of its materials let through
	// source is which triangle of its mesh each one was, where that is kept.
	source []int32
	counts bool // it is to be kept
	// moved holds where the corners are at even steps while the shutter is open; nil if they stay.
	moved [][][3][3]float32
}

// A corner is what a vertex has for textures.
type corner struct {
	uv    [2]scene.UV
	color scene.Color
}

// A triangle has its corners in single precision, as scene files have them; what is computed from them is in double
// precision.
type triangle struct {
	corners  [3][3]float32
	material int32
	node     int32 // whose it is, in a still solid; elsewhere the instance says
}

func single(v geom.Vec) [3]float32 { return [3]float32{float32(v.X), float32(v.Y), float32(v.Z)} }
func double(v [3]float32) geom.Vec {
	return geom.Vec{X: float64(v[0]), Y: float64(v[1]), Z: float64(v[2])}
}
func edge(a, b [3]float32) geom.Vec { return double(b).Sub(double(a)) }

// cornersAt returns a triangle's corners at a time while the shutter is open.
func (s *solid) cornersAt(t int32, time float64) [3][3]float32 {
	if s.moved == nil {
		return s.triangles[t].corners
	}
	steps := len(s.moved) - 1
	at := time * float64(steps)
	k := min(int(at), steps-1)
	from, to, share := &s.moved[k][t], &s.moved[k+1][t], float32(at-float64(k))
	var out [3][3]float32
	for i := range out {
		for axis := range out[i] {
			out[i][axis] = from[i][axis] + (to[i][axis]-from[i][axis])*share
		}
	}
	return out
}

func newSolid() *solid { return &solid{box: geom.EmptyBox()} }

// reserve makes room for triangles that will be added.
func (s *solid) reserve(triangles int) {
	s.triangles, s.normals = make([]triangle, 0, triangles), make([][3]float32, 0, 3*triangles)
}

// add adds a mesh of a scene, mapped by a transform that keeps its volume.
func (s *solid) add(of *scene.Scene, mesh scene.Mesh, to geom.Affine, node int) {
	if to.Determinant() == 0 {
		return
	}
	back, number := to.Inverse(), int32(-1)
	for _, part := range mesh.Parts {
		if part.Material != scene.None {
			m := &of.Materials[part.Material]
			s.holes = s.holes || m.Mode != scene.Opaque
		}
		points := make([]geom.Vec, len(part.Positions))
		for i, p := range part.Positions {
			points[i] = to.Point(p)
		}
		for i := 0; i+2 < len(part.Indices); i += 3 {
			a, b, c := part.Indices[i], part.Indices[i+1], part.Indices[i+2]
			p, q, r := points[a], points[b], points[c]
			flat := q.Sub(p).Cross(r.Sub(p))
			number++
			if flat.Length() == 0 {
				continue // has no area and cannot be hit
			}
			if s.counts {
				s.source = append(s.source, number)
			}
			s.triangles = append(
				s.triangles,
				triangle{[3][3]float32{single(p), single(q), single(r)}, int32(part.Material), int32(node)},
			)
			s.addCorners(&part, a, b, c)
			if len(part.Normals) > 0 {
				s.normals = append(
					s.normals, single(back.Normal(part.Normals[a]).Unit()), single(back.Normal(part.Normals[b]).Unit()),
					single(back.Normal(part.Normals[c]).Unit()),
				)
			} else {
				n := single(flat.Unit())
				s.normals = append(s.normals, n, n, n)
			}
		}
	}
}

// addCorners adds those of the triangle that was added last.
func (s *solid) addCorners(part *scene.Part, vertices ...uint32) {
	if len(part.UV) == 0 && len(part.Colors) == 0 {
		if len(s.corners) > 0 {
			s.corners = append(s.corners, plainCorner, plainCorner, plainCorner)
		}
		return
	}
	for len(s.corners) < 3*(len(s.triangles)-1) {
		s.corners = append(s.corners, plainCorner)
	}
	for _, v := range vertices {
		c := plainCorner
		for set, uv := range part.UV {
			if len(uv) > 0 {
				c.uv[set] = uv[v]
			}
		}
		if len(part.Colors) > 0 {
			c.color = part.Colors[v]
		}
		s.corners = append(s.corners, c)
	}
}

var plainCorner = corner{color: scene.Color{R: 1, G: 1, B: 1, A: 1}}

// finish builds the tree, over where the triangles are at all times.
func (s *solid) finish() {
	boxes := make([]geom.Box, len(s.triangles))
	for i := range s.triangles {
		box := geom.EmptyBox()
		for _, c := range s.triangles[i].corners {
			box = box.AddPoint(double(c))
		}
		for _, step := range s.moved {
			for _, c := range step[i] {
				box = box.AddPoint(double(c))
			}
		}
		boxes[i] = box
		s.box = s.box.Union(box)
	}
	s.tree = buildTree(boxes, maxLeaf)
	s.sort()
}

// sort brings the triangles into the order of the tree's leaves, so that a leaf's lie together.
func (s *solid) sort() {
	order := s.tree.order
	s.triangles, s.normals = reordered(s.triangles, order, 1), reordered(s.normals, order, 3)
	s.corners, s.source = reordered(s.corners, order, 3), reordered(s.source, order, 1)
	for i := range s.moved {
		s.moved[i] = reordered(s.moved[i], order, 1)
	}
	s.tree.order = nil
}

// reordered returns groups of n in another order; nothing if there is none.
func reordered[T any](all []T, order []int32, n int) []T {
	if len(all) == 0 {
		return all
	}
	out := make([]T, len(all))
	for to, from := range order {
		copy(out[n*to:n*to+n], all[n*int(from):])
	}
	return out
}

// meet returns the distance along the ray and the barycentric place of the crossing (Möller and
// Trumbore, "Fast, Minimum Storage Ray/Triangle Intersection", 1997).
func meet(c *[3][3]float32, r *ray) (distance, u, v float64, ok bool) {
	a := double(c[0])
	edge1, edge2 := double(c[1]).Sub(a), double(c[2]).Sub(a)
	p := r.direction.Cross(edge2)
	det := edge1.Dot(p)
	if det == 0 {
		return
	}
	inv := 1 / det
	s := r.origin.Sub(a)
	if u = s.Dot(p) * inv; u < 0 || u > 1 {
		return
	}
	q := s.Cross(edge1)
	if v = r.direction.Dot(q) * inv; v < 0 || u+v > 1 {
		return
	}
	distance = edge2.Dot(q) * inv
	return distance, u, v, distance > 0 && !math.IsInf(distance, 0)
}
