package output

import (
	"fmt"
	"slices"

	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/stamp"
	"reelhouse/web/kit"
)

// openOutput returns an output with everything that is edited of it.
func openOutput(v *kit.View, o *shownOutput) *outputDetails {
	p, part := v.Production.Production, v.Part("output", o.Code)
	d := &outputDetails{
		shownOutput: o,
		FormatEdit:  part.Field("format", "", "").Edit,
		WrongFormat: part.Wrong("format"),
		Fields:      encodingFields(part, p, o),
		Pattern: part.Field("pattern", "Name pattern of its own; empty for the production's", o.Pattern).
			Mono(0).Or(p.Names.Pattern),
		Only:       part.Field("only", "", "").Edit,
		WrongOnly:  part.Wrong("only"),
		Grouped:    o.Packing == output.Groups,
		TextFields: naming.TextFields(),
	}
	for _, k := range output.Kinds() {
		d.Formats = append(d.Formats, formatChoice{
			k, "output-" + o.Code + "-format-" + string(k.Format), k.Format == o.Format,
			o.Cannot(k.Format, wants(p, passesOf(v.Draft.Set, o.Code))),
		})
	}
	for _, described := range p.KnownPasses() {
		group := ""
		for _, g := range o.Groups {
			if slices.Contains(g.Passes, described.Code) {
				group = g.Name
			}
		}
		code := string(described.Code)
		field := part.Field("group-"+code, "Group of "+described.Name, group).Mono(0).Or(code).
			By("output.group", "group", "set.pass", code)
		taken := len(o.Only) == 0 || slices.Contains(o.Only, described.Code)
		d.Passes = append(d.Passes, passChoice{described, taken, field})
	}
	d.stamp(v, part)
	return d
}

// passesOf are the passes that shots ask of an output.
func passesOf(set *production.Resolved, code string) []pass.Code {
	var passes []pass.Code
	for _, shot := range set.Shots {
		if shot.List != nil && shot.HasOutput(code) {
			passes = append(passes, shot.List.For(code)...)
		}
	}
	return pass.Sorted(passes)
}

// encodingFields are how the files of an output are encoded.
func encodingFields(part kit.Part, p production.Production, o *shownOutput) []kit.Field {
	name := func(names map[output.Depth]string) func(output.Depth) string {
		return func(d output.Depth) string { return names[d] }
	}
	fields := []kit.Field{
		part.Field("depth", "Bit depth", o.Depth).Among(kit.Options(o.Kind.Depths, name(depthNames))),
		part.Field("compression", "Compression", o.Compression).
			Among(kit.Options(o.Kind.Compressions, func(c output.Compression) string { return compressionNames[c] })),
	}
	if scale := o.LevelScale(); scale.Leveled() {
		label := fmt.Sprintf("%s, %d to %d", kit.Capital(scale.Name), scale.Least, scale.Most)
		fields = append(fields, part.Field("level", label, o.Level).Mono(0))
	}
	fields = append(fields,
		part.Field("alpha", "Alpha", o.Alpha).Among(alphaOptions(p, o)),
		part.Field("curve", "Encode", o.Output.Curve).Among(curveOptions(p, o)))
	if len(o.Kind.Primaries) > 0 && o.Encoding.Floating() {
		fields = append(fields, part.Field("primaries", "Primaries", o.Output.Primaries).Among(primariesOptions(p, o)))
	}
	if !o.Encoding.Floating() {
		fields = append(fields, part.Field("dither", "Rounding", o.Dither).
			Among(kit.Options(pixel.Dithers(), func(d pixel.Dither) string { return ditherNames[d] })))
	}
	fields = append(fields, part.Field("scale", "Scale of the rendered picture", o.Scale).Mono(0))
	if !o.Scale.Full() {
		fields = append(fields, part.Field("kernel", "Resampled by", o.ResampledBy()).
			Among(kit.Options(pixel.Kernels(), pixel.Kernel.Name)))
	}
	fields = append(fields, part.Field("packing", "Packing", o.Packing).Among([]kit.Option{
		{Value: string(output.Layers), Text: "all passes in one file"},
		{Value: string(output.Files), Text: "one file a pass"},
		{Value: string(output.Groups), Text: "a file for each group"},
	}))
	if o.Role != output.Master && !o.Encoding.Floating() {
		fields = append(fields, part.Tick("viewed", "viewing transform", o.Viewed))
	}
	return fields
}

// alphaOptions are the kinds of alpha that an output can have.
func alphaOptions(p production.Production, o *shownOutput) []kit.Option {
	var all []kit.Option
	if len(o.Kind.Alphas) > 0 {
		standard := p.EncodingOf(output.Output{Format: o.Format, Depth: o.Depth}).Alpha
		all = append(all, kit.Option{Value: "", Text: "as in the standards: " + alphaNames[standard]})
	}
	kinds := append([]output.Alpha{output.NoAlpha}, o.Kind.Alphas...)
	return append(all, kit.Options(kinds, func(a output.Alpha) string { return alphaNames[a] })...)
}

// curveOptions are the curves that an output can be encoded with.
func curveOptions(p production.Production, o *shownOutput) []kit.Option {
	var all []kit.Option
	if len(o.Kind.Curves) > 1 {
		text := "as in the standards: " + p.Picture.Display.Name()
		if own := p.EncodingOf(output.Output{Format: o.Format, Depth: o.Depth}).Curve; own != p.Picture.Display {
			text = "its usual: " + own.Name()
		}
		all = append(all, kit.Option{Value: "", Text: text})
	}
	return append(all, kit.Options(o.Kind.Curves, pixel.Curve.Name)...)
}

// primariesOptions are the primaries that linear light of an output can have.
func primariesOptions(p production.Production, o *shownOutput) []kit.Option {
	standard := p.EncodingOf(output.Output{Format: o.Format, Depth: o.Depth}).Primaries
	all := []kit.Option{{Value: "", Text: "as in the standards: " + standard.Name()}}
	return append(all, kit.Options(o.Kind.Primaries, pixel.Primaries.Name)...)
}

// stamp fills in what is burnt into the pictures of an output.
func (d *outputDetails) stamp(v *kit.View, part kit.Part) {
	d.StampOn = part.Tick("stamp-on", "burnt into the picture", d.Stamp.On).By("output.stamp", "on")
	if d.Role == output.Master {
		d.StampNote = "This is a master: it is not stamped unless you tick this."
	}
	if !d.Stamp.On {
		return
	}
	d.StampLive = v.Path(fmt.Sprintf("stamp?output=%s&seen=%d", d.Code, v.Production.Number))
	for _, place := range stamp.Places() {
		field := part.Field("stamp-"+string(place), placeNames[place], d.Stamp.Line(place)).Styled("mono text-xs", 0)
		d.StampFields = append(d.StampFields, field.Showing(d.StampLive).By("output.stamp", string(place)))
	}
	d.StampFields = append(d.StampFields,
		part.Field("stamp-percent", "Line height, % of the picture", kit.Number(d.Stamp.Percent)).Mono(0).
			Showing(d.StampLive).By("output.stamp", "percent"),
		part.Field("stamp-opacity", "Opacity, %", kit.Percent(d.Stamp.Opacity)).Mono(0).
			Showing(d.StampLive).By("output.stamp", "opacity"))
}
