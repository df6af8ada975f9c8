package scene

import (
	"fmt"
	"math"

	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"
	"github.com/qmuntal/gltf/modeler"

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
		}{{n.Mesh, &out.Mesh, len(r.scene.Meshes), "mesh"}, {n.Camera, &out.Camera, len(r.scene.Cameras), "camera"}}
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
		r.scene.Nodes = append(r.scene.Nodes, out)
	}
	return nil
}

// decompose splits a column-major matrix without shear into move, turn and scale.
func decompose(m [16]float64) (geom.Vec, geom.Quat, geom.Vec, error) {
	x, y, z := geom.Vec{X: m[0], Y: m[1], Z: m[2]}, geom.Vec{X: m[4], Y: m[5], Z: m[6]}, geom.Vec{X: m[8], Y: m[9], Z: m[10]}
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
	case r.doc.Scene == nil:
		r.doc.Scene = gltf.Index(0)
	case *r.doc.Scene < 0 || *r.doc.Scene >= len(r.doc.Scenes):
		return fmt.Errorf("scene %d does not exist", *r.doc.Scene)
	}
	shown := r.doc.Scenes[*r.doc.Scene]
	r.scene.Name = shown.Name
	if len(r.doc.Scenes) > 1 {
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
	gltf.TRSTranslation: Translation, gltf.TRSRotation: Rotation, gltf.TRSScale: Scale,
}

var interpolations = map[gltf.Interpolation]Interpolation{
	gltf.InterpolationLinear: Linear, gltf.InterpolationStep: Step, gltf.InterpolationCubicSpline: Cubic,
}

func (r *reader) animations() error {
	for i, a := range r.doc.Animations {
		for j, c := range a.Channels {
			target, drawn := targets[c.Target.Path]
			if !drawn {
				r.note("Animation %q moves morph targets, which are ignored.", a.Name)
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
	times, err := r.numbers(sampler.Input)
	if err != nil {
		return out, fmt.Errorf("times: %w", err)
	}
	values, err := r.numbers(sampler.Output)
	if err != nil {
		return out, fmt.Errorf("values: %w", err)
	}
	keys := len(times)
	if out.Interpolation == Cubic {
		keys *= 3
	}
	if len(times) == 0 || len(values) != keys {
		return out, fmt.Errorf("%d values for %d keys", len(values), len(times))
	}
	for i, t := range times {
		if i > 0 && t.X <= times[i-1].X {
			return out, fmt.Errorf("the time of key %d does not come after the one before", i)
		}
		out.Times = append(out.Times, t.X)
	}
	out.Values = values
	return out, nil
}

// numbers reads an accessor of floats with one to four components.
func (r *reader) numbers(i int) ([]geom.Quat, error) {
	a, err := r.accessor(i)
	if err != nil {
		return nil, err
	}
	data, err := modeler.ReadAccessor(r.doc, a, nil)
	if err != nil {
		return nil, err
	}
	var out []geom.Quat
	switch values := data.(type) {
	case []float32:
		for _, v := range values {
			out = append(out, geom.Quat{X: float64(v)})
		}
	case [][3]float32:
		for _, v := range values {
			out = append(out, geom.Quat{X: float64(v[0]), Y: float64(v[1]), Z: float64(v[2])})
		}
	case [][4]float32:
		for _, v := range values {
			out = append(out, geom.Quat{X: float64(v[0]), Y: float64(v[1]), Z: float64(v[2]), W: float64(v[3])})
		}
	default:
		return nil, fmt.Errorf("accessor %d does not hold floats", i)
	}
	for j, v := range out {
		if sum := v.X + v.Y + v.Z + v.W; math.IsNaN(sum) || math.IsInf(sum, 0) {
			return nil, fmt.Errorf("element %d of accessor %d is not a finite number", j, i)
		}
	}
	return out, nil
}
