package edit

import (
	"fmt"
	"slices"

	"reelhouse/core/camera"
	"reelhouse/core/lens"
	"reelhouse/core/production"
)

// SetView changes a view. Empty numbers of the lens stand for those of the scene's camera.
type SetView struct {
	View  string `json:"view" role:"of"`
	Frame int    `json:"frame,omitempty" role:"context"` // where a camera of the scene that moves is taken from

	Code    *string `json:"code,omitempty"`
	Title   *string `json:"name,omitempty"`
	Working *bool   `json:"working,omitempty" label:"working view"`
	Camera  *string `json:"camera,omitempty"`
	Look    *string `json:"look,omitempty"`
	Locked  *bool   `json:"locked,omitempty"`
	// Renderer is who renders it, "" for who reads the scene.
	Renderer *string `json:"renderer,omitempty"`

	X       *float64 `json:"x,omitempty" unit:"m"` // east
	Y       *float64 `json:"y,omitempty" unit:"m"` // up
	Z       *float64 `json:"z,omitempty" unit:"m"` // south
	Heading *float64 `json:"heading,omitempty" unit:"°"`
	Tilt    *float64 `json:"tilt,omitempty" unit:"°"`
	Roll    *float64 `json:"roll,omitempty" unit:"°"`

	FocalLength        *number  `json:"focalLength,omitempty" label:"focal length" unit:"mm"`
	HorizontalFOV      *float64 `json:"horizontalFOV,omitempty" label:"horizontal FOV" unit:"°"`
	VerticalFOV        *float64 `json:"verticalFOV,omitempty" label:"vertical FOV" unit:"°"`
	OrthographicHeight *number  `json:"orthographicHeight,omitempty" label:"orthographic height" unit:"m"`
	SensorWidth        *number  `json:"sensorWidth,omitempty" label:"sensor width" unit:"mm"`
	SensorHeight       *number  `json:"sensorHeight,omitempty" label:"sensor height" unit:"mm"`
	Sensor             *string  `json:"sensor,omitempty"` // name of a film back
	LensShiftX         *number  `json:"lensShiftX,omitempty" label:"lens shift X" unit:"mm"`
	LensShiftY         *number  `json:"lensShiftY,omitempty" label:"lens shift Y" unit:"mm"`
	Panorama           *bool    `json:"panorama,omitempty" label:"panorama (equirectangular)"`

	MotionBlur    *bool   `json:"motionBlur,omitempty" label:"motion blur"`
	FNumber       *number `json:"fNumber,omitempty" label:"f-number"`
	FocusDistance *number `json:"focusDistance,omitempty" label:"focus distance" unit:"m"`
	Exposure      *string `json:"exposure,omitempty"`
	ExposureEV    *number `json:"exposureEV,omitempty" label:"exposure" unit:"EV"`
	ShutterAngle  *number `json:"shutterAngle,omitempty" label:"shutter angle" unit:"°"`
	ISO           *number `json:"iso,omitempty" label:"ISO"`
}

func (SetView) Name() string                          { return "view.set" }
func (c SetView) Part() string                        { return "view " + c.View }
func (c SetView) needs(p production.Production) Needs { return needScene(p) }

func (c SetView) apply(p *production.Production, k Known) error {
	i, err := viewAt(p, c.View)
	if err != nil {
		return err
	}
	v := &p.Views[i]
	if err := first(c.identity(p, v), c.lock(v), c.camera(p, k, v)); err != nil {
		return err
	}
	return followPairs(p, k, c.Frame)
}

// identity changes what a view is called, shows and counts as.
func (c SetView) identity(p *production.Production, v *production.View) error {
	return first(
		to(&v.Name, c.Title),
		with("renderer", c.Renderer, func(name string) error { return rendererName(&v.Renderer, name) }),
		with("working", c.Working, func(on bool) error {
			if v.Working = on; !on {
				return nil
			}
			return unused(p, "view", func(s production.Shot) bool { return s.Shows(v.Code) })
		}),
		with("look", c.Look, func(look string) error {
			v.Look = look
			return inRig(*v, "change its look there")
		}),
		with("code", c.Code, func(code string) error {
			if rig, _ := p.FindRig(v.Rig); rig.Kind == camera.Pair {
				return fmt.Errorf(
					"view %s has its code from the pair %s; change its suffixes, or the view that it is made from",
					v.Code, v.Rig,
				)
			}
			p.RenameView(v.Code, code)
			return nil
		}),
	)
}

