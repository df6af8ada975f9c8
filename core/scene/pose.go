package scene

import (
	"sort"

	"reelhouse/core/geom"
)

// A Pose is where every node of a scene stands at one moment.
type Pose struct {
	World []geom.Affine // for each node, by index; the identity for nodes that are not shown
	Shown []int         // the shown nodes, parents first
}

// At returns the scene's pose at a time in seconds. Before the first key and after the last one,
// things stand as at that key.
func (s *Scene) At(seconds float64) Pose {
	local := make([]Node, len(s.Nodes))
	copy(local, s.Nodes)
	for _, c := range s.Channels {
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
	pose := Pose{World: make([]geom.Affine, len(local))}
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

// at returns the channel's value, interpolated as appendix C of glTF 2.0 says.
func (c Channel) at(seconds float64) geom.Quat {
	last := len(c.Times) - 1
	i := sort.SearchFloat64s(c.Times, seconds) // first key at or after
	switch {
	case i == 0:
		return c.key(0)
	case i > last:
		return c.key(last)
	case c.Times[i] == seconds:
		return c.key(i)
	}
	span := c.Times[i] - c.Times[i-1]
	t := (seconds - c.Times[i-1]) / span
	switch c.Interpolation {
	case Step:
		return c.key(i - 1)
	case Cubic:
		v := mix4(
			c.key(i-1), 2*t*t*t-3*t*t+1,
			c.Values[3*(i-1)+2], span*(t*t*t-2*t*t+t),
			c.key(i), -2*t*t*t+3*t*t,
			c.Values[3*i], span*(t*t*t-t*t),
		)
		if c.Target == Rotation {
			v = v.Unit()
		}
		return v
	}
	if c.Target == Rotation {
		return c.key(i-1).Slerp(c.key(i), t)
	}
	return mix4(c.key(i-1), 1-t, c.key(i), t, geom.Quat{}, 0, geom.Quat{}, 0)
}

func (c Channel) key(i int) geom.Quat {
	if c.Interpolation == Cubic {
		return c.Values[3*i+1]
	}
	return c.Values[i]
}

func mix4(a geom.Quat, ka float64, b geom.Quat, kb float64, c geom.Quat, kc float64, d geom.Quat, kd float64) geom.Quat {
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
		if m := s.Nodes[i].Mesh; m != None {
			for _, part := range s.Meshes[m].Parts {
				for _, p := range part.Positions {
					box = box.AddPoint(pose.World[i].Point(p))
				}
			}
		}
	}
	return box
}

// Moving says for each node whether the animation moves it, by itself or with what it hangs below.
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
	return moving
}
