package edit

import (
	"fmt"
	"math"

	"reelhouse/core/camera"
	"reelhouse/core/floorplan"
	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/production"
)

// movable returns a view whose camera may be moved, and how it stands at a frame.
func movable(p *production.Production, k Known, code string, frame int) (*production.View, standing, error) {
	i, err := viewAt(p, code)
	if err != nil {
		return nil, standing{}, err
	}
	v := &p.Views[i]
	if v.Setup.Locked {
		return nil, standing{}, locked(*v)
	}
	if err := (SetView{}).heldBy(rigOf(p, *v), v.Rig != "", *v, []string{""}, false); err != nil {
		return nil, standing{}, err
	}
	t, err := standingOf(p, k, *v, frame)
	return v, t, err
}

// moveView changes where a view's camera stands. change is told how it stands at the frame. Of a camera that moves by
// keys, that changes the key at that frame, or sets one.
func moveView(p *production.Production, k Known, code string, frame int,
	change func(v *production.View, t standing) error) error {
	v, t, err := movable(p, k, code, frame)
	if err != nil {
		return err
	}
	if err := keyed(v, frame, func() error { return change(v, t) }); err != nil {
		return err
	}
	return followPairs(p, k, frame)
}

// keyed lets change set up a view's camera as if it stood still, and keeps what it did at a frame: as a key, if it
// moves by keys. A key that aims at something goes on to, unless the camera was turned.
func keyed(v *production.View, frame int, change func() error) error {
	moving := v.Setup
	if moving.Motion == nil {
		return change()
	}
	was := moving.Motion.At(float64(frame))
	v.Setup = moving.At(float64(frame))
	still := v.Setup
	before := *still.Stand
	if err := change(); err != nil {
		return err
	}
	now := v.Setup
	if now.Stand == nil { // it is to stand or move as in the scene
		return nil
	}
	key, there := moving.Motion.Find(frame)
	if !there {
		key = was
		key.Frame, key.Ease = frame, camera.Smooth
	}
	key.Stand = *now.Stand
	if now.Focal != still.Focal {
		key.Focal = now.Focal
	}
	if now.Focus != still.Focus {
		key.Focus = now.Focus
	}
	if key.Stand.Heading != before.Heading || key.Stand.Tilt != before.Tilt {
		key.Aim = nil
	}
	key, err := aimed(key)
	if err != nil {
		return err
	}
	v.Setup.Stand, v.Setup.Focal, v.Setup.Focus = nil, moving.Focal, moving.Focus
	if key.Focal != 0 && v.Setup.Focal == 0 {
		v.Setup.Focal = still.Focal
	}
	v.Setup.Motion = moving.Motion.With(key)
	return nil
}

func rigOf(p *production.Production, v production.View) camera.Rig {
	r, _ := p.FindRig(v.Rig)
	return r
}

// ResetView lets a view's camera stand as it does in the scene.
type ResetView struct {
	View  string `json:"view" role:"of"`
	Frame int    `json:"frame,omitempty"`
}

func (ResetView) Name() string                          { return "view.reset" }
func (c ResetView) Part() string                        { return "view " + c.View }
func (c ResetView) words() string                       { return "view " + c.View + " as in the scene" }
func (c ResetView) needs(p production.Production) Needs { return needScene(p) }

func (c ResetView) apply(p *production.Production, k Known) error {
	return moveView(p, k, c.View, c.Frame, func(v *production.View, _ standing) error {
		if v.Camera == "" {
			return fmt.Errorf("view %s has no camera of the scene that it could stand as", v.Code)
		}
		v.Setup.Stand = nil
		return nil
	})
}

// StraightenView makes verticals vertical by lens shift.
type StraightenView struct {
	View  string `json:"view" role:"of"`
	Frame int    `json:"frame,omitempty"`
}

func (StraightenView) Name() string                          { return "view.straighten" }
func (c StraightenView) Part() string                        { return "view " + c.View }
func (c StraightenView) needs(p production.Production) Needs { return needScene(p) }

func (c StraightenView) apply(p *production.Production, k Known) error {
	return moveView(p, k, c.View, c.Frame, func(v *production.View, t standing) error {
		if !v.Setup.Own() && t.moves {
			return fmt.Errorf(
				"%s moves in the scene; type a number of its position first, then it stands still", v.Camera,
			)
		}
		straight, err := v.Setup.Straightened(t.pose, t.optics)
		if err == nil {
			straight.ShiftUp = tidy(straight.ShiftUp)
			v.Setup = straight
		}
		return err
	})
}

// DollyZoom changes the focal length of a view, and moves its camera so that what lies at a distance keeps its size.
type DollyZoom struct {
	View        string  `json:"view" role:"of"`
	Frame       int     `json:"frame,omitempty"`
	FocalLength float64 `json:"focalLength" label:"focal length" unit:"mm"`
	Distance    float64 `json:"distance" unit:"m"`
}

func (DollyZoom) Name() string   { return "view.dolly-zoom" }
func (c DollyZoom) Part() string { return "view " + c.View }
func (c DollyZoom) words() string {
	return fmt.Sprintf("dolly zoom of view %s to %g mm", c.View, c.FocalLength)
}
func (c DollyZoom) needs(p production.Production) Needs { return needScene(p) }

