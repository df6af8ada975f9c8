package edit

import (
	"fmt"

	"reelhouse/core/pass"
	"reelhouse/core/production"
)

// depthChange is what can be changed of depth and occlusion.
type depthChange struct {
	Background      *float64 `json:"background,omitempty" label:"background depth" unit:"m"`
	Kind            *string  `json:"kind,omitempty"` // "metres", or "normalised" for 0 to 1
	Near            *float64 `json:"near,omitempty" unit:"m"`
	Far             *float64 `json:"far,omitempty" unit:"m"`
	Inverted        *bool    `json:"inverted,omitempty"`
	Clamped         *bool    `json:"clamped,omitempty"`
	Filtered        *bool    `json:"filtered,omitempty"`
	OcclusionRadius *float64 `json:"occlusionRadius,omitempty" label:"occlusion radius" unit:"m"`
}

// SetDepth changes what the passes of depth and occlusion of a pass list hold.
type SetDepth struct {
	List string `json:"list" role:"of"`
	depthChange
}

// SetShotDepth changes what they hold in a shot, which begins with what its pass list says.
type SetShotDepth struct {
	Shot string `json:"shot" role:"of"`
	depthChange
}

// Kinds of depth.
const (
	DepthMetres     = "metres"
	DepthNormalised = "normalised"
)

// usualFar is where a normalised depth ends that nobody has measured, in metres.
const usualFar = 100

func (SetDepth) Name() string       { return "depth.set" }
func (c SetDepth) Part() string     { return "depth " + c.List }
func (SetShotDepth) Name() string   { return "shot-depth.set" }
func (c SetShotDepth) Part() string { return "shot " + c.Shot }

func (c SetDepth) apply(p *production.Production, _ Known) error {
	i, err := passListAt(p, c.List)
	if err != nil {
		return err
	}
	return c.change(&p.PassLists[i].Depth)
}

func (c SetShotDepth) apply(p *production.Production, _ Known) error {
	i, err := shotAt(p, c.Shot)
	if err != nil {
		return err
	}
	own := p.ResolvedShot(p.Shots[i]).Depth()
	if err := c.change(&own); err != nil {
		return err
	}
	p.Shots[i].Depth = &own
	return nil
}

func (c depthChange) change(s *pass.DepthSettings) error {
	d := &s.Style
	err := first(
		to(&s.Background, c.Background),
		to(&d.Near, c.Near),
		to(&d.Far, c.Far),
		with("kind", c.Kind, func(kind string) error {
			switch kind {
			case DepthMetres, DepthNormalised:
			default:
				return fmt.Errorf("a depth is %s or %s, not %q", DepthMetres, DepthNormalised, kind)
			}
			if d.Picture = kind == DepthNormalised; d.Picture && d.Near >= d.Far {
				d.Near, d.Far = 0, usualFar
			}
			return nil
		}),
		to(&d.Inverted, c.Inverted),
		with("clamped", c.Clamped, func(on bool) error { d.Open = !on; return nil }),
		to(&d.Filtered, c.Filtered),
		to(&s.OcclusionRadius, c.OcclusionRadius),
	)
	if fields := given(c); err == nil && len(fields) > 0 {
		err = wrong(fields[len(fields)-1], s.Check())
	}
	return err
}
