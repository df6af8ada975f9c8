package trace

import (
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// A lamp is a light that shines from a point or from one direction.
type lamp struct {
	kind       scene.LightKind
	name       string // of the scene's light; "" for the look's sun
	position   geom.Vec
	axis       geom.Vec // unit, the way it shines
	intensity  geom.Vec // candela for Point and Spot, lux for Sun
	reach      float64
	inner, cut float64 // cosines of a Spot's cones
	half       float64 // cosine of a Sun's half width; 1 without one
}

func (w *World) addLight(l scene.Light, pose geom.Affine) {
	if !w.look.Burns(l.Name) || l.Intensity <= 0 {
		return
	}
	w.lights = append(w.lights, lamp{
		kind: l.Kind, position: pose.Origin, axis: pose.Z.Unit().Scale(-1),
		intensity: l.Color.Scale(l.Intensity * w.look.LightGain), reach: l.Range,
		inner: math.Cos(l.InnerCone), cut: math.Cos(l.OuterCone), half: 1, name: l.Name,
	})
}

func (w *World) addSun() {
	if s := w.look.Sun; s.Irradiance.Max() > 0 {
		w.lights = append(w.lights, lamp{
			kind: scene.Sun, axis: s.Towards().Scale(-1), intensity: s.Irradiance,
			half: math.Cos(s.SizeDegrees * math.Pi / 360),
		})
	}
}

// towards returns the unit direction from a point to the lamp, the distance, and the irradiance on a surface there that
// faces it (KHR_lights_punctual: inverse square, windowed by range and cone). u and v choose a place on a sun's disc.
func (l *lamp) towards(p geom.Vec, u, v float64) (geom.Vec, float64, geom.Vec) {
	if l.kind == scene.Sun {
		to := l.axis.Scale(-1)
		if l.half < 1 {
			to = within(to, l.half, u, v)
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

// within returns a direction in a cone round an axis, evenly by solid angle; half is the cosine of half of its width.
func within(axis geom.Vec, half, u, v float64) geom.Vec {
	a, b := axis.Tangents()
	cos := 1 - u*(1-half)
	sin := math.Sqrt(max(0, 1-cos*cos))
	up, along := turn(v)
	return a.Scale(sin * along).Add(b.Scale(sin * up)).Add(axis.Scale(cos)).Unit()
}

// turn returns the sine and the cosine of a share of a full turn, to 1e-9; it is several times faster than math.Sincos.
func turn(share float64) (sin, cos float64) {
	quarters := math.Floor(4*share + 0.5)
	x := (4*share - quarters) * (math.Pi / 2) // within an eighth of a turn of a quarter
	x2 := x * x
	sin = x * (1 - x2/6*(1-x2/20*(1-x2/42*(1-x2/72))))
	cos = 1 - x2/2*(1-x2/12*(1-x2/30*(1-x2/56*(1-x2/90))))
	switch int(quarters) & 3 {
	case 1:
		return cos, -sin
	case 2:
		return -sin, -cos
	case 3:
		return -cos, sin
	}
	return sin, cos
}

// disc returns the solid angle of a sun, 0 without a width.
func (l *lamp) disc() float64 { return 2 * math.Pi * (1 - l.half) }

// shows reports whether a direction runs into the lamp's disc.
func (l *lamp) shows(direction geom.Vec) bool {
	return l.kind == scene.Sun && l.half < 1 && -direction.Dot(l.axis) > l.half
}
