// Package camera is what a view makes of a camera of its scene: where it stands, what lens it has, and what is locked.
//
// Headings count from north (-Z) clockwise as seen from above, tilts upwards from the horizon, and rolls clockwise as
// the camera sees it; all in degrees. Film backs, focal lengths and shifts are in millimetres.
package camera

import (
	"fmt"
	"image"
	"math"
	"reflect"

	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
)

// A Setup is what a view changes of its scene's camera. The zero value changes nothing.
type Setup struct {
	// Stand puts the camera at one place. Without it, it stands or moves as in the scene.
	Stand *Stand `json:"stand,omitempty"`
	// Motion moves the camera from key to key; it stands in for Stand.
	Motion *Motion `json:"motion,omitempty"`
	// Focal is the focal length; 0 keeps the angle of the scene's camera.
	Focal float64 `json:"focal,omitempty"`
	// Back is the width of the film back; 0 stands for lens.BackWidth.
	Back float64 `json:"back,omitempty"`
	// BackHigh is the height of the film back; 0 keeps the shape of the scene's camera.
	BackHigh float64 `json:"backHigh,omitempty"`
	// Parallel makes the camera an orthographic one that sees so many metres up; 0 keeps the scene's.
	Parallel float64 `json:"parallel,omitempty"`
	// Panorama makes a picture of all directions, equirectangular, from where the camera stands.
	Panorama bool `json:"allAround,omitempty"`
	// Blur blurs what moves while the shutter is open.
	Blur bool `json:"blur,omitempty"`
	// Aside moves the camera to its right, in metres, wherever it stands: that is how the two eyes of a stereo pair
	// differ.
	Aside float64 `json:"aside,omitempty"`
	// The shifts move the lens against the film back: to the right and up.
	ShiftAcross float64 `json:"shiftAcross,omitempty"`
	ShiftUp     float64 `json:"shiftUp,omitempty"`
	// FNumber is the focal length over the lens's opening; 0 makes everything sharp. Focus is how far ahead the
	// sharpest plane lies, in metres.
	FNumber float64 `json:"fNumber,omitempty"`
	Focus   float64 `json:"focus,omitempty"`
	// Exposure says how bright the picture is taken; EV is that of Fixed. Shutter is an angle in degrees, of which 360
	// is a whole frame, 0 for HalfShutter; ISO is the speed of the film.
	Exposure Exposure `json:"exposure,omitempty"`
	EV       float64  `json:"ev,omitempty"`
	Shutter  float64  `json:"shutter,omitempty"`
	ISO      float64  `json:"iso,omitempty"`
	// Locked keeps everything above, and the choice of camera, from being changed.
	Locked bool `json:"locked,omitempty"`
}

// A Stand is a place and a direction.
type Stand struct {
	Position geom.Vec `json:"position"` // metres
	Heading  float64  `json:"heading"`
	Tilt     float64  `json:"tilt"`
	Roll     float64  `json:"roll"`
}

// Limits of what can be set up.
const (
	LeastFocal, MostFocal = 1.0, 5000.0
	LeastBack, MostBack   = 1.0, 500.0
	MostShift             = 250.0
	MostMetres            = 1e6
	MostTilt              = 90.0
	LeastFNumber          = 0.1
	LeastParallel         = 0.001
	MostFNumber           = 1000.0
	steepest              = 70.0 // tilt in degrees that can be straightened
)

func radians(degrees float64) float64 { return degrees * math.Pi / 180 }

// StandOf returns how a camera with a pose stands.
func StandOf(pose geom.Affine) Stand {
	forward, across := pose.Z.Unit().Scale(-1), pose.X.Unit()
	heading := math.Atan2(forward.X, -forward.Z)
	if math.Hypot(forward.X, forward.Z) < 1e-9 { // straight up or down: by where its right hand is
		heading = math.Atan2(across.Z, across.X)
	}
	right := geom.Vec{X: math.Cos(heading), Z: math.Sin(heading)}
	up := right.Cross(forward)
	return Stand{
		Position: pose.Origin, Heading: math.Mod(lens.Degrees(heading)+360, 360),
		Tilt: lens.Degrees(math.Asin(min(1, max(-1, forward.Y)))),
		Roll: lens.Degrees(math.Atan2(-across.Dot(up), across.Dot(right))),
	}
}

// Pose returns the pose of a camera that stands so.
func (s Stand) Pose() geom.Affine {
	turn := geom.AxisAngle(geom.Vec{Y: 1}, -radians(s.Heading)).
		Mul(geom.AxisAngle(geom.Vec{X: 1}, radians(s.Tilt))).
		Mul(geom.AxisAngle(geom.Vec{Z: 1}, -radians(s.Roll)))
	return geom.Compose(s.Position, turn, geom.Vec{X: 1, Y: 1, Z: 1})
}

