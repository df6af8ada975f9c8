// Package lens turns focal lengths and film backs into angles, and pixels into rays.
//
// With a film back b and a focal length f, both in millimetres, the field of view is 2 atan(b / 2f):
// on a back 36 mm wide, 50 mm sees 39.598 degrees and 35 mm sees 54.432 degrees across.
package lens

import (
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/raster"
)

// BackWidth is the film back, in millimetres across, by which a focal length is given for a camera
// that states only an angle. 36 mm is common practice.
const BackWidth = 36.0

// FieldOfView returns the angle in radians that a focal length sees over a film back, both in
// millimetres.
func FieldOfView(back, focal float64) float64 { return 2 * math.Atan(back/(2*focal)) }

// FocalLength returns the focal length in millimetres that sees the angle in radians over a film back.
func FocalLength(back, angle float64) float64 { return back / (2 * math.Tan(angle/2)) }

// Circle returns the diameter in millimetres of a spot that still counts as sharp, on a film back of a width: a
// twelve-hundredth of it, 0.03 mm on 36 mm, as is common practice.
func Circle(back float64) float64 { return back / 1200 }

// Hyperfocal returns the focus distance in metres from which on everything far away is sharp: f²/(N c) + f, for a
// focal length and a circle in millimetres.
func Hyperfocal(focal, fNumber, circle float64) float64 {
	return (focal*focal/(fNumber*circle) + focal) / 1000
}

// Sharpness returns from where to where a lens is sharp that is focused at a distance, in metres:
// s (H − f)/(H + s − 2f) and s (H − f)/(H − s), and without an end from the hyperfocal distance H on.
func Sharpness(focal, fNumber, circle, focus float64) (near, far float64) {
	h, f := Hyperfocal(focal, fNumber, circle), focal/1000
	near = focus * (h - f) / (h + focus - 2*f)
	if focus >= h {
		return near, math.Inf(1)
	}
	return near, focus * (h - f) / (h - focus)
}

// Degrees turns radians into degrees.
func Degrees(radians float64) float64 { return radians * 180 / math.Pi }

// Angles is what a camera sees: the angles in radians across and up.
type Angles struct{ Across, Up float64 }

// AnglesOf returns the angles of a camera that sees up radians vertically, in a picture whose width
// over height is aspect.
func AnglesOf(up, aspect float64) Angles {
	return Angles{2 * math.Atan(math.Tan(up/2)*aspect), up}
}

// FocalLength returns the focal length in millimetres on a back BackWidth wide.
func (a Angles) FocalLength() float64 { return FocalLength(BackWidth, a.Across) }

// Window returns what a size shows of the camera's picture; see raster.Fit.
func (a Angles) Window(f raster.Fit, s raster.Size, pixelAspect float64) raster.Window {
	return f.Window(s, pixelAspect, math.Tan(a.Across/2), math.Tan(a.Up/2))
}

// AnglesIn returns the angles across and up that a window spans.
func AnglesIn(w raster.Window) Angles {
	return Angles{math.Atan(w.Right) - math.Atan(w.Left), math.Atan(w.Top) - math.Atan(w.Bottom)}
}

// A Projection sends rays through the pixels of a picture.
type Projection struct {
	position           geom.Vec
	forward            geom.Vec    // unit, along the view
	right, up, topLeft geom.Vec    // one pixel across, one pixel up, the picture's corner, 1 m ahead
	parallel           bool        // rays; then the three above are at the camera itself, in metres
	around             raster.Size // of a picture of all directions; then the three above are the camera's axes
}

// Project returns the projection of a camera with its pose in the world (looking along its own -Z; a
// scale in the pose is ignored) for a picture of a size that shows a window.
func Project(pose geom.Affine, window raster.Window, size raster.Size) Projection {
	right, top, forward := pose.X.Unit(), pose.Y.Unit(), pose.Z.Unit().Scale(-1)
	return Projection{
		position: pose.Origin,
		forward:  forward,
		right:    right.Scale(window.Width() / float64(size.Width)),
		up:       top.Scale(window.Height() / float64(size.Height)),
		topLeft:  forward.Add(right.Scale(window.Left)).Add(top.Scale(window.Top)),
	}
}

// Parallel returns the projection of an orthographic camera: all of its rays run the same way. The window is in metres.
func Parallel(pose geom.Affine, window raster.Window, size raster.Size) Projection {
	p := Project(pose, window, size)
	p.topLeft, p.parallel = p.topLeft.Sub(p.forward), true
	return p
}

