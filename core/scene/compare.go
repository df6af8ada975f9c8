package scene

import (
	"fmt"
	"math"
	"sort"

	"reelhouse/core/geom"
	"reelhouse/core/lens"
)

// How far things move before it is worth telling.
const (
	movedMetres  = 0.001
	turnedRadian = 0.0002
)

// A Change is one difference between two versions of a scene.
type Change struct {
	Kind string `json:"kind"` // "camera", "object", "light" or "scene"
	Name string `json:"name"`
	Text string `json:"text"`
}

// Compare tells what is different in a newer version of a scene. Things are the same if they have the same name.
func Compare(before, after *Scene) []Change {
	var changes []Change
	add := func(kind, name, format string, args ...any) {
		changes = append(changes, Change{kind, name, fmt.Sprintf(format, args...)})
	}
	if a, b, c, d := before.begin(), before.Duration(), after.begin(), after.Duration(); math.Abs(a-c) > 1e-6 ||
		math.Abs(b-d) > 1e-6 {
		add("scene", "", "movement from %.3g to %.3g s, before from %.3g to %.3g s", c, d, a, b)
	}
	if s, t := before.size(), after.size(); s.Sub(t).Length() > 0.01*s.Length() {
		add(
			"scene", "", "%s across, %s up and %s deep, before %s, %s and %s", Length(t.X), Length(t.Y), Length(t.Z),
			Length(s.X), Length(s.Y), Length(s.Z),
		)
	}
	old, now := before.placed(), after.placed()
	var names []thing
	for t := range now {
		names = append(names, t)
	}
	for t := range old {
		if _, still := now[t]; !still {
			names = append(names, t)
		}
	}
	sort.Slice(names, func(i, j int) bool {
		return names[i].kind < names[j].kind || names[i].kind == names[j].kind && names[i].name < names[j].name
	})
	for _, t := range names {
		was, had := old[t]
		is, has := now[t]
		switch {
		case !had:
			add(t.kind, t.name, "is new")
		case !has:
			add(t.kind, t.name, "is gone")
		default:
			for _, text := range was.changes(is) {
				add(t.kind, t.name, "%s", text)
			}
		}
	}
	return changes
}

type thing struct{ kind, name string }

// A placement is what is compared of a thing.
type placement struct {
	pose      geom.Affine
	triangles int
	camera    Camera
	light     Light
}

func (s *Scene) placed() map[thing]placement {
	pose := s.At(s.begin())
	all := map[thing]placement{}
	for _, i := range pose.Shown {
		n := s.Nodes[i]
		p := placement{pose: pose.World[i]}
		if n.Mesh != None {
			p.triangles = s.Meshes[n.Mesh].Triangles()
			all[thing{"object", n.Name}] = p
		}
		if n.Camera != None {
			p.camera = s.Cameras[n.Camera]
			all[thing{"camera", n.Name}] = p
		}
		if n.Light != None {
			p.light = s.Lights[n.Light]
			all[thing{"light", p.light.Name}] = p
		}
	}
	return all
}

func (p placement) changes(q placement) []string {
	var out []string
	if d := p.pose.Origin.Sub(q.pose.Origin).Length(); d > movedMetres {
		out = append(out, "has moved by "+Length(d))
	}
	if angle := turn(p.pose, q.pose); angle > turnedRadian {
		out = append(out, fmt.Sprintf("has turned by %.2f°", lens.Degrees(angle)))
	}
	if p.triangles != q.triangles {
		out = append(out, fmt.Sprintf("has %d triangles, before %d", q.triangles, p.triangles))
	}
	if c, d := p.camera, q.camera; c.Up != d.Up || c.Aspect != d.Aspect || c.Height != d.Height {
		out = append(out, fmt.Sprintf("sees %s, before %s", d.describe(), c.describe()))
	}
	if l, m := p.light, q.light; l.Kind != m.Kind || l.Intensity != m.Intensity || l.Color != m.Color {
		out = append(
			out,
			fmt.Sprintf("is a %s light of %.4g, before a %s light of %.4g", m.Kind, m.Intensity, l.Kind, l.Intensity),
		)
	}
	return out
}

func (c Camera) describe() string {
	if c.Height > 0 {
		return Length(c.Height) + " up, orthographic"
	}
	return fmt.Sprintf("%.2f° up", lens.Degrees(c.Up))
}

// turn returns the angle between the directions of two poses: the largest of their axes'.
func turn(a, b geom.Affine) float64 {
	worst := 0.0
	for _, pair := range [][2]geom.Vec{{a.X, b.X}, {a.Y, b.Y}, {a.Z, b.Z}} {
		u, v := pair[0].Unit(), pair[1].Unit()
		worst = max(worst, math.Atan2(u.Cross(v).Length(), u.Dot(v)))
	}
	return worst
}

// Scaled returns the scene with every length times a factor, for files that are not in metres. Light falls on
// everything as before.
func (s *Scene) Scaled(factor float64) *Scene {
	if factor == 1 || factor == 0 {
		return s
	}
	out := *s
	out.Unit = factor
	top := NewNode("units")
	top.Children, top.Scale = s.Roots, geom.Vec{X: factor, Y: factor, Z: factor}
	out.Nodes = append(s.Nodes[:len(s.Nodes):len(s.Nodes)], top)
	out.Roots = []int{len(s.Nodes)}
	out.Lights, out.Cameras = nil, nil
	for _, l := range s.Lights {
		if l.Range *= factor; l.Kind != Sun {
			l.Intensity *= factor * factor
		}
		out.Lights = append(out.Lights, l)
	}
	for _, c := range s.Cameras {
		c.Height *= factor
		out.Cameras = append(out.Cameras, c)
	}
	return &out
}
