// Package look holds looks: named changes laid over a scene, which itself stays untouched.
//
// A look says what light there is that the scene file does not carry (sky, sun, haze), which of the
// scene's own lights burn, and how bright the picture is taken. Colours are linear, BT.709 primaries.
package look

import (
	"fmt"
	"math"
	"path"
	"slices"
	"strings"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// A Look is everything that may differ between two pictures of one scene from one camera.
type Look struct {
	Code string `json:"code"`
	Name string `json:"name"`
	// Base is the code of the look that this one is based on, "" for none: what is the same follows it.
	Base string `json:"base,omitempty"`
	// ExposureEV brightens the picture by two to this power.
	ExposureEV float64 `json:"exposureEV"`
	Sky        Sky     `json:"sky"`
	Sun        Sun     `json:"sun"`
	Haze       Haze    `json:"haze"`
	// LightsOff holds names of lights that do not burn; "*" stands for any run of characters.
	LightsOff []string `json:"lightsOff,omitempty"`
	// Lights changes single lights of the scene that burn.
	Lights []LightChange `json:"lights,omitempty"`
	// Variant is the variant of the scene's materials, "" for those of the file (KHR_materials_variants).
	Variant string `json:"variant,omitempty"`
	// Textures are images of the scene that stand in for others.
	Textures []TextureSwap `json:"textures,omitempty"`
	// Hidden holds names of objects that are not there at all, likewise. A name stands for all that hangs below it,
	// too; so it does in the lists that follow.
	Hidden []string `json:"hidden,omitempty"`
	// Shown holds objects that are there though Hidden names them.
	Shown []string `json:"shown,omitempty"`
	// Unseen holds objects that the camera looks through. They cast shadows and are mirrored.
	Unseen []string `json:"unseen,omitempty"`
	// Holdouts holds objects that cut a hole, without light and without coverage, into what lies behind them.
	Holdouts []string `json:"holdouts,omitempty"`
	// Clay holds objects that are of even grey clay; ShadowCatchers those of which nothing is seen but the shadow on
	// them.
	Clay           []string `json:"clay,omitempty"`
	ShadowCatchers []string `json:"shadowCatchers,omitempty"`
	// Environment stands round the scene in place of the sky, if it names a map.
	Environment Environment `json:"environment,omitzero"`
	// Background stands where there is no surface, if it is not as everywhere in the production.
	Background Background `json:"background,omitzero"`
	// LeastSamples is how many samples along a pixel's edge the look needs, whatever the quality says; 0 for none.
	LeastSamples int `json:"leastSamples,omitempty"`
	// LightGain multiplies the scene's own lights and glowing materials.
	LightGain float64 `json:"lightGain"`
}

// A LightChange changes lights of the scene by their names; "*" stands for any run of characters.
type LightChange struct {
	Name string `json:"name"`
	// Times multiplies what they give off; 0 stands for 1.
	Times float64 `json:"times,omitempty"`
	// Colour is theirs instead of the scene's, as #rrggbb in sRGB; "" for the scene's.
	Colour string `json:"colour,omitempty"`
}

// Factor returns what the light's intensity is multiplied by.
func (l LightChange) Factor() float64 {
	if l.Times == 0 {
		return 1
	}
	return l.Times
}

// A TextureSwap is an image of the scene, by its name, and the one that stands in for it.
type TextureSwap struct {
	Image string `json:"image"`
	By    string `json:"by"`
}

// An Environment is a map of the production, and how it stands.
type Environment struct {
	Map string `json:"map"` // its code; "" for none
	// TurnDegrees turns it clockwise as seen from above. At 0 the middle of the picture lies in the north.
	TurnDegrees float64 `json:"turnDegrees,omitempty"`
	Strength    float64 `json:"strength,omitempty"` // what its light is multiplied by; 0 stands for 1
}

// Factor returns what the map's light is multiplied by.
func (e Environment) Factor() float64 {
	if e.Strength == 0 {
		return 1
	}
	return e.Strength
}

// A Sky is a vertical gradient of radiance.
type Sky struct {
	Zenith  geom.Vec `json:"zenith"`
	Horizon geom.Vec `json:"horizon"`
	Ground  geom.Vec `json:"ground"`
	// Glow is added around the sun, spread along the horizon.
	Glow geom.Vec `json:"glow"`
}

// A Sun shines from a direction; it casts shadows and shows in the sky.
type Sun struct {
	AzimuthDegrees   float64  `json:"azimuthDegrees"`   // from north (-Z) clockwise seen from above
	ElevationDegrees float64  `json:"elevationDegrees"` // above the horizon
	Irradiance       geom.Vec `json:"irradiance"`       // on a surface that faces it; 0 for no sun
	SizeDegrees      float64  `json:"sizeDegrees"`      // width of its disc, for soft shadows
}

// Haze fades what is far into the horizon's colour.
type Haze struct {
	Metres float64 `json:"metres"` // distance at which 63 % is lost; 0 for clear air
}

// Towards returns the unit direction from the scene to the sun.
func (s Sun) Towards() geom.Vec {
	a, e := s.AzimuthDegrees*math.Pi/180, s.ElevationDegrees*math.Pi/180
	return geom.Vec{X: math.Sin(a) * math.Cos(e), Y: math.Sin(e), Z: -math.Cos(a) * math.Cos(e)}
}

// A Gradient is a look's sky, made ready to be looked at in many directions.
type Gradient struct {
	sky     Sky
	towards geom.Vec // the sun
}

// Gradient returns the look's sky.
func (l Look) Gradient() Gradient { return Gradient{l.Sky, l.Sun.Towards()} }

// Radiance returns the light that comes from the sky in a unit direction, without the sun's disc.
func (g *Gradient) Radiance(direction geom.Vec) geom.Vec {
	up := direction.Y
	if up < 0 {
		return g.sky.Horizon.Lerp(g.sky.Ground, 1-power(1+up, 6))
	}
	level := max(0, 1-up)
	base := g.sky.Horizon.Lerp(g.sky.Zenith, 1-level*level*math.Sqrt(level))
	if g.sky.Glow == (geom.Vec{}) {
		return base
	}
	near := max(0, direction.Dot(g.towards))
	glow := 0.75*power(near, 4)*power(level, 5) + 0.9*power(near, 90)
	return base.Add(g.sky.Glow.Scale(glow))
}

// power returns x to a whole power, by squaring; it is several times faster than math.Pow.
func power(x float64, n int) float64 {
	result := 1.0
	for ; n > 0; n >>= 1 {
		if n&1 == 1 {
			result *= x
		}
		x *= x
	}
	return result
}

// Gain returns the factor that exposure applies to radiance.
func (l Look) Gain() float64 { return math.Exp2(l.ExposureEV) }

// Burns reports whether the look leaves a light of that name on.
func (l Look) Burns(name string) bool {
	return !matches(l.LightsOff, name)
}

// matches reports whether a name answers to one of the patterns.
func matches(patterns []string, name string) bool {
	return slices.ContainsFunc(patterns, func(pattern string) bool {
		found, err := path.Match(pattern, name)
		return err == nil && found
	})
}

// Check says what is wrong with the look by itself, or nil.
func (l Look) Check() error {
	switch {
	case l.Code == "":
		return fmt.Errorf("a look needs a code")
	case math.Abs(l.ExposureEV) > 20 || math.IsNaN(l.ExposureEV):
		return fmt.Errorf("look %s: exposure %v EV is outside -20 to 20", l.Code, l.ExposureEV)
	case l.LightGain < 0 || l.Haze.Metres < 0:
		return fmt.Errorf("look %s: light gain and haze cannot be negative", l.Code)
	}
	for _, v := range []float64{l.Sun.AzimuthDegrees, l.Sun.ElevationDegrees, l.Sun.SizeDegrees, l.LightGain,
		l.Haze.Metres} {
		if math.IsNaN(v) || math.Abs(v) > 1e9 {
			return fmt.Errorf("look %s: %v is not a number that can be used", l.Code, v)
		}
	}
	for _, v := range []geom.Vec{l.Sky.Zenith, l.Sky.Horizon, l.Sky.Ground, l.Sky.Glow, l.Sun.Irradiance} {
		if !v.Finite() || min(v.X, v.Y, v.Z) < 0 || v.Max() > mostLight {
			return fmt.Errorf("look %s: light has to be between 0 and %v", l.Code, mostLight)
		}
	}
	if l.Sun.ElevationDegrees < -90 || l.Sun.ElevationDegrees > 90 || l.Sun.SizeDegrees < 0 || l.Sun.SizeDegrees > 90 {
		return fmt.Errorf(
			"look %s: the sun stands %v° high and is %v° wide, outside -90 to 90 and 0 to 90", l.Code,
			l.Sun.ElevationDegrees, l.Sun.SizeDegrees,
		)
	}
	switch e := l.Environment; {
	case !(math.Abs(e.TurnDegrees) <= 360):
		return fmt.Errorf("look %s: a turn of %v° is outside 360° either way", l.Code, e.TurnDegrees)
	case !(e.Strength >= 0 && e.Strength <= mostLight):
		return fmt.Errorf("look %s: an environment's strength of %v is outside 0 to %v", l.Code, e.Strength, mostLight)
	case l.LeastSamples < 0 || l.LeastSamples > MostSamples:
		return fmt.Errorf(
			"look %s: %d samples along a pixel's edge are outside 0 to %d", l.Code, l.LeastSamples, MostSamples,
		)
	}
	for _, c := range l.Lights {
		if !(c.Times >= 0 && c.Times <= mostLight) {
			return fmt.Errorf(
				"look %s: light %s: an intensity of %v is outside 0 to %v", l.Code, c.Name, c.Times, mostLight,
			)
		}
		if _, err := colour(c.Colour); c.Colour != "" && err != nil {
			return fmt.Errorf("look %s: light %s: %w", l.Code, c.Name, err)
		}
	}
	if l.Background != (Background{}) {
		if err := l.Background.Check(); err != nil {
			return fmt.Errorf("look %s: %w", l.Code, err)
		}
	}
	for _, pattern := range slices.Concat(l.LightsOff, l.objects(), l.lightNames()) {
		if _, err := path.Match(pattern, ""); err != nil {
			return fmt.Errorf("look %s: %q is not a pattern for names", l.Code, pattern)
		}
	}
	return nil
}

const mostLight = 1e6

// MostSamples is the most samples along one edge of a pixel.
const MostSamples = 64

// Clone returns a look that shares nothing with this one.
func (l Look) Clone() Look {
	for _, list := range []*[]string{
		&l.LightsOff, &l.Hidden, &l.Shown, &l.Unseen, &l.Holdouts, &l.Clay, &l.ShadowCatchers,
	} {
		*list = slices.Clone(*list)
	}
	l.Lights, l.Textures = slices.Clone(l.Lights), slices.Clone(l.Textures)
	return l
}

// objects returns every pattern that is to name an object.
func (l Look) objects() []string {
	return slices.Concat(l.Hidden, l.Shown, l.Unseen, l.Holdouts, l.Clay, l.ShadowCatchers)
}

// Unmatched returns the patterns for lights and for objects that nothing of the scene answers to.
func (l Look) Unmatched(s *scene.Scene) (lights, objects []string) {
	missing := func(patterns []string, found func(pattern string) bool) []string {
		var unmatched []string
		for _, p := range patterns {
			if !strings.Contains(p, "(value:") && !found(p) {
				unmatched = append(unmatched, p)
			}
		}
		return unmatched
	}
	lights = missing(append(slices.Clone(l.LightsOff), l.lightNames()...), func(p string) bool {
		return slices.ContainsFunc(s.Lights, func(light scene.Light) bool { return matches([]string{p}, light.Name) })
	})
	objects = missing(l.objects(), func(p string) bool { return slices.Contains(named(s, []string{p}), true) })
	return lights, objects
}

// Plain is a grey daylight for scenes without a look of their own.
func Plain() Look {
	return Look{
		Code: "plain", Name: "Plain daylight", LightGain: 1,
		Sky: Sky{
			Zenith:  geom.Vec{X: 0.35, Y: 0.42, Z: 0.55},
			Horizon: geom.Vec{X: 0.75, Y: 0.78, Z: 0.8},
			Ground:  geom.Vec{X: 0.2, Y: 0.19, Z: 0.18},
		},
		Sun: Sun{
			AzimuthDegrees:   140,
			ElevationDegrees: 40,
			Irradiance:       geom.Vec{X: 1.6, Y: 1.5, Z: 1.3},
			SizeDegrees:      1,
		},
	}
}
