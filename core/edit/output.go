package edit

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

// AddOutput adds an output of a role.
type AddOutput struct {
	Role string `json:"role,omitempty" role:"value"`
}

func (AddOutput) Name() string    { return "output.add" }
func (AddOutput) Part() string    { return "output" }
func (c AddOutput) words() string { return strings.TrimSpace("add output " + c.Role) }

func (c AddOutput) apply(p *production.Production, _ Known) error {
	o := output.Usual()[0]
	if i := slices.IndexFunc(output.Usual(), func(o output.Output) bool { return string(o.Role) == c.Role }); i >= 0 {
		o = output.Usual()[i]
	}
	taken := func(code string) bool { _, ok := p.FindOutput(code); return ok }
	if taken(o.Code) {
		o.Code = free(o.Code, 2, taken)
		o.Name += " " + strings.TrimPrefix(o.Code, string(o.Role))
	}
	p.Outputs = append(p.Outputs, o)
	return nil
}

func outputAt(p *production.Production, code string) (int, error) {
	return at("output", code, p.Outputs, func(o output.Output) string { return o.Code })
}

// SetOutput changes an output.
type SetOutput struct {
	Output      string       `json:"output" role:"of"`
	Code        *string      `json:"code,omitempty"`
	Title       *string      `json:"name,omitempty"`
	Role        *string      `json:"role,omitempty"`
	Format      *string      `json:"format,omitempty"`
	Depth       *string      `json:"depth,omitempty" label:"bit depth"`
	Compression *string      `json:"compression,omitempty"`
	Level       *int         `json:"level,omitempty"`
	Dither      *string      `json:"dither,omitempty"`
	Alpha       *string      `json:"alpha,omitempty"`
	Curve       *string      `json:"curve,omitempty" label:"encoding"`
	Primaries   *string      `json:"primaries,omitempty"`
	Viewed      *bool        `json:"viewed,omitempty" label:"through the viewing transform"`
	Packing     *string      `json:"packing,omitempty"`
	Only        *[]pass.Code `json:"only,omitempty" label:"passes"`
	Scale       *string      `json:"scale,omitempty"`
	Kernel      *string      `json:"kernel,omitempty" label:"filter"`
	Pattern     *string      `json:"pattern,omitempty" label:"name pattern"`
}

func (SetOutput) Name() string   { return "output.set" }
func (c SetOutput) Part() string { return "output " + c.Output }

func (c SetOutput) apply(p *production.Production, _ Known) error {
	i, err := outputAt(p, c.Output)
	if err != nil {
		return err
	}
	o := &p.Outputs[i]
	return first(
		to(&o.Name, c.Title),
		with("role", c.Role, func(role string) error {
			if o.Role = output.Role(role); o.Role == output.Master && !o.StampMaster {
				o.Stamp.On = false
			}
			return nil
		}),
		c.encoding(o),
		with("only", c.Only, func(codes []pass.Code) error {
			o.Only = pass.Sorted(slices.Clone(codes))
			if len(o.Only) == len(p.KnownPasses()) {
				o.Only = nil
			}
			return nil
		}),
		to(&o.Pattern, c.Pattern),
		with("code", c.Code, func(code string) error { renameOutput(p, i, code); return nil }),
	)
}

func (c SetOutput) encoding(o *output.Output) error {
	return first(
		with("format", c.Format, func(v string) error {
			if output.Format(v).Kind().Name == "" {
				return fmt.Errorf("there is no format %q", v)
			}
			*o = o.Switch(output.Format(v))
			return nil
		}),
		with("depth", c.Depth, func(v string) error { o.Depth = output.Depth(v); return nil }),
		with("compression", c.Compression, func(v string) error {
			before := o.LevelScale()
			if o.Compression = output.Compression(v); o.LevelScale() != before { // the number means something else now
				o.Level = o.LevelScale().Used
			}
			return nil
		}),
		to(&o.Level, c.Level),
		with("dither", c.Dither, func(v string) error { o.Dither = pixel.Dither(v); return nil }),
		with("alpha", c.Alpha, func(v string) error { o.Alpha = output.Alpha(v); return nil }),
		with("curve", c.Curve, func(v string) error { o.Curve = pixel.Curve(v); return nil }),
		with("primaries", c.Primaries, func(v string) error { o.Primaries = pixel.Primaries(v); return nil }),
		to(&o.Viewed, c.Viewed),
		with("packing", c.Packing, func(v string) error { o.Packing = output.Packing(v); return nil }),
		with("scale", c.Scale, func(v string) (err error) { o.Scale, err = raster.ParseReduction(v); return err }),
		with("kernel", c.Kernel, func(v string) error { o.Kernel = pixel.Kernel(v); return nil }),
	)
}

// renameOutput gives an output another code, wherever that is named.
func renameOutput(p *production.Production, i int, code string) {
	was := p.Outputs[i].Code
	renamed(p, func(s *production.Shot) []string { return s.Outputs }, p.ShotDefaults.Outputs, was, code)
	for k := range p.PassLists {
		for j := range p.PassLists[k].Choices {
			outputs := p.PassLists[k].Choices[j].Outputs
			for n := range outputs {
				if outputs[n] == was {
					outputs[n] = code
				}
			}
		}
	}
	p.Outputs[i].Code = code
}

