package trace

import (
	"hash/fnv"
	"image"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"reelhouse/core/camera"
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
	levels [][]*image.NRGBA // of each picture, and smaller copies of it
	means  map[int]geom.Vec // linear light of the textures that glow
}

// Prepare makes a scene ready.
func Prepare(s *scene.Scene) *Model {
	m := &Model{scene: s, meshes: make([]*solid, len(s.Meshes)), means: map[int]geom.Vec{}, levels: levels(s)}
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

// A World is a model at one moment under one look. It may be used by many goroutines at once.
type World struct {
	model     *Model
	look      look.Look
	pose      scene.Pose
	seconds   float64
	open      float64 // for how long the shutter is, in seconds
	tree      *tree
	instances []instance
	materials []scene.Material // the scene's and, last, the default; emission with the look's gain
	lights    []lamp
	sky       skyTable
	colors    []geom.Vec // in the object pass, by node
	glow      glow
	haze      bool
	gradient  look.Gradient // the look's sky
	around    *around       // nil where the look's sky is
	roles     []look.Role   // by node; nil if every object is just seen
	unseen    bool          // some object is not seen by the camera
	gain      float64       // that exposure applies to light
}

type instance struct {
	number            int // in the world's list
	world             *World
	solid             *solid
	toWorld, toObject geom.Affine   // midway
	moved             []geom.Affine // toWorld at even steps while the shutter is open; nil if it stays
	node              int           // None for the still solid, whose triangles have nodes of their own
}

// At returns the world at a time in seconds under a look, and in the environment that the look names, nil for none.
func (m *Model) At(seconds float64, l look.Look, e *Environment) *World {
	return m.During(seconds, 0, l, e)
}

// Steps between which things move straight while the shutter is open.
const (
	moveSteps = 8
	bendSteps = 4 // of meshes that change their shape
)

// During is At for a shutter that is open for a time in seconds, half of it before and half after.
func (m *Model) During(seconds, open float64, l look.Look, e *Environment) *World {
	w := &World{
		model: m, look: l, seconds: seconds, open: open, pose: m.scene.At(seconds), around: newAround(e, l.Environment),
		roles: l.Roles(m.scene), gain: l.Gain(),
		haze: l.Haze.Metres > 0, gradient: l.Gradient(),
	}
	w.unseen = slices.ContainsFunc(w.roles, func(r look.Role) bool { return r.Unseen })
	for _, material := range append(m.scene.Materials[:len(m.scene.Materials):len(m.scene.Materials)],
		scene.DefaultMaterial()) {
		material.Emission = material.Emission.Scale(l.LightGain)
		w.materials = append(w.materials, material)
	}
	for _, node := range m.scene.Nodes {
		w.colors = append(w.colors, ObjectColor(node.Name))
	}
	w.place()
	w.addSun()
	w.sky = w.weighSky()
	w.glow = w.gatherGlow()
	return w
}

// place fills the world with what is shown.
func (w *World) place() {
	m := w.model
	var boxes []geom.Box
	moving := m.scene.Moving()
	steps := w.poses(moveSteps)
	for _, i := range w.pose.Shown {
		node, toWorld := m.scene.Nodes[i], w.pose.World[i]
		if node.Light != scene.None {
			w.addLight(m.scene.Lights[node.Light], toWorld)
		}
		if node.Mesh == scene.None || toWorld.Determinant() == 0 {
			continue
		}
		if m.scene.Deforms(i) {
			if shaped := w.shaped(i); len(shaped.triangles) > 0 {
				w.instances = append(
					w.instances, instance{len(w.instances), w, shaped, geom.Identity(), geom.Identity(), nil, i},
				)
				boxes = append(boxes, shaped.box)
			}
			continue
		}
		solid := m.meshes[node.Mesh]
		if solid == nil || len(solid.triangles) == 0 {
			continue
		}
		in, box := instance{len(w.instances), w, solid, toWorld, toWorld.Inverse(), nil, i}, solid.box.Transformed(
			toWorld,
		)
		if moving[i] {
			for _, step := range steps {
				in.moved = append(in.moved, step.World[i])
				box = box.Union(solid.box.Transformed(step.World[i]))
			}
		}
		w.instances = append(w.instances, in)
		boxes = append(boxes, box)
	}
	if len(m.still.triangles) > 0 {
		w.instances = append(
			w.instances, instance{len(w.instances), w, m.still, geom.Identity(), geom.Identity(), nil, scene.None},
		)
		boxes = append(boxes, m.still.box)
	}
	w.tree = buildTree(boxes, 1)
}

// poses returns where everything is at even steps while the shutter is open; none if it does not stay open.
func (w *World) poses(steps int) []scene.Pose {
	if w.open == 0 {
		return nil
	}
	var all []scene.Pose
	for i := range steps + 1 {
		all = append(all, w.model.scene.At(w.seconds+w.open*(float64(i)/float64(steps)-midway)))
	}
	return all
}

// shaped returns a mesh that changes its shape.
func (w *World) shaped(node int) *solid {
	s := w.model.scene
	mesh, to := s.Shape(node, w.pose)
	out := newSolid()
	out.counts = true
	out.add(s, mesh, to, node)
	for _, pose := range w.poses(bendSteps) {
		mesh, to := s.Shape(node, pose)
		all := placedTriangles(mesh, to)
		step := make([][3][3]float32, len(out.source))
		for i, from := range out.source {
			for k, c := range all[from] {
				step[i][k] = single(c)
			}
		}
		out.moved = append(out.moved, step)
	}
	out.finish()
	return out
}

// CameraPose returns where the camera of that name stands, and what it sees; "" is one that a setup makes alone.
func (w *World) CameraPose(name string) (geom.Affine, scene.Camera, error) {
	source, err := camera.SourceOf(w.model.scene, name)
	if err != nil {
		return geom.Affine{}, scene.Camera{}, err
	}
	return source.Pose(w.pose), source.Optics, nil
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
