// Package scene holds what is to be rendered: meshes, materials, lights, cameras, and how they move.
//
// The model is that of glTF 2.0 (Khronos Group, version 2.0), and Read and Write take and give its
// binary form. Lengths are metres, angles radians, +Y is up; cameras and lights look along their own
// -Z. A scene is never changed after it was read; At places everything at one moment in time.
package scene

import "reelhouse/core/geom"

// None is the index of nothing.
const None = -1

// A Scene is a forest of nodes over shared meshes, materials, lights and cameras.
type Scene struct {
	Name      string
	Nodes     []Node
	Roots     []int // indices of the nodes that the scene shows, with everything below them
	Meshes    []Mesh
	Materials []Material
	Lights    []Light
	Cameras   []Camera
	Channels  []Channel // animation
	Notes     []string  // what the file holds and this program leaves aside, in sentences
}

// A Node places things: first Scale, then Rotation, then Translation, then the parent's placing.
type Node struct {
	Name        string
	Children    []int
	Translation geom.Vec
	Rotation    geom.Quat
	Scale       geom.Vec
	Mesh        int // index or None
	Light       int // index or None
	Camera      int // index or None
}

// NewNode returns a node that shows nothing and stands at the origin.
func NewNode(name string) Node {
	return Node{Name: name, Scale: geom.Vec{X: 1, Y: 1, Z: 1}, Rotation: geom.Quat{W: 1}, Mesh: None, Light: None, Camera: None}
}

// A Mesh is the parts of one object.
type Mesh struct {
	Name  string
	Parts []Part
}

// A Part is triangles of one material. Three indices make a triangle, counter-clockwise seen from
// outside. Normals are unit length, one a position, or none for flat faces.
type Part struct {
	Positions []geom.Vec
	Normals   []geom.Vec
	Indices   []uint32
	Material  int // index or None
}

// A Material is the metallic-roughness model of glTF 2.0 without textures.
type Material struct {
	Name      string
	BaseColor geom.Vec // linear
	Alpha     float64
	Metallic  float64
	Roughness float64
	Emission  geom.Vec // linear radiance, emissive strength included
}

// DefaultMaterial is what a part without a material looks like: the standard's default.
func DefaultMaterial() Material {
	return Material{Name: "default", BaseColor: geom.Vec{X: 1, Y: 1, Z: 1}, Alpha: 1, Metallic: 1, Roughness: 1}
}

// LightKind is one of the three kinds of KHR_lights_punctual.
type LightKind string

// The kinds of light.
const (
	Sun   LightKind = "directional" // parallel light; intensity in lux
	Point LightKind = "point"       // in all directions; intensity in candela
	Spot  LightKind = "spot"        // in a cone; intensity in candela
)

// A Light shines from a node along its -Z, or all around for a Point.
type Light struct {
	Name                 string
	Kind                 LightKind
	Color                geom.Vec
	Intensity            float64
	Range                float64 // metres beyond which it does not reach; 0 for no end
	InnerCone, OuterCone float64 // half angles of a Spot, radians
}

// A Camera sees Up radians vertically in a picture whose width over height is Aspect.
type Camera struct {
	Name   string
	Up     float64
	Aspect float64
}

// A Target is what a Channel moves.
type Target string

// The targets of a channel.
const (
	Translation Target = "translation"
	Rotation    Target = "rotation"
	Scale       Target = "scale"
)

// Interpolation says what happens between two keys.
type Interpolation string

// The interpolations of glTF 2.0.
const (
	Linear Interpolation = "LINEAR"
	Step   Interpolation = "STEP"
	Cubic  Interpolation = "CUBICSPLINE"
)

// A Channel moves one property of one node. Values holds X, Y, Z and, for rotations, W; three values a
// key (in-tangent, value, out-tangent) for Cubic and one otherwise.
type Channel struct {
	Node          int
	Target        Target
	Interpolation Interpolation
	Times         []float64 // seconds, ascending
	Values        []geom.Quat
}

// Triangles returns how many triangles the scene shows, instances counted each.
func (s *Scene) Triangles() int {
	n := 0
	for _, node := range s.shown() {
		if m := s.Nodes[node].Mesh; m != None {
			n += s.Meshes[m].Triangles()
		}
	}
	return n
}

// Triangles returns how many triangles the mesh has.
func (m Mesh) Triangles() int {
	n := 0
	for _, p := range m.Parts {
		n += len(p.Indices) / 3
	}
	return n
}

// shown returns the nodes below the roots.
func (s *Scene) shown() []int {
	var nodes []int
	var walk func(i int)
	walk = func(i int) {
		nodes = append(nodes, i)
		for _, c := range s.Nodes[i].Children {
			walk(c)
		}
	}
	for _, r := range s.Roots {
		walk(r)
	}
	return nodes
}

// Duration returns the time in seconds of the last key of the animation, 0 for a still scene.
func (s *Scene) Duration() float64 {
	end := 0.0
	for _, c := range s.Channels {
		end = max(end, c.Times[len(c.Times)-1])
	}
	return end
}

// CameraNodes returns the indices of the shown nodes that carry a camera, in the order of the file.
func (s *Scene) CameraNodes() []int {
	var nodes []int
	for _, i := range s.shown() {
		if s.Nodes[i].Camera != None {
			nodes = append(nodes, i)
		}
	}
	return nodes
}

// FindCamera returns the shown camera node of that name, or None.
func (s *Scene) FindCamera(name string) int {
	for _, i := range s.CameraNodes() {
		if s.Nodes[i].Name == name {
			return i
		}
	}
	return None
}
