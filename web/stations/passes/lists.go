package passes

import (
	"slices"
	"strings"

	"reelhouse/core/edit"
	"reelhouse/core/pass"
	"reelhouse/core/production"
	"reelhouse/web/kit"
)

// listOf returns a pass list with what is edited of it.
func listOf(v *kit.View, l production.PassList, catalogue []pass.Pass) costedList {
	p, part := v.Production, v.Part("pass-list", l.Code)
	boxes := part.Ticks("passes", "Passes of "+l.Code, nil)
	out := costedList{
		PassList: l,
		Title:    part.Field("name", "Name", l.Name),
		Boxes:    listBoxes{Edit: boxes.Edit, Mistake: boxes.Mistake},
		Remove:   part.Action("remove", "Remove", "Remove this list"),
	}
	for _, field := range []string{"", "remove"} {
		if message := part.Wrong(field); message != "" {
			out.Wrong = append(out.Wrong, message)
		}
	}
	for _, s := range v.Draft.Set.Shots {
		out.Shots += kit.OneIf(s.List != nil && s.List.Code == l.Code)
	}
	for _, described := range catalogue {
		on := slices.Contains(l.Passes, described.Code)
		out.Boxes.Passes = append(out.Boxes.Passes, passBox{described.Code, described.Name, on})
	}
	var outputs []string
	for _, o := range p.Outputs {
		outputs = append(outputs, o.Code)
	}
	for _, code := range l.Passes {
		described, err := pass.Find(code)
		if err != nil {
			continue
		}
		row := choiceOf(part, l, described, outputs)
		out.Open = out.Open || row.Outputs.Mistake != ""
		out.Rows = append(out.Rows, row)
	}
	return out
}

// choiceOf returns a pass of a list with what can be asked of it there.
func choiceOf(part kit.Part, l production.PassList, described pass.Pass, outputs []string) chosenPass {
	code, choice := string(described.Code), l.Choice(described.Code)
	tick := func(name, label string, on bool) *kit.Field {
		f := part.Tick(name, label, on).By("pass-list.choose", name, "set.pass", code)
		f.ID = l.Code + "-" + code + "-" + name
		return &f
	}
	row := chosenPass{Pass: described, PassChoice: choice}
	if !described.IsCryptomatte() {
		label := "32-bit float instead of 16-bit half"
		if described.Data {
			label = "16-bit half instead of 32-bit float"
		}
		row.Depth = tick("otherDepth", label, choice.OtherDepth)
	}
	if described.Either {
		label := "mean instead of at the centre"
		if described.Filtered {
			label = "at the centre instead of the mean"
		}
		row.Filter = tick("otherFilter", label, choice.OtherFilter)
	}
	on := choice.Outputs
	if len(on) == 0 {
		on = outputs
	}
	row.Outputs = part.Ticks("outputs", "Outputs of "+described.Name, kit.Choices(outputs, on)).
		By("pass-list.choose", "set.pass", code)
	row.Outputs.ID = l.Code + "-" + code + "-outputs"
	return row
}

// A lightGroup is lights whose share of the picture is a pass.
type lightGroup struct {
	Code      string
	CodeField kit.Field
	Title     kit.Field
	Sky, Sun  kit.Field
	Lights    kit.Field
	Remove    kit.Action
	Wrong     string
}

// lightGroups returns the groups with what is edited of them.
func lightGroups(v *kit.View) []lightGroup {
	var all []lightGroup
	for _, g := range v.Production.LightGroups {
		part := v.Part("light-group", g.Code)
		all = append(all, lightGroup{
			Code:      g.Code,
			CodeField: part.Field("code", "Code", g.Code).Mono(8),
			Title:     part.Field("name", "Name", g.Name),
			Sky:       part.Tick("sky", "sky and background", g.Sky),
			Sun:       part.Tick("sun", "sun", g.Sun),
			Lights:    part.Field("lights", "Lights", strings.Join(g.Lights, ", ")).Mono(0).Or("none"),
			Remove:    part.Action("remove", "Remove", "Remove this group"),
			Wrong:     part.Wrong("remove"),
		})
	}
	return all
}

// depthSettings are what depth and occlusion passes hold.
type depthSettings struct {
	Fields []kit.Field
	Now    string // what depth holds, in words
	Wrong  string
}

// usualOcclusion is how far occlusion looks if nothing is said, in metres.
const usualOcclusion = 2.0

// depthOf returns what depth and occlusion passes hold.
func depthOf(v *kit.View) depthSettings {
	p, part := v.Production, v.Part("depth", "")
	kind, radius := edit.DepthMetres, p.OcclusionRadius
	if p.Depth.Picture {
		kind = edit.DepthNormalised
	}
	if radius == 0 {
		radius = usualOcclusion
	}
	d := depthSettings{Now: p.Depth.String(), Wrong: part.Wrong("")}
	d.Fields = append(d.Fields, part.Field("kind", "What the depth pass holds", kind).Among([]kit.Option{
		{Value: edit.DepthMetres, Text: "true metres"},
		{Value: edit.DepthNormalised, Text: "a picture, from 0 to 1"},
	}))
	if p.Depth.Picture {
		d.Fields = append(d.Fields,
			part.Field("near", "Near, m", kit.Number(p.Depth.Near)).Mono(0),
			part.Field("far", "Far, m", kit.Number(p.Depth.Far)).Mono(0),
			part.Tick("inverted", "inverted: 1 is near, 0 is far", p.Depth.Inverted),
			part.Tick("clamped", "clipped to 0 and 1", !p.Depth.Open))
	}
	d.Fields = append(d.Fields,
		part.Tick("filtered", "filtered: the mean over each pixel, not the depth at its centre", p.Depth.Filtered),
		part.Field("background", "Background depth, m; beyond the farthest object", kit.Number(p.DepthBackground)).
			Mono(0),
		part.Field("occlusionRadius", "Occlusion radius, m", kit.Number(radius)).Mono(0))
	return d
}
