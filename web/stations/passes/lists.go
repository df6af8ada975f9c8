package passes

import (
	"slices"
	"strings"

	"reelhouse/core/pass"
	"reelhouse/core/production"
	"reelhouse/web/kit"
)

// A listHead is a pass list at the top of its column, with what a frame of it takes in OpenEXR, in the first size.
type listHead struct {
	production.PassList
	Bytes     float64
	Seconds   float64
	Shots     int // that use it
	Title     kit.Field
	CodeField kit.Field
	Copy      kit.Action
	Remove    kit.Action
	Wrong     []string
}

// headOf returns the head of a list's column.
func headOf(v *kit.View, l production.PassList, cost costs) listHead {
	part := v.Part("pass-list", l.Code)
	out := listHead{
		PassList:  l,
		Title:     part.Field("name", "Name of "+l.Code, l.Name).Styled("text-xs", 0),
		CodeField: part.Field("code", "Code of "+l.Name, l.Code).Styled("mono font-bold", 0),
		Copy:      part.Action("copy", "Copy", "A list like "+l.Code+" beside it"),
		Remove:    part.Action("remove", "Remove", "Remove "+l.Code+"; undo brings it back"),
	}
	for _, field := range []string{"", "passes", "remove"} {
		if message := part.Wrong(field); message != "" {
			out.Wrong = append(out.Wrong, message)
		}
	}
	for _, s := range v.Draft.Set.Shots {
		out.Shots += kit.OneIf(s.List != nil && s.List.Code == l.Code)
	}
	cost = cost.forList(l)
	out.Bytes, out.Seconds = cost.bytes(l.Passes...), cost.frame*pass.Work(l.Passes)
	return out
}

// A group is the passes of one kind: rows of the table.
type group struct {
	Name  pass.Group
	Cells []groupCell
	Rows  []passRow
}

// A groupCell ticks all passes of a group in a list.
type groupCell struct {
	List    string
	Checked string // "true", "false", or "mixed" for some of them
	Passes  string // their codes, with spaces between
}

// A passRow is one pass, and which lists have it.
type passRow struct {
	shownPass
	Cells []cell
}

// A cell is a pass in a list.
type cell struct {
	List string
	On   bool
	Note string // what is asked of it there, in a few letters
}

// groupsOf returns the table of passes and lists.
func groupsOf(wall []shownPass, lists []production.PassList) []group {
	var all []group
	for _, name := range pass.Groups() {
		g := group{Name: name}
		var codes []string
		for _, shown := range wall {
			if shown.Group == name {
				codes = append(codes, string(shown.Code))
				g.Rows = append(g.Rows, passRow{shown, cellsOf(shown.Pass, lists)})
			}
		}
		for i, l := range lists {
			on := 0
			for _, row := range g.Rows {
				on += kit.OneIf(row.Cells[i].On)
			}
			checked := "mixed"
			if on == 0 || on == len(g.Rows) {
				checked = map[bool]string{true: "true", false: "false"}[on > 0]
			}
			g.Cells = append(g.Cells, groupCell{l.Code, checked, strings.Join(codes, " ")})
		}
		all = append(all, g)
	}
	return all
}

func cellsOf(described pass.Pass, lists []production.PassList) []cell {
	cells := make([]cell, len(lists))
	for i, l := range lists {
		choice := l.Choice(described.Code)
		cells[i] = cell{List: l.Code, On: slices.Contains(l.Passes, described.Code)}
		var notes []string
		if choice.OtherDepth {
			notes = append(notes, map[bool]string{true: "16-bit", false: "32-bit"}[described.Data])
		}
		if choice.OtherFilter {
			notes = append(notes, map[bool]string{true: "centre", false: "mean"}[described.Filtered])
		}
		if len(choice.Outputs) > 0 {
			notes = append(notes, "→ "+strings.Join(choice.Outputs, ", "))
		}
		cells[i].Note = strings.Join(notes, " ")
	}
	return cells
}

