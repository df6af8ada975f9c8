package edit

import (
	"fmt"

	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// SetViewSize changes what a view shows in one of the sizes. Empty values stand for what it shows in all others.
type SetViewSize struct {
	View       string   `json:"view" role:"of"`
	Size       string   `json:"size"`
	Camera     *string  `json:"camera,omitempty"`
	LensShiftX *Shift   `json:"lensShiftX,omitempty" label:"lens shift X" unit:"mm"`
	LensShiftY *Shift   `json:"lensShiftY,omitempty" label:"lens shift Y" unit:"mm"`
	Fit        *string  `json:"fit,omitempty"`
	AnchorX    *float64 `json:"anchorX,omitempty" label:"anchor X"`
	AnchorY    *float64 `json:"anchorY,omitempty" label:"anchor Y"`
}

// A Shift is a number that may be left to the view, which is the empty text.
type Shift struct {
	Number float64
	Set    bool
}

// UnmarshalText reads a number, or nothing.
func (s *Shift) UnmarshalText(text []byte) error {
	*s = Shift{}
	if len(text) == 0 {
		return nil
	}
	n, err := readNumber(string(text), "")
	*s = Shift{n, err == nil}
	return err
}

// MarshalText writes what UnmarshalText reads.
func (s Shift) MarshalText() ([]byte, error) {
	if !s.Set {
		return nil, nil
	}
	return fmt.Append(nil, s.Number), nil
}

func (SetViewSize) Name() string   { return "view-size.set" }
func (c SetViewSize) Part() string { return "view size " + c.View + " " + c.Size }

func (c SetViewSize) words() string {
	return fmt.Sprintf("view %s in size %s", c.View, c.Size)
}

func (c SetViewSize) apply(p *production.Production, _ Known) error {
	i, err := viewAt(p, c.View)
	if err != nil {
		return err
	}
	size, ok := p.FindSize(c.Size)
	if !ok {
		return fmt.Errorf("there is no size %q", c.Size)
	}
	v := &p.Views[i]
	if v.Setup.Locked {
		return locked(*v)
	}
	own := v.For(c.Size)
	shift := func(s *Shift, place **float64) {
		switch {
		case s == nil:
		case s.Set:
			n := s.Number
			*place = &n
		default:
			*place = nil
		}
	}
	shift(c.LensShiftX, &own.ShiftAcross)
	shift(c.LensShiftY, &own.ShiftUp)
	if c.Camera != nil {
		if own.Camera = *c.Camera; own.Camera == v.Camera {
			own.Camera = ""
		}
	}
	if c.Fit != nil || c.AnchorX != nil || c.AnchorY != nil {
		fit := size.Fit
		if own.Fit != nil {
			fit = *own.Fit
		}
		if c.Fit != nil {
			fit.Fitting = raster.Fitting(*c.Fit)
		}
		if err := first(to(&fit.AnchorX, c.AnchorX), to(&fit.AnchorY, c.AnchorY)); err != nil {
			return err
		}
		if own.Fit = &fit; fit == size.Fit || c.Fit != nil && *c.Fit == "" {
			own.Fit = nil
		}
	}
	v.SetFor(own)
	return checkViewSize(*v, size)
}

// checkViewSize says what is wrong with a view in a size, or nil.
func checkViewSize(v production.View, size raster.Named) error {
	shown, fit := v.In(size)
	return first(shown.Setup.Check(), fit.Check())
}

// ResetViewSize lets a view show in a size what it shows in all others.
type ResetViewSize struct {
	View string `json:"view" role:"of"`
	Size string `json:"size"`
}

func (ResetViewSize) Name() string   { return "view-size.reset" }
func (c ResetViewSize) Part() string { return "view size " + c.View + " " + c.Size }
func (c ResetViewSize) words() string {
	return fmt.Sprintf("view %s in size %s as in all others", c.View, c.Size)
}

func (c ResetViewSize) apply(p *production.Production, _ Known) error {
	i, err := viewAt(p, c.View)
	if err != nil {
		return err
	}
	if p.Views[i].Setup.Locked {
		return locked(p.Views[i])
	}
	p.Views[i].SetFor(production.ViewSize{Size: c.Size})
	return nil
}
