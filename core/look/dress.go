package look

import (
	"fmt"
	"slices"

	"reelhouse/core/scene"
)

// A Dress is what a look changes of a scene before anything is rendered: pictures of looks with the same dress are of
// one scene.
type Dress struct {
	Hidden, Shown []string
	Lights        []LightChange
	Variant       string
	Textures      []TextureSwap
}

// Dress returns what the look changes of the scene.
func (l Look) Dress() Dress { return Dress{l.Hidden, l.Shown, l.Lights, l.Variant, l.Textures} }

// Dressed returns the scene with the materials of the look's variant and its textures, its lights changed, and without
// the objects that it hides. What the scene does not have changes nothing.
func (l Look) Dressed(s *scene.Scene) *scene.Scene {
	d := l.Dress()
	if len(d.Hidden)+len(d.Lights)+len(d.Textures) == 0 && d.Variant == "" {
		return s
	}
	out := *s
	if len(d.Hidden) > 0 {
		out.Nodes = slices.Clone(s.Nodes)
		shown := named(s, d.Shown)
		for i, hidden := range named(s, d.Hidden) {
			if hidden && !shown[i] {
				out.Nodes[i].Mesh = scene.None
			}
		}
	}
	if len(d.Lights) > 0 {
		out.Lights = slices.Clone(s.Lights)
		for i := range out.Lights {
			d.light(&out.Lights[i])
		}
	}
	if v := slices.Index(s.Variants, d.Variant); v >= 0 {
		out.Meshes = slices.Clone(s.Meshes)
		for i := range out.Meshes {
			out.Meshes[i].Parts = slices.Clone(out.Meshes[i].Parts)
			for k := range out.Meshes[i].Parts {
				if material, ok := out.Meshes[i].Parts[k].Variants[v]; ok {
					out.Meshes[i].Parts[k].Material = material
				}
			}
		}
	}
	if len(d.Textures) > 0 {
		out.Textures = slices.Clone(s.Textures)
		image := func(name string) int {
			return slices.IndexFunc(s.Images, func(m scene.Image) bool { return m.Name == name })
		}
		for _, t := range d.Textures {
			from, to := image(t.Image), image(t.By)
			for i := range out.Textures {
				if from >= 0 && to >= 0 && s.Textures[i].Image == from {
					out.Textures[i].Image = to
				}
			}
		}
	}
	return &out
}

func (d Dress) light(light *scene.Light) {
	for _, c := range d.Lights {
		if !matches([]string{c.Name}, light.Name) {
			continue
		}
		light.Intensity *= c.Factor()
		if tint, err := colour(c.Colour); err == nil && c.Colour != "" {
			light.Color = tint
		}
	}
}

// Missing says what of variant and textures the scene does not have.
func (l Look) Missing(s *scene.Scene) []string {
	var texts []string
	if l.Variant != "" && !slices.Contains(s.Variants, l.Variant) {
		texts = append(texts, fmt.Sprintf("variant %s of materials", l.Variant))
	}
	for _, t := range l.Textures {
		for _, name := range []string{t.Image, t.By} {
			if !slices.ContainsFunc(s.Images, func(m scene.Image) bool { return m.Name == name }) {
				texts = append(texts, "texture "+name)
			}
		}
	}
	return texts
}
