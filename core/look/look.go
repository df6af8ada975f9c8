// Package look holds looks: named changes laid over a scene, which itself stays untouched.
//
// A look says what light there is that the scene file does not carry (sky, sun, haze), which of the
// scene's own lights burn, and how bright the picture is taken. Colours are linear, BT.709 primaries.
package look

import (
	"fmt"
	"math"
	"path"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// A Look is everything that may differ between two pictures of one scene from one camera.
type Look struct {
	Code string `json:"code"`
	Name string `json:"name"`
	// ExposureEV brightens the picture by two to this power.
	ExposureEV float64 `json:"exposureEV"`
	Sky        Sky     `json:"sky"`
	Sun        Sun     `json:"sun"`
	Haze       Haze    `json:"haze"`
	// LightsOff holds names of lights that do not burn; "*" stands for any run of characters.
	LightsOff []string `json:"lightsOff,omitempty"`
	// LightGain multiplies the scene's own lights and glowing materials.
	LightGain float64 `json:"lightGain"`
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

// Radiance returns the light that comes from the sky in a unit direction, without the sun's disc.
func (l Look) Radiance(direction geom.Vec) geom.Vec {
	up := direction.Y
	if up < 0 {
		return l.Sky.Horizon.Lerp(l.Sky.Ground, 1-power(1+up, 6))
	}
	level := max(0, 1-up)
	base := l.Sky.Horizon.Lerp(l.Sky.Zenith, 1-level*level*math.Sqrt(level))
	if l.Sky.Glow == (geom.Vec{}) {
		return base
	}
	near := max(0, direction.Dot(l.Sun.Towards()))
	glow := 0.75*power(near, 4)*power(level, 5) + 0.9*power(near, 90)
	return base.Add(l.Sky.Glow.Scale(glow))
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
	for _, pattern := range l.LightsOff {
		if off, err := path.Match(pattern, name); err == nil && off {
			return false
		}
	}
	return true
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
	for _, pattern := range l.LightsOff {
		if _, err := path.Match(pattern, ""); err != nil {
			return fmt.Errorf("look %s: %q is not a pattern for light names", l.Code, pattern)
		}
	}
	return nil
}

// Unmatched returns the patterns of LightsOff that no light of the scene answers to.
func (l Look) Unmatched(s *scene.Scene) []string {
	var unmatched []string
	for _, pattern := range l.LightsOff {
		found := false
		for _, light := range s.Lights {
			match, _ := path.Match(pattern, light.Name)
			found = found || match
		}
		if !found {
			unmatched = append(unmatched, pattern)
		}
	}
	return unmatched
}

// Plain is a grey daylight for scenes without a look of their own.
func Plain() Look {
	return Look{
		Code: "plain", Name: "Plain daylight", LightGain: 1,
		Sky: Sky{Zenith: geom.Vec{X: 0.35, Y: 0.42, Z: 0.55}, Horizon: geom.Vec{X: 0.75, Y: 0.78, Z: 0.8}, Ground: geom.Vec{X: 0.2, Y: 0.19, Z: 0.18}},
		Sun: Sun{AzimuthDegrees: 140, ElevationDegrees: 40, Irradiance: geom.Vec{X: 1.6, Y: 1.5, Z: 1.3}, SizeDegrees: 1},
	}
}
