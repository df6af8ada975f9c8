package shots

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/production"
	"reelhouse/core/shotlist"
	"reelhouse/web/kit"
)

// options are what shots of a production can be rendered as.
type options struct {
	seen      []kit.Option // views and rigs
	looks     []kit.Option
	qualities []kit.Option
	passLists []string
	sizes     []string
	outputs   []string
	renderers []string
}

// optionsOf returns what shots of a production can be rendered as.
func optionsOf(p production.Production, renderers []string) options {
	o := options{seen: seenOptions(p), renderers: renderers}
	for _, l := range p.Looks {
		o.looks = append(o.looks, kit.Option{Value: l.Code, Text: l.Name})
	}
	for _, q := range p.Qualities {
		o.qualities = append(o.qualities, kit.Option{Value: q.Code, Text: q.Name})
	}
	for _, l := range p.PassLists {
		o.passLists = append(o.passLists, l.Code)
	}
	for _, s := range p.Sizes {
		o.sizes = append(o.sizes, s.Code)
	}
	for _, out := range p.Outputs {
		o.outputs = append(o.outputs, out.Code)
	}
	return o
}

// seenOptions are what a shot can show: views and rigs.
func seenOptions(p production.Production) []kit.Option {
	var views, rigs []kit.Option
	for _, r := range p.Rigs {
		n := 0
		for _, v := range p.Views {
			n += kit.OneIf(v.Rig == r.Code)
		}
		if r.Kind != camera.Pair || n > 0 {
			text := "all of " + r.Code + ", " + kit.Plural(n, "view", "views")
			rigs = append(rigs, kit.Option{Value: r.Code, Text: text})
		}
	}
	for _, w := range p.ShotViews() {
		views = append(views, kit.Option{Value: w.Code, Text: w.Code})
	}
	return append(views, rigs...)
}

// defaults returns what shots are rendered as that override nothing.
func (o options) defaults(v *kit.View) shotDefaults {
	p, part := v.Production, v.Part("defaults", "").At("shot defaults")
	return shotDefaults{
		Sizes:   part.Ticks("sizes", "Default sizes", kit.Choices(o.sizes, p.ShotDefaults.Sizes)),
		Outputs: part.Ticks("outputs", "Default outputs", kit.Choices(o.outputs, p.ShotDefaults.Outputs)),
		Passes:  part.Field("passList", "Passes", p.ShotDefaults.PassList).Of(o.passLists),
		Handles: p.Handles, Quality: p.Quality,
	}
}

// together returns what can be done with all ticked shots.
func (o options) together(v *kit.View) together {
	part := v.Part("shot", "").At("shots")
	lists := make([]kit.Option, 0, len(o.passLists))
	for _, code := range o.passLists {
		lists = append(lists, kit.Option{Value: code, Text: code})
	}
	choice := func(field, label string, of []kit.Option) kit.Field {
		return part.Choice(field, label+" of the ticked shots", label+" …", of)
	}
	number := func(field, label string) kit.Field {
		return part.Field(field, label+" of the ticked shots", "").Styled("mono", 8).Or(label)
	}
	action := func(name, label, title string) kit.Action {
		a := part.Action(name, label, title)
		a.ID = name
		return a
	}
	inBatch := part.Field("inBatch", "", "").Edit
	t := together{
		Choices: []kit.Field{
			choice(
				"view",
				"view",
				o.seen,
			), choice("look", "look", o.looks), choice("quality", "quality", o.qualities),
			choice("passList", "passes", lists),
		},
		Numbers: []kit.Field{
			number("step", "step"), number("handles", "handles"),
			number("move", "move by").By("shot.shift", "by"),
		},
		Sizes:   part.Ticks("sizes", "Set these sizes", kit.Choices(o.sizes, nil)),
		Outputs: part.Ticks("outputs", "Set these outputs", kit.Choices(o.outputs, nil)),
		Actions: []kit.Action{
			kit.Action{ID: "include", Label: "Include", Edit: inBatch}.Telling("values", "1"),
			{ID: "exclude", Label: "Exclude", Edit: inBatch},
			action("move", "↑", "Towards the front").With("-1"),
			action("move", "↓", "Towards the end").With("1"),
			action("copy", "Copy", ""),
			action("join", "Join", "One shot with the frames of all that are ticked"),
			action("renumber", "Renumber", "010, 020, 030 and so on, in this order; all shots if none is ticked"),
			action("remove", "Remove", "Undo brings them back"),
		},
		Wrong: v.Wrong("shots", v.Mistake.Field),
	}
	for _, field := range []string{
		"look", "sizes", "passList", "depth", "outputs", "quality", "version", "step", "handles",
	} {
		label := strings.Replace(field, "passList", "passes", 1)
		t.Resets = append(t.Resets, part.Action("reset", label, "As in the shot defaults").With(field))
	}
	return t
}

// row returns a shot as a line of the table.
func (o options) row(v *kit.View, r *production.RenderedShot, from int) shotRow {
	s := *r.Shot
	p, part, clock := v.Production.Production, v.Part("shot", s.Code), v.Production.Clock()
	word := "excluded"
	if s.InBatch {
		word = "in batch"
	}
	w := shotRow{
		Shot:        s,
		Views:       r.Views,
		Looks:       r.LookCodes(),
		Rendered:    r.Rendered().Count(),
		First:       clock.Timecode(s.Frames.First()),
		Last:        clock.Timecode(s.Frames.Last()),
		Seconds:     clock.Seconds(s.Frames.Last()+1) - clock.Seconds(s.Frames.First()),
		Chosen:      slices.Contains(v.Chosen, s.Code),
		Lines:       renderedAs(p, r),
		CodeField:   part.Field("code", "Shot code", s.Code).Styled("mono font-bold", 0),
		InBatchTick: part.Tick("inBatch", word, s.InBatch),
		Title:       part.Field("name", "Name", s.Name),
		NoteField:   part.Field("note", "Note", s.Note).Styled("text-xs faint", 0).Or("note"),
		ViewField:   part.Field("view", "View", s.View).Among(o.seen),
		FramesField: part.Field("frames", "Frames", s.Frames).Mono(0),
		From:        from,
	}
	if s.Code == v.Open {
		w.Details = o.details(v, part, r)
	}
	return w
}

