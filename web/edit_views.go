package web

import (
	"fmt"
	"math"
	"slices"

	"reelhouse/core/camera"
	"reelhouse/core/floorplan"
	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/production"
	"reelhouse/core/scene"
)

// view applies an edit of a view.
func (e edit) view(p *production.Production) error {
	taken := func(code string) bool { _, ok := p.FindView(code); return ok }
	if e.field == "add" {
		p.Views = append(p.Views, production.View{Code: fresh("view", len(p.Views), taken), Name: "New view", Camera: e.value, Look: p.Looks[0].Code})
		return nil
	}
	i, err := at(e, p.Views, func(v production.View) string { return v.Code })
	if err != nil {
		return err
	}
	v := &p.Views[i]
	rig, _ := p.FindRig(v.Rig)
	inRig := func(instead string) error {
		if v.Rig == "" {
			return nil
		}
		return fmt.Errorf("view %s stands in the rig %s; %s, or take the view out of it", v.Code, v.Rig, instead)
	}
	switch e.field {
	case "code":
		if rig.Kind == camera.Pair {
			return fmt.Errorf("view %s has its code of the pair %s; change its endings, or the view whose eyes they are", v.Code, v.Rig)
		}
		p.RenameView(v.Code, e.value)
	case "name":
		v.Name = e.value
	case "working":
		if v.Working = e.ticked(); !v.Working {
			return nil
		}
		return unused(p, "view", func(s production.Shot) bool { return s.Shows(v.Code) })
	case "loose":
		v.Rig = ""
	case "camera":
		if err := inRig("change the rig"); err != nil {
			return err
		}
		if v.Setup.Locked {
			return locked(*v)
		}
		v.Camera, v.Setup.Stand = e.value, nil
	case "look":
		if err := inRig("change its look there"); err != nil {
			return err
		}
		v.Look = e.value
	case "remove":
		if err := inRig("give the rig fewer cameras"); err != nil {
			return err
		}
		if err := unused(p, "view", func(s production.Shot) bool { return s.Shows(v.Code) }); err != nil {
			return err
		}
		if i := slices.IndexFunc(p.Rigs, func(r camera.Rig) bool { return r.View == v.Code }); i >= 0 {
			return fmt.Errorf("the pair %s is of the eyes of this view; remove the pair first", p.Rigs[i].Code)
		}
		p.Views = slices.Delete(p.Views, i, i+1)
	case "copy":
		c := *v
		c.Name += " (copy)"
		return e.insert(p, i, c)
	case "picture":
		c := *v
		c.Name, c.Working = fmt.Sprintf("%s at frame %d", v.Name, e.frame), true
		t, err := e.stand(p, *v)
		if err != nil {
			return err
		}
		c.Setup.Stand = &t.stand
		return e.insert(p, i, c)
	default:
		return e.setUp(p, v)
	}
	return nil
}

func locked(v production.View) error {
	return fmt.Errorf("the camera of view %s is locked; unlock it to change it", v.Code)
}

// insert puts a view that was made of another one behind it, free and in no rig.
func (e edit) insert(p *production.Production, after int, v production.View) error {
	v.Code = fresh(v.Code+"_", 1, func(code string) bool { _, ok := p.FindView(code); return ok })
	v.Setup.Locked, v.Rig = false, ""
	if v.Setup.Stand != nil {
		stand := *v.Setup.Stand
		v.Setup.Stand = &stand
	}
	p.Views = slices.Insert(p.Views, after+1, v)
	return nil
}

// A standing is a view's camera at the frame that the page shows.
type standing struct {
	pose   geom.Affine // as the scene has it
	optics scene.Camera
	stand  camera.Stand // as the view has it
	moves  bool         // in the scene
}

func (e edit) stand(p *production.Production, v production.View) (standing, error) {
	if p.Scene.Opaque != nil {
		return standing{}, fmt.Errorf("where %s stands is known to the scene's own renderer only", v.Camera)
	}
	s, err := e.stage(p)
	if err != nil {
		return standing{}, err
	}
	node := s.FindCamera(v.Camera)
	if node == scene.None {
		return standing{}, fmt.Errorf("the scene has no camera %s", v.Camera)
	}
	t := standing{pose: s.At(p.Rate.Seconds(e.frame, p.FirstFrame)).World[node], optics: s.Cameras[s.Nodes[node].Camera], moves: s.Moving()[node]}
	t.stand = camera.StandOf(t.pose)
	if v.Setup.Stand != nil {
		t.stand = *v.Setup.Stand
	}
	return t, nil
}