// rendererName changes who renders something. Whether the house has such a renderer is found when a batch is checked.
func rendererName(to *string, name string) error {
	if name != "" {
		if err := production.CheckRenderer(name); err != nil {
			return err
		}
	}
	*to = name
	return nil
}

func (c SetView) lock(v *production.View) error {
	if c.Locked != nil && !*c.Locked {
		v.Setup.Locked = false
	}
	return nil
}

// camera changes the camera of a view. What is locked stays.
func (c SetView) camera(p *production.Production, k Known, v *production.View) error {
	placed, lens, exposure := c.places(), c.lensFields(), c.exposureFields()
	for _, field := range append(append(placed, lens...), append(exposure, c.shape()...)...) {
		if v.Setup.Locked {
			return wrong(field, locked(*v))
		}
	}
	if c.Camera != nil {
		if err := first(inRig(*v, "change the rig"), lockedNow(*v)); err != nil {
			return wrong("camera", err)
		}
		if *c.Camera == "" {
			if err := ownCamera(p, k, v, c.Frame); err != nil {
				return wrong("camera", err)
			}
		} else if *c.Camera != v.Camera {
			v.Camera, v.Setup.Stand, v.Setup.Motion = *c.Camera, nil, nil
		}
	}
	rig, inOne := p.FindRig(v.Rig)
	if err := first(
		c.heldBy(rig, inOne, *v, append(placed, c.shape()...), false),
		c.heldBy(rig, inOne, *v, lens, rig.Kind == camera.Ring),
		c.heldBy(rig, inOne, *v, exposure, rig.Kind != camera.Pair), c.lens(p, k, v), c.exposure(v), c.place(p, k, v),
	); err != nil {
		return err
	}
	if c.Locked != nil {
		v.Setup.Locked = *c.Locked
	}
	return nil
}

// ownCamera makes the camera of a view one that no scene has, and that sees what it saw.
func ownCamera(p *production.Production, k Known, v *production.View, frame int) error {
	if v.Camera == "" {
		return nil
	}
	t, err := standingOf(p, k, *v, frame)
	if err != nil {
		return err
	}
	s := &v.Setup
	if !s.Own() {
		s.Stand = &t.stand
	}
	if t.optics.Height > 0 && s.Parallel == 0 {
		s.Parallel = t.optics.Height
	} else if s.Focal == 0 {
		s.Focal = s.At(float64(frame)).FocalOf(t.optics)
	}
	if s.BackHigh == 0 { // its shape
		s.BackHigh = s.BackWidth() / t.optics.Aspect
	}
	v.Camera = ""
	return nil
}

func lockedNow(v production.View) error {
	if v.Setup.Locked {
		return locked(v)
	}
	return nil
}

// heldBy says why a view's rig does not let fields be changed, or nil.
func (c SetView) heldBy(r camera.Rig, inOne bool, v production.View, fields []string, mayChange bool) error {
	if !inOne || mayChange || len(fields) == 0 {
		return nil
	}
	if r.Kind == camera.Pair {
		return wrong(
			fields[0],
			fmt.Errorf(
				"view %s is one eye of %s; change that view or the pair %s, or detach the view", v.Code, r.View, r.Code,
			),
		)
	}
	return wrong(fields[0], inRig(v, "change the rig"))
}

// of returns those of the given fields that are among some.
func (c SetView) of(names ...string) []string {
	var out []string
	for _, name := range given(c) {
		for _, n := range names {
			if n == name {
				out = append(out, name)
			}
		}
	}
	return out
}

func (c SetView) places() []string { return c.of("x", "y", "z", "heading", "tilt", "roll") }

func (c SetView) shape() []string { return c.of("panorama") }

func (c SetView) lensFields() []string {
	return c.of(
		"focalLength", "horizontalFOV", "verticalFOV", "orthographicHeight", "sensorWidth", "sensorHeight", "sensor",
		"lensShiftX", "lensShiftY",
	)
}

