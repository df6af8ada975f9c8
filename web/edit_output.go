package web

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

func (e edit) output(p *production.Production) error {
	taken := func(c string) bool { _, ok := p.FindOutput(c); return ok }
	if e.field == "add" {
		o := output.Usual()[0]
		if i := slices.IndexFunc(output.Usual(), func(o output.Output) bool { return string(o.Role) == e.value }); i >= 0 {
			o = output.Usual()[i]
		}
		if taken(o.Code) {
			o.Code = fresh(o.Code, 1, taken)
			o.Name += " " + strings.TrimPrefix(o.Code, string(o.Role))
		}
		p.Outputs = append(p.Outputs, o)
		return nil
	}
	i, err := at(e, p.Outputs, func(o output.Output) string { return o.Code })
	if err != nil {
		return err
	}
	o := &p.Outputs[i]
	if place, stamped := strings.CutPrefix(e.field, "stamp-"); stamped {
		return e.stamp(o, place)
	}
	if code, grouped := strings.CutPrefix(e.field, "group-"); grouped {
		o.Groups = regroup(o.Groups, pass.Code(code), e.value)
		return nil
	}
	switch e.field {
	case "code":
		renamed(p, func(s *production.Shot) []string { return s.Outputs }, p.Usual.Outputs, o.Code, e.value)
		o.Code = e.value
	case "name":
		o.Name = e.value
	case "role":
		if o.Role = output.Role(e.value); o.Role == output.Master && !o.StampMaster {
			o.Stamp.On = false
		}
	case "format":
		*o = o.Switch(output.Format(e.value))
	case "depth":
		o.Depth = output.Depth(e.value)
	case "compression":
		before := o.LevelScale()
		if o.Compression = output.Compression(e.value); o.LevelScale() != before { // the number means something else now
			o.Level = o.LevelScale().Used
		}
	case "dither":
		o.Dither = pixel.Dither(e.value)
	case "level":
		o.Level, err = e.number()
	case "alpha":
		o.Alpha = output.Alpha(e.value)
	case "curve":
		o.Curve = pixel.Curve(e.value)
	case "packing":
		o.Packing = output.Packing(e.value)
	case "only":
		o.Only = nil
		for _, v := range e.values {
			o.Only = append(o.Only, pass.Code(v))
		}
		if o.Only = pass.Sorted(o.Only); len(o.Only) == len(p.KnownPasses()) {
			o.Only = nil
		}
	case "scale":
		o.Scale, err = raster.ParseReduction(e.value)
	case "kernel":
		o.Kernel = pixel.Kernel(e.value)
	case "pattern":
		o.Pattern = e.value
	case "remove":
		if err := unused(p, "output", func(shot production.Shot) bool { return slices.Contains(p.OutputsOf(shot), o.Code) }); err != nil {
			return err
		}
		p.Outputs = slices.Delete(p.Outputs, i, i+1)
	default:
		return errChoice
	}
	return err
}

// stamp edits what is burnt in: its switches, or the line at a place.
func (e edit) stamp(o *output.Output, field string) error {
	switch field {
	case "on":
		o.Stamp.On = e.ticked()
		if o.Stamp.On && len(o.Stamp.Lines) == 0 {
			o.Stamp = stamp.Usual()
		}
		o.StampMaster = o.Stamp.On && o.Role == output.Master
	case "percent":
		v, err := e.decimal("%")
		if err != nil {
			return err
		}
		o.Stamp.Percent = v
	case "opacity":
		v, err := e.decimal("%")
		if err != nil {
			return err
		}
		o.Stamp.Opacity = v / 100
	default:
		if !slices.Contains(stamp.Places(), stamp.Place(field)) {
			return errChoice
		}
		if _, err := naming.ParseText(e.value); err != nil {
			return err
		}
		o.Stamp = o.Stamp.With(stamp.Place(field), e.value)
	}
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

func (e edit) names(p *production.Production) error {
	switch e.field {
	case "pattern":
		if _, err := naming.Parse(e.value); err != nil {
			return err
		}
		p.Names.Pattern = e.value
	case "separator":
		p.Names.Separator = e.value
	case "case":
		p.Names.Case = naming.Case(e.value)
	default:
		return errChoice
	}
	return nil
}

var frameField = regexp.MustCompile(`\(frame(:\d+)?\)`)

// padFrames gives every pattern enough digits for the frames that are rendered.
func padFrames(p *production.Production) {
	digits := 1
	for _, s := range p.Shots {
		frames := p.RenderedOf(s)
		digits = max(digits, len(strconv.Itoa(max(-frames.First(), frames.First()))), len(strconv.Itoa(max(-frames.Last(), frames.Last()))))
	}
	padded := func(pattern string) string {
		return frameField.ReplaceAllString(pattern, fmt.Sprintf("(frame:%d)", digits))
	}
	p.Names.Pattern = padded(p.Names.Pattern)
	for i := range p.Outputs {
		p.Outputs[i].Pattern = padded(p.Outputs[i].Pattern)
	}
}
