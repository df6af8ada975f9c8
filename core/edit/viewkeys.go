package edit

import (
	"fmt"
	"math"
	"slices"

	"reelhouse/core/camera"
	"reelhouse/core/floorplan"
	"reelhouse/core/frame"
	"reelhouse/core/geom"
	"reelhouse/core/production"
	"reelhouse/core/scene"
)

// AddKey sets a key of a view's own camera at a frame, where it stands then.
type AddKey struct {
	View  string `json:"view" role:"of"`
	Frame int    `json:"frame"`
}

func (AddKey) Name() string   { return "view-key.add" }
func (c AddKey) Part() string { return "view " + c.View }
func (c AddKey) words() string {
	return fmt.Sprintf("view %s: key at frame %d", c.View, c.Frame)
}
func (c AddKey) needs(p production.Production) Needs { return needScene(p) }

func (c AddKey) apply(p *production.Production, k Known) error {
	return changeMotion(p, k, c.View, c.Frame, func(v *production.View, t standing) (*camera.Motion, error) {
		key := camera.Key{Frame: c.Frame, Stand: tidied(t.stand)}
		if m := v.Setup.Motion; m != nil {
			if _, there := m.Find(c.Frame); there {
				return nil, fmt.Errorf("there is a key at frame %d already", c.Frame)
			}
			now := m.At(float64(c.Frame))
			key.Aim, key.Focal, key.Focus = now.Aim, now.Focal, now.Focus
		}
		return v.Setup.Motion.With(key), nil
	})
}

// SetKey changes a key of a view's own camera.
type SetKey struct {
	View          string   `json:"view" role:"of"`
	Key           int      `json:"key"`            // the frame that it is at
	Frame         *int     `json:"to,omitempty"`   // the frame that it goes to
	Ease          *string  `json:"ease,omitempty"` // "smooth", or as camera.Ease
	Aim           *string  `json:"aim,omitempty"`  // object, or a point as three numbers of metres; "" for none
	FocalLength   *number  `json:"focalLength,omitempty" label:"focal length" unit:"mm"`
	FocusDistance *number  `json:"focusDistance,omitempty" label:"focus distance" unit:"m"`
	X             *float64 `json:"x,omitempty" unit:"m"` // east
	Y             *float64 `json:"y,omitempty" unit:"m"` // up
	Z             *float64 `json:"z,omitempty" unit:"m"` // south
	Heading       *float64 `json:"heading,omitempty" unit:"°"`
	Tilt          *float64 `json:"tilt,omitempty" unit:"°"`
	Roll          *float64 `json:"roll,omitempty" unit:"°"`
	// Side is that of the plan on which the key was dragged to PlanX and PlanY, in metres; "" for none.
	Side  string  `json:"side,omitempty"`
	PlanX float64 `json:"planX,omitempty"`
	PlanY float64 `json:"planY,omitempty"`
}

// SmoothEase is what the ease is called that a key has if nothing is said.
const SmoothEase = "smooth"

func (SetKey) Name() string                          { return "view-key.set" }
func (c SetKey) Part() string                        { return fmt.Sprintf("view key %s %d", c.View, c.Key) }
func (c SetKey) words() string                       { return fmt.Sprintf("view %s: key at frame %d", c.View, c.Key) }
func (c SetKey) needs(p production.Production) Needs { return needScene(p) }