// Same reports whether two setups give the same picture and are locked alike.
func (s Setup) Same(t Setup) bool {
	if (s.Stand == nil) != (t.Stand == nil) || s.Stand != nil && *s.Stand != *t.Stand ||
		!reflect.DeepEqual(s.Motion, t.Motion) {
		return false
	}
	s.Stand, t.Stand, s.Motion, t.Motion = nil, nil, nil, nil
	return s == t
}

// Check says what is wrong with the setup, or nil.
func (s Setup) Check() error {
	outside := func(v, least, most float64) bool { return !(v >= least && v <= most) }
	switch {
	case s.Focal != 0 && outside(s.Focal, LeastFocal, MostFocal):
		return fmt.Errorf("a focal length of %v mm is outside %v to %v mm", s.Focal, LeastFocal, MostFocal)
	case s.Back != 0 && outside(s.Back, LeastBack, MostBack):
		return fmt.Errorf("a sensor width of %v mm is outside %v to %v mm", s.Back, LeastBack, MostBack)
	case outside(s.ShiftAcross, -MostShift, MostShift) || outside(s.ShiftUp, -MostShift, MostShift):
		return fmt.Errorf("a shift of %v and %v mm is outside %v mm either way", s.ShiftAcross, s.ShiftUp, MostShift)
	case s.FNumber != 0 && outside(s.FNumber, LeastFNumber, MostFNumber):
		return fmt.Errorf("an f-number of %v is outside %v to %v", s.FNumber, LeastFNumber, MostFNumber)
	case s.Focus != 0 && outside(s.Focus, 0.01, MostMetres):
		return fmt.Errorf("a focus at %v m is outside 0.01 to %v m", s.Focus, MostMetres)
	case s.BackHigh != 0 && outside(s.BackHigh, LeastBack, MostBack):
		return fmt.Errorf("a sensor height of %v mm is outside %v to %v mm", s.BackHigh, LeastBack, MostBack)
	case s.Parallel != 0 && outside(s.Parallel, LeastParallel, MostMetres):
		return fmt.Errorf(
			"an orthographic camera that sees %v m up is outside %v to %v m", s.Parallel, LeastParallel, MostMetres,
		)
	case s.Parallel != 0 && (s.FNumber != 0 || s.Exposure == ByLens):
		return fmt.Errorf(
			"an orthographic camera has no lens that could be focused or exposed by; take its f-number away first",
		)
	case s.Panorama && (s.FNumber != 0 || s.Exposure == ByLens || s.Parallel != 0 ||
		s.ShiftAcross != 0 || s.ShiftUp != 0):
		return fmt.Errorf(
			"a camera that sees all around has no lens, so neither f-number nor shift, and is not orthographic",
		)
	case outside(s.Aside, -MostMetres, MostMetres):
		return fmt.Errorf("%v m aside is too far", s.Aside)
	case s.checkExposure() != nil:
		return s.checkExposure()
	case s.Stand != nil && s.Motion != nil:
		return fmt.Errorf("a camera either stands at one place or moves by keys, not both")
	case s.Motion.Check() != nil:
		return s.Motion.Check()
	case s.checkLens() != nil:
		return s.checkLens()
	case s.FNumber != 0 && s.Focus == 0:
		return fmt.Errorf("a lens of f/%v needs a distance that it is focused at", s.FNumber)
	case s.Stand == nil:
		return nil
	}
	at := s.Stand
	for _, v := range []float64{at.Position.X, at.Position.Y, at.Position.Z} {
		if outside(v, -MostMetres, MostMetres) {
			return fmt.Errorf("a place %v m away is too far", v)
		}
	}
	switch {
	case outside(at.Heading, 0, 360):
		return fmt.Errorf("a heading of %v° is outside 0 to 360°", at.Heading)
	case outside(at.Tilt, -MostTilt, MostTilt):
		return fmt.Errorf("a tilt of %v° is outside %v° up or down", at.Tilt, MostTilt)
	case outside(at.Roll, -180, 180):
		return fmt.Errorf("a roll of %v° is outside 180° either way", at.Roll)
	}
	return nil
}

// A View is a camera with its setup, at one moment.
type View struct {
	Pose   geom.Affine
	Camera scene.Camera
	// The shifts, in the unit of the window: tangents, or metres of an orthographic camera.
	ShiftAcross, ShiftUp float64
	// Lens is the radius of the lens's opening in metres, 0 if everything is sharp; Focus is how far ahead it is
	// focused.
	Lens, Focus float64
	Panorama    bool // it sees all directions
}

// BackWidth returns the width of the film back.
func (s Setup) BackWidth() float64 {
	if s.Back == 0 {
		return lens.BackWidth
	}
	return s.Back
}

// FocalOf returns the focal length with which a camera sees what it sees, 0 for an orthographic one.
func (s Setup) FocalOf(c scene.Camera) float64 {
	switch c = s.shaped(c); {
	case c.Height > 0:
		return 0
	case s.Focal > 0:
		return s.Focal
	}
	return lens.FocalLength(s.BackWidth(), lens.AnglesOf(c.Up, c.Aspect).Across)
}

