package scene

import (
	"fmt"
	"math"

	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"

	"reelhouse/core/geom"
)

func (r *reader) nodes() error {
	for i, n := range r.doc.Nodes {
		out := NewNode(n.Name)
		if n.Matrix != gltf.DefaultMatrix && n.Matrix != ([16]float64{}) {
			var err error
			if out.Translation, out.Rotation, out.Scale, err = decompose(n.Matrix); err != nil {
				return fmt.Errorf("node %d %q: %w", i, n.Name, err)
			}
		} else {
			t, q, s := n.TranslationOrDefault(), n.RotationOrDefault(), n.ScaleOrDefault()
			out.Translation, out.Scale = geom.Vec{X: t[0], Y: t[1], Z: t[2]}, geom.Vec{X: s[0], Y: s[1], Z: s[2]}
			out.Rotation = geom.Quat{X: q[0], Y: q[1], Z: q[2], W: q[3]}.Unit()
		}
		if m := geom.Compose(out.Translation, out.Rotation, out.Scale); !m.X.Add(m.Y).Add(m.Z).Add(m.Origin).Finite() {
			return fmt.Errorf("node %d %q: its placing is not a finite number", i, n.Name)
		}
		refs := []struct {
			from  *int
			to    *int
			count int
			what  string
		}{{n.Mesh, &out.Mesh, len(r.scene.Meshes), "mesh"}, {n.Skin, &out.Skin, len(r.scene.Skins), "skin"},
			{n.Camera, &out.Camera, len(r.scene.Cameras), "camera"}}
		if light, ok := n.Extensions[lightspunctual.ExtensionName].(lightspunctual.LightIndex); ok {
			index := int(light)
			refs = append(refs, struct {
				from  *int
				to    *int
				count int
				what  string
			}{&index, &out.Light, len(r.scene.Lights), "light"})
		}
		for _, ref := range refs {
			if ref.from == nil {
				continue
			}
			if *ref.from < 0 || *ref.from >= ref.count {
				return fmt.Errorf("node %d %q: %s %d does not exist", i, n.Name, ref.what, *ref.from)
			}
			*ref.to = *ref.from
		}
		for _, c := range n.Children {
			if c < 0 || c >= len(r.doc.Nodes) {
				return fmt.Errorf("node %d %q: child %d does not exist", i, n.Name, c)
			}
			out.Children = append(out.Children, c)
		}
		if out.Mesh != None {
			if err := r.fits(&out, n.Weights); err != nil {
				return fmt.Errorf("node %d %q: %w", i, n.Name, err)
			}
		}
		if out.Camera != None && out.Name == "" { // views find cameras by their names
			if out.Name = r.scene.Cameras[out.Camera].Name; out.Name == "" {
				out.Name = fmt.Sprintf("camera_%d", i+1)
			}
		}
		r.scene.Nodes = append(r.scene.Nodes, out)
	}
	return nil
}

// fits holds a node's skin and weights against its mesh.
func (r *reader) fits(n *Node, weights []float64) error {
	mesh := r.scene.Meshes[n.Mesh]
	if len(weights) > 0 {
		if len(weights) != mesh.Targets() {
			return fmt.Errorf("%d weights for %d morph targets", len(weights), mesh.Targets())
		}
		n.Weights = weights
	}
	if n.Skin == None {
		return nil
	}
	joints := len(r.scene.Skins[n.Skin].Joints)
	for _, p := range mesh.Parts {
		for k, four := range p.Joints {
			for at, j := range four {
				if int(j) >= joints && p.Weights[k][at] != 0 {
					return fmt.Errorf("vertex %d hangs on joint %d of %d", k, j, joints)
				}
			}
		}
	}
	return nil
}

// decompose splits a column-major matrix without shear into move, turn and scale.
func decompose(m [16]float64) (geom.Vec, geom.Quat, geom.Vec, error) {
	x, y, z := geom.Vec{X: m[0], Y: m[1], Z: m[2]}, geom.Vec{
		X: m[4],
		Y: m[5],
		Z: m[6],
	}, geom.Vec{X: m[8], Y: m[9], Z: m[10]}
	scale := geom.Vec{X: x.Length(), Y: y.Length(), Z: z.Length()}
	if x.Cross(y).Dot(z) < 0 {
		scale.X = -scale.X
		x = x.Scale(-1)
	}
	if scale.X == 0 || scale.Y == 0 || scale.Z == 0 || !scale.Finite() {
		return geom.Vec{}, geom.Quat{}, geom.Vec{}, fmt.Errorf("its matrix flattens everything")
	}
	x, y, z = x.Unit(), y.Unit(), z.Unit()
	if math.Abs(x.Dot(y))+math.Abs(y.Dot(z))+math.Abs(z.Dot(x)) > 1e-3 {
		return geom.Vec{}, geom.Quat{}, geom.Vec{}, fmt.Errorf("its matrix has shear, which glTF 2.0 does not allow")
	}
	return geom.Vec{X: m[12], Y: m[13], Z: m[14]}, geom.Facing(z.Scale(-1), y), scale, nil
}

