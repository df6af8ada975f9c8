// Package floorplan draws a scene from above or from a side, to scale: outlines of objects, lights, and cameras with
// what they see.
//
// A drawing's coordinates are metres: to the right, and downwards on the page. From above, north (-Z) is at the top.
package floorplan

import (
	"cmp"
	"math"
	"slices"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
)

// A Side is where the scene is looked at from.
type Side string

// The sides.
const (
	Above Side = "above" // north at the top
	South Side = "south" // west on the left
	East  Side = "east"  // south on the left
)

// Sides returns all of them.
func Sides() []Side { return []Side{Above, South, East} }

// A Point is a place on the drawing.
type Point struct{ X, Y float64 }

// Flat returns where a point of the scene is drawn.
func (s Side) Flat(p geom.Vec) Point {
	switch s {
	case South:
		return Point{p.X, -p.Y}
	case East:
		return Point{-p.Z, -p.Y}
	}
	return Point{p.X, p.Z}
}

// Limits of a drawing.
const (
	MostOutlines = 400  // the largest are drawn
	mostPoints   = 4000 // of a mesh; larger ones are drawn by their box
	pathSteps    = 48
	smallest     = 4.0  // metres that a drawing spans at least
	margin       = 0.15 // around what is to be seen
	reach        = 0.35 // of the drawing, that a view without an end is drawn to
	nose         = 0.13 // of that
)

// An Eye is a view whose camera is drawn.
type Eye struct {
	Code, Camera string
	Setup        camera.Setup
	Frame        float64 // at which a camera with keys is drawn
	Size         raster.Size
	Fit          raster.Fit
	PixelAspect  float64
}

// A Plan is a drawing.
type Plan struct {
	Side                  Side
	Left, Top, Wide, High float64
	Grid                  float64 // metres between its lines: 1, 2 or 5 times a power of ten
	Columns, Rows         []float64
	Outlines              []Outline
	Lights                []Mark
	Eyes                  []Seen
}

// An Outline is the shape of an object.
type Outline struct {
	Name   string
	Points []Point
	Moves  bool
}

// A Mark is a named place.
type Mark struct {
	Name string
	At   Point
}

// A Seen is a camera with what it sees.
type Seen struct {
	Code  string
	At    Point
	Ahead Point   // a place straight ahead, at the drawing's reach
	Nose  Point   // a little ahead, to show which way it looks
	Cone  []Point // the camera and the far corners of what it sees, for the size that was asked for
	// across what it sees: where it is focused, and where sharpness begins and ends, as far as that is drawn
	Sharp  [][2]Point
	Path   []Point   // that it takes over the range; none if it stands
	Keys   []KeyMark // of a motion of the view's own
	Locked bool
}

// A KeyMark is where the camera is at a key.
type KeyMark struct {
	Frame int
	At    Point
}

