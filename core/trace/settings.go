package trace

import (
	"fmt"
	"image"
	"math"
	"time"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
)

// DefaultOcclusion is the radius of occlusion that is not stated, in metres.
const DefaultOcclusion = 2.0

// MaxSamples is the most samples along one edge of a pixel.
const MaxSamples = sampling.Most

// Settings say what to render.
type Settings struct {
	Size            raster.Size
	PixelAspect     float64 // a pixel's width over its height; 0 for 1
	Fit             raster.Fit
	Background      Background
	Region          image.Rectangle // the part of the picture wanted; empty for all of it
	Passes          []pass.Code
	LightGroups     []pass.LightGroup
	Setup           camera.Setup
	FramesPerSecond float64 // how long a shutter angle is; 0 for 24
	Samples         int     // along each edge of a pixel: 2 is 2 x 2
	Effort          sampling.Effort
	Filter          pixel.Filter
	Frame           int     // at which a camera with keys is; it changes the pattern of noise, too
	DepthBackground float64 // metres, where there is no surface
	Depth           pass.DepthStyle
	// OcclusionRadius is how far, in metres, the pass of occlusion looks; 0 for DefaultOcclusion.
	OcclusionRadius float64
	// OtherFilter are passes that are averaged over pixels though they usually have the value at the centre, and the
	// other way round.
	OtherFilter []pass.Code
	// Clock tells the time, by which a time limit ends a frame and the time that it took is measured; nil for neither.
	Clock func() time.Time
}

// perSecond returns the frames a second.
func (s Settings) perSecond() float64 {
	if s.FramesPerSecond == 0 {
		return 24
	}
	return s.FramesPerSecond
}

// now returns the time, or the zero time without a clock.
func (s Settings) now() time.Time {
	if s.Clock == nil {
		return time.Time{}
	}
	return s.Clock()
}

// A Background is what the camera sees where there is no surface. The zero value is the look's sky.
type Background struct {
	Transparent bool
	Plain       bool     // Colour, instead of the sky
	Colour      geom.Vec // linear light, as it stands in the picture
}

// Check says what is wrong with the settings, or nil.
func (s Settings) Check() error {
	switch {
	case !s.Size.Valid():
		return fmt.Errorf("a picture of %v cannot be rendered", s.Size)
	case s.Samples < 1 || s.Samples > MaxSamples:
		return fmt.Errorf("%d samples a pixel edge; 1 to %d are possible", s.Samples, MaxSamples)
	case !(s.OcclusionRadius >= 0) || math.IsInf(s.OcclusionRadius, 0):
		return fmt.Errorf("a radius of occlusion of %v m is no distance", s.OcclusionRadius)
	case s.Effort.Seconds > 0 && s.Clock == nil:
		return fmt.Errorf("a time limit needs a clock")
	case len(s.Passes) == 0:
		return fmt.Errorf("no pass is asked for")
	case !s.Region.In(image.Rect(0, 0, s.Size.Width, s.Size.Height)):
		return fmt.Errorf("region %v lies outside the picture of %v", s.Region, s.Size)
	case math.IsNaN(s.DepthBackground) || math.IsInf(s.DepthBackground, 0):
		return fmt.Errorf("the background's depth is not a finite number")
	}
	for _, code := range s.Passes {
		if _, err := pass.Find(code); err != nil {
			return err
		}
		if group, ok := code.LightGroup(); ok && s.lightGroup(group) < 0 {
			return fmt.Errorf("there is no light group %q", group)
		}
	}
	for _, code := range s.OtherFilter {
		if described, err := pass.Find(code); err != nil || !described.Either {
			return fmt.Errorf("the pass %q cannot be sampled in another way", code)
		}
	}
	for _, err := range []error{s.Effort.Check(), pass.CheckLightGroups(s.LightGroups), s.Depth.Check(), s.Fit.Check(),
		s.Setup.Check()} {
		if err != nil {
			return err
		}
	}
	return s.Filter.Check()
}

// lightGroup returns the number of a group, that of all other light being the last; -1 if there is none of the code.
func (s Settings) lightGroup(code string) int {
	for i, g := range s.LightGroups {
		if g.Code == code {
			return i
		}
	}
	if code == pass.OtherLight {
		return len(s.LightGroups)
	}
	return -1
}