// renderedAs returns what a shot is rendered as, in lines.
func renderedAs(p production.Production, r *production.RenderedShot) [][]part {
	s, list := r.Shot, "no pass list"
	if r.List != nil {
		list = r.List.Code
	}
	lines := [][]part{
		{{strings.Join(r.SizeCodes(), ", "), s.Set("sizes")}},
		{{list + " →", s.Set("passList")}, {strings.Join(r.OutputCodes(), ", "), s.Set("outputs")}},
	}
	add := func(field, text string) {
		if s.Set(field) {
			lines = append(lines, []part{{text, true}})
		}
	}
	add("quality", "quality "+s.Quality)
	add("version", fmt.Sprintf("version %d", s.Version))
	add("step", "every "+frame.Nth(s.Step)+" frame")
	add("depth", "depth "+r.Depth().Style.String())
	add("handles", fmt.Sprintf("handles %d", p.HandlesOf(*s)))
	if n := len(s.Labels); n > 0 {
		lines = append(lines, []part{{kit.Plural(n, "named frame", "named frames"), false}})
	}
	return lines
}

// details returns what is edited of a shot beside its line.
func (o options) details(v *kit.View, part kit.Part, r *production.RenderedShot) *shotDetails {
	p, s := v.Production.Production, *r.Shot
	var others []string
	for _, seen := range o.seen {
		if seen.Value != s.View {
			others = append(others, seen.Value)
		}
	}
	d := &shotDetails{
		Also:     part.Ticks("also", "Further views", kit.Choices(others, s.Also)),
		HasAlso:  len(s.Also) > 0,
		Sequence: part.Field("sequence", "Sequence", s.Sequence).Mono(0).Or("none"),
		Values: part.Field("values", "Values", shotlist.WriteValues(s.Values)).Mono(0).
			Or("title = Low water; lamp = red"),
		Labels: part.Field("labels", "Named frames", shotlist.WriteLabels(s.Labels)).Mono(0),
		Actions: []kit.Action{
			part.Action("copy", "Copy", "A copy after it"),
			part.Action("remove", "Remove", "Remove this shot; undo brings it back"),
		},
	}
	if n := s.Frames.Count(); n > 1 {
		split := part.Action("split", "Split", "")
		split.ID = "do-split-" + s.Code
		d.Split = &splitting{ID: "split-" + s.Code, At: s.Frames.At(n / 2), Do: split, Wrong: part.Wrong("value")}
		if d.Split.Wrong == "" {
			d.Split.Wrong = part.Wrong("at")
		}
	}
	add := func(field, name, from, help string, control kit.Field, ticks *kit.Ticks) {
		reset := part.Action("reset", "Reset", "As before: "+from).With(field)
		reset.ID = "back-" + s.Code + "-" + field
		d.Fields = append(d.Fields, inherited{name, s.Set(field), from, reset, control, ticks, nil, help})
	}
	choice := func(field, name, value, from string, of []kit.Option) {
		of = append([]kit.Option{{Value: "", Text: from}}, of...)
		add(field, name, from, "", part.Field(field, name, value).Among(of), nil)
	}
	boxes := func(field, name, from string, codes, on []string) {
		ticks := part.Ticks(field, name, kit.Choices(codes, on))
		add(field, name, from, "", kit.Field{}, &ticks)
	}
	number := func(field, name string, value int, from, help string) {
		add(field, name, from, help, part.Field(field, name, strconv.Itoa(value)).Styled("mono w-20!", 0), nil)
	}
	var lists []kit.Option
	for _, code := range o.passLists {
		lists = append(lists, kit.Option{Value: code, Text: code})
	}
	choice("look", "Look", s.Look, "each view's own", o.looks)
	boxes("sizes", "Sizes", "shot defaults", o.sizes, r.SizeCodes())
	choice("passList", "Passes", s.PassList, "shot defaults: "+p.ShotDefaults.PassList, lists)
	add("depth", "Depth", "as in the pass list", r.Depth().String(), kit.Field{}, nil)
	d.Fields[len(d.Fields)-1].Fields = kit.DepthFields(v.Part("shot-depth", s.Code).At("shot "+s.Code), r.Depth())
	boxes("outputs", "Outputs", "shot defaults", o.outputs, r.OutputCodes())
	choice("quality", "Quality", s.Quality, "the batch's: "+p.Quality, o.qualities)
	if len(o.renderers) > 1 || s.Renderer != "" {
		choice(
			"renderer",
			"Renderer",
			s.Renderer,
			"its view's, or who reads the scene",
			kit.Codes(o.renderers, s.Renderer),
		)
	}
	version := s.Version
	if version == 0 {
		version = p.Version
	}
	number("version", "Version", version, fmt.Sprintf("the production's: %d", p.Version), "of what is rendered next")
	number("step", "Step", max(1, s.Step), "every frame", "renders every nth frame")
	number("handles", "Handles", p.HandlesOf(s), "as in Standards", "frames before and after")
	return d
}
