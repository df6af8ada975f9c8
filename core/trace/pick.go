package trace

import (
	"image"
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// A Picked is what lies at a point of a picture.
type Picked struct {
	Found    bool
	Point    geom.Vec // of the world, in metres
	Distance float64  // from the camera, in metres
	Depth    float64  // along the camera's axis, in metres, as the depth pass has it
	Object   string
	Material string
	Normal   geom.Vec
}

// Pick returns what the named camera shows at a point of its picture, in pixels from the top left corner. Nothing is
// found in the sky, and in bars beside the picture.
func (w *World) Pick(name string, s Settings, x, y float64) (Picked, error) {
	_, window, projection, err := w.aim(name, s)
	if err != nil {
		return Picked{}, err
	}
	if !image.Pt(int(math.Floor(x)), int(math.Floor(y))).In(window.Picture) {
		return Picked{}, nil
	}
	origin, direction := projection.Ray(x, y)
	t := w.tracer()
	var h hit
	if !t.seenFirst(origin, direction, &h) {
		return Picked{}, nil
	}
	surf := t.surface(origin, direction, &h, 0)
	return Picked{
		Found: true, Point: surf.point, Distance: h.distance, Depth: projection.Depth(surf.point),
		Object: w.model.scene.Nodes[h.node()].Name, Material: surf.material.Name, Normal: surf.normal,
	}, nil
}

// A Sight is what is strange about where a camera stands.
type Sight struct {
	Inside string // the object that it stands in, "" for none
	Blank  bool   // it sees no surface at all
}

// Samples of what a camera sees.
const (
	sightColumns = 32
	sightRows    = 18
	// share of directions in which the camera sees one object from behind that it is then said to stand in
	insideLeast = 0.9
)

// Sight finds out whether the named camera stands inside an object, or sees nothing.
func (w *World) Sight(name string, s Settings) (Sight, error) {
	view, window, projection, err := w.aim(name, s)
	if err != nil {
		return Sight{}, err
	}
	out := Sight{Blank: true}
	t := w.tracer()
	t.grid(window.Picture, projection, sightColumns, sightRows, func(_, _ geom.Vec, _ *hit, found bool) bool {
		out.Blank = !found
		return found
	})
	behind := map[int]int{}
	directions := 0
	for y := range 6 {
		for x := range 12 {
			d := direction((float64(x)+0.5)/12, (float64(y)+0.5)/6)
			directions++
			var h hit
			if !t.first(view.Pose.Origin, d, math.Inf(1), &h) {
				continue
			}
			if t.surface(view.Pose.Origin, d, &h, 0).inside {
				behind[h.node()]++
			}
		}
	}
	for node, n := range behind {
		if float64(n) >= insideLeast*float64(directions) {
			out.Inside = nameOf(w.model.scene.Nodes[node])
		}
	}
	return out, nil
}

func nameOf(n scene.Node) string {
	if n.Name == "" {
		return "an object without a name"
	}
	return n.Name
}