// Draw draws the scene at a time in seconds. Paths run from begin to end. all says to show everything; otherwise the
// drawing shows where the cameras are, and what lies between them.
func Draw(s *scene.Scene, side Side, seconds, begin, end float64, eyes []Eye, all bool) Plan {
	pose := s.At(seconds)
	p := Plan{Side: side}
	moving := s.Moving()
	box := empty()
	for _, i := range pose.Shown {
		n := s.Nodes[i]
		if n.Light != scene.None && s.Lights[n.Light].Kind != scene.Sun {
			p.Lights = append(p.Lights, Mark{s.Lights[n.Light].Name, side.Flat(pose.World[i].Origin)})
		}
		if n.Mesh == scene.None {
			continue
		}
		o := Outline{Name: n.Name, Moves: moving[i], Points: outline(s, i, pose, side)}
		if len(o.Points) == 0 {
			continue
		}
		p.Outlines = append(p.Outlines, o)
		if all {
			box.add(o.Points...)
		}
	}
	slices.SortStableFunc(p.Outlines, func(a, b Outline) int { return cmp.Compare(area(b.Points), area(a.Points)) })
	p.Outlines = p.Outlines[:min(len(p.Outlines), MostOutlines)]
	type placed struct {
		eye  Eye
		view camera.View
	}
	var views []placed
	var travels []travel
	for _, e := range eyes {
		source, err := camera.SourceOf(s, e.Camera)
		if err != nil {
			continue
		}
		v := e.Setup.At(e.Frame).Of(source.Pose(pose), source.Optics)
		seen := Seen{Code: e.Code, At: side.Flat(v.Pose.Origin), Locked: e.Setup.Locked}
		t := travel{eye: len(p.Eyes), source: source, begin: begin, end: end}
		if m := e.Setup.Motion; m != nil {
			for _, k := range m.Keys {
				seen.Keys = append(seen.Keys, KeyMark{k.Frame, side.Flat(k.Stand.Position)})
				box.add(side.Flat(k.Stand.Position))
			}
			first, last := m.Span()
			t.motion, t.begin, t.end = &e.Setup, float64(first), float64(last)
		}
		if moves := source.Moves(moving) && e.Setup.Stand == nil || t.motion != nil; moves && t.end > t.begin {
			travels = append(travels, t)
		}
		box.add(seen.At)
		if v.Lens > 0 {
			box.add(side.Flat(v.Pose.Point(geom.Vec{Z: -v.Focus})))
		}
		views = append(views, placed{e, v})
		p.Eyes = append(p.Eyes, seen)
	}
	for k := 0; k <= pathSteps && len(travels) > 0; k++ {
		pose := s.At(begin + (end-begin)*float64(k)/pathSteps)
		for _, t := range travels {
			eye := &p.Eyes[t.eye]
			eye.Path = append(eye.Path, side.Flat(t.at(pose, float64(k)/pathSteps)))
			box.add(eye.Path[k])
		}
	}
	p.frame(box)
	length := reach * max(p.Wide, p.High)
	for k, at := range views {
		e, length := &p.Eyes[k], max(length, 1.2*at.view.Focus)
		e.Ahead, e.Cone = cone(side, at.view, at.eye, length)
		e.Sharp = sharp(side, at.view, at.eye, length)
		e.Nose = Point{e.At.X + nose*(e.Ahead.X-e.At.X), e.At.Y + nose*(e.Ahead.Y-e.At.Y)}
	}
	return p
}

// A travel is the way of a camera: from its begin to its end, in seconds, or in frames of a motion of its own.
type travel struct {
	eye        int
	source     camera.Source
	motion     *camera.Setup // nil for one that moves as in the scene
	begin, end float64
}

// at returns where the camera is after a part of its way, of which the scene has a pose.
func (t travel) at(pose scene.Pose, part float64) geom.Vec {
	if t.motion == nil {
		return t.source.Pose(pose).Origin
	}
	return t.motion.At(t.begin + (t.end-t.begin)*part).Stand.Position
}

// outline returns the hull of a node's mesh on the drawing.
func outline(s *scene.Scene, node int, pose scene.Pose, side Side) []Point {
	mesh, to := s.Shape(node, pose)
	var flat []Point
	for _, part := range mesh.Parts {
		if len(part.Positions) > mostPoints {
			box := geom.EmptyBox()
			for _, v := range part.Positions {
				box = box.AddPoint(v)
			}
			for _, corner := range box.Corners() {
				flat = append(flat, side.Flat(to.Point(corner)))
			}
			continue
		}
		for _, v := range part.Positions {
			flat = append(flat, side.Flat(to.Point(v)))
		}
	}
	return Hull(flat)
}

// Hull returns the convex hull of points, by Andrew's monotone chain (1979).
func Hull(points []Point) []Point {
	points = slices.Clone(points)
	slices.SortFunc(points, func(a, b Point) int {
		if a.X != b.X {
			return cmp.Compare(a.X, b.X)
		}
		return cmp.Compare(a.Y, b.Y)
	})
	points = slices.Compact(points)
	if len(points) < 3 {
		return points
	}
	cross := func(o, a, b Point) float64 { return (a.X-o.X)*(b.Y-o.Y) - (a.Y-o.Y)*(b.X-o.X) }
	half := func(in []Point) []Point {
		var out []Point
		for _, q := range in {
			for len(out) > 1 && cross(out[len(out)-2], out[len(out)-1], q) <= 0 {
				out = out[:len(out)-1]
			}
			out = append(out, q)
		}
		return out[:len(out)-1]
	}
	lower := half(points)
	slices.Reverse(points)
	return append(lower, half(points)...)
}

