package trace

import (
	"fmt"
	"hash/fnv"
	"math"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/scene"
)

// A Model is a scene made ready for rays. What stands still and is shown once becomes one solid in the
// world's space; every other mesh becomes a solid of its own, to be placed anew at each moment. A Model
// does not change with time and may be shared.
type Model struct {
	scene  *scene.Scene
	still  *solid
	meshes []*solid         // by mesh; nil for those that are part of still
	means  map[int]geom.Vec // linear light of the textures that glow
}

// A solid is triangles with a tree over them.
type solid struct {
	tree      *bvh
	triangles []triangle
	normals   []geom.Vec // three a triangle
	corners   []corner   // three a triangle; none where no part has texture coordinates or colours
	box       geom.Box
	holes     bool // some of its materials let through
	// source is which triangle of its mesh each one was, where that is kept.
	source []int32
	counts bool // it is to be kept
}

// A corner is what a vertex has for textures.
type corner struct {
	uv    [2]scene.UV
	color scene.Color
}

type triangle struct {
	corner, edge1, edge2 geom.Vec
	material             int32
	node                 int32 // whose it is, in a still solid; elsewhere the instance says
}

// Prepare makes a scene ready.
func Prepare(s *scene.Scene) *Model {
	m := &Model{scene: s, meshes: make([]*solid, len(s.Meshes)), means: map[int]geom.Vec{}}
	for _, material := range s.Materials {
		if g := material.Glow; g != nil {
			if mean, ok := meanLight(s, g.Texture); ok {
				m.means[g.Texture] = mean
			}
		}
	}
	uses := make([]int, len(s.Meshes))
	moving := s.Moving()
	pose := s.At(0)
	for _, i := range pose.Shown {
		if mesh := s.Nodes[i].Mesh; mesh != scene.None && !s.Deforms(i) {
			uses[mesh]++
			if moving[i] {
				uses[mesh]++ // so that it is not taken for a still one
			}
		}
	}
	var group errgroup.Group
	group.SetLimit(runtime.GOMAXPROCS(0))
	group.Go(func() error {
		m.still = newSolid()
		n := 0
		for _, i := range pose.Shown {
			if mesh := s.Nodes[i].Mesh; mesh != scene.None && uses[mesh] == 1 && !s.Deforms(i) {
				n += s.Meshes[mesh].Triangles()
			}
		}
		m.still.reserve(n)
		for _, i := range pose.Shown {
			if mesh := s.Nodes[i].Mesh; mesh != scene.None && uses[mesh] == 1 && !s.Deforms(i) {
				m.still.add(s, s.Meshes[mesh], pose.World[i], i)
			}
		}
		m.still.finish()
		return nil
	})
	for i, mesh := range s.Meshes {
		if uses[i] < 2 {
			continue
		}
		group.Go(func() error {
			m.meshes[i] = newSolid()
			m.meshes[i].reserve(mesh.Triangles())
			m.meshes[i].add(s, mesh, geom.Identity(), 0)
			m.meshes[i].finish()
			return nil
		})
	}
	group.Wait() // no error is possible
	return m
}

func newSolid() *solid { return &solid{box: geom.EmptyBox()} }

