package camera

import (
	"fmt"
	"math"
)

// Exposure is who says how bright a picture is taken.
type Exposure string

// The ways to expose.
const (
	OfLook Exposure = ""      // the look
	Fixed  Exposure = "fixed" // the view, by a number of stops
	ByLens Exposure = "lens"  // the view's f-number, shutter and film speed, as of a real camera
)

// HalfShutter is the shutter angle of a camera that states none: half of a frame's time, as is common practice.
const HalfShutter = 180.0

// Limits of exposure.
const (
	MostEV      = 20.0
	MostShutter = 360.0
	LeastISO    = 1.0
	MostISO     = 1e7
)

func (s Setup) checkExposure() error {
	switch {
	case s.Exposure != OfLook && s.Exposure != Fixed && s.Exposure != ByLens:
		return fmt.Errorf("there is no exposure %q", s.Exposure)
	case !(math.Abs(s.EV) <= MostEV):
		return fmt.Errorf("an exposure of %v EV is outside %v either way", s.EV, MostEV)
	case !(s.Shutter >= 0 && s.Shutter <= MostShutter):
		return fmt.Errorf("a shutter of %v° is outside 0 to %v°", s.Shutter, MostShutter)
	case s.ISO != 0 && !(s.ISO >= LeastISO && s.ISO <= MostISO):
		return fmt.Errorf("a film speed of ISO %v is outside %v to %v", s.ISO, LeastISO, MostISO)
	case s.Exposure == ByLens && (s.FNumber == 0 || s.ISO == 0):
		return fmt.Errorf("exposure by the lens needs an f-number and a film speed")
	}
	return nil
}

// ShutterSeconds returns how long the shutter is open, at a number of frames a second.
func (s Setup) ShutterSeconds(framesPerSecond float64) float64 {
	angle, rate := s.Shutter, framesPerSecond
	if angle == 0 {
		angle = HalfShutter
	}
	if rate == 0 {
		rate = 24
	}
	return angle / 360 / rate
}

// ExposureValue returns the exposure value at ISO 100 of an f-number, a time in seconds and a film speed: log2(N²/t) −
// log2(S/100), as ISO 2720 has it.
func ExposureValue(fNumber, seconds, iso float64) float64 {
	return math.Log2(fNumber*fNumber/seconds) - math.Log2(iso/100)
}

// Gain returns what light is multiplied by, and whether the view says so rather than its look. By the lens, the
// brightest that a picture holds is a luminance of 1.2 × 2^EV cd/m², which follows from the saturation speed of ISO
// 12232 (78 / S lux seconds) and a lens that lets 65 % through, as is common practice.
func (s Setup) Gain(framesPerSecond float64) (gain float64, own bool) {
	switch s.Exposure {
	case Fixed:
		return math.Exp2(s.EV), true
	case ByLens:
		return 1 / (1.2 * math.Exp2(ExposureValue(s.FNumber, s.ShutterSeconds(framesPerSecond), s.ISO))), true
	}
	return 1, false
}
