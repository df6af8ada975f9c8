package screening

import (
	"fmt"
	"math"
	"strings"

	"reelhouse/core/geom"
	"reelhouse/core/imagefile"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// A Spot is where in the world what a pixel shows is.
type Spot struct {
	World [3]float64 `json:"world"` // metres, in world axes
	Depth float64    `json:"depth"` // metres ahead of the camera, along its axis; 0 if it is not known
	How   string     `json:"how"`   // what it was read from
}

// Distance returns how far two spots are apart, in metres.
func (s Spot) Distance(t Spot) float64 { return s.vec().Sub(t.vec()).Length() }

func (s Spot) vec() geom.Vec { return geom.Vec{X: s.World[0], Y: s.World[1], Z: s.World[2]} }

// SpotAt reads where in the world a pixel of a file of some passes is: from its position, or from its depth and what
// the file says of the camera (OpenEXR's standard attributes worldToNDC and worldToCamera). background is the depth
// where there is no surface, in metres. known is false where there is none, or nothing tells.
func SpotAt(
	f *picture.File, passes []pass.Code, style pass.DepthStyle, background float64, x, y int,
) (s Spot, known bool, err error) {
	h := f.Headers[0]
	if x < 0 || y < 0 || x >= h.Width() || y >= h.Height() {
		return s, false, fmt.Errorf("pixel %d, %d %w of %d × %d", x, y, ErrOutside, h.Width(), h.Height())
	}
	p, err := f.Lines(0, y, y+1)
	if err != nil {
		return s, false, err
	}
	line := picture.Named(p.Image, passes)
	value := func(channel string) (float64, bool) {
		plane := line.Plane(channel)
		if plane == nil {
			return 0, false
		}
		return float64(plane.Data[x]), true
	}
	camera, hasCamera := h.Attributes.Get("worldToCamera").(imagefile.M44f)
	if px, ok := value("position.X"); ok {
		py, _ := value("position.Y")
		pz, _ := value("position.Z")
		s.World, s.How = [3]float64{px, py, pz}, "position pass"
		if px == 0 && py == 0 && pz == 0 {
			return s, false, nil // there is no surface
		}
		if hasCamera {
			s.Depth = px*float64(camera[2]) + py*float64(camera[6]) + pz*float64(camera[10]) + float64(camera[14])
		}
		return s, true, nil
	}
	depth, ok := value("depth.Z")
	ndc, hasNDC := h.Attributes.Get("worldToNDC").(imagefile.M44f)
	if !ok || !hasNDC || !hasCamera {
		return s, false, nil
	}
	if s.Depth = style.Metres(depth); s.Depth >= background || style.Picture && (depth <= 0 || depth >= 1) {
		return s, false, nil // there is no surface, or it was clipped
	}
	u := (float64(x+h.DataWindow.Min.X-h.DisplayWindow.Min.X) + 0.5) / float64(h.DisplayWindow.Dx())
	v := (float64(y+h.DataWindow.Min.Y-h.DisplayWindow.Min.Y) + 0.5) / float64(h.DisplayWindow.Dy())
	s.World, known = seenAt(ndc, camera, u, v, s.Depth)
	s.How = "depth pass, and the camera that the file tells of"
	return s, known, nil
}

// seenAt returns the place that is seen at a point of the display window, so far ahead: it solves what the matrices
// say.
func seenAt(ndc, camera imagefile.M44f, u, v, depth float64) ([3]float64, bool) {
	var rows [3][4]float64 // three equations of x, y and z
	for i := range 4 {
		n := func(column int) float64 { return float64(ndc[4*i+column]) }
		sign := 1.0
		if i == 3 {
			sign = -1
		}
		rows[0][i] = sign * (n(0) - u*n(3))
		rows[1][i] = sign * (n(1) - v*n(3))
		rows[2][i] = sign * float64(camera[4*i+2])
	}
	rows[2][3] += depth
	for c := range 3 { // Gauss, with the largest pivot
		best := c
		for r := c; r < 3; r++ {
			if math.Abs(rows[r][c]) > math.Abs(rows[best][c]) {
				best = r
			}
		}
		rows[c], rows[best] = rows[best], rows[c]
		if math.Abs(rows[c][c]) < 1e-12 {
			return [3]float64{}, false
		}
		for r := range 3 {
			if r == c {
				continue
			}
			by := rows[r][c] / rows[c][c]
			for k := c; k < 4; k++ {
				rows[r][k] -= by * rows[c][k]
			}
		}
	}
	return [3]float64{rows[0][3] / rows[0][0], rows[1][3] / rows[1][1], rows[2][3] / rows[2][2]}, true
}

// An Extent is how large something is that is seen: the box round all of its pixels, in world axes.
type Extent struct {
	Least  [3]float64 `json:"least"` // metres
	Most   [3]float64 `json:"most"`
	Pixels int        `json:"pixels"`
}

// Size returns its width, height and depth along the world's axes, in metres.
func (e Extent) Size() [3]float64 {
	return [3]float64{e.Most[0] - e.Least[0], e.Most[1] - e.Least[1], e.Most[2] - e.Least[2]}
}

// ExtentOf returns the box round the positions of pixels that are covered by more than half. Only what is seen counts.
func ExtentOf(position *pixel.Image, coverage []float32) (e Extent) {
	var planes [3][]float32
	for _, p := range position.Planes {
		if i := strings.Index("XYZ", strings.TrimPrefix(p.Name, string(pass.Position)+".")); i >= 0 &&
			strings.HasPrefix(p.Name, string(pass.Position)+".") {
			planes[i] = p.Data
		}
	}
	if planes[0] == nil || planes[1] == nil || planes[2] == nil {
		return e
	}
	for i, covered := range coverage {
		at := [3]float64{float64(planes[0][i]), float64(planes[1][i]), float64(planes[2][i])}
		if covered <= 0.5 || at == [3]float64{} {
			continue
		}
		for c, v := range at {
			if e.Pixels == 0 || v < e.Least[c] {
				e.Least[c] = v
			}
			if e.Pixels == 0 || v > e.Most[c] {
				e.Most[c] = v
			}
		}
		e.Pixels++
	}
	return e
}
