package look

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"reelhouse/core/geom"
	"reelhouse/core/pixel"
	"reelhouse/core/scene"
)

// A field is one thing that a look says.
type field struct {
	key, name string
	text      func(l Look) string
	copy      func(to *Look, from Look)
}

func fields() []field {
	colour := func(key, name string, at func(l *Look) *geom.Vec) field {
		return field{key, name, func(l Look) string { return describe(*at(&l)) }, func(to *Look, from Look) { *at(to) = *at(&from) }}
	}
	number := func(key, name, unit string, at func(l *Look) *float64) field {
		return field{key, name, func(l Look) string { return fmt.Sprintf("%.4g%s", *at(&l), unit) }, func(to *Look, from Look) { *at(to) = *at(&from) }}
	}
	names := func(key, name string, at func(l *Look) *[]string) field {
		return field{key, name, func(l Look) string {
			if len(*at(&l)) == 0 {
				return "none"
			}
			return strings.Join(*at(&l), ", ")
		}, func(to *Look, from Look) { *at(to) = slices.Clone(*at(&from)) }}
	}
	return []field{
		number("exposure", "Exposure", " EV", func(l *Look) *float64 { return &l.ExposureEV }),
		colour("zenith", "Sky overhead", func(l *Look) *geom.Vec { return &l.Sky.Zenith }),
		colour("horizon", "Sky at the horizon", func(l *Look) *geom.Vec { return &l.Sky.Horizon }),
		colour("ground", "Light from below", func(l *Look) *geom.Vec { return &l.Sky.Ground }),
		colour("glow", "Glow round the sun", func(l *Look) *geom.Vec { return &l.Sky.Glow }),
		colour("sun", "Sun's light", func(l *Look) *geom.Vec { return &l.Sun.Irradiance }),
		number("azimuth", "Sun's direction", "°", func(l *Look) *float64 { return &l.Sun.AzimuthDegrees }),
		number("elevation", "Sun's height", "°", func(l *Look) *float64 { return &l.Sun.ElevationDegrees }),
		number("disc", "Sun's width", "°", func(l *Look) *float64 { return &l.Sun.SizeDegrees }),
		number("haze", "Haze", " m", func(l *Look) *float64 { return &l.Haze.Metres }),
		number("gain", "Scene's lights", " times", func(l *Look) *float64 { return &l.LightGain }),
		names("lightsOff", "Lights off", func(l *Look) *[]string { return &l.LightsOff }),
		names("hidden", "Hidden", func(l *Look) *[]string { return &l.Hidden }),
	}
}

// describe writes light as its sRGB hue and its strength.
func describe(light geom.Vec) string {
	if light.Max() <= 0 {
		return "none"
	}
	return fmt.Sprintf("%s × %.4g", Hue(light), light.Max())
}

// A Difference is one line in which a look is not as the one that it builds on.
type Difference struct {
	Key, Name, Base, Own string
}

// Differences lists in what a look is not as its base.
func Differences(base, l Look) []Difference {
	var all []Difference
	for _, f := range fields() {
		if a, b := f.text(base), f.text(l); a != b || !same(f, base, l) {
			all = append(all, Difference{f.key, f.name, a, b})
		}
	}
	return all
}

// same compares exactly, where texts are rounded.
func same(f field, a, b Look) bool {
	var x, y Look
	f.copy(&x, a)
	f.copy(&y, b)
	return x.ExposureEV == y.ExposureEV && x.Sky == y.Sky && x.Sun == y.Sun && x.Haze == y.Haze && x.LightGain == y.LightGain && slices.Equal(x.LightsOff, y.LightsOff) && slices.Equal(x.Hidden, y.Hidden)
}

// Reset takes one line from the base.
func (l *Look) Reset(key string, base Look) error {
	i := slices.IndexFunc(fields(), func(f field) bool { return f.key == key })
	if i < 0 {
		return fmt.Errorf("a look says nothing of %q", key)
	}
	fields()[i].copy(l, base)
	return nil
}

// Follow returns a look after its base has changed: what it had of it, it has of it still.
func (l Look) Follow(before, after Look) Look {
	for _, f := range fields() {
		if same(f, l, before) {
			f.copy(&l, after)
		}
	}
	return l
}

// Hue returns the colour of light without its strength, as #rrggbb in sRGB.
func Hue(light geom.Vec) string {
	top := light.Max()
	if top <= 0 {
		return "#ffffff"
	}
	code := func(v float64) int { return int(math.Round(255 * pixel.SRGB.Encode(max(0, v/top)))) }
	return fmt.Sprintf("#%02x%02x%02x", code(light.X), code(light.Y), code(light.Z))
}

// Light returns light of a hue (#rrggbb in sRGB) and a strength, which is that of its strongest component.
func Light(hue string, strength float64) (geom.Vec, error) {
	var r, g, b uint8
	if n, err := fmt.Sscanf(hue, "#%02x%02x%02x", &r, &g, &b); n != 3 || err != nil || len(hue) != 7 {
		return geom.Vec{}, fmt.Errorf("%q is not a colour such as #ffcc99", hue)
	}
	v := geom.Vec{X: pixel.SRGB.Decode(float64(r) / 255), Y: pixel.SRGB.Decode(float64(g) / 255), Z: pixel.SRGB.Decode(float64(b) / 255)}
	if top := v.Max(); top > 0 {
		return v.Scale(strength / top), nil
	}
	return geom.Vec{}, nil
}

// Dressed returns the scene without the objects that the look hides.
func (l Look) Dressed(s *scene.Scene) *scene.Scene {
	if len(l.Hidden) == 0 {
		return s
	}
	out := *s
	out.Nodes = slices.Clone(s.Nodes)
	for i, n := range out.Nodes {
		if n.Mesh != scene.None && matches(l.Hidden, n.Name) {
			out.Nodes[i].Mesh = scene.None
		}
	}
	return &out
}