func (c SetKey) apply(p *production.Production, k Known) error {
	return changeMotion(p, k, c.View, c.Key, func(v *production.View, t standing) (*camera.Motion, error) {
		key, err := keyOf(v, c.Key)
		if err != nil {
			return nil, err
		}
		turned := c.Heading != nil || c.Tilt != nil
		err = first(
			to(&key.Stand.Position.X, c.X), to(&key.Stand.Position.Y, c.Y), to(&key.Stand.Position.Z, c.Z),
			to(&key.Stand.Heading, c.Heading), to(&key.Stand.Tilt, c.Tilt), to(&key.Stand.Roll, c.Roll),
			with("ease", c.Ease, func(name string) error {
				if key.Ease = camera.Ease(name); name == SmoothEase {
					key.Ease = camera.Smooth
				}
				return nil
			}),
			with("focalLength", c.FocalLength, func(n number) error { key.Focal = float64(n); return nil }),
			with("focusDistance", c.FocusDistance, func(n number) error { key.Focus = float64(n); return nil }),
		)
		if err == nil && c.Side != "" {
			key.Stand.Position, err = dragged(floorplan.Side(c.Side), key.Stand.Position, c.PlanX, c.PlanY)
		}
		if err == nil && turned {
			key.Aim = nil
		}
		if err == nil && c.Aim != nil {
			key.Aim, err = c.target(p, k)
			err = wrong("aim", err)
		}
		if err == nil {
			key, err = aimed(key)
		}
		if err != nil {
			return nil, err
		}
		m := v.Setup.Motion.Without(c.Key)
		if c.Frame != nil {
			if _, there := m.Find(*c.Frame); there {
				return nil, wrong("to", fmt.Errorf("there is a key at frame %d already", *c.Frame))
			}
			key.Frame = *c.Frame
		}
		if key.Focal != 0 && v.Setup.Focal == 0 { // for the keys that have none
			v.Setup.Focal = tidy(v.Setup.FocalOf(t.optics))
		}
		if key.Focus != 0 && v.Setup.Focus == 0 {
			v.Setup.Focus = UsualFocus
		}
		return m.With(key), nil
	})
}

// target reads what a key is to aim at; nil for nothing.
func (c SetKey) target(p *production.Production, k Known) (*geom.Vec, error) {
	if *c.Aim == "" {
		return nil, nil
	}
	if at, err := Point(*c.Aim); err == nil {
		return &at, nil
	}
	at, err := middleOf(p, k, *c.Aim, c.Key)
	return &at, err
}

// keyOf returns the key of a view at a frame.
func keyOf(v *production.View, frame int) (camera.Key, error) {
	if v.Setup.Motion != nil {
		if key, ok := v.Setup.Motion.Find(frame); ok {
			return key, nil
		}
	}
	return camera.Key{}, fmt.Errorf("view %s has no key at frame %d", v.Code, frame)
}

// aimed turns a key to what it aims at. Its roll stays.
func aimed(key camera.Key) (camera.Key, error) {
	if key.Aim == nil {
		return key, nil
	}
	stand, err := key.Stand.Aimed(*key.Aim)
	stand.Heading, stand.Tilt, stand.Roll = tidy(stand.Heading), tidy(stand.Tilt), key.Stand.Roll
	key.Stand = stand
	return key, err
}

// dragged returns a place after it was dragged on the plan of a side.
func dragged(side floorplan.Side, at geom.Vec, x, y float64) (geom.Vec, error) {
	x, y = tidy(x), tidy(y)
	switch side {
	case floorplan.Above:
		at.X, at.Z = x, y
	case floorplan.South:
		at.X, at.Y = x, -y
	case floorplan.East:
		at.Z, at.Y = -x, -y
	default:
		return at, &Mistake{Field: "side", Message: fmt.Sprintf("a plan has no side %q", string(side))}
	}
	return at, nil
}

func tidied(s camera.Stand) camera.Stand {
	s.Position = geom.Vec{X: tidy(s.Position.X), Y: tidy(s.Position.Y), Z: tidy(s.Position.Z)}
	s.Heading, s.Tilt, s.Roll = math.Mod(tidy(s.Heading), 360), tidy(s.Tilt), tidy(s.Roll)
	return s
}

// changeMotion gives a view the motion that change returns; none lets it stand where it was left.
func changeMotion(p *production.Production, k Known, code string, frame int,
	change func(v *production.View, t standing) (*camera.Motion, error)) error {
	v, t, err := movable(p, k, code, frame)
	if err != nil {
		return err
	}
	m, err := change(v, t)
	if err != nil {
		return err
	}
	if v.Setup.Motion = m; m != nil {
		v.Setup.Stand = nil
	}
	return followPairs(p, k, frame)
}

// RemoveKey removes a key. Without its last one, the camera stands where that was.
type RemoveKey struct {
	View  string `json:"view" role:"of"`
	Frame int    `json:"key"`
}

func (RemoveKey) Name() string   { return "view-key.remove" }
func (c RemoveKey) Part() string { return "view " + c.View }
func (c RemoveKey) words() string {
	return fmt.Sprintf("view %s: key at frame %d removed", c.View, c.Frame)
}
func (c RemoveKey) needs(p production.Production) Needs { return needScene(p) }

