package edit

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/lut"
	"reelhouse/core/naming"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
)

// AddLUT adds a look-up table that was imported.
type AddLUT struct {
	LUT production.LUTFile `json:"lut"` // its code is chosen here
}

func (AddLUT) Name() string    { return "lut.add" }
func (AddLUT) Part() string    { return "lut" }
func (c AddLUT) words() string { return "import look-up table " + c.LUT.Name }

func (c AddLUT) apply(p *production.Production, _ Known) error {
	f := c.LUT
	taken := func(code string) bool { _, ok := p.FindLUT(code); return ok }
	name, _, _ := strings.Cut(f.Name, ".")
	f.Code = strings.Trim((naming.Rules{}).Clean(name), "-_")
	if !naming.ValidCode(f.Code) || taken(f.Code) {
		f.Code = free("lut", len(p.LUTs)+1, taken)
	}
	if f.Input.Curve == "" {
		f.Input.Curve = lut.SRGB
	}
	p.LUTs = append(p.LUTs, f)
	return nil
}

// SetLUT says what a look-up table is made for, or gives it another code. The viewing transform follows.
type SetLUT struct {
	LUT       string  `json:"lut" role:"of"`
	Code      *string `json:"code,omitempty"`
	Curve     *string `json:"curve,omitempty" label:"input"`
	Primaries *string `json:"primaries,omitempty" label:"input primaries"`
}

func (SetLUT) Name() string   { return "lut.set" }
func (c SetLUT) Part() string { return "lut " + c.LUT }

func (c SetLUT) apply(p *production.Production, _ Known) error {
	i, err := lutAt(p, c.LUT)
	if err != nil {
		return err
	}
	f := &p.LUTs[i]
	return first(
		with("curve", c.Curve, func(v string) error { f.Input.Curve = lut.Curve(v); return nil }),
		with("primaries", c.Primaries, func(v string) error { f.Input.Primaries = pixel.Primaries(v); return nil }),
		with("code", c.Code, func(code string) error {
			if p.Picture.Viewing == pixel.ViewLUT(c.LUT) {
				p.Picture.Viewing = pixel.ViewLUT(code)
			}
			f.Code = code
			return nil
		}),
	)
}

func lutAt(p *production.Production, code string) (int, error) {
	return at("look-up table", code, p.LUTs, func(f production.LUTFile) string { return f.Code })
}

// RemoveLUT removes a look-up table that is not the viewing transform.
type RemoveLUT struct {
	LUT string `json:"lut" role:"of"`
}

func (RemoveLUT) Name() string   { return "lut.remove" }
func (c RemoveLUT) Part() string { return "lut " + c.LUT }

func (c RemoveLUT) apply(p *production.Production, _ Known) error {
	i, err := lutAt(p, c.LUT)
	if err != nil {
		return err
	}
	if p.Picture.Viewing == pixel.ViewLUT(c.LUT) {
		return fmt.Errorf("it is the viewing transform; choose another there first")
	}
	p.LUTs = slices.Delete(p.LUTs, i, i+1)
	return nil
}
