package demo

import (
	"fmt"
	"math"
	"math/rand/v2"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// A builder collects the demo scene. Its random numbers come from a fixed seed: the scene is the same
// every time, on every machine.
type builder struct {
	scene     *scene.Scene
	materials map[string]int
	random    *rand.Rand
}

func newBuilder(name string) *builder {
	return &builder{&scene.Scene{Name: name}, map[string]int{}, rand.New(rand.NewPCG(7340, 1001))}
}

func (b *builder) addMaterial(m scene.Material) int {
	if i, ok := b.materials[m.Name]; ok {
		return i
	}
	m.Alpha = 1
	b.scene.Materials = append(b.scene.Materials, m)
	b.materials[m.Name] = len(b.scene.Materials) - 1
	return b.materials[m.Name]
}

// paint returns a plain surface by its linear colour.
func (b *builder) paint(name string, color geom.Vec, roughness float64) int {
	return b.addMaterial(scene.Material{Name: name, BaseColor: color, Roughness: roughness})
}

// lit returns a glowing surface.
func (b *builder) lit(name string, emission geom.Vec) int {
	return b.addMaterial(scene.Material{Name: name, BaseColor: v(0.8, 0.7, 0.5), Roughness: 0.6, Emission: emission})
}

func (b *builder) mesh(name string, shapes ...*shape) int {
	m := scene.Mesh{Name: name}
	for _, s := range shapes {
		s.part.Indices = withArea(s.part)
		m.Parts = append(m.Parts, s.part)
	}
	b.scene.Meshes = append(b.scene.Meshes, m)
	return len(b.scene.Meshes) - 1
}

// withArea returns the triangles that have one: where a hull runs out into a point, some have not.
func withArea(p scene.Part) []uint32 {
	var kept []uint32
	for i := 0; i+2 < len(p.Indices); i += 3 {
		a, b, c := p.Positions[p.Indices[i]], p.Positions[p.Indices[i+1]], p.Positions[p.Indices[i+2]]
		if b.Sub(a).Cross(c.Sub(a)).Length() > 0 {
			kept = append(kept, p.Indices[i:i+3]...)
		}
	}
	return kept
}

// node adds a node below a parent, or below the scene itself for None.
func (b *builder) node(parent int, n scene.Node) int {
	b.scene.Nodes = append(b.scene.Nodes, n)
	i := len(b.scene.Nodes) - 1
	if parent == scene.None {
		b.scene.Roots = append(b.scene.Roots, i)
	} else {
		b.scene.Nodes[parent].Children = append(b.scene.Nodes[parent].Children, i)
	}
	return i
}

// place adds a named object that shows a mesh, turned by degrees about the vertical.
func (b *builder) place(parent int, name string, mesh int, at geom.Vec, degrees, size float64) int {
	n := scene.NewNode(name)
	n.Mesh, n.Translation, n.Scale = mesh, at, v(size, size, size)
	n.Rotation = geom.AxisAngle(v(0, 1, 0), degrees*math.Pi/180)
	return b.node(parent, n)
}

// object is place for a thing that stands in the scene's own axes.
func (b *builder) object(name string, shapes ...*shape) int {
	return b.place(scene.None, name, b.mesh(name, shapes...), geom.Vec{}, 0, 1)
}

// light hangs a light below a parent.
func (b *builder) light(parent int, l scene.Light, at geom.Vec, turn geom.Quat) int {
	b.scene.Lights = append(b.scene.Lights, l)
	n := scene.NewNode(l.Name)
	n.Light, n.Translation, n.Rotation = len(b.scene.Lights)-1, at, turn
	return b.node(parent, n)
}

// camera sets up a camera below a parent, at a place, looking at another, with a focal length in
// millimetres on a 36 mm wide 16:9 back.
func (b *builder) camera(parent int, name string, at, target geom.Vec, focal float64) {
	const aspect = 16.0 / 9
	b.scene.Cameras = append(
		b.scene.Cameras, scene.Camera{Name: name, Up: 2 * math.Atan(36/aspect/(2*focal)), Aspect: aspect},
	)
	n := scene.NewNode(name)
	n.Camera, n.Translation = len(b.scene.Cameras)-1, at
	n.Rotation = geom.Facing(target.Sub(at), v(0, 1, 0))
	b.node(parent, n)
}

// move animates a node's place, one key every interval seconds from 0 to the end of the scene.
func (b *builder) move(node int, interval float64, at func(seconds float64) geom.Vec) {
	b.animate(node, scene.Translation, interval, func(t float64) geom.Quat {
		p := at(t)
		return geom.Quat{X: p.X, Y: p.Y, Z: p.Z}
	})
}

func (b *builder) animate(node int, target scene.Target, interval float64, at func(seconds float64) geom.Quat) {
	c := scene.Channel{Node: node, Target: target, Interpolation: scene.Linear}
	for i := 0; ; i++ {
		t := min(Seconds, float64(i)*interval)
		c.Times = append(c.Times, t)
		c.Values = append(c.Values, at(t))
		if t == Seconds {
			break
		}
	}
	b.scene.Channels = append(b.scene.Channels, c)
}

// bob lets something float: up and down, rolling and pitching, about where it stands.
func (b *builder) bob(node int, height, degrees, phase float64) {
	n := b.scene.Nodes[node]
	b.move(node, 0.25, func(t float64) geom.Vec {
		return n.Translation.Add(v(0, height*math.Sin(1.9*t+phase), 0))
	})
	b.animate(node, scene.Rotation, 0.25, func(t float64) geom.Quat {
		roll := geom.AxisAngle(v(1, 0, 0), degrees*math.Pi/180*math.Sin(2.3*t+phase*2))
		pitch := geom.AxisAngle(v(0, 0, 1), 0.5*degrees*math.Pi/180*math.Sin(1.9*t+phase+1))
		return n.Rotation.Mul(pitch).Mul(roll)
	})
}

// between returns a random number from low to high.
func (b *builder) between(low, high float64) float64 { return low + (high-low)*b.random.Float64() }

func numbered(name string, i int) string { return fmt.Sprintf("%s_%02d", name, i) }