// roots finds the scene to show, and refuses nodes with two parents or in a circle.
func (r *reader) roots() error {
	switch {
	case len(r.doc.Scenes) == 0:
		return fmt.Errorf("the file has no scene to show")
	case r.number < 0 || r.number > len(r.doc.Scenes):
		return fmt.Errorf("the file has %d scenes, and no scene %d", len(r.doc.Scenes), r.number)
	case r.number > 0:
		r.doc.Scene = gltf.Index(r.number - 1)
	case r.doc.Scene == nil:
		r.doc.Scene = gltf.Index(0)
	case *r.doc.Scene < 0 || *r.doc.Scene >= len(r.doc.Scenes):
		return fmt.Errorf("scene %d does not exist", *r.doc.Scene)
	}
	shown := r.doc.Scenes[*r.doc.Scene]
	r.scene.Name = shown.Name
	r.scene.Number = *r.doc.Scene + 1
	for i, s := range r.doc.Scenes {
		name := s.Name
		if name == "" {
			name = fmt.Sprintf("scene %d", i+1)
		}
		r.scene.Scenes = append(r.scene.Scenes, name)
	}
	if len(r.doc.Scenes) > 1 && r.number == 0 {
		r.note("The file has %d scenes; the one it marks as its own, %q, is used.", len(r.doc.Scenes), shown.Name)
	}
	seen := make([]bool, len(r.scene.Nodes))
	var visit func(i, depth int) error
	visit = func(i, depth int) error {
		if i < 0 || i >= len(seen) {
			return fmt.Errorf("scene %q: node %d does not exist", shown.Name, i)
		}
		if seen[i] {
			return fmt.Errorf("node %d %q hangs below two nodes, or below itself", i, r.scene.Nodes[i].Name)
		}
		if depth > maxDepth {
			return fmt.Errorf("node %d %q lies more than %d levels deep", i, r.scene.Nodes[i].Name, maxDepth)
		}
		seen[i] = true
		for _, c := range r.scene.Nodes[i].Children {
			if err := visit(c, depth+1); err != nil {
				return err
			}
		}
		return nil
	}
	for _, i := range shown.Nodes {
		if err := visit(i, 0); err != nil {
			return err
		}
		r.scene.Roots = append(r.scene.Roots, i)
	}
	return nil
}

var targets = map[gltf.TRSProperty]Target{
	gltf.TRSTranslation: Translation, gltf.TRSRotation: Rotation, gltf.TRSScale: Scale, gltf.TRSWeights: Weights,
}

var interpolations = map[gltf.Interpolation]Interpolation{
	gltf.InterpolationLinear: Linear, gltf.InterpolationStep: Step, gltf.InterpolationCubicSpline: Cubic,
}

func (r *reader) animations() error {
	for i, a := range r.doc.Animations {
		for j, c := range a.Channels {
			target, known := targets[c.Target.Path]
			if !known {
				r.note("Animation %q moves something that is not known here.", a.Name)
				continue
			}
			if c.Target.Node == nil {
				continue
			}
			channel, err := r.channel(a, c, target)
			if err != nil {
				return fmt.Errorf("animation %d %q, channel %d: %w", i, a.Name, j, err)
			}
			r.scene.Channels = append(r.scene.Channels, channel)
		}
	}
	return nil
}

func (r *reader) channel(a *gltf.Animation, c *gltf.AnimationChannel, target Target) (Channel, error) {
	out := Channel{Node: *c.Target.Node, Target: target}
	if out.Node < 0 || out.Node >= len(r.scene.Nodes) {
		return out, fmt.Errorf("node %d does not exist", out.Node)
	}
	if c.Sampler < 0 || c.Sampler >= len(a.Samplers) {
		return out, fmt.Errorf("sampler %d does not exist", c.Sampler)
	}
	sampler := a.Samplers[c.Sampler]
	out.Interpolation = interpolations[sampler.Interpolation]
	if _, err := r.each(sampler.Input, func(_ int, v []float64) { out.Times = append(out.Times, v[0]) },
		gltf.AccessorScalar); err != nil {
		return out, fmt.Errorf("times: %w", err)
	}
	kind, per := gltf.AccessorVec3, 1
	switch target {
	case Rotation:
		kind = gltf.AccessorVec4
	case Weights:
		kind = gltf.AccessorScalar
		if mesh := r.scene.Nodes[out.Node].Mesh; mesh != None {
			per = r.scene.Meshes[mesh].Targets()
		}
	}
	count, err := r.each(sampler.Output, func(_ int, v []float64) {
		switch target {
		case Weights:
			out.Numbers = append(out.Numbers, v[0])
		case Rotation:
			out.Values = append(out.Values, geom.Quat{X: v[0], Y: v[1], Z: v[2], W: v[3]})
		default:
			out.Values = append(out.Values, geom.Quat{X: v[0], Y: v[1], Z: v[2]})
		}
	}, kind)
	if err != nil {
		return out, fmt.Errorf("values: %w", err)
	}
	keys := len(out.Times) * per
	if out.Interpolation == Cubic {
		keys *= 3
	}
	if per == 0 || count != keys {
		return out, fmt.Errorf("%d values for %d keys", count, len(out.Times))
	}
	for i, t := range out.Times[1:] {
		if t <= out.Times[i] {
			return out, fmt.Errorf("the time of key %d does not come after the one before", i+1)
		}
	}
	return out, nil
}
