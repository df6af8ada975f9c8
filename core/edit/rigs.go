package edit

import (
	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/production"
)

// AddRig adds a rig of a kind, with its views.
type AddRig struct {
	Kind string `json:"kind" role:"value"`
}

func (AddRig) Name() string                          { return "rig.add" }
func (AddRig) Part() string                          { return "rig" }
func (c AddRig) words() string                       { return "add rig " + c.Kind }
func (c AddRig) needs(p production.Production) Needs { return needScene(p) }

func (c AddRig) apply(p *production.Production, k Known) error {
	s, err := k.scene(p)
	if err != nil {
		return err
	}
	code := free(c.Kind, 1, func(code string) bool { _, ok := p.FindRig(code); return ok })
	r := newRig(camera.RigKind(c.Kind), code, p)
	if cameras := s.CameraNodes(); len(cameras) > 0 { // otherwise with a lens of its own
		r.Camera = s.Nodes[cameras[0]].Name
	}
	return setRig(p, k, r)
}

// newRig returns a rig of a kind, as it is before anybody has changed it.
func newRig(kind camera.RigKind, code string, p *production.Production) camera.Rig {
	r := camera.Rig{Code: code, Kind: kind, Look: p.Looks[0].Code}
	switch kind {
	case camera.Ring:
		r.Name, r.Count, r.Radius, r.Height, r.Arc = "Ring", 8, 10, 2, 360
	case camera.Pair:
		r.Name, r.Separation, r.Left, r.Right = "Stereo", camera.EyeSeparation, "L", "R"
		for _, v := range p.ShotViews() {
			if v.Rig == "" {
				r.View = v.Code
				break
			}
		}
	case camera.Cube:
		r.Name, r.Subject = "Cube", geom.Vec{Y: 2}
	case camera.Panorama:
		r.Name, r.Subject, r.Count, r.Overlap = "Panorama", geom.Vec{Y: 2}, 8, 25
	}
	return r
}

// setRig keeps a rig; its views follow.
func setRig(p *production.Production, k Known, r camera.Rig) error {
	return p.SetRig(r, func(v production.View) (float64, error) {
		s, err := standingOf(p, k, v, p.FirstFrame)
		return v.Setup.At(float64(p.FirstFrame)).FocalOf(s.optics), err
	})
}

func rigAt(p *production.Production, code string) (int, error) {
	return at("rig", code, p.Rigs, func(r camera.Rig) string { return r.Code })
}

// SetRig changes a rig; its views follow.
type SetRig struct {
	Rig           string   `json:"rig" role:"of"`
	Title         *string  `json:"name,omitempty"`
	Camera        *string  `json:"camera,omitempty"`
	Look          *string  `json:"look,omitempty"`
	View          *string  `json:"view,omitempty"`
	Left          *string  `json:"left,omitempty" label:"suffix, left"`
	Right         *string  `json:"right,omitempty" label:"suffix, right"`
	Anticlockwise *bool    `json:"anticlockwise,omitempty"`
	Count         *int     `json:"count,omitempty"`
	Subject       *string  `json:"subject,omitempty"` // an object of the scene
	X             *float64 `json:"x,omitempty" unit:"m"`
	Y             *float64 `json:"y,omitempty" unit:"m"`
	Z             *float64 `json:"z,omitempty" unit:"m"`
	Radius        *float64 `json:"radius,omitempty" unit:"m"`
	Height        *float64 `json:"height,omitempty" unit:"m"`
	Start         *float64 `json:"start,omitempty" unit:"°"`
	Arc           *float64 `json:"arc,omitempty" unit:"°"`
	Interaxial    *float64 `json:"interaxial,omitempty" unit:"m"`
	Convergence   *float64 `json:"convergence,omitempty" unit:"m"`
	Overlap       *float64 `json:"overlap,omitempty" unit:"%"`
}

func (SetRig) Name() string                          { return "rig.set" }
func (c SetRig) Part() string                        { return "rig " + c.Rig }
func (c SetRig) needs(p production.Production) Needs { return needScene(p) }

func (c SetRig) apply(p *production.Production, k Known) error {
	i, err := rigAt(p, c.Rig)
	if err != nil {
		return err
	}
	r := p.Rigs[i]
	err = first(
		to(&r.Name, c.Title), to(&r.Camera, c.Camera), to(&r.Look, c.Look), to(&r.View, c.View),
		to(&r.Left, c.Left), to(&r.Right, c.Right), to(&r.Counter, c.Anticlockwise), to(&r.Count, c.Count),
		with("subject", c.Subject, func(object string) error {
			middle, err := middleOf(p, k, object, p.FirstFrame)
			if err == nil {
				r.Subject = geom.Vec{X: tidy(middle.X), Y: tidy(middle.Y), Z: tidy(middle.Z)}
			}
			return err
		}),
		to(&r.Subject.X, c.X), to(&r.Subject.Y, c.Y), to(&r.Subject.Z, c.Z),
		to(&r.Radius, c.Radius), to(&r.Height, c.Height), to(&r.Start, c.Start), to(&r.Arc, c.Arc),
		to(&r.Separation, c.Interaxial), to(&r.Convergence, c.Convergence), to(&r.Overlap, c.Overlap),
	)
	if err != nil {
		return err
	}
	if fields := given(c); len(fields) > 1 {
		return wrong(fields[1], setRig(p, k, r))
	}
	return setRig(p, k, r)
}

// RemoveRig removes a rig with its views.
type RemoveRig struct {
	Rig string `json:"rig" role:"of"`
}

func (RemoveRig) Name() string   { return "rig.remove" }
func (c RemoveRig) Part() string { return "rig " + c.Rig }

func (c RemoveRig) apply(p *production.Production, _ Known) error {
	if _, err := rigAt(p, c.Rig); err != nil {
		return err
	}
	return p.RemoveRig(c.Rig)
}