// reserve makes room for triangles that will be added.
func (s *solid) reserve(triangles int) {
	s.triangles, s.normals = make([]triangle, 0, triangles), make([]geom.Vec, 0, 3*triangles)
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
			s.holes = s.holes || m.Mode != scene.Opaque || m.Transmission > 0
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
			s.triangles = append(s.triangles, triangle{p, q.Sub(p), r.Sub(p), int32(part.Material), int32(node)})
			s.box = s.box.AddPoint(p).AddPoint(q).AddPoint(r)
			s.addCorners(&part, a, b, c)
			if len(part.Normals) > 0 {
				s.normals = append(s.normals, back.Normal(part.Normals[a]).Unit(), back.Normal(part.Normals[b]).Unit(), back.Normal(part.Normals[c]).Unit())
			} else {
				flat = flat.Unit()
				s.normals = append(s.normals, flat, flat, flat)
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

// finish builds the tree.
func (s *solid) finish() {
	boxes := make([]geom.Box, len(s.triangles))
	for i, t := range s.triangles {
		boxes[i] = geom.EmptyBox().AddPoint(t.corner).AddPoint(t.corner.Add(t.edge1)).AddPoint(t.corner.Add(t.edge2))
	}
	s.tree = buildBVH(boxes, maxLeaf)
	s.sort()
}

// sort brings the triangles into the order of the tree's leaves, so that a leaf's lie together.
func (s *solid) sort() {
	triangles, normals := make([]triangle, len(s.triangles)), make([]geom.Vec, len(s.normals))
	for to, from := range s.tree.order {
		triangles[to] = s.triangles[from]
		copy(normals[3*to:3*to+3], s.normals[3*from:3*from+3])
	}
	if len(s.corners) > 0 {
		corners := make([]corner, len(s.corners))
		for to, from := range s.tree.order {
			copy(corners[3*to:3*to+3], s.corners[3*from:3*from+3])
		}
		s.corners = corners
	}
	if len(s.source) > 0 {
		source := make([]int32, len(s.source))
		for to, from := range s.tree.order {
			source[to] = s.source[from]
		}
		s.source = source
	}
	s.triangles, s.normals, s.tree.order = triangles, normals, nil
}

// A World is a model at one moment under one look. It may be used by many goroutines at once.
type World struct {
	model     *Model
	look      look.Look
	pose      scene.Pose
	seconds   float64
	tree      *bvh
	instances []instance
	materials []scene.Material // the scene's and, last, the default; emission with the look's gain
	lights    []lamp
	colors    []geom.Vec // in the object pass, by node
	glow      glow
	around    *around     // nil where the look's sky is
	roles     []look.Role // by node; nil if every object is just seen
	unseen    bool        // some object is not seen by the camera
	gain      float64     // that exposure applies to light
}

type instance struct {
	world             *World
	solid             *solid
	toWorld, toObject geom.Affine
	node              int // None for the still solid, whose triangles have nodes of their own
}

// At returns the world at a time in seconds under a look, and in the environment that the look names, nil for none.
func (m *Model) At(seconds float64, l look.Look, e *Environment) *World {
	w := &World{model: m, look: l, seconds: seconds, pose: m.scene.At(seconds), around: newAround(e, l.Environment), roles: l.Roles(m.scene), gain: l.Gain()}
	w.unseen = slices.ContainsFunc(w.roles, func(r look.Role) bool { return r.Unseen })
	for _, material := range append(m.scene.Materials[:len(m.scene.Materials):len(m.scene.Materials)], scene.DefaultMaterial()) {
		material.Emission = material.Emission.Scale(l.LightGain)
		w.materials = append(w.materials, material)
	}
	for _, node := range m.scene.Nodes {
		w.colors = append(w.colors, ObjectColor(node.Name))
	}
	var boxes []geom.Box
	for _, i := range w.pose.Shown {
		node, toWorld := m.scene.Nodes[i], w.pose.World[i]
		if node.Light != scene.None {
			w.addLight(m.scene.Lights[node.Light], toWorld)
		}
		if node.Mesh == scene.None || toWorld.Determinant() == 0 {
			continue
		}
		if m.scene.Deforms(i) {
			mesh, to := m.scene.Shape(i, w.pose)
			shaped := newSolid()
			shaped.counts = true
			shaped.add(m.scene, mesh, to, i)
			if shaped.finish(); len(shaped.triangles) > 0 {
				w.instances = append(w.instances, instance{w, shaped, geom.Identity(), geom.Identity(), i})
				boxes = append(boxes, shaped.box)
			}
			continue
		}
		if solid := m.meshes[node.Mesh]; solid != nil && len(solid.triangles) > 0 {
			w.instances = append(w.instances, instance{w, solid, toWorld, toWorld.Inverse(), i})
			boxes = append(boxes, solid.box.Transformed(toWorld))
		}
	}
	if len(m.still.triangles) > 0 {
		w.instances = append(w.instances, instance{w, m.still, geom.Identity(), geom.Identity(), scene.None})
		boxes = append(boxes, m.still.box)
	}
	w.tree = buildBVH(boxes, 1)
	w.addSun()
	w.glow = w.gatherGlow()
	return w
}

// CameraPose returns where the camera of that name stands, and what it sees.
func (w *World) CameraPose(name string) (geom.Affine, scene.Camera, error) {
	i := w.model.scene.FindCamera(name)
	if i == scene.None {
		return geom.Affine{}, scene.Camera{}, fmt.Errorf("the scene has no camera %q", name)
	}
	return w.pose.World[i], w.model.scene.Cameras[w.model.scene.Nodes[i].Camera], nil
}

// ObjectColor returns the colour of an object in the object pass: hashed from its name (FNV-1a, 32 bit),
// each component between 0.1 and 1.
func ObjectColor(name string) geom.Vec {
	h := fnv.New32a()
	h.Write([]byte(name))
	n := h.Sum32()
	part := func(shift int) float64 { return 0.1 + 0.9*float64(n>>shift&0x3ff)/0x3ff }
	return geom.Vec{X: part(0), Y: part(10), Z: part(20)}
}

// node returns the node that was hit.
func (h *hit) node() int { return h.instance.nodeOf(h.instance.solid.triangles[h.triangle]) }

// nodeOf returns the node that one of the instance's triangles belongs to.
func (in *instance) nodeOf(t triangle) int {
	if in.node == scene.None {
		return int(t.node)
	}
	return in.node
}

// A hit is where a ray first meets a surface.
type hit struct {
	distance float64
	instance *instance
	triangle int32
	u, v     float64
}

// first finds the first surface along the ray before limit.
func (w *World) first(origin, direction geom.Vec, limit float64, h *hit) bool {
	h.instance, h.distance = nil, limit
	if len(w.instances) == 0 {
		return false
	}
	r := newRay(origin, direction)
	way, inner := walk{}, walk{}
	for leaf := way.leaf(w.tree, &r, h.distance); leaf != nil; leaf = way.leaf(w.tree, &r, h.distance) {
		for _, item := range w.tree.order[leaf.first : leaf.first+int32(leaf.count)] {
			w.instances[item].first(&r, h, &inner)
		}
	}
	return h.instance != nil
}

// local returns the ray in the instance's space. The direction keeps its length through the transform, so
// that distances stay the world's.
func (in *instance) local(r *ray) ray {
	if in.node == scene.None {
		return *r // the still solid lies in the world's space
	}
	return newRay(in.toObject.Point(r.origin), in.toObject.Direction(r.direction))
}

// first replaces h by the instance's first surface along the ray, if that is nearer.
func (in *instance) first(outer *ray, h *hit, way *walk) {
	r := in.local(outer)
	way.at, way.depth = 0, 0
	for leaf := way.leaf(in.solid.tree, &r, h.distance); leaf != nil; leaf = way.leaf(in.solid.tree, &r, h.distance) {
		for t := leaf.first; t < leaf.first+int32(leaf.count); t++ {
			if d, u, v, ok := in.solid.triangles[t].meet(&r); ok && d < h.distance && !(in.solid.holes && in.through(t, u, v, &r)) {
				h.distance, h.instance, h.triangle, h.u, h.v = d, in, t, u, v
			}
		}
	}
}

// blocked reports whether anything stands in the way before limit.
func (w *World) blocked(origin, direction geom.Vec, limit float64) bool {
	if len(w.instances) == 0 {
		return false
	}
	r := newRay(origin, direction)
	way, inner := walk{}, walk{}
	for leaf := way.leaf(w.tree, &r, limit); leaf != nil; leaf = way.leaf(w.tree, &r, limit) {
		for _, item := range w.tree.order[leaf.first : leaf.first+int32(leaf.count)] {
			if w.instances[item].blocks(&r, limit, &inner) {
				return true
			}
		}
	}
	return false
}

func (in *instance) blocks(outer *ray, limit float64, way *walk) bool {
	r := in.local(outer)
	way.at, way.depth = 0, 0
	for leaf := way.leaf(in.solid.tree, &r, limit); leaf != nil; leaf = way.leaf(in.solid.tree, &r, limit) {
		for t := leaf.first; t < leaf.first+int32(leaf.count); t++ {
			if d, u, v, ok := in.solid.triangles[t].meet(&r); ok && d < limit && !(in.solid.holes && in.through(t, u, v, &r)) {
				return true
			}
		}
	}
	return false
}

// meet returns the distance along the ray and the barycentric place of the crossing (Möller and
// Trumbore, "Fast, Minimum Storage Ray/Triangle Intersection", 1997).
func (t *triangle) meet(r *ray) (distance, u, v float64, ok bool) {
	p := r.direction.Cross(t.edge2)
	det := t.edge1.Dot(p)
	if det == 0 {
		return
	}
	inv := 1 / det
	s := r.origin.Sub(t.corner)
	if u = s.Dot(p) * inv; u < 0 || u > 1 {
		return
	}
	q := s.Cross(t.edge1)
	if v = r.direction.Dot(q) * inv; v < 0 || u+v > 1 {
		return
	}
	distance = t.edge2.Dot(q) * inv
	return distance, u, v, distance > 0 && !math.IsInf(distance, 0)
}

// A surface is what shading needs to know of a hit.
type surface struct {
	point    geom.Vec
	normal   geom.Vec // shading normal, turned towards the viewer
	face     geom.Vec // the triangle's own normal, turned towards the viewer
	material *scene.Material
}

func (w *World) surface(origin, direction geom.Vec, h *hit) surface {
	in, t := h.instance, &h.instance.solid.triangles[h.triangle]
	n := in.solid.normals[3*h.triangle : 3*h.triangle+3]
	smooth := n[0].Scale(1 - h.u - h.v).Add(n[1].Scale(h.u)).Add(n[2].Scale(h.v))
	s := surface{
		point:    origin.Add(direction.Scale(h.distance)),
		normal:   in.toObject.Normal(smooth).Unit(),
		face:     in.toObject.Normal(t.edge1.Cross(t.edge2)).Unit(),
		material: &w.materials[len(w.materials)-1],
	}
	if t.material >= 0 {
		s.material = &w.materials[t.material]
	}
	if w.roles != nil && w.roles[h.node()].Clay {
		s.material = &clay
	} else if len(in.solid.corners) > 0 {
		w.texture(&s, h)
	}
	if s.face.Dot(direction) > 0 {
		s.face = s.face.Scale(-1)
	}
	if s.normal.Dot(s.face) < 0 {
		s.normal = s.normal.Scale(-1)
	}
	return s
}
