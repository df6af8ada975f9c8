package scene

import (
	"fmt"
	"io"
	"math"
	"slices"

	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"
	"github.com/qmuntal/gltf/modeler"

	"reelhouse/core/geom"
)

// Write writes the scene as binary glTF 2.0, with KHR_lights_punctual and KHR_materials_emissive_strength where they
// are needed. Numbers are stored in single precision. Textures, skins and morph targets are left out.
func (s *Scene) Write(w io.Writer) error {
	doc := gltf.NewDocument()
	doc.Asset.Generator = "Reelhouse"
	doc.Scenes[0].Name = s.Name
	doc.Scenes[0].Nodes = s.Roots
	s.writeMaterials(doc)
	s.writeMeshes(doc)
	s.writeLightsAndCameras(doc)
	for _, n := range s.Nodes {
		q := n.Rotation.Unit()
		out := &gltf.Node{
			Name: n.Name, Children: n.Children, Mesh: index(n.Mesh), Camera: index(n.Camera),
			Translation: array(n.Translation), Scale: array(n.Scale),
			Rotation: [4]float64{q.X, q.Y, q.Z, q.W},
		}
		if n.Light != None {
			out.Extensions = gltf.Extensions{lightspunctual.ExtensionName: map[string]int{"light": n.Light}}
		}
		doc.Nodes = append(doc.Nodes, out)
	}
	s.writeAnimation(doc)
	if err := gltf.NewEncoder(w).Encode(doc); err != nil {
		return fmt.Errorf("scene %q: %w", s.Name, err)
	}
	return nil
}

func use(doc *gltf.Document, extension string) {
	if !slices.Contains(doc.ExtensionsUsed, extension) {
		doc.ExtensionsUsed = append(doc.ExtensionsUsed, extension)
	}
}

func index(i int) *int {
	if i == None {
		return nil
	}
	return gltf.Index(i)
}

func array(v geom.Vec) [3]float64 { return [3]float64{v.X, v.Y, v.Z} }

func (s *Scene) writeMaterials(doc *gltf.Document) {
	for _, m := range s.Materials {
		out := &gltf.Material{Name: m.Name, PBRMetallicRoughness: &gltf.PBRMetallicRoughness{
			BaseColorFactor: &[4]float64{m.BaseColor.X, m.BaseColor.Y, m.BaseColor.Z, m.Alpha},
			MetallicFactor:  gltf.Float(m.Metallic),
			RoughnessFactor: gltf.Float(m.Roughness),
		}}
		// Factors lie in 0 to 1; what is brighter goes into the strength.
		strength := m.Emission.Max()
		if strength > 1 {
			out.EmissiveFactor = array(m.Emission.Scale(1 / strength))
			out.Extensions = gltf.Extensions{emissiveStrength: map[string]float64{"emissiveStrength": strength}}
			use(doc, emissiveStrength)
		} else {
			out.EmissiveFactor = array(m.Emission)
		}
		doc.Materials = append(doc.Materials, out)
	}
}

func (s *Scene) writeMeshes(doc *gltf.Document) {
	for _, m := range s.Meshes {
		out := &gltf.Mesh{Name: m.Name}
		for _, p := range m.Parts {
			attributes := gltf.PrimitiveAttributes{gltf.POSITION: modeler.WritePosition(doc, singles(p.Positions))}
			if len(p.Normals) > 0 {
				attributes[gltf.NORMAL] = modeler.WriteNormal(doc, singles(p.Normals))
			}
			out.Primitives = append(out.Primitives, &gltf.Primitive{
				Attributes: attributes,
				Indices:    gltf.Index(modeler.WriteIndices(doc, p.Indices)),
				Material:   index(p.Material),
			})
		}
		doc.Meshes = append(doc.Meshes, out)
	}
}

func singles(vectors []geom.Vec) [][3]float32 {
	out := make([][3]float32, len(vectors))
	for i, v := range vectors {
		out[i] = [3]float32{float32(v.X), float32(v.Y), float32(v.Z)}
	}
	return out
}

func (s *Scene) writeLightsAndCameras(doc *gltf.Document) {
	var lights lightspunctual.Lights
	for _, l := range s.Lights {
		color := array(l.Color)
		out := &lightspunctual.Light{
			Name:      l.Name,
			Type:      string(l.Kind),
			Color:     &color,
			Intensity: gltf.Float(l.Intensity),
		}
		if l.Range > 0 {
			out.Range = gltf.Float(l.Range)
		}
		if l.Kind == Spot {
			out.Spot = &lightspunctual.Spot{InnerConeAngle: l.InnerCone, OuterConeAngle: gltf.Float(l.OuterCone)}
		}
		lights = append(lights, out)
	}
	if len(lights) > 0 {
		doc.Extensions = gltf.Extensions{lightspunctual.ExtensionName: map[string]any{"lights": lights}}
		use(doc, lightspunctual.ExtensionName)
	}
	for _, c := range s.Cameras {
		if c.Height > 0 {
			doc.Cameras = append(
				doc.Cameras,
				&gltf.Camera{
					Name: c.Name,
					Orthographic: &gltf.Orthographic{
						Xmag:  c.Height * c.Aspect / 2,
						Ymag:  c.Height / 2,
						Znear: 0.05,
						Zfar:  2000,
					},
				},
			)
			continue
		}
		doc.Cameras = append(doc.Cameras, &gltf.Camera{Name: c.Name, Perspective: &gltf.Perspective{
			Yfov: c.Up, AspectRatio: gltf.Float(c.Aspect), Znear: 0.05, Zfar: gltf.Float(2000),
		}})
	}
}

func (s *Scene) writeAnimation(doc *gltf.Document) {
	animation := &gltf.Animation{Name: "all"}
	for _, c := range s.Channels {
		if c.Target == Weights {
			continue
		}
		times := make([]float32, len(c.Times))
		for i, t := range c.Times {
			times[i] = float32(t)
		}
		input := modeler.WriteAccessor(doc, gltf.TargetNone, times)
		doc.Accessors[input].Min = []float64{float64(times[0])}
		doc.Accessors[input].Max = []float64{float64(times[len(times)-1])}
		sampler := &gltf.AnimationSampler{
			Input:  input,
			Output: modeler.WriteAccessor(doc, gltf.TargetNone, c.singles()),
		}
		for to, from := range interpolations {
			if from == c.Interpolation {
				sampler.Interpolation = to
			}
		}
		animation.Samplers = append(animation.Samplers, sampler)
		channel := &gltf.AnimationChannel{Sampler: len(animation.Samplers) - 1}
		channel.Target.Node = gltf.Index(c.Node)
		for to, from := range targets {
			if from == c.Target {
				channel.Target.Path = to
			}
		}
		animation.Channels = append(animation.Channels, channel)
	}
	if len(animation.Channels) > 0 {
		doc.Animations = append(doc.Animations, animation)
	}
}

// singles returns the channel's values in single precision, with four components for rotations.
func (c Channel) singles() any {
	if c.Target == Rotation {
		out := make([][4]float32, len(c.Values))
		for i, v := range c.Values {
			l := math.Sqrt(v.X*v.X + v.Y*v.Y + v.Z*v.Z + v.W*v.W)
			if c.Interpolation == Cubic {
				l = 1
			}
			out[i] = [4]float32{float32(v.X / l), float32(v.Y / l), float32(v.Z / l), float32(v.W / l)}
		}
		return out
	}
	out := make([][3]float32, len(c.Values))
	for i, v := range c.Values {
		out[i] = [3]float32{float32(v.X), float32(v.Y), float32(v.Z)}
	}
	return out
}
