package demo

import (
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// v is short for a vector, of which the scene is full.
func v(x, y, z float64) geom.Vec { return geom.Vec{X: x, Y: y, Z: z} }

// A shape is triangles under construction, all of one material.
type shape struct {
	part scene.Part
}

func newShape(material int) *shape { return &shape{scene.Part{Material: material}} }

// standing returns n with length 1, or straight up where a surface has shrunk to a line and has no normal.
func standing(n geom.Vec) geom.Vec {
	if n.Length() < 1e-12 {
		return v(0, 1, 0)
	}
	return n.Unit()
}

// quad adds a flat four-sided face, counter-clockwise seen from outside.
func (s *shape) quad(a, b, c, d geom.Vec) *shape {
	n := standing(c.Sub(a).Cross(d.Sub(b)))
	first := uint32(len(s.part.Positions))
	for _, p := range []geom.Vec{a, b, c, d} {
		s.part.Positions = append(s.part.Positions, p)
		s.part.Normals = append(s.part.Normals, n)
	}
	s.part.Indices = append(s.part.Indices, first, first+1, first+2, first, first+2, first+3)
	return s
}

// triangle adds one flat triangle.
func (s *shape) triangle(a, b, c geom.Vec) *shape {
	n := standing(b.Sub(a).Cross(c.Sub(a)))
	first := uint32(len(s.part.Positions))
	s.part.Positions = append(s.part.Positions, a, b, c)
	s.part.Normals = append(s.part.Normals, n, n, n)
	s.part.Indices = append(s.part.Indices, first, first+1, first+2)
	return s
}

// box adds a box by its centre and its size.
func (s *shape) box(centre, size geom.Vec) *shape {
	h := size.Scale(0.5)
	p := func(x, y, z float64) geom.Vec { return centre.Add(v(x*h.X, y*h.Y, z*h.Z)) }
	s.quad(p(-1, -1, 1), p(1, -1, 1), p(1, 1, 1), p(-1, 1, 1))
	s.quad(p(1, -1, -1), p(-1, -1, -1), p(-1, 1, -1), p(1, 1, -1))
	s.quad(p(1, -1, 1), p(1, -1, -1), p(1, 1, -1), p(1, 1, 1))
	s.quad(p(-1, -1, -1), p(-1, -1, 1), p(-1, 1, 1), p(-1, 1, -1))
	s.quad(p(-1, 1, 1), p(1, 1, 1), p(1, 1, -1), p(-1, 1, -1))
	return s.quad(p(-1, -1, -1), p(1, -1, -1), p(1, -1, 1), p(-1, -1, 1))
}

// ring is one level of a turned body: radius and height.
type ring struct{ radius, height float64 }

// turned adds a body of revolution about the vertical through foot, smooth around, its profile given
// from below to above.
func (s *shape) turned(foot geom.Vec, sides int, profile ...ring) *shape {
	for i := 0; i+1 < len(profile); i++ {
		low, high := profile[i], profile[i+1]
		if low == high {
			continue
		}
		rise, run := high.height-low.height, low.radius-high.radius
		first := uint32(len(s.part.Positions))
		for j := range sides + 1 {
			sin, cos := math.Sincos(2 * math.Pi * float64(j) / float64(sides))
			n := v(cos*rise, run, sin*rise).Unit()
			s.part.Positions = append(
				s.part.Positions, foot.Add(v(cos*low.radius, low.height, sin*low.radius)),
				foot.Add(v(cos*high.radius, high.height, sin*high.radius)),
			)
			s.part.Normals = append(s.part.Normals, n, n)
		}
		for j := range uint32(sides) {
			a := first + 2*j
			if low.radius > 0 {
				s.part.Indices = append(s.part.Indices, a, a+1, a+2)
			}
			if high.radius > 0 {
				s.part.Indices = append(s.part.Indices, a+1, a+3, a+2)
			}
		}
	}
	return s
}

// post adds a closed upright cylinder.
func (s *shape) post(foot geom.Vec, radius, height float64) *shape {
	return s.turned(foot, 10, ring{radius, 0}, ring{radius, height}, ring{0, height})
}

// ball adds a sphere.
func (s *shape) ball(centre geom.Vec, radius float64) *shape {
	return s.surface(16, 8, true, func(a, b float64) (geom.Vec, geom.Vec) {
		sin, cos := math.Sincos(2 * math.Pi * a)
		up, across := math.Sincos(math.Pi * (b - 0.5))
		n := v(cos*across, up, -sin*across)
		return centre.Add(n.Scale(radius)), n
	})
}

// hoop adds a lying ring of rope or rubber.
func (s *shape) hoop(centre geom.Vec, radius, thick float64) *shape {
	return s.surface(20, 8, false, func(a, b float64) (geom.Vec, geom.Vec) {
		sin, cos := math.Sincos(2 * math.Pi * a)
		up, out := math.Sincos(2 * math.Pi * b)
		n := v(cos*out, up, -sin*out)
		return centre.Add(v(cos*radius, 0, -sin*radius)).Add(n.Scale(thick)), n
	})
}

// surface adds a smooth grid of across x up cells over 0 to 1 in both directions; poles leaves out the
// empty halves of cells in the first and last row.
func (s *shape) surface(across, up int, poles bool, at func(a, b float64) (point, normal geom.Vec)) *shape {
	first := uint32(len(s.part.Positions))
	for j := range up + 1 {
		for i := range across + 1 {
			p, n := at(float64(i)/float64(across), float64(j)/float64(up))
			s.part.Positions = append(s.part.Positions, p)
			s.part.Normals = append(s.part.Normals, standing(n))
		}
	}
	row := uint32(across + 1)
	for j := range uint32(up) {
		for i := range uint32(across) {
			a := first + j*row + i
			if !poles || j > 0 {
				s.part.Indices = append(s.part.Indices, a, a+1, a+row+1)
			}
			if !poles || j < uint32(up)-1 {
				s.part.Indices = append(s.part.Indices, a, a+row+1, a+row)
			}
		}
	}
	return s
}

// ground adds a height field over a rectangle of x and z.
func (s *shape) ground(x0, z0, x1, z1 float64, cellsX, cellsZ int, height func(x, z float64) float64) *shape {
	const h = 0.01
	return s.surface(cellsX, cellsZ, false, func(a, b float64) (geom.Vec, geom.Vec) {
		x, z := x0+(x1-x0)*a, z1+(z0-z1)*b
		return v(x, height(x, z), z), v((height(x-h, z)-height(x+h, z))/(2*h), 1, (height(x, z-h)-height(x, z+h))/(2*h))
	})
}

// beam adds a square bar between two points.
func (s *shape) beam(from, to geom.Vec, thick float64) *shape {
	along := to.Sub(from).Unit()
	a, b := along.Tangents()
	a, b = a.Scale(thick/2), b.Scale(thick/2)
	corner := [4]geom.Vec{a.Add(b).Scale(-1), a.Sub(b), a.Add(b), b.Sub(a)}
	for i := range 4 {
		j := (i + 1) % 4
		s.quad(from.Add(corner[i]), from.Add(corner[j]), to.Add(corner[j]), to.Add(corner[i]))
	}
	s.quad(to.Add(corner[0]), to.Add(corner[1]), to.Add(corner[2]), to.Add(corner[3]))
	return s.quad(from.Add(corner[3]), from.Add(corner[2]), from.Add(corner[1]), from.Add(corner[0]))
}

// hull describes a boat's body, its bow towards +X and its waterline at y = 0.
type hull struct {
	length, beam  float64
	draught, side float64 // below and above the water amidships
	sheer         float64 // how much higher the bow is
	transom       float64 // width of the stern over the beam
}

// section returns the half width, the bottom and the top at t: 0 is the stern, 1 the bow.
func (h hull) section(t float64) (half, bottom, top float64) {
	fore := max(0, (t-0.45)/0.55)
	aft := max(0, (0.4-t)/0.4)
	half = h.beam / 2 * (1 - math.Pow(fore, 2.2)) * (1 - (1-h.transom)*aft*aft)
	bottom = -h.draught * (1 - math.Pow(fore, 4)) * (1 - 0.4*aft*aft)
	return max(half, 0.01), bottom, h.side + h.sheer*(fore*fore+0.35*aft*aft)
}

// skin returns the point at t along, and at w from the keel (0) to the rail (1), on one side (+1, -1).
func (h hull) skin(t, w, side float64) geom.Vec {
	half, bottom, top := h.section(t)
	flare := math.Pow(math.Sin(w*math.Pi/2), 0.7)
	rake := 0.06 * h.length * w * max(0, (t-0.6)/0.4)
	return v((t-0.5)*h.length+rake, bottom+(top-bottom)*w, side*half*flare)
}

// planking adds the hull's outside between two heights w.
func (s *shape) planking(h hull, w0, w1 float64) *shape {
	const e = 1e-3
	for _, side := range []float64{1, -1} {
		s.surface(28, 8, false, func(a, b float64) (geom.Vec, geom.Vec) {
			t := a
			if side < 0 {
				t = 1 - a
			}
			w := w0 + (w1-w0)*b
			ta, tb, wa, wb := max(0, t-e), min(1, t+e), max(0, w-e), min(1, w+e)
			along, up := h.skin(tb, w, side).Sub(h.skin(ta, w, side)), h.skin(t, wb, side).Sub(h.skin(t, wa, side))
			return h.skin(t, w, side), along.Cross(up).Scale(side)
		})
	}
	for i := range 6 { // the stern
		a, b := w0+(w1-w0)*float64(i)/6, w0+(w1-w0)*float64(i+1)/6
		s.quad(h.skin(0, a, -1), h.skin(0, a, 1), h.skin(0, b, 1), h.skin(0, b, -1))
	}
	return s
}

// floor adds a deck inside the hull at a height, from t0 to t1.
func (s *shape) floor(h hull, height, t0, t1 float64) *shape {
	const steps = 16
	width := func(t float64) (float64, float64) {
		_, bottom, top := h.section(t)
		w := min(1, max(0.05, (height-bottom)/(top-bottom)))
		p := h.skin(t, w, 1)
		return p.X, p.Z * 0.97
	}
	for i := range steps {
		xa, za := width(t0 + (t1-t0)*float64(i)/steps)
		xb, zb := width(t0 + (t1-t0)*float64(i+1)/steps)
		s.quad(v(xa, height, za), v(xb, height, zb), v(xb, height, -zb), v(xa, height, -za))
	}
	return s
}