// Panorama returns the projection of a camera that sees all directions: an equirectangular picture, with its forward
// direction in the middle, what is to its right to the right of that, and its up at the top.
func Panorama(pose geom.Affine, size raster.Size) Projection {
	return Projection{
		position: pose.Origin,
		right:    pose.X.Unit(),
		up:       pose.Y.Unit(),
		forward:  pose.Z.Unit().Scale(-1),
		around:   size,
	}
}

// Between returns what lies between two projections of one kind: at 0 the first and at 1 the second.
func Between(a, b Projection, at float64) Projection {
	a.position, a.forward = a.position.Lerp(b.position, at), a.forward.Lerp(b.forward, at).Unit()
	a.right, a.up, a.topLeft = a.right.Lerp(b.right, at), a.up.Lerp(b.up, at), a.topLeft.Lerp(b.topLeft, at)
	return a
}

// PixelAngle returns how wide a pixel in the middle of the picture is: in radians, or of parallel rays 0, whose pixels
// are metres wide everywhere.
func (p Projection) PixelAngle() float64 {
	switch {
	case p.around != raster.Size{}:
		return 2 * math.Pi / float64(p.around.Width)
	case p.parallel:
		return 0
	}
	return p.right.Length()
}

// Ray returns the origin and the unit direction of the ray through a point of the picture, in pixels
// from its top left corner; the centre of the first pixel is 0.5, 0.5.
func (p Projection) Ray(x, y float64) (origin, direction geom.Vec) {
	if p.around != (raster.Size{}) {
		heading, tilt := 2*math.Pi*(x/float64(p.around.Width)-0.5), math.Pi*(0.5-y/float64(p.around.Height))
		sin, cos := math.Sincos(heading)
		level := p.forward.Scale(cos).Add(p.right.Scale(sin)).Scale(math.Cos(tilt))
		return p.position, level.Add(p.up.Scale(math.Sin(tilt))).Unit()
	}
	if p.parallel {
		return p.position.Add(p.topLeft).Add(p.right.Scale(x)).Sub(p.up.Scale(y)), p.forward
	}
	return p.position, p.topLeft.Add(p.right.Scale(x)).Sub(p.up.Scale(y)).Unit()
}

// Blurred returns the ray through a point of the picture from a place on a lens of a radius in metres: u and v, 0 to 1,
// choose the place. All such rays meet in the plane that lies focus metres ahead.
func (p Projection) Blurred(x, y, radius, focus, u, v float64) (origin, direction geom.Vec) {
	origin, direction = p.Ray(x, y)
	met := origin.Add(direction.Scale(focus / direction.Dot(p.forward)))
	r, angle := radius*math.Sqrt(u), 2*math.Pi*v
	origin = origin.Add(p.right.Unit().Scale(r * math.Cos(angle))).Add(p.up.Unit().Scale(r * math.Sin(angle)))
	return origin, met.Sub(origin).Unit()
}

// Pixel returns where a point of the world lies in the picture, in pixels from its top left corner; false if it lies
// behind the camera.
func (p Projection) Pixel(point geom.Vec) (x, y float64, ahead bool) {
	rel := point.Sub(p.position)
	if p.around != (raster.Size{}) {
		if rel = rel.Unit(); rel == (geom.Vec{}) {
			return 0, 0, false
		}
		heading, tilt := math.Atan2(rel.Dot(p.right), rel.Dot(p.forward)), math.Asin(min(1, max(-1, rel.Dot(p.up))))
		return (heading/(2*math.Pi) + 0.5) * float64(
			p.around.Width,
		), (0.5 - tilt/math.Pi) * float64(p.around.Height), true
	}
	depth := rel.Dot(p.forward)
	if !p.parallel {
		if depth <= 0 {
			return 0, 0, false
		}
		rel = rel.Scale(1 / depth)
	}
	rel = rel.Sub(p.topLeft)
	return rel.Dot(p.right) / p.right.Dot(p.right), -rel.Dot(p.up) / p.up.Dot(p.up), depth > 0
}

// InCamera returns a direction of the world in the camera's axes: to its right, up, and towards it.
func (p Projection) InCamera(direction geom.Vec) geom.Vec {
	return geom.Vec{X: direction.Dot(p.right.Unit()), Y: direction.Dot(p.up.Unit()), Z: -direction.Dot(p.forward)}
}

// Depth returns how far a point lies ahead of the camera, in metres along the viewing axis; of a camera that sees all
// around, how far away.
func (p Projection) Depth(point geom.Vec) float64 {
	if p.around != (raster.Size{}) {
		return point.Sub(p.position).Length()
	}
	return point.Sub(p.position).Dot(p.forward)
}
