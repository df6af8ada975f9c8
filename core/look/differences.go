package look

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"reelhouse/core/geom"
	"reelhouse/core/pixel"
)

// A field is one thing that a look says.
type field struct {
	key, name string
	text      func(l Look) string
	copy      func(to *Look, from Look)
	same      func(a, b Look) bool // exactly, where texts are rounded
}

// words is a field of plain values.
func words[T comparable](key, name string, text func(T) string, at func(l *Look) *T) field {
	say := func(l Look) string {
		if t := text(*at(&l)); t != "" {
			return t
		}
		return "none"
	}
	return field{
		key,
		name,
		say,
		func(to *Look, from Look) { *at(to) = *at(&from) },
		func(a, b Look) bool { return *at(&a) == *at(&b) },
	}
}

// names is a field of a list of names.
func names(key, name string, at func(l *Look) *[]string) field {
	return list(key, name, func(names []string) string { return strings.Join(names, ", ") }, at)
}

// list is a field of several values.
func list[T comparable](key, name string, text func([]T) string, at func(l *Look) *[]T) field {
	say := func(l Look) string {
		if len(*at(&l)) == 0 {
			return "none"
		}
		return text(*at(&l))
	}
	return field{
		key,
		name,
		say,
		func(to *Look, from Look) { *at(to) = slices.Clone(*at(&from)) },
		func(a, b Look) bool { return slices.Equal(*at(&a), *at(&b)) },
	}
}

func fields() []field {
	colour := func(key, name string, at func(l *Look) *geom.Vec) field { return words(key, name, describe, at) }
	number := func(key, name, unit string, at func(l *Look) *float64) field {
		return words(key, name, func(v float64) string { return fmt.Sprintf("%.4g%s", v, unit) }, at)
	}
	return []field{
		number("exposure", "Exposure", " EV", func(l *Look) *float64 { return &l.ExposureEV }),
		colour("zenith", "Sky overhead", func(l *Look) *geom.Vec { return &l.Sky.Zenith }),
		colour("horizon", "Sky at the horizon", func(l *Look) *geom.Vec { return &l.Sky.Horizon }),
		colour("ground", "Light from below", func(l *Look) *geom.Vec { return &l.Sky.Ground }),
		colour("glow", "Glow around the sun", func(l *Look) *geom.Vec { return &l.Sky.Glow }),
		colour("sun", "Sun's light", func(l *Look) *geom.Vec { return &l.Sun.Irradiance }),
		number("azimuth", "Sun's direction", "°", func(l *Look) *float64 { return &l.Sun.AzimuthDegrees }),
		number("elevation", "Sun's height", "°", func(l *Look) *float64 { return &l.Sun.ElevationDegrees }),
		number("disc", "Sun's width", "°", func(l *Look) *float64 { return &l.Sun.SizeDegrees }),
		number("haze", "Haze", " m", func(l *Look) *float64 { return &l.Haze.Metres }),
		number("gain", "Scene's lights", " times", func(l *Look) *float64 { return &l.LightGain }),
		names("lightsOff", "Lights off", func(l *Look) *[]string { return &l.LightsOff }),
		words("environment", "Environment", strings.TrimSpace, func(l *Look) *string { return &l.Environment.Map }),
		number(
			"environmentTurn",
			"Environment's turn",
			"°",
			func(l *Look) *float64 { return &l.Environment.TurnDegrees },
		),
		words(
			"environmentStrength",
			"Environment's strength",
			func(v float64) string { return fmt.Sprintf("%.4g", Environment{Strength: v}.Factor()) },
			func(l *Look) *float64 { return &l.Environment.Strength },
		),
		words(
			"background",
			"Background",
			func(b Background) string { return strings.TrimSpace(string(b.Kind) + " " + b.Colour) },
			func(l *Look) *Background { return &l.Background },
		),
		list("lights", "Lights changed", WriteLights, func(l *Look) *[]LightChange { return &l.Lights }),
		words("variant", "Material variant", strings.TrimSpace, func(l *Look) *string { return &l.Variant }),
		list("textures", "Textures", WriteTextures, func(l *Look) *[]TextureSwap { return &l.Textures }),
		names("hidden", "Hidden", func(l *Look) *[]string { return &l.Hidden }),
		names("shown", "Shown", func(l *Look) *[]string { return &l.Shown }),
		names("unseen", "Hidden from the camera", func(l *Look) *[]string { return &l.Unseen }),
		names("holdouts", "Holdout", func(l *Look) *[]string { return &l.Holdouts }),
		names("clay", "Of clay", func(l *Look) *[]string { return &l.Clay }),
		names("shadowCatchers", "Shadow catchers", func(l *Look) *[]string { return &l.ShadowCatchers }),
		words(
			"samples",
			"Least samples",
			func(n int) string { return fmt.Sprint(n) },
			func(l *Look) *int { return &l.LeastSamples },
		),
	}
}

// describe writes light as its sRGB hue and its strength.
func describe(light geom.Vec) string {
	if light.Max() <= 0 {
		return "none"
	}
	return fmt.Sprintf("%s × %.4g", Hue(light), light.Max())
}

// A Difference is one line in which a look is not as the one that it is based on.
type Difference struct {
	Key, Name, Base, Own string
}

// Differences lists in what a look is not as its base.
func Differences(base, l Look) []Difference {
	var all []Difference
	for _, f := range fields() {
		if !f.same(base, l) {
			all = append(all, Difference{f.key, f.name, f.text(base), f.text(l)})
		}
	}
	return all
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
		if f.same(l, before) {
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
	v, err := colour(hue)
	if err != nil {
		return v, err
	}
	if top := v.Max(); top > 0 {
		return v.Scale(strength / top), nil
	}
	return geom.Vec{}, nil
}

// colour reads #rrggbb in sRGB as linear light.
func colour(hex string) (geom.Vec, error) {
	var r, g, b uint8
	if n, err := fmt.Sscanf(hex, "#%02x%02x%02x", &r, &g, &b); n != 3 || err != nil || len(hex) != 7 {
		return geom.Vec{}, fmt.Errorf("%q is not a colour such as #ffcc99", hex)
	}
	return geom.Vec{
		X: pixel.SRGB.Decode(float64(r) / 255),
		Y: pixel.SRGB.Decode(float64(g) / 255),
		Z: pixel.SRGB.Decode(float64(b) / 255),
	}, nil
}