// focal tells the focal length that a view comes to.
func (e edit) focal(p *production.Production) production.Lens {
	return func(v production.View) (float64, error) {
		t, err := e.stand(p, v)
		return v.Setup.FocalOf(t.optics), err
	}
}

// lensFields are those of a view that a ring leaves to it; exposureFields those that every rig does.
var (
	exposureFields = []string{"fNumber", "focus", "exposure", "ev", "shutter", "iso", "blur"}
	lensFields     = append([]string{"focal", "across", "up", "parallel", "back", "backHigh", "backChoice", "shiftAcross", "shiftUp"}, exposureFields...)
)

// inRig says why a view's rig does not let a field be edited, or nil.
func (e edit) inRig(p *production.Production, v production.View) error {
	r, ok := p.FindRig(v.Rig)
	switch {
	case !ok, r.Kind == camera.Ring && slices.Contains(lensFields, e.field):
		return nil
	case r.Kind == camera.Pair:
		return fmt.Errorf("view %s is an eye of %s; change that view or the pair %s, or take the view out of it", v.Code, r.View, r.Code)
	case slices.Contains(exposureFields, e.field):
		return nil
	}
	return fmt.Errorf("view %s stands in the rig %s; change the rig, or take the view out of it", v.Code, v.Rig)
}

// setUp applies an edit of a view's camera. What is locked stays.
func (e edit) setUp(p *production.Production, v *production.View) error {
	if e.field == "locked" {
		v.Setup.Locked = e.ticked()
		return nil
	}
	if v.Setup.Locked {
		return locked(*v)
	}
	if err := e.inRig(p, *v); err != nil {
		return err
	}
	if to := e.optics(v); to != nil {
		return to()
	}
	t, err := e.stand(p, *v)
	if err != nil {
		return err
	}
	stand := t.stand
	switch e.field {
	case "scene": // as it stands there
		v.Setup.Stand = nil
		return nil
	case "straighten":
		if v.Setup.Stand == nil && t.moves {
			return fmt.Errorf("%s moves in the scene; type a number of its place first, then it stands still", v.Camera)
		}
		straight, err := v.Setup.Straightened(t.pose, t.optics)
		if err == nil {
			straight.ShiftUp = tidy(straight.ShiftUp)
			v.Setup = straight
		}
		return err
	case "dolly":
		return e.dolly(v, t)
	case "across", "up":
		n, err := e.decimal("°")
		if err != nil {
			return err
		}
		focal, err := v.Setup.Seeing(t.optics, n, e.field == "up")
		if err == nil {
			v.Setup.Focal = focal
		}
		return err
	case "x", "y", "z":
		n, err := e.decimal("m")
		if err != nil {
			return err
		}
		*map[string]*float64{"x": &stand.Position.X, "y": &stand.Position.Y, "z": &stand.Position.Z}[e.field] = n
	case "heading", "tilt", "roll":
		n, err := e.decimal("°")
		if err != nil {
			return err
		}
		*map[string]*float64{"heading": &stand.Heading, "tilt": &stand.Tilt, "roll": &stand.Roll}[e.field] = n
	case "place", "turn":
		if err := e.dragged(&stand); err != nil {
			return err
		}
	case "aim", "aimAt":
		if stand, err = e.aim(p, stand); err != nil {
			return err
		}
	default:
		return errChoice
	}
	v.Setup.Stand = &stand
	return nil
}