// BackOf returns the film back with which a camera sees what it sees, in millimetres; 0 for an orthographic one.
func (s Setup) BackOf(c scene.Camera) (width, height float64) {
	if c = s.shaped(c); c.Height > 0 || c.Aspect <= 0 {
		return 0, 0
	}
	return s.BackWidth(), s.BackWidth() / c.Aspect
}

// shaped returns the camera with the shape of the film back, and made orthographic if it is to be. A film back of
// another shape sees as much across as before.
func (s Setup) shaped(c scene.Camera) scene.Camera {
	if s.Parallel > 0 {
		c.Up, c.Height = 0, s.Parallel
		if s.BackHigh > 0 {
			c.Aspect = s.BackWidth() / s.BackHigh
		}
		return c
	}
	if s.BackHigh == 0 {
		return c
	}
	aspect := s.BackWidth() / s.BackHigh
	c.Up = 2 * math.Atan(math.Tan(c.Up/2)*c.Aspect/aspect)
	c.Height *= c.Aspect / aspect
	c.Aspect = aspect
	return c
}

// Of returns what the setup makes of a camera with a pose.
func (s Setup) Of(pose geom.Affine, c scene.Camera) View {
	if s.Stand != nil {
		pose = s.Stand.Pose()
	}
	pose.Origin = pose.Origin.Add(pose.X.Unit().Scale(s.Aside))
	c = s.shaped(c)
	v := View{Pose: pose, Camera: c, Panorama: s.Panorama}
	if c.Height > 0 {
		perMetre := s.BackWidth() / (c.Height * c.Aspect)
		v.ShiftAcross, v.ShiftUp = s.ShiftAcross/perMetre, s.ShiftUp/perMetre
		return v
	}
	focal := s.FocalOf(c)
	if s.Focal > 0 {
		across := lens.FieldOfView(s.BackWidth(), s.Focal)
		v.Camera.Up = 2 * math.Atan(math.Tan(across/2)/c.Aspect)
	}
	v.ShiftAcross, v.ShiftUp = s.ShiftAcross/focal, s.ShiftUp/focal
	if s.FNumber > 0 {
		v.Lens, v.Focus = focal/1000/s.FNumber/2, s.Focus
	}
	return v
}

// Sharpness returns from where to where the set-up camera is sharp, in metres; false if everything is.
func (s Setup) Sharpness(c scene.Camera) (near, far float64, limited bool) {
	if s.FNumber == 0 || s.shaped(c).Height > 0 {
		return 0, math.Inf(1), false
	}
	near, far = lens.Sharpness(s.FocalOf(c), s.FNumber, lens.Circle(s.BackWidth()), s.Focus)
	return near, far, true
}

// Window returns what a size shows.
func (v View) Window(f raster.Fit, s raster.Size, pixelAspect float64) raster.Window {
	if v.Panorama {
		return raster.Window{
			Left:    -math.Pi,
			Right:   math.Pi,
			Bottom:  -math.Pi / 2,
			Top:     math.Pi / 2,
			Picture: image.Rect(0, 0, s.Width, s.Height),
		}
	}
	var w raster.Window
	if v.Camera.Height > 0 {
		w = f.Window(s, pixelAspect, v.Camera.Height*v.Camera.Aspect/2, v.Camera.Height/2)
	} else {
		w = lens.AnglesOf(v.Camera.Up, v.Camera.Aspect).Window(f, s, pixelAspect)
	}
	w.Left, w.Right, w.Bottom, w.Top = w.Left+v.ShiftAcross, w.Right+v.ShiftAcross, w.Bottom+v.ShiftUp, w.Top+v.ShiftUp
	return w
}

// Projection returns the projection of a window of the view.
func (v View) Projection(w raster.Window, s raster.Size) lens.Projection {
	if v.Panorama {
		return lens.Panorama(v.Pose, s)
	}
	if v.Camera.Height > 0 {
		return lens.Parallel(v.Pose, w, s)
	}
	return lens.Project(v.Pose, w, s)
}

// Straightened levels a standing camera and shifts its lens instead, so that verticals stay vertical and what was in
// the middle of the picture stays there.
func (s Setup) Straightened(pose geom.Affine, c scene.Camera) (Setup, error) {
	if s.shaped(c).Height > 0 {
		return s, fmt.Errorf("verticals of an orthographic camera do not converge; level it by its tilt")
	}
	at := StandOf(pose)
	if s.Stand != nil {
		at = *s.Stand
	}
	focal := s.FocalOf(c)
	angle := radians(at.Tilt) + math.Atan(s.ShiftUp/focal)
	if math.Abs(lens.Degrees(angle)) > steepest {
		return s, fmt.Errorf(
			"it looks %.0f° up or down, more than the %.0f° that a shift can stand in for",
			math.Abs(lens.Degrees(angle)), steepest,
		)
	}
	at.Tilt, at.Roll = 0, 0
	s.Stand, s.ShiftUp = &at, focal*math.Tan(angle)
	return s, s.Check()
}