func (c SetView) exposureFields() []string {
	return c.of("motionBlur", "fNumber", "focusDistance", "exposure", "exposureEV", "shutterAngle", "iso")
}

func (c SetView) lens(p *production.Production, k Known, v *production.View) error {
	s := &v.Setup
	seeing := func(up bool) func(float64) error {
		return func(degrees float64) error {
			t, err := standingOf(p, k, *v, c.Frame)
			if err != nil {
				return err
			}
			focal, err := s.At(float64(c.Frame)).Seeing(t.optics, degrees, up)
			if err == nil {
				s.Focal = focal
			}
			return err
		}
	}
	return first(
		with("sensor", c.Sensor, func(name string) error {
			for _, b := range lens.Backs() {
				if b.Name == name {
					s.Back, s.BackHigh = b.Width, b.Height
					return nil
				}
			}
			return fmt.Errorf("there is no sensor %q", name)
		}),
		toNumber(&s.Back, c.SensorWidth),
		toNumber(&s.BackHigh, c.SensorHeight),
		with("focalLength", c.FocalLength, func(n number) error {
			return c.lensAt(v, func(k *camera.Key) *float64 { return &k.Focal }, &s.Focal, n)
		}),
		with("horizontalFOV", c.HorizontalFOV, seeing(false)),
		with("verticalFOV", c.VerticalFOV, seeing(true)),
		toNumber(&s.Parallel, c.OrthographicHeight),
		toNumber(&s.ShiftAcross, c.LensShiftX),
		toNumber(&s.ShiftUp, c.LensShiftY),
		to(&s.Panorama, c.Panorama),
	)
}

// lensAt sets a number of the lens: of the key at the frame if the view's keys have that number, or else of all.
func (c SetView) lensAt(v *production.View, of func(*camera.Key) *float64, all *float64, n number) error {
	m := v.Setup.Motion
	if m == nil || !slices.ContainsFunc(m.Keys, func(k camera.Key) bool { return *of(&k) != 0 }) {
		*all = float64(n)
		return nil
	}
	key, there := m.Find(c.Frame)
	if !there {
		key = m.At(float64(c.Frame))
		key.Frame, key.Ease = c.Frame, camera.Smooth
	}
	*of(&key) = float64(n)
	v.Setup.Motion = m.With(key)
	return nil
}

// What a lens has that was asked to expose or to be focused, and has not been given it.
const (
	UsualFNumber = 2.8
	UsualISO     = 800
	UsualFocus   = 5 // metres
)

func (c SetView) exposure(v *production.View) error {
	s := &v.Setup
	focused := func() {
		if s.Focus == 0 {
			s.Focus = UsualFocus
		}
	}
	return first(
		with("exposure", c.Exposure, func(mode string) error {
			if s.Exposure = camera.Exposure(mode); s.Exposure == camera.ByLens {
				focused()
				if s.FNumber == 0 {
					s.FNumber = UsualFNumber
				}
				if s.ISO == 0 {
					s.ISO = UsualISO
				}
			}
			return nil
		}),
		with("focusDistance", c.FocusDistance, func(n number) error {
			return c.lensAt(v, func(k *camera.Key) *float64 { return &k.Focus }, &s.Focus, n)
		}),
		with("fNumber", c.FNumber, func(n number) error { s.FNumber = float64(n); focused(); return nil }),
		toNumber(&s.EV, c.ExposureEV),
		toNumber(&s.Shutter, c.ShutterAngle),
		toNumber(&s.ISO, c.ISO),
		to(&s.Blur, c.MotionBlur),
	)
}

// place puts and turns the camera by numbers.
func (c SetView) place(p *production.Production, k Known, v *production.View) error {
	if len(c.places()) == 0 {
		return nil
	}
	t, err := standingOf(p, k, *v, c.Frame)
	if err != nil {
		return wrong(c.places()[0], err)
	}
	return keyed(v, c.Frame, func() error {
		stand := t.stand
		v.Setup.Stand = &stand
		return first(to(&stand.Position.X, c.X), to(&stand.Position.Y, c.Y), to(&stand.Position.Z, c.Z),
			to(&stand.Heading, c.Heading), to(&stand.Tilt, c.Tilt), to(&stand.Roll, c.Roll))
	})
}