func area(points []Point) float64 {
	sum := 0.0
	for i, a := range points {
		b := points[(i+1)%len(points)]
		sum += a.X*b.Y - b.X*a.Y
	}
	return math.Abs(sum) / 2
}

// cone returns the place ahead of a view, and the hull of its camera and the far corners of what it sees.
func cone(side Side, v camera.View, e Eye, length float64) (Point, []Point) {
	w := v.Window(e.Fit, e.Size, max(e.PixelAspect, 1e-9))
	projection := v.Projection(w, e.Size)
	wide, high := float64(e.Size.Width), float64(e.Size.Height)
	forward := v.Pose.Z.Unit().Scale(-1)
	var corners []Point
	for _, c := range [4][2]float64{{0, 0}, {wide, 0}, {wide, high}, {0, high}} {
		origin, direction := projection.Ray(c[0], c[1])
		far := length / max(0.05, direction.Dot(forward))
		corners = append(corners, side.Flat(origin), side.Flat(origin.Add(direction.Scale(far))))
	}
	return side.Flat(v.Pose.Origin.Add(forward.Scale(length))), Hull(corners)
}

// sharp returns lines across a view: at its focus, and at the limits of its sharpness.
func sharp(side Side, v camera.View, e Eye, length float64) [][2]Point {
	if v.Lens == 0 {
		return nil
	}
	w := v.Window(e.Fit, e.Size, max(e.PixelAspect, 1e-9))
	projection := v.Projection(w, e.Size)
	forward := v.Pose.Z.Unit().Scale(-1)
	near, far, _ := e.Setup.Sharpness(v.Camera)
	var lines [][2]Point
	for _, distance := range []float64{v.Focus, near, far} {
		if distance > length {
			continue
		}
		var line [2]Point
		for i, x := range []float64{0, float64(e.Size.Width)} {
			origin, direction := projection.Ray(x, float64(e.Size.Height)/2)
			line[i] = side.Flat(origin.Add(direction.Scale(distance / direction.Dot(forward))))
		}
		lines = append(lines, line)
	}
	return lines
}

type bounds struct{ left, top, right, bottom float64 }

func empty() *bounds {
	return &bounds{math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)}
}

func (b *bounds) add(points ...Point) {
	for _, p := range points {
		b.left, b.right = min(b.left, p.X), max(b.right, p.X)
		b.top, b.bottom = min(b.top, p.Y), max(b.bottom, p.Y)
	}
}

// Shape of a drawing: its width over its height.
const Shape = 1.5

// frame settles what the drawing shows: the box with a margin, in its shape.
func (p *Plan) frame(b *bounds) {
	if b.left > b.right {
		*b = bounds{}
	}
	wide, high := max(smallest, (b.right-b.left)*(1+2*margin)), max(smallest/Shape, (b.bottom-b.top)*(1+2*margin))
	wide = max(wide, high*Shape)
	high = wide / Shape
	p.Left, p.Top, p.Wide, p.High = (b.left+b.right-wide)/2, (b.top+b.bottom-high)/2, wide, high
	p.Grid = Step(wide / 12)
	for x := math.Ceil(p.Left/p.Grid) * p.Grid; x < p.Left+p.Wide; x += p.Grid {
		p.Columns = append(p.Columns, x)
	}
	for y := math.Ceil(p.Top/p.Grid) * p.Grid; y < p.Top+p.High; y += p.Grid {
		p.Rows = append(p.Rows, y)
	}
}

// Step returns the smallest of 1, 2 and 5 times a power of ten that is no smaller than a length.
func Step(least float64) float64 {
	power := math.Pow(10, math.Floor(math.Log10(least)))
	for _, n := range []float64{1, 2, 5} {
		if n*power >= least*(1-1e-9) {
			return n * power
		}
	}
	return 10 * power
}
