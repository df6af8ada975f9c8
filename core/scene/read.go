package scene

import (
	"fmt"
	"math"
	"slices"

	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"
	"github.com/qmuntal/gltf/ext/texturetransform"
	"github.com/qmuntal/gltf/ext/unlit"

	"reelhouse/core/geom"
)

const maxDepth = 256 // levels of nodes; deeper files are refused, a cycle among them

// understood are the extensions that a file may require.
var understood = []string{
	lightspunctual.ExtensionName, emissiveStrength, unlit.ExtensionName, texturetransform.ExtensionName, transmission,
	refraction, volume, clearcoat, variantsName,
	"KHR_mesh_quantization", // whole numbers as positions, which are read anyway
	webpTexture,
}

type reader struct {
	doc   *gltf.Document
	scene *Scene
	// beside holds the files that the scene refers to.
	beside *beside
	number int // of the scene that is wanted, from 1; 0 for the file's own
	spent  spent
	noted  map[string]bool
}

// note keeps something worth knowing, once; of very many that there are more.
func (r *reader) note(format string, args ...any) {
	text := fmt.Sprintf(format, args...)
	if r.noted[text] || len(r.noted) > mostNotes {
		return
	}
	if r.noted == nil {
		r.noted = map[string]bool{}
	}
	if r.noted[text] = true; len(r.noted) > mostNotes {
		text = "There is more like that, which is not told."
	}
	r.scene.Notes = append(r.scene.Notes, text)
}

func (r *reader) all() error {
	for _, name := range r.doc.ExtensionsUsed {
		if !slices.Contains(understood, name) {
			r.note("The optional extension %s is ignored.", name)
		}
	}
	if n := len(r.doc.Nodes); n > mostNodes {
		return fmt.Errorf("%d nodes are more than the %d that can be read", n, mostNodes)
	}
	r.scene.Extras = Extras{Generator: r.doc.Asset.Generator, Extensions: r.doc.ExtensionsUsed}
	for _, step := range []func() error{r.references, r.images, r.textures, r.materials, r.variants, r.meshes, r.lights,
		r.cameras,
		r.skins, r.nodes, r.roots, r.animations} {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

func (r *reader) lights() error {
	ext, ok := r.doc.Extensions[lightspunctual.ExtensionName]
	if !ok {
		return nil
	}
	lights, ok := ext.(lightspunctual.Lights)
	if !ok {
		return fmt.Errorf("%s: the list of lights cannot be read", lightspunctual.ExtensionName)
	}
	for i, l := range lights {
		if l == nil {
			return fmt.Errorf("light %d is empty", i)
		}
		c := l.ColorOrDefault()
		out := Light{
			Name:      l.Name,
			Kind:      LightKind(l.Type),
			Color:     geom.Vec{X: c[0], Y: c[1], Z: c[2]},
			Intensity: l.IntensityOrDefault(),
		}
		if l.Range != nil && !math.IsInf(*l.Range, 0) {
			out.Range = *l.Range
		}
		switch out.Kind {
		case Sun, Point:
		case Spot:
			out.OuterCone = math.Pi / 4
			if l.Spot != nil {
				out.InnerCone, out.OuterCone = l.Spot.InnerConeAngle, l.Spot.OuterConeAngleOrDefault()
			}
		default:
			return fmt.Errorf("light %d %q: unknown type %q", i, l.Name, l.Type)
		}
		r.scene.Lights = append(r.scene.Lights, out)
	}
	return nil
}

func (r *reader) cameras() error {
	for i, c := range r.doc.Cameras {
		if o := c.Orthographic; o != nil {
			out := Camera{Name: c.Name, Height: 2 * math.Abs(o.Ymag), Aspect: math.Abs(o.Xmag / o.Ymag)}
			if !(out.Height > 1e-6 && out.Height < 1e9) || !(out.Aspect > 0.01 && out.Aspect < 100) {
				return fmt.Errorf("camera %d %q: %v by %v metres cannot be drawn", i, c.Name, 2*o.Xmag, 2*o.Ymag)
			}
			r.scene.Cameras = append(r.scene.Cameras, out)
			continue
		}
		p := c.Perspective
		if p == nil {
			return fmt.Errorf("camera %d %q is neither perspective nor orthographic", i, c.Name)
		}
		out := Camera{Name: c.Name, Up: p.Yfov, Aspect: 16.0 / 9}
		if p.AspectRatio != nil {
			out.Aspect = *p.AspectRatio
		}
		if !(out.Up > 0 && out.Up < math.Pi) || !(out.Aspect > 0.01 && out.Aspect < 100) {
			return fmt.Errorf(
				"camera %d %q: field of view %v rad at aspect ratio %v cannot be drawn",
				i,
				c.Name,
				out.Up,
				out.Aspect,
			)
		}
		r.scene.Cameras = append(r.scene.Cameras, out)
	}
	return nil
}
