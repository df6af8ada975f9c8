package trace

import (
	"math"
	"slices"
	"sort"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// A lamp is a light that shines from a point or from one direction.
type lamp struct {
	kind       scene.LightKind
	position   geom.Vec
	axis       geom.Vec // unit, the way it shines
	intensity  geom.Vec // candela for Point and Spot, lux for Sun
	reach      float64
	inner, cut float64 // cosines of a Spot's cones
	spread     float64 // tangent of a Sun's half width, for soft shadows
}

func (w *World) addLight(l scene.Light, pose geom.Affine) {
	if !w.look.Burns(l.Name) || l.Intensity <= 0 {
		return
	}
	w.lights = append(w.lights, lamp{
		kind: l.Kind, position: pose.Origin, axis: pose.Z.Unit().Scale(-1),
		intensity: l.Color.Scale(l.Intensity * w.look.LightGain), reach: l.Range,
		inner: math.Cos(l.InnerCone), cut: math.Cos(l.OuterCone),
	})
}

func (w *World) addSun() {
	if s := w.look.Sun; s.Irradiance.Max() > 0 {
		w.lights = append(w.lights, lamp{
			kind: scene.Sun, axis: s.Towards().Scale(-1), intensity: s.Irradiance,
			spread: math.Tan(s.SizeDegrees * math.Pi / 360),
		})
	}
}

// towards returns the unit direction from a point to the lamp, the distance, and the irradiance on a
// surface there that faces it (KHR_lights_punctual: inverse square, windowed by range and cone).
func (l *lamp) towards(p geom.Vec, u, v float64) (geom.Vec, float64, geom.Vec) {
	if l.kind == scene.Sun {
		to := l.axis.Scale(-1)
		if l.spread > 0 {
			a, b := to.Tangents()
			r, angle := l.spread*math.Sqrt(u), 2*math.Pi*v
			to = to.Add(a.Scale(r * math.Cos(angle))).Add(b.Scale(r * math.Sin(angle))).Unit()
		}
		return to, math.Inf(1), l.intensity
	}
	to := l.position.Sub(p)
	distance := to.Length()
	if distance == 0 || l.reach > 0 && distance >= l.reach {
		return geom.Vec{}, 0, geom.Vec{}
	}
	to = to.Scale(1 / distance)
	strength := 1 / (distance * distance)
	if l.reach > 0 {
		x := distance / l.reach
		strength *= 1 - x*x*x*x
	}
	if l.kind == scene.Spot {
		cone := (-l.axis.Dot(to) - l.cut) / max(0.001, l.inner-l.cut)
		cone = min(1, max(0, cone))
		strength *= cone * cone
	}
	return to, distance, l.intensity.Scale(strength)
}

// A glow is every glowing triangle of the world, to be picked by its power.
type glow struct {
	triangles []glowing
	sums      []float64 // running sums of power
}

type glowing struct {
	corner, edge1, edge2 geom.Vec
	normal               geom.Vec // unit; it shines on both sides
	area                 float64
	emission             geom.Vec
}

func (w *World) gatherGlow() glow {
	var g glow
	if !slices.ContainsFunc(w.materials, func(m scene.Material) bool { return m.Emission.Max() > 0 }) {
		return g
	}
	sum := 0.0
	for i := range w.instances {
		in := &w.instances[i]
		for _, t := range in.solid.triangles {
			if t.material < 0 || w.materials[t.material].Emission.Max() <= 0 {
				continue
			}
			if node := in.nodeOf(t); w.roles != nil && w.roles[node].Clay {
				continue
			}
			e1, e2 := in.toWorld.Direction(t.edge1), in.toWorld.Direction(t.edge2)
			cross := e1.Cross(e2)
			area := cross.Length() / 2
			if area == 0 {
				continue
			}
			emission := w.meanGlow(&w.materials[t.material])
			g.triangles = append(g.triangles, glowing{in.toWorld.Point(t.corner), e1, e2, cross.Unit(), area, emission})
			sum += area * emission.Max()
			g.sums = append(g.sums, sum)
		}
	}
	return g
}

// pick returns a point on a glowing triangle, chosen by power, and the probability of the choice per
// square metre. u is used twice: for the choice and, what is left of it, for the place.
func (g *glow) pick(u, v float64) (*glowing, geom.Vec, float64) {
	total := g.sums[len(g.sums)-1]
	target := u * total
	i := min(sort.SearchFloat64s(g.sums, target), len(g.sums)-1)
	low := 0.0
	if i > 0 {
		low = g.sums[i-1]
	}
	t := &g.triangles[i]
	share := (g.sums[i] - low) / total
	u = min(1, max(0, (target-low)/(g.sums[i]-low)))
	root := math.Sqrt(u)
	point := t.corner.Add(t.edge1.Scale(1 - root)).Add(t.edge2.Scale(v * root))
	return t, point, share / t.area
}
