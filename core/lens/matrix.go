package lens

import (
	"reelhouse/core/geom"
	"reelhouse/core/raster"
)

// A Matrix maps points as rows, with a 1 behind their coordinates: (x, y, z, 1) times the matrix. It stands line by
// line.
type Matrix [16]float64

// ToCamera returns the matrix that maps points of the world into the camera's axes, as OpenEXR's "Standard Attributes"
// have it for worldToCamera: x to its right, y up, and z along the view, so that what lies ahead has a z above 0. These
// axes are left-handed.
func (p Projection) ToCamera() Matrix {
	right, up, ahead := p.right.Unit(), p.up.Unit(), p.forward
	at := func(axis geom.Vec) float64 { return -p.position.Dot(axis) }
	return Matrix{
		right.X, up.X, ahead.X, 0,
		right.Y, up.Y, ahead.Y, 0,
		right.Z, up.Z, ahead.Z, 0,
		at(right), at(up), at(ahead), 1,
	}
}

// nearest is the distance ahead, in metres, that ToNDC maps to 0. Nothing is clipped there.
const nearest = 0.01

// ToNDC returns the matrix that maps points of the world, after division by the fourth number, into a picture of a
// size, as OpenEXR's "Standard Attributes" have it for worldToNDC: x from 0 to 1 from the left edge of the display
// window to its right one, y from 0 to 1 from its upper edge down. z is 0 at 1 cm ahead and 1 infinitely far; the
// fourth number is the distance ahead. Of an orthographic camera that is 1, and z the distance ahead. False for a
// camera that sees all around, which no matrix describes.
func (p Projection) ToNDC(size raster.Size) (Matrix, bool) {
	if p.around != (raster.Size{}) {
		return Matrix{}, false
	}
	across, down := 1/(p.right.Length()*float64(size.Width)), -1/(p.up.Length()*float64(size.Height))
	left, top := p.topLeft.Dot(p.right.Unit()), p.topLeft.Dot(p.up.Unit())
	// Columns of what the camera's axes become: x, y and depth.
	x := [4]float64{across, 0, -across * left, 0}
	y := [4]float64{0, down, -down * top, 0}
	z := [4]float64{0, 0, 1, -nearest}
	w := [4]float64{0, 0, 1, 0}
	if p.parallel {
		x[2], x[3] = 0, x[2]
		y[2], y[3] = 0, y[2]
		z[3], w = 0, [4]float64{0, 0, 0, 1}
	}
	camera := p.ToCamera()
	var out Matrix
	for row := range 4 {
		for column, c := range [4][4]float64{x, y, z, w} {
			m := camera[4*row : 4*row+4]
			out[4*row+column] = m[0]*c[0] + m[1]*c[1] + m[2]*c[2] + m[3]*c[3]
		}
	}
	return out, true
}
