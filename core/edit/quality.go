package edit

import (
	"fmt"
	"slices"

	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
)

// AddQuality adds a quality of half the size.
type AddQuality struct{}

func (AddQuality) Name() string { return "quality.add" }
func (AddQuality) Part() string { return "quality" }

func (AddQuality) apply(p *production.Production, _ Known) error {
	taken := func(code string) bool { _, ok := p.FindQuality(code); return ok }
	p.Qualities = append(p.Qualities, production.Quality{
		Code: free("quality", len(p.Qualities)+1, taken), Name: "New quality",
		Scale: raster.Reduction{Percent: 50}, Samples: 3, Filter: pixel.Gaussian,
	})
	return nil
}

// SetQuality changes a quality. Empty numbers stand for what is usual.
type SetQuality struct {
	Quality       string  `json:"quality" role:"of"`
	Title         *string `json:"name,omitempty"`
	Scale         *string `json:"scale,omitempty"`
	Samples       *int    `json:"samples,omitempty" label:"samples along an edge"`
	Filter        *string `json:"filter,omitempty"`
	Noise         *number `json:"noise,omitempty" label:"noise threshold" unit:"%"`
	LeastSamples  *number `json:"leastSamples,omitempty" label:"least samples"`
	Diffuse       *number `json:"diffuse,omitempty" label:"diffuse bounces"`
	Specular      *number `json:"specular,omitempty" label:"specular bounces"`
	Transmitted   *number `json:"transmitted,omitempty" label:"transmitted bounces"`
	IndirectLimit *number `json:"indirectLimit,omitempty" label:"indirect light limit"`
	TimeLimit     *number `json:"timeLimit,omitempty" label:"time limit" unit:"s"`
	Spread        *string `json:"spread,omitempty" label:"filtering"` // "spread", or "" for pixel by pixel
	Tiles         *string `json:"tiles,omitempty"`
	Memory        *number `json:"memory,omitempty" unit:"GB"`
	Final         *bool   `json:"final,omitempty"`
}

func (SetQuality) Name() string   { return "quality.set" }
func (c SetQuality) Part() string { return "quality " + c.Quality }

func (c SetQuality) apply(p *production.Production, _ Known) error {
	i, err := at("quality", c.Quality, p.Qualities, func(q production.Quality) string { return q.Code })
	if err != nil {
		return err
	}
	q := &p.Qualities[i]
	f := &q.Effort
	bounces := f.Bounces.OrUsual()
	err = first(
		to(&q.Name, c.Title),
		with(
			"scale",
			c.Scale,
			func(text string) (err error) { q.Scale, err = raster.ParseReduction(text); return err },
		),
		to(&q.Samples, c.Samples),
		with("filter", c.Filter, func(v string) error { q.Filter = pixel.Filter(v); return nil }),
		with("noise", c.Noise, func(v number) error { f.Noise = float64(v) / 100; return f.Check() }),
		with("leastSamples", c.LeastSamples, func(v number) error { return whole(&f.Least, v) }),
		with("diffuse", c.Diffuse, func(v number) error { return whole(&bounces.Diffuse, v) }),
		with("specular", c.Specular, func(v number) error { return whole(&bounces.Glossy, v) }),
		with("transmitted", c.Transmitted, func(v number) error { return whole(&bounces.Through, v) }),
		with("indirectLimit", c.IndirectLimit, func(v number) error { f.Clamp = float64(v); return f.Check() }),
		with("timeLimit", c.TimeLimit, func(v number) error { f.Seconds = float64(v); return f.Check() }),
		with("spread", c.Spread, func(v string) error { f.Splat = v == "spread"; return nil }),
		with("tiles", c.Tiles, func(text string) (err error) { q.Tiles, err = raster.ParseTiling(text); return err }),
		toNumber(&q.Memory, c.Memory),
		to(&q.Deliverable, c.Final),
	)
	if err != nil {
		return err
	}
	if f.Bounces = bounces; bounces == sampling.Usual {
		f.Bounces = sampling.Bounces{}
	}
	if fields := given(c); len(fields) > 0 {
		return wrong(fields[len(fields)-1], f.Check())
	}
	return nil
}

// whole puts a number that has to be whole where it belongs.
func whole(place *int, v number) error {
	if float64(v) != float64(int(v)) {
		return fmt.Errorf("%v is not a whole number", float64(v))
	}
	*place = int(v)
	return nil
}

// RemoveQuality removes a quality.
type RemoveQuality struct {
	Quality string `json:"quality" role:"of"`
}

func (RemoveQuality) Name() string   { return "quality.remove" }
func (c RemoveQuality) Part() string { return "quality " + c.Quality }

func (c RemoveQuality) apply(p *production.Production, _ Known) error {
	i, err := at("quality", c.Quality, p.Qualities, func(q production.Quality) string { return q.Code })
	if err != nil {
		return err
	}
	if p.Quality == c.Quality {
		return fmt.Errorf("the next batch is sent in this quality; choose another on the batch sheet first")
	}
	uses := func(s production.Shot) bool { return s.Quality == c.Quality }
	if err := unused(p, "quality", uses); err != nil {
		return err
	}
	p.Qualities = slices.Delete(p.Qualities, i, i+1)
	return nil
}
