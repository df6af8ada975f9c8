package camera

import (
	"fmt"
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/scene"
)

// Aimed returns the stand turned so that a point lies in the middle of the picture, its horizon level.
func (s Stand) Aimed(at geom.Vec) (Stand, error) {
	d := at.Sub(s.Position)
	level := math.Hypot(d.X, d.Z)
	if d.Length() < 1e-6 {
		return s, fmt.Errorf("the camera stands where it is to look")
	}
	if level > 1e-9*d.Length() {
		s.Heading = math.Mod(lens.Degrees(math.Atan2(d.X, -d.Z))+360, 360)
	}
	s.Tilt, s.Roll = lens.Degrees(math.Atan2(d.Y, level)), 0
	return s, nil
}

// Seeing returns the focal length with which a camera sees an angle in degrees: across, or up.
func (s Setup) Seeing(c scene.Camera, degrees float64, up bool) (float64, error) {
	seen := s.shaped(c)
	if seen.Height > 0 {
		return 0, fmt.Errorf("an orthographic camera sees no angle, but metres")
	}
	if !(degrees > 0 && degrees < 180) {
		return 0, fmt.Errorf("an angle of %v° is outside 0 to 180°", degrees)
	}
	back := s.BackWidth()
	if up {
		back /= seen.Aspect
	}
	return lens.FocalLength(back, radians(degrees)), nil
}

// Dollied changes the focal length and moves the camera along its view, so that what lies distance metres ahead stays
// as large as it is. What lies before and behind it changes. A focus at that distance goes with it.
func (s Setup) Dollied(pose geom.Affine, c scene.Camera, focal, distance float64) (Setup, error) {
	switch {
	case s.shaped(c).Height > 0:
		return s, fmt.Errorf("an orthographic camera shows everything as large from anywhere")
	case !(distance > 0 && distance <= MostMetres):
		return s, fmt.Errorf("what is to stay as large has to lie ahead of the camera, not at %v m", distance)
	case !(focal >= LeastFocal && focal <= MostFocal):
		return s, fmt.Errorf("a focal length of %v mm is outside %v to %v mm", focal, LeastFocal, MostFocal)
	}
	at := StandOf(pose)
	if s.Stand != nil {
		at = *s.Stand
	}
	then := distance * focal / s.FocalOf(c)
	back := at.Pose().Z.Unit().Scale(then - distance)
	at.Position = at.Position.Add(back)
	if s.Focus > 0 {
		s.Focus = max(0.01, s.Focus+then-distance)
	}
	s.Stand, s.Focal = &at, focal
	return s, s.Check()
}