// StampOutput changes what is burnt in: its switches, or the text at one place.
type StampOutput struct {
	Output  string   `json:"output" role:"of"`
	On      *bool    `json:"on,omitempty" label:"burn-in"`
	Percent *float64 `json:"percent,omitempty" label:"burn-in height" unit:"%"`
	Opacity *float64 `json:"opacity,omitempty" label:"burn-in opacity" unit:"%"`

	TopLeft      *string `json:"top-left,omitempty" label:"top left"`
	TopMiddle    *string `json:"top-middle,omitempty" label:"top middle"`
	TopRight     *string `json:"top-right,omitempty" label:"top right"`
	BottomLeft   *string `json:"bottom-left,omitempty" label:"bottom left"`
	BottomMiddle *string `json:"bottom-middle,omitempty" label:"bottom middle"`
	BottomRight  *string `json:"bottom-right,omitempty" label:"bottom right"`
}

func (StampOutput) Name() string    { return "output.stamp" }
func (c StampOutput) Part() string  { return "output " + c.Output }
func (c StampOutput) words() string { return "output " + c.Output + ": burn-in" }

func (c StampOutput) apply(p *production.Production, _ Known) error {
	i, err := outputAt(p, c.Output)
	if err != nil {
		return err
	}
	o := &p.Outputs[i]
	line := func(place stamp.Place, text *string) error {
		return with(string(place), text, func(text string) error {
			if _, err := naming.ParseText(text); err != nil {
				return err
			}
			o.Stamp = o.Stamp.With(place, text)
			return nil
		})
	}
	return first(
		with("on", c.On, func(on bool) error {
			if o.Stamp.On = on; on && len(o.Stamp.Lines) == 0 {
				o.Stamp = stamp.Usual()
			}
			o.StampMaster = on && o.Role == output.Master
			return nil
		}),
		to(&o.Stamp.Percent, c.Percent),
		with("opacity", c.Opacity, func(v float64) error { o.Stamp.Opacity = v / 100; return nil }),
		line(stamp.TopLeft, c.TopLeft),
		line(stamp.TopMiddle, c.TopMiddle),
		line(stamp.TopRight, c.TopRight),
		line(stamp.BottomLeft, c.BottomLeft),
		line(stamp.BottomMiddle, c.BottomMiddle),
		line(stamp.BottomRight, c.BottomRight),
	)
}

// GroupPass puts a pass of an output into the file of a name, or into none.
type GroupPass struct {
	Output string    `json:"output" role:"of"`
	Pass   pass.Code `json:"pass"`
	Group  string    `json:"group" role:"value"`
}

func (GroupPass) Name() string    { return "output.group" }
func (c GroupPass) Part() string  { return "output " + c.Output }
func (c GroupPass) words() string { return fmt.Sprintf("output %s: file of %s", c.Output, c.Pass) }

func (c GroupPass) apply(p *production.Production, _ Known) error {
	i, err := outputAt(p, c.Output)
	if err != nil {
		return err
	}
	p.Outputs[i].Groups = regroup(p.Outputs[i].Groups, c.Pass, c.Group)
	return nil
}

// regroup puts a pass into the group of a name, or into none.
func regroup(groups []output.Group, code pass.Code, name string) []output.Group {
	var out []output.Group
	found := false
	for _, g := range groups {
		g.Passes = slices.DeleteFunc(slices.Clone(g.Passes), func(c pass.Code) bool { return c == code })
		if g.Name == name {
			g.Passes, found = pass.Sorted(append(g.Passes, code)), true
		}
		if len(g.Passes) > 0 {
			out = append(out, g)
		}
	}
	if !found && name != "" {
		out = append(out, output.Group{Name: name, Passes: []pass.Code{code}})
	}
	return out
}

// RemoveOutput removes an output that no shot goes to.
type RemoveOutput struct {
	Output string `json:"output" role:"of"`
}

func (RemoveOutput) Name() string   { return "output.remove" }
func (c RemoveOutput) Part() string { return "output " + c.Output }

func (c RemoveOutput) apply(p *production.Production, _ Known) error {
	i, err := outputAt(p, c.Output)
	if err != nil {
		return err
	}
	uses := func(s production.Shot) bool { return slices.Contains(p.OutputsOf(s), c.Output) }
	if err := first(unused(p, "output", uses), noDefault(p.ShotDefaults.Outputs, "output", c.Output)); err != nil {
		return err
	}
	p.Outputs = slices.Delete(p.Outputs, i, i+1)
	return nil
}

// SetNames changes how paths are made.
type SetNames struct {
	Pattern   *string `json:"pattern,omitempty" label:"name pattern"`
	Separator *string `json:"separator,omitempty" label:"separators"`
	Case      *string `json:"case,omitempty"`
}

func (SetNames) Name() string { return "names.set" }
func (SetNames) Part() string { return "names" }

func (c SetNames) apply(p *production.Production, _ Known) error {
	return first(
		with("pattern", c.Pattern, func(text string) error {
			if _, err := naming.Parse(text); err != nil {
				return err
			}
			p.Names.Pattern = text
			return nil
		}),
		to(&p.Names.Separator, c.Separator),
		with("case", c.Case, func(v string) error { p.Names.Case = naming.Case(v); return nil }),
	)
}
