package trace

import (
	"fmt"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/pass"
	"reelhouse/core/scene"
)

// A centred pass holds the value at the pixel's centre.
type centred struct {
	code   pass.Code
	planes [][]float32
}

// centre fills the passes that hold the value at the pixel's centre.
func (w *worker) centre(at, px, py int) {
	p := w.p
	x, y := float64(px)+0.5, float64(py)+0.5
	origin, direction := p.projection.Ray(x, y)
	m := met{origin: origin, direction: direction, x: x, y: y, projection: &p.projection}
	m.found = w.seenFirst(origin, direction, &m.hit)
	if m.found {
		m.surface = w.surface(origin, direction, &m.hit, p.spread*m.hit.distance)
	}
	var values [3]float64
	for _, wanted := range p.centred {
		clear(values[:])
		w.data(wanted.code, &m, values[:])
		for k, plane := range wanted.planes {
			plane[at] = float32(values[k])
		}
	}
}

// met is what a ray of the camera has met, and where it runs through the picture.
type met struct {
	origin, direction geom.Vec
	x, y              float64
	projection        *lens.Projection
	found             bool
	hit               hit
	surface           surface
}

// data fills in what a data pass holds for a ray.
func (w *worker) data(code pass.Code, m *met, values []float64) {
	p, s := w.p, &m.surface
	switch code {
	case pass.Motion, pass.MotionBack:
		other, onward := p.next, 1.0
		if code == pass.MotionBack {
			other, onward = p.before, -1
		}
		point := m.origin.Add(m.direction.Scale(veryFar)) // the sky moves by the camera's turn alone
		if m.found {
			point = other.point(&m.hit, s.point)
		}
		if toX, toY, ahead := other.projection.Pixel(point); ahead {
			values[0], values[1] = onward*(toX-m.x), onward*(toY-m.y)
		}
		return
	case pass.Distance:
		if values[0] = p.settings.DepthBackground; m.found {
			values[0] = m.hit.distance
		}
		return
	case pass.Depth:
		metres := p.settings.DepthBackground
		if m.found {
			metres = m.projection.Depth(s.point)
		}
		values[0] = p.settings.Depth.Value(metres)
		return
	}
	if !m.found {
		return
	}
	switch code {
	case pass.Position:
		put(values, 0, s.point)
	case pass.Normal:
		put(values, 0, s.normal)
	case pass.CameraNormal:
		put(values, 0, m.projection.InCamera(s.normal))
	case pass.UV:
		values[0], values[1] = m.hit.uv()
	case pass.Facing:
		values[0] = max(0, -s.normal.Dot(m.direction))
	case pass.Albedo:
		put(values, 0, s.base)
	case pass.Object:
		put(values, 0, p.world.colors[m.hit.node()])
	}
}

// veryFar is where the sky counts as lying, in metres, for passes of motion.
const veryFar = 1e7

// uv returns the first texture coordinates of what was hit, 0 if it has none.
func (h *hit) uv() (u, v float64) {
	if len(h.instance.solid.corners) == 0 {
		return 0, 0
	}
	c := h.instance.solid.corners[3*h.triangle:][:3]
	a, b, d := c[0].uv[0], c[1].uv[0], c[2].uv[0]
	return mix3(a.U, b.U, d.U, h.u, h.v), mix3(a.V, b.V, d.V, h.u, h.v)
}

// A shifted is a frame before or after the one that is rendered: where everything is then.
type shifted struct {
	pose       scene.Pose
	projection lens.Projection
	back       map[int]geom.Affine // of nodes that move: from the world of this frame into the node's own space
	// of nodes that change their shape: their triangles in the world of the other frame
	corners map[int][][3]geom.Vec
}

// look finds the frames around, if passes of motion are wanted.
func (p *rendering) look(name string) error {
	for code, onward := range map[pass.Code]float64{pass.Motion: 1, pass.MotionBack: -1} {
		if p.out[code] == nil {
			continue
		}
		other, err := p.world.shift(onward, name, p.settings)
		if err != nil {
			return fmt.Errorf("frame beside: %w", err)
		}
		if code == pass.Motion {
			p.next = other
		} else {
			p.before = other
		}
	}
	return nil
}

// shift returns everything so many frames later.
func (w *World) shift(frames float64, name string, settings Settings) (*shifted, error) {
	s := w.model.scene
	source, err := camera.SourceOf(s, name)
	if err != nil {
		return nil, err
	}
	out := &shifted{
		pose: s.At(w.seconds + frames/settings.perSecond()),
		back: map[int]geom.Affine{}, corners: map[int][][3]geom.Vec{},
	}
	_, _, out.projection = settings.projection(
		source.Pose(out.pose), source.Optics, float64(settings.Frame)+frames,
	)
	moving := s.Moving()
	for _, i := range w.pose.Shown {
		switch {
		case s.Nodes[i].Mesh == scene.None:
		case s.Deforms(i):
			mesh, to := s.Shape(i, out.pose)
			out.corners[i] = placedTriangles(mesh, to)
		case moving[i] && w.pose.World[i].Determinant() != 0:
			out.back[i] = w.pose.World[i].Inverse()
		}
	}
	return out, nil
}

// placedTriangles returns the triangles of a mesh, in their order, mapped.
func placedTriangles(mesh scene.Mesh, to geom.Affine) [][3]geom.Vec {
	var all [][3]geom.Vec
	for _, part := range mesh.Parts {
		for i := 0; i+2 < len(part.Indices); i += 3 {
			var t [3]geom.Vec
			for k := range t {
				t[k] = to.Point(part.Positions[part.Indices[i+k]])
			}
			all = append(all, t)
		}
	}
	return all
}

// point returns where the point of a surface that was hit is in the other frame.
func (s *shifted) point(h *hit, point geom.Vec) geom.Vec {
	node := h.node()
	if back, moves := s.back[node]; moves {
		return s.pose.World[node].Point(back.Point(point))
	}
	if corners := s.corners[node]; corners != nil && len(h.instance.solid.source) > 0 {
		t := corners[h.instance.solid.source[h.triangle]]
		return t[0].Scale(1 - h.u - h.v).Add(t[1].Scale(h.u)).Add(t[2].Scale(h.v))
	}
	return point
}