func (c RemoveKey) apply(p *production.Production, k Known) error {
	return changeMotion(p, k, c.View, c.Frame, func(v *production.View, _ standing) (*camera.Motion, error) {
		key, err := keyOf(v, c.Frame)
		if err != nil {
			return nil, err
		}
		m := v.Setup.Motion.Without(c.Frame)
		if len(m.Keys) == 0 {
			v.Setup = v.Setup.At(float64(key.Frame))
			return nil, nil
		}
		return m, nil
	})
}

// StretchKeys puts the first and the last key of a view to other frames, and those between in proportion.
type StretchKeys struct {
	View  string `json:"view" role:"of"`
	First int    `json:"first"`
	Last  int    `json:"last"`
}

func (StretchKeys) Name() string   { return "view-key.stretch" }
func (c StretchKeys) Part() string { return "view " + c.View }
func (c StretchKeys) words() string {
	return fmt.Sprintf("view %s: keys over frames %d to %d", c.View, c.First, c.Last)
}
func (c StretchKeys) needs(p production.Production) Needs { return needScene(p) }

func (c StretchKeys) apply(p *production.Production, k Known) error {
	return changeMotion(p, k, c.View, c.First, func(v *production.View, _ standing) (*camera.Motion, error) {
		if v.Setup.Motion == nil {
			return nil, fmt.Errorf("view %s has no keys", v.Code)
		}
		return v.Setup.Motion.Stretched(c.First, c.Last)
	})
}

// TakeOverCamera makes a camera that moves in the scene one of the view's own, with keys where it turns or changes its
// speed, so that it can be changed.
type TakeOverCamera struct {
	View string `json:"view" role:"of"`
}

func (TakeOverCamera) Name() string                          { return "view.take-over" }
func (c TakeOverCamera) Part() string                        { return "view " + c.View }
func (c TakeOverCamera) words() string                       { return "take over the camera of view " + c.View }
func (c TakeOverCamera) needs(p production.Production) Needs { return needScene(p) }

func (c TakeOverCamera) apply(p *production.Production, k Known) error {
	return changeMotion(p, k, c.View, p.FirstFrame, func(v *production.View, t standing) (*camera.Motion, error) {
		s, err := k.scene(p)
		if err != nil {
			return nil, err
		}
		if v.Setup.Own() || !t.moves {
			return nil, fmt.Errorf("the camera of view %s does not move in the scene; set keys of its own", v.Code)
		}
		return camera.KeysOf(standsOf(p, s, t.source), p.FirstFrame), nil
	})
}

// standsOf returns where a camera of the scene stands at every frame at which the scene moves.
func standsOf(p *production.Production, s *scene.Scene, c camera.Source) []camera.Stand {
	var all []camera.Stand
	for n := p.FirstFrame; n <= lastFrame(p, s); n++ {
		all = append(all, camera.StandOf(c.Pose(s.At(p.Rate.Seconds(n, p.FirstFrame)))))
	}
	return all
}

// lastFrame returns the last frame at which a scene still moves.
func lastFrame(p *production.Production, s *scene.Scene) int {
	return p.FirstFrame + int(math.Floor(s.Duration()*p.Rate.PerSecond()+1e-3))
}

// followShot stretches the keys of cameras that moved over exactly the frames that a shot had over those that it has
// now. One that other shots show, too, stays.
func followShot(p *production.Production, i int, was frame.Set) error {
	s := p.Shots[i]
	if was.Empty() || s.Frames.Empty() || was.First() == s.Frames.First() && was.Last() == s.Frames.Last() {
		return nil
	}
	for k := range p.Views {
		v := &p.Views[k]
		if v.Setup.Motion == nil || v.Setup.Locked || !s.Shows(v.Code) {
			continue
		}
		elsewhere := slices.ContainsFunc(p.Shots, func(o production.Shot) bool {
			return o.Code != s.Code && o.Shows(v.Code)
		})
		if from, to := v.Setup.Motion.Span(); elsewhere || from == to || from != was.First() || to != was.Last() {
			continue
		}
		m, err := v.Setup.Motion.Stretched(s.Frames.First(), s.Frames.Last())
		if err != nil {
			return wrong("frames", fmt.Errorf("the keys of view %s cannot follow: %w", v.Code, err))
		}
		v.Setup.Motion = m
	}
	return nil
}