// A chosenPass is what a list asks of the pass that is shown large.
type chosenPass struct {
	pass.Pass
	List    string
	Bytes   float64
	Seconds float64    // that it adds to the frame
	Depth   *kit.Field // nil if it has always the same bit depth
	Filter  *kit.Field // nil if it has always the same filter
	Outputs kit.Ticks
}

// Filtering says how the pass is filtered, where there is no choice.
func (c chosenPass) Filtering() string {
	switch {
	case c.IsCryptomatte():
		return "coverage"
	case c.Filtered:
		return "mean"
	}
	return "at the centre"
}

// chosenIn returns what the lists that have a pass ask of it.
func chosenIn(v *kit.View, described pass.Pass, cost costs) []chosenPass {
	var rows []chosenPass
	for _, l := range v.Production.PassLists {
		if !slices.Contains(l.Passes, described.Code) {
			continue
		}
		row := choiceOf(v, l, described)
		rest := slices.DeleteFunc(slices.Clone(l.Passes), func(code pass.Code) bool { return code == described.Code })
		row.Bytes = cost.forList(l).bytes(described.Code)
		row.Seconds = cost.frame * (pass.Work(l.Passes) - pass.Work(rest))
		rows = append(rows, row)
	}
	return rows
}

// choiceOf returns a pass of a list with what can be asked of it there.
func choiceOf(v *kit.View, l production.PassList, described pass.Pass) chosenPass {
	part := v.Part("pass-list", l.Code)
	code, choice := string(described.Code), l.Choice(described.Code)
	either := func(name, label string, other bool, usual, unusual string) *kit.Field {
		value := ""
		if other {
			value = "1"
		}
		f := part.Field(name, label+" in "+l.Code, value).
			Among([]kit.Option{{Value: "", Text: usual}, {Value: "1", Text: unusual}}).
			By("pass-list.choose", name, "set.pass", code)
		f.ID, f.Value = l.Code+"-"+code+"-"+name, value
		return &f
	}
	row := chosenPass{Pass: described, List: l.Code}
	if !described.IsCryptomatte() {
		bits := []string{"16-bit half", "32-bit float"}
		if described.Data {
			slices.Reverse(bits)
		}
		row.Depth = either("otherDepth", "bit depth", choice.OtherDepth, bits[0], bits[1])
	}
	if described.Either {
		filters := []string{"at the centre", "mean"}
		if described.Filtered {
			slices.Reverse(filters)
		}
		row.Filter = either("otherFilter", "filter", choice.OtherFilter, filters[0], filters[1])
	}
	var outputs []string
	for _, o := range v.Production.Outputs {
		outputs = append(outputs, o.Code)
	}
	on := choice.Outputs
	if len(on) == 0 {
		on = outputs
	}
	row.Outputs = part.Ticks("outputs", "Outputs of "+described.Name+" in "+l.Code, kit.Choices(outputs, on)).
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

// listDepth is what depth and occlusion hold in a list.
type listDepth struct {
	Code   string
	Now    string // in words
	Fields []kit.Field
	Wrong  string
}

// depthsOf returns the settings of every list that has a pass of depth or occlusion.
func depthsOf(v *kit.View) []listDepth {
	var all []listDepth
	for _, l := range v.Production.PassLists {
		part := v.Part("depth", l.Code)
		if !slices.ContainsFunc(l.Passes, pass.Code.OfDepth) && part.Wrong("") == "" {
			continue
		}
		all = append(all, listDepth{l.Code, l.Depth.String(), kit.DepthFields(part, l.Depth), part.Wrong("")})
	}
	return all
}

// overridden returns the shots that hold another depth than their pass list says.
func overridden(p production.Production) []string {
	var codes []string
	for _, s := range p.Shots {
		if s.Depth != nil {
			codes = append(codes, s.Code)
		}
	}
	return codes
}
