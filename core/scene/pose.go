package scene

import (
	"sort"

	"reelhouse/core/geom"
)

// A Pose is where every node of a scene stands at one moment.
type Pose struct {
	World []geom.Affine // for each node, by index; the identity for nodes that are not shown
	Shown []int         // the shown nodes, parents first
	// Weights are those of morph targets, by node; nil where the animation does not move them.
	Weights [][]float64
}

// At returns the scene's pose at a time in seconds. Before the first key and after the last one,
// things stand as at that key.
func (s *Scene) At(seconds float64) Pose {
	local := make([]Node, len(s.Nodes))
	copy(local, s.Nodes)
	pose := Pose{World: make([]geom.Affine, len(local)), Weights: make([][]float64, len(local))}
	for _, c := range s.Channels {
		if c.Target == Weights {
			pose.Weights[c.Node] = c.weights(seconds)
			continue
		}
		v := c.at(seconds)
		switch n := &local[c.Node]; c.Target {
		case Translation:
			n.Translation = geom.Vec{X: v.X, Y: v.Y, Z: v.Z}
		case Rotation:
			n.Rotation = v
		case Scale:
			n.Scale = geom.Vec{X: v.X, Y: v.Y, Z: v.Z}
		}
	}
	for i := range pose.World {
		pose.World[i] = geom.Identity()
	}
	var place func(i int, parent geom.Affine)
	place = func(i int, parent geom.Affine) {
		n := local[i]
		pose.World[i] = parent.Mul(geom.Compose(n.Translation, n.Rotation, n.Scale))
		pose.Shown = append(pose.Shown, i)
		for _, c := range n.Children {
			place(c, pose.World[i])
		}
	}
	for _, r := range s.Roots {
		place(r, geom.Identity())
	}
	return pose
}

// between returns the keys around a time, and how far it lies between them, 0 to 1. At a key, or outside, both are the
// same.
func (c Channel) between(seconds float64) (before, after int, t float64) {
	last := len(c.Times) - 1
	i := sort.SearchFloat64s(c.Times, seconds) // first key at or after
	switch {
	case i == 0:
		return 0, 0, 0
	case i > last:
		return last, last, 0
	case c.Times[i] == seconds:
		return i, i, 0
	case c.Interpolation == Step:
		return i - 1, i - 1, 0
	}
	return i - 1, i, (seconds - c.Times[i-1]) / (c.Times[i] - c.Times[i-1])
}

// spline returns the factors of a key, its out-tangent, the next key and its in-tangent (glTF 2.0, appendix C).
func spline(t, span float64) (from, out, to, in float64) {
	return 2*t*t*t - 3*t*t + 1, span * (t*t*t - 2*t*t + t), -2*t*t*t + 3*t*t, span * (t*t*t - t*t)
}

// at returns the channel's value, interpolated as appendix C of glTF 2.0 says.
func (c Channel) at(seconds float64) geom.Quat {
	i, j, t := c.between(seconds)
	switch {
	case i == j:
		return c.key(i)
	case c.Interpolation == Cubic:
		from, out, to, in := spline(t, c.Times[j]-c.Times[i])
		v := mix4(c.key(i), from, c.Values[3*i+2], out, c.key(j), to, c.Values[3*j], in)
		if c.Target == Rotation {
			v = v.Unit()
		}
		return v
	case c.Target == Rotation:
		return c.key(i).Slerp(c.key(j), t)
	}
	return mix4(c.key(i), 1-t, c.key(j), t, geom.Quat{}, 0, geom.Quat{}, 0)
}

// weights returns the weights of a channel that moves them.
func (c Channel) weights(seconds float64) []float64 {
	per := len(c.Numbers) / len(c.Times)
	kind := func(key, which int) []float64 { return c.Numbers[key*per:][:per] }
	if c.Interpolation == Cubic {
		per /= 3
		kind = func(key, which int) []float64 { return c.Numbers[(3*key+which)*per:][:per] }
	}
	i, j, t := c.between(seconds)
	out := append([]float64(nil), kind(i, 1)...)
	if i == j {
		return out
	}
	from, leave, to, arrive := 1-t, 0.0, t, 0.0
	if c.Interpolation == Cubic {
		from, leave, to, arrive = spline(t, c.Times[j]-c.Times[i])
	}
	for k := range out {
		out[k] = kind(i, 1)[k]*from + kind(i, 2)[k]*leave + kind(j, 1)[k]*to + kind(j, 0)[k]*arrive
	}
	return out
}

func (c Channel) key(i int) geom.Quat {
	if c.Interpolation == Cubic {
		return c.Values[3*i+1]
	}
	return c.Values[i]
}

func mix4(
	a geom.Quat, ka float64, b geom.Quat, kb float64, c geom.Quat, kc float64, d geom.Quat, kd float64,
) geom.Quat {
	return geom.Quat{
		X: a.X*ka + b.X*kb + c.X*kc + d.X*kd,
		Y: a.Y*ka + b.Y*kb + c.Y*kc + d.Y*kd,
		Z: a.Z*ka + b.Z*kb + c.Z*kc + d.Z*kd,
		W: a.W*ka + b.W*kb + c.W*kc + d.W*kd,
	}
}

// Bounds returns the box around every shown triangle in this pose.
func (s *Scene) Bounds(pose Pose) geom.Box {
	box := geom.EmptyBox()
	for _, i := range pose.Shown {
		if s.Nodes[i].Mesh != None {
			mesh, to := s.Shape(i, pose)
			box = box.Union(mesh.bounds(to))
		}
	}
	return box
}

// BoundsOf returns the box around the shown objects of a name at a time; false if there is none.
func (s *Scene) BoundsOf(name string, seconds float64) (geom.Box, bool) {
	pose, box := s.At(seconds), geom.EmptyBox()
	for _, i := range pose.Shown {
		if n := s.Nodes[i]; n.Mesh != None && n.Name == name {
			mesh, to := s.Shape(i, pose)
			box = box.Union(mesh.bounds(to))
		}
	}
	return box, !box.Empty()
}

// bounds returns the box around a mesh that is mapped.
func (m Mesh) bounds(to geom.Affine) geom.Box {
	box := geom.EmptyBox()
	for _, part := range m.Parts {
		for _, p := range part.Positions {
			box = box.AddPoint(to.Point(p))
		}
	}
	return box
}

// Moving says for each node whether the animation moves it, by itself, with what it hangs below, or by the joints of
// its skin.
func (s *Scene) Moving() []bool {
	moving := make([]bool, len(s.Nodes))
	var mark func(i int)
	mark = func(i int) {
		moving[i] = true
		for _, c := range s.Nodes[i].Children {
			if !moving[c] {
				mark(c)
			}
		}
	}
	for _, c := range s.Channels {
		mark(c.Node)
	}
	for i, n := range s.Nodes {
		if n.Skin == None {
			continue
		}
		for _, j := range s.Skins[n.Skin].Joints {
			if moving[j] && !moving[i] {
				mark(i)
			}
		}
	}
	return moving
}
