package scene

import (
	"image"
	"math"

	"reelhouse/core/geom"
)

// A Material is the metallic-roughness model of glTF 2.0.
type Material struct {
	Name        string
	BaseColor   geom.Vec // linear
	Alpha       float64
	Metallic    float64
	Roughness   float64
	Emission    geom.Vec // linear radiance, emissive strength included
	Mode        AlphaMode
	Cutoff      float64 // below which a Mask lets through
	DoubleSided bool
	Unlit       bool // shows its base colour, whatever the light (KHR_materials_unlit)
	// What textures multiply; nil for none.
	Base      *Map // colour and alpha
	Surface   *Map // roughness in green, metallic in blue
	Glow      *Map // emission
	Bumps     *Map // normals in the space of tangents
	BumpScale float64
	Creases   *Map // ambient occlusion in red
	// Of further extensions.
	Transmission       float64  // KHR_materials_transmission
	IOR                float64  // KHR_materials_ior; 0 stands for the standard's 1.5
	Thickness          float64  // KHR_materials_volume; 0 for a thin wall
	Clearness          float64  // metres after which light inside has the colour Tint; 0 for no end
	Tint               geom.Vec // of what is inside; black stands for white
	Clearcoat          float64  // KHR_materials_clearcoat
	ClearcoatRoughness float64
}

// DefaultMaterial is what a part without a material looks like: the standard's default.
func DefaultMaterial() Material {
	return Material{Name: "default", BaseColor: geom.Vec{X: 1, Y: 1, Z: 1}, Alpha: 1, Metallic: 1, Roughness: 1}
}

// Clear returns the names of the objects that can be seen through, in the order of the nodes.
func (s *Scene) Clear() []string {
	var names []string
	for _, n := range s.Nodes {
		if n.Mesh == None {
			continue
		}
		for _, part := range s.Meshes[n.Mesh].Parts {
			if part.Material != None &&
				(s.Materials[part.Material].Mode == Blend || s.Materials[part.Material].Transmission > 0) {
				names = append(names, n.Name)
				break
			}
		}
	}
	return names
}

// AlphaMode says what alpha does. The zero value is opaque.
type AlphaMode string

// The modes.
const (
	Opaque AlphaMode = ""
	Mask   AlphaMode = "mask"  // there, or not there
	Blend  AlphaMode = "blend" // covers by as much
)

// A Map is a use of a texture: its coordinates are scaled, turned and moved, in this order (KHR_texture_transform).
type Map struct {
	Texture int
	Set     int // of the part's coordinates
	Scale   [2]float64
	Turn    float64 // radians, counter-clockwise
	Offset  [2]float64
}

// Place returns the map's coordinates.
func (m *Map) Place(u, v float64) (float64, float64) {
	sin, cos := math.Sincos(m.Turn)
	u, v = u*m.Scale[0], v*m.Scale[1]
	return cos*u + sin*v + m.Offset[0], -sin*u + cos*v + m.Offset[1]
}

// A Texture is an image and how it is looked at.
type Texture struct {
	Image        int // index or None
	WrapU, WrapV Wrap
	Nearest      bool // without smoothing when enlarged
}

// Wrap is what stands beyond an image's edges.
type Wrap string

// The ways of wrapping. The zero value repeats.
const (
	Repeat Wrap = ""
	Mirror Wrap = "mirror"
	Clamp  Wrap = "clamp"
)

// An Image is a picture file that textures take from.
type Image struct {
	Name   string // its own, or its file's
	File   string // beside the scene; empty if it is inside
	Type   string // "PNG" or "JPEG"
	Bytes  int    // as a file
	Size   image.Point
	Pixels *image.NRGBA // nil if it could not be read
	Fault  string       // why it could not
}
