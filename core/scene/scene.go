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
	Scenes    []string // names of all scenes of the file
	Number    int      // which of them this is, from 1; 0 if it was made by a program
	Nodes     []Node
	Roots     []int // indices of the nodes that the scene shows, with everything below them
	Meshes    []Mesh
	Skins     []Skin
	Materials []Material
	Textures  []Texture
	Images    []Image
	Lights    []Light
	Cameras   []Camera
	Channels  []Channel // animation
	Variants  []string  // names of variants of its materials (KHR_materials_variants)
	Notes     []string  // what the file holds and this program leaves aside or simplifies, in sentences
	Extras    Extras
	Unread    bool    // nothing is known of it but names, see Unread
	Unit      float64 // by which everything was scaled, see Scaled; 0 if it was not
}

// Extras are what the report tells of a file beside what is drawn.
type Extras struct {
	Generator  string   // that wrote the file, as it says
	Extensions []string // that the file uses
	Files      []string // beside it, that it refers to and that are there
}

// A Node places things: first Scale, then Rotation, then Translation, then the parent's placing.
type Node struct {
	Name        string
	Children    []int
	Translation geom.Vec
	Rotation    geom.Quat
	Scale       geom.Vec
	Mesh        int       // index or None
	Skin        int       // index or None
	Light       int       // index or None
	Camera      int       // index or None
	Weights     []float64 // of the mesh's morph targets; nil for the mesh's own
}

// NewNode returns a node that shows nothing and stands at the origin.
func NewNode(name string) Node {
	return Node{
		Name:     name,
		Scale:    geom.Vec{X: 1, Y: 1, Z: 1},
		Rotation: geom.Quat{W: 1},
		Mesh:     None,
		Skin:     None,
		Light:    None,
		Camera:   None,
	}
}

// A Mesh is the parts of one object.
type Mesh struct {
	Name    string
	Parts   []Part
	Weights []float64 // of its morph targets, if it has any
	Loose   int       // parts of points and lines, which have no surface
}

// A Part is triangles of one material. Three indices make a triangle, counter-clockwise seen from
// outside. Normals are unit length, one a position, or none for flat faces; so are the other lists.
type Part struct {
	Positions []geom.Vec
	Normals   []geom.Vec
	UV        [][]UV // by set, of which two are read
	Colors    []Color
	Joints    [][4]uint16 // of the node's skin
	Weights   [][4]float32
	Targets   []Morph
	Indices   []uint32
	Material  int // index or None
	// Variants are the materials that it has instead in variants of the scene's materials, by their indices.
	Variants map[int]int
}

// A UV is a place in a texture, from its top left corner.
type UV struct{ U, V float32 }

// A Color is linear red, green, blue and alpha.
type Color struct{ R, G, B, A float32 }

// A Morph is what a target adds to positions and normals at full weight.
type Morph struct{ Positions, Normals []geom.Vec }

// A Skin ties a mesh to nodes. Inverse maps from the mesh's space into each joint's.
type Skin struct {
	Name    string
	Joints  []int // nodes
	Inverse []geom.Affine
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

// A Camera sees Up radians vertically in a picture whose width over height is Aspect. An orthographic one sees Height
// metres instead, everywhere.
type Camera struct {
	Name   string
	Up     float64
	Height float64 // 0 for a perspective camera
	Aspect float64
}

// A Target is what a Channel moves.
type Target string

// The targets of a channel.
const (
	Translation Target = "translation"
	Rotation    Target = "rotation"
	Scale       Target = "scale"
	Weights     Target = "weights"
)

// Interpolation says what happens between two keys.
type Interpolation string

// The interpolations of glTF 2.0.
const (
	Linear Interpolation = "LINEAR"
	Step   Interpolation = "STEP"
	Cubic  Interpolation = "CUBICSPLINE"
)

// A Channel moves one property of one node. Values holds X, Y, Z and, for rotations, W; three values a key (in-tangent,
// value, out-tangent) for Cubic and one otherwise. Those of Weights stand in Numbers, one a morph target.
type Channel struct {
	Node          int
	Target        Target
	Interpolation Interpolation
	Times         []float64 // seconds, ascending
	Values        []geom.Quat
	Numbers       []float64
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