func (c DollyZoom) apply(p *production.Production, k Known) error {
	return moveView(p, k, c.View, c.Frame, func(v *production.View, t standing) error {
		then, err := v.Setup.Dollied(t.pose, t.optics, c.FocalLength, c.Distance)
		if err == nil {
			v.Setup = then
		}
		return err
	})
}

// PlaceView puts a view's camera where it was dragged on the plan.
type PlaceView struct {
	View  string  `json:"view" role:"of"`
	Frame int     `json:"frame,omitempty"`
	Side  string  `json:"side"` // of the plan, as floorplan.Side
	X     float64 `json:"x"`    // of the plan, metres
	Y     float64 `json:"y"`
}

func (PlaceView) Name() string                          { return "view.place" }
func (c PlaceView) Part() string                        { return "view " + c.View }
func (c PlaceView) words() string                       { return "move camera of view " + c.View }
func (c PlaceView) needs(p production.Production) Needs { return needScene(p) }

func (c PlaceView) apply(p *production.Production, k Known) error {
	return moveView(p, k, c.View, c.Frame, func(v *production.View, t standing) error {
		stand := t.stand
		at, err := dragged(floorplan.Side(c.Side), stand.Position, c.X, c.Y)
		stand.Position = at
		v.Setup.Stand = &stand
		return err
	})
}

// HeadView turns a view's camera to a point of the plan from above.
type HeadView struct {
	View  string  `json:"view" role:"of"`
	Frame int     `json:"frame,omitempty"`
	X     float64 `json:"x"` // east, metres
	Z     float64 `json:"z"` // south, metres
}

func (HeadView) Name() string                          { return "view.head" }
func (c HeadView) Part() string                        { return "view " + c.View }
func (c HeadView) words() string                       { return "turn camera of view " + c.View }
func (c HeadView) needs(p production.Production) Needs { return needScene(p) }

func (c HeadView) apply(p *production.Production, k Known) error {
	return moveView(p, k, c.View, c.Frame, func(v *production.View, t standing) error {
		stand := t.stand
		heading := lens.Degrees(math.Atan2(c.X-stand.Position.X, -(c.Z - stand.Position.Z)))
		stand.Heading = tidy(math.Mod(heading+360, 360))
		v.Setup.Stand = &stand
		return nil
	})
}

// AimView turns a view's camera to an object of the scene by its name, or to a point.
type AimView struct {
	View   string `json:"view" role:"of"`
	Frame  int    `json:"frame,omitempty"`
	Object string `json:"object,omitempty"`
	Point  string `json:"point,omitempty"` // three numbers of metres: east, up, south
}

func (AimView) Name() string                          { return "view.aim" }
func (c AimView) Part() string                        { return "view " + c.View }
func (c AimView) needs(p production.Production) Needs { return needScene(p) }

func (c AimView) words() string {
	if c.Object != "" {
		return "aim view " + c.View + " at " + c.Object
	}
	return "aim view " + c.View
}

func (c AimView) apply(p *production.Production, k Known) error {
	var target geom.Vec
	err := moveView(p, k, c.View, c.Frame, func(v *production.View, t standing) (err error) {
		var field string
		if target, field, err = c.target(p, k); err != nil {
			return wrong(field, err)
		}
		aimed, err := t.stand.Aimed(target)
		if err != nil {
			return wrong(field, err)
		}
		aimed.Heading, aimed.Tilt = tidy(aimed.Heading), tidy(aimed.Tilt)
		v.Setup.Stand = &aimed
		return nil
	})
	if err != nil {
		return err
	}
	i, err := viewAt(p, c.View)
	if m := p.Views[i].Setup.Motion; err == nil && m != nil { // the key goes on to look there
		key, _ := m.Find(c.Frame)
		key.Aim = &target
		p.Views[i].Setup.Motion = m.With(key)
	}
	return err
}

func (c AimView) target(p *production.Production, k Known) (at geom.Vec, field string, err error) {
	if c.Object == "" {
		at, err = Point(c.Point)
		return at, "point", err
	}
	at, err = middleOf(p, k, c.Object, c.Frame)
	return at, "object", err
}

// middleOf returns the middle of an object at a frame.
func middleOf(p *production.Production, k Known, object string, frame int) (geom.Vec, error) {
	s, err := k.scene(p)
	if err != nil {
		return geom.Vec{}, err
	}
	box, ok := s.BoundsOf(object, p.Rate.Seconds(frame, p.FirstFrame))
	if !ok {
		return geom.Vec{}, fmt.Errorf("the scene has no object %q", object)
	}
	return box.Centre(), nil
}

// Point reads three numbers of metres with spaces between.
func Point(text string) (geom.Vec, error) {
	var v geom.Vec
	if n, err := fmt.Sscan(text, &v.X, &v.Y, &v.Z); n != 3 || err != nil || !v.Finite() {
		return v, fmt.Errorf("%q is not a point: write three numbers, east, up and south", text)
	}
	return v, nil
}

// tidy rounds what a hand has drawn to thousandths.
func tidy(v float64) float64 { return math.Round(v*1000) / 1000 }