// optics returns what an edit does to lens and exposure, nil if it is of something else.
func (e edit) optics(v *production.View) func() error {
	s := &v.Setup
	number := func(to *float64, unit string) func() error {
		return func() error {
			if e.value == "" {
				e.value = "0"
			}
			n, err := e.decimal(unit)
			if err == nil {
				*to = n
			}
			return err
		}
	}
	switch e.field {
	case "focal":
		return number(&s.Focal, "mm")
	case "back":
		return number(&s.Back, "mm")
	case "backHigh":
		return number(&s.BackHigh, "mm")
	case "shiftAcross":
		return number(&s.ShiftAcross, "mm")
	case "shiftUp":
		return number(&s.ShiftUp, "mm")
	case "focus":
		return number(&s.Focus, "m")
	case "ev":
		return number(&s.EV, "EV")
	case "shutter":
		return number(&s.Shutter, "°")
	case "iso":
		return number(&s.ISO, "")
	case "parallel":
		return number(&s.Parallel, "m")
	case "blur":
		return func() error { s.Blur = e.ticked(); return nil }
	case "allAround":
		return func() error { s.AllAround = e.ticked(); return nil }
	case "fNumber":
		return func() error {
			if s.Focus == 0 {
				s.Focus = usualFocus
			}
			return number(&s.FNumber, "")()
		}
	case "exposure":
		return func() error {
			if s.Exposure = camera.Exposure(e.value); s.Exposure == camera.ByLens {
				if s.FNumber == 0 {
					s.FNumber = usualFNumber
				}
				if s.Focus == 0 {
					s.Focus = usualFocus
				}
				if s.ISO == 0 {
					s.ISO = usualISO
				}
			}
			return nil
		}
	case "backChoice":
		return func() error {
			for _, b := range lens.Backs() {
				if b.Name == e.value {
					s.Back, s.BackHigh = b.Width, b.Height
					return nil
				}
			}
			return errChoice
		}
	}
	return nil
}

// What a lens has that was asked to expose, and has not been given it.
const (
	usualFNumber = 2.8
	usualISO     = 800
)

// dolly zooms and moves the camera; the values are a focal length and how far ahead lies what stays as large.
func (e edit) dolly(v *production.View, t standing) error {
	if len(e.values) != 2 {
		return errChoice
	}
	focal, distance := e, e
	focal.value, distance.value = e.values[0], e.values[1]
	f, err := focal.decimal("mm")
	if err != nil {
		return err
	}
	d, err := distance.decimal("m")
	if err != nil {
		return err
	}
	then, err := v.Setup.Dollied(t.pose, t.optics, f, d)
	if err == nil {
		v.Setup = then
	}
	return err
}

// aim turns a camera to an object by its name, or to a point.
func (e edit) aim(p *production.Production, stand camera.Stand) (camera.Stand, error) {
	var at geom.Vec
	if e.field == "aimAt" {
		point, err := triple(e.value)
		if err != nil {
			return stand, err
		}
		at = point
	} else {
		s, err := e.stage(p)
		if err != nil {
			return stand, err
		}
		box, ok := s.BoundsOf(e.value, p.Rate.Seconds(e.frame, p.FirstFrame))
		if !ok {
			return stand, fmt.Errorf("the scene has no object %q", e.value)
		}
		at = box.Centre()
	}
	aimed, err := stand.Aimed(at)
	aimed.Heading, aimed.Tilt = tidy(aimed.Heading), tidy(aimed.Tilt)
	return aimed, err
}

// dragged reads where a camera, or the place that it looks at, was put on the plan: its side, and two numbers of metres.
func (e edit) dragged(stand *camera.Stand) error {
	var side floorplan.Side
	var x, y float64
	if n, err := fmt.Sscan(e.value, &side, &x, &y); n != 3 || err != nil || !slices.Contains(floorplan.Sides(), side) {
		return errChoice
	}
	if e.field == "turn" {
		if side != floorplan.Above {
			return errChoice
		}
		heading := lens.Degrees(math.Atan2(x-stand.Position.X, -(y - stand.Position.Z)))
		stand.Heading = tidy(math.Mod(heading+360, 360))
		return nil
	}
	switch x, y = tidy(x), tidy(y); side {
	case floorplan.Above:
		stand.Position.X, stand.Position.Z = x, y
	case floorplan.South:
		stand.Position.X, stand.Position.Y = x, -y
	default:
		stand.Position.Z, stand.Position.Y = -x, -y
	}
	return nil
}

// tidy rounds what a hand has drawn to thousandths.
func tidy(v float64) float64 { return math.Round(v*1000) / 1000 }
