package web

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/pass"
	"reelhouse/core/production"
)

func (e edit) shot(p *production.Production) error {
	if e.field == "add" {
		return e.addShot(p)
	}
	i, err := at(e, p.Shots, func(s production.Shot) string { return s.Code })
	if err != nil {
		return err
	}
	s := &p.Shots[i]
	switch e.field {
	case "code":
		s.Code = e.value
	case "name":
		s.Name = e.value
	case "view":
		s.View = e.value
	case "frames":
		set, err := frame.Parse(e.value)
		if err != nil {
			return err
		}
		s.Frames = set
	case "sizes":
		s.Sizes = nil
		for _, size := range p.Sizes {
			if slices.Contains(e.values, size.Code) {
				s.Sizes = append(s.Sizes, size.Code)
			}
		}
	case "outputs":
		s.Outputs = nil
		for _, o := range p.Outputs {
			if slices.Contains(e.values, o.Code) {
				s.Outputs = append(s.Outputs, o.Code)
			}
		}
	case "passList":
		s.PassList = e.value
	case "inBatch":
		s.InBatch = len(e.values) > 0
	case "note":
		s.Note = e.value
	case "remove":
		p.Shots = slices.Delete(p.Shots, i, i+1)
	default:
		return errChoice
	}
	return nil
}

// addShot adds a shot of 48 frames of the first view, numbered in tens.
func (e edit) addShot(p *production.Production) error {
	views := p.ShotViews()
	if len(views) == 0 {
		return fmt.Errorf("there is no view yet; bring in a scene with cameras first")
	}
	if len(p.Sizes) == 0 || len(p.Outputs) == 0 || len(p.PassLists) == 0 {
		return fmt.Errorf("a shot needs a size, an output and a pass list; add what is missing at their stations first")
	}
	code := ""
	for n := 10 * (len(p.Shots) + 1); ; n += 10 {
		code = fmt.Sprintf("%03d", n)
		if _, taken := p.FindShot(code); !taken {
			break
		}
	}
	p.Shots = append(p.Shots, production.Shot{
		Code: code, Name: "New shot", View: views[0].Code, Frames: frame.Of(p.FirstFrame, p.FirstFrame+47),
		Sizes: []string{p.Sizes[0].Code}, PassList: p.PassLists[0].Code, Outputs: []string{p.Outputs[0].Code}, InBatch: true,
	})
	return nil
}

func (e edit) passList(p *production.Production) error {
	if e.field == "suggested" {
		for _, s := range pass.Suggestions() {
			if _, there := p.FindPassList(s.Code); s.Code == e.value && !there {
				p.PassLists = append(p.PassLists, production.PassList{Code: s.Code, Name: s.Name, Passes: pass.Sorted(s.Passes)})
				return nil
			}
		}
		return errChoice
	}
	if e.field == "add" {
		p.PassLists = append(p.PassLists, production.PassList{
			Code: fresh("list", len(p.PassLists), func(c string) bool { _, ok := p.FindPassList(c); return ok }), Name: "New list", Passes: []pass.Code{pass.Beauty},
		})
		return nil
	}
	i, err := at(e, p.PassLists, func(l production.PassList) string { return l.Code })
	if err != nil {
		return err
	}
	l := &p.PassLists[i]
	switch e.field {
	case "name":
		l.Name = e.value
	case "passes":
		l.Passes = nil
		for _, v := range e.values {
			l.Passes = append(l.Passes, pass.Code(v))
		}
		l.Passes = pass.Sorted(l.Passes)
		l.Choices = slices.DeleteFunc(l.Choices, func(c production.PassChoice) bool { return !slices.Contains(l.Passes, c.Pass) })
	case "otherDepth", "otherFilter", "outputs":
		return e.passChoice(p, l)
	case "remove":
		if err := unused(p, "list", func(s production.Shot) bool { return p.PassListOf(s) == l.Code }); err != nil {
			return err
		}
		p.PassLists = slices.Delete(p.PassLists, i, i+1)
	default:
		return errChoice
	}
	return nil
}

// passChoice applies an edit of what a list asks of one pass, which the edit's option names.
func (e edit) passChoice(p *production.Production, l *production.PassList) error {
	code := pass.Code(e.option)
	if !slices.Contains(l.Passes, code) {
		return fmt.Errorf("%s is not in the list any more", code)
	}
	c := l.Choice(code)
	switch e.field {
	case "otherDepth":
		c.OtherDepth = e.ticked()
	case "otherFilter":
		c.OtherFilter = e.ticked()
	case "outputs":
		if len(e.values) == 0 {
			return fmt.Errorf("%s would go nowhere; take it out of the list instead", code)
		}
		if c.Outputs = slices.Clone(e.values); len(c.Outputs) == len(p.Outputs) {
			c.Outputs = nil
		}
	}
	l.Choose(c)
	return nil
}

// lightGroup applies an edit of a group of lights.
func (e edit) lightGroup(p *production.Production) error {
	if e.field == "add" {
		code := fresh("group", len(p.LightGroups), func(c string) bool {
			return slices.ContainsFunc(p.LightGroups, func(g pass.LightGroup) bool { return g.Code == c })
		})
		p.LightGroups = append(p.LightGroups, pass.LightGroup{Code: code, Name: "New group"})
		return pass.CheckLightGroups(p.LightGroups)
	}
	i, err := at(e, p.LightGroups, func(g pass.LightGroup) string { return g.Code })
	if err != nil {
		return err
	}
	g := &p.LightGroups[i]
	inLists := func(change func(l *production.PassList, at int)) {
		for k := range p.PassLists {
			if at := slices.Index(p.PassLists[k].Passes, pass.LightCode(g.Code)); at >= 0 {
				change(&p.PassLists[k], at)
			}
		}
	}
	switch e.field {
	case "code":
		was := *g
		g.Code = e.value
		if err := pass.CheckLightGroups(p.LightGroups); err != nil {
			return err
		}
		renamedCode := pass.LightCode(e.value)
		g.Code = was.Code
		inLists(func(l *production.PassList, at int) {
			for k := range l.Choices {
				if l.Choices[k].Pass == l.Passes[at] {
					l.Choices[k].Pass = renamedCode
				}
			}
			l.Passes[at] = renamedCode
		})
		g.Code = e.value
	case "name":
		g.Name = e.value
	case "sky":
		g.Sky = e.ticked()
	case "sun":
		g.Sun = e.ticked()
	case "lights":
		g.Lights = names(e.value)
	case "remove":
		used := ""
		inLists(func(l *production.PassList, _ int) { used = l.Code })
		if used != "" {
			return fmt.Errorf("the pass list %s has its pass; take it out there first", used)
		}
		p.LightGroups = slices.Delete(p.LightGroups, i, i+1)
	default:
		return errChoice
	}
	return pass.CheckLightGroups(p.LightGroups)
}

// names reads names with commas between.
func names(text string) []string {
	var all []string
	for _, n := range strings.Split(text, ",") {
		if n = strings.TrimSpace(n); n != "" {
			all = append(all, n)
		}
	}
	return all
}

// unused returns an error that names the first shot which uses a part that is to be removed.
func unused(p *production.Production, part string, uses func(s production.Shot) bool) error {
	if i := slices.IndexFunc(p.Shots, uses); i >= 0 {
		return fmt.Errorf("shot %s uses this %s; choose another there first", p.Shots[i].Code, part)
	}
	return nil
}

// renamed puts another code in the place of one, in every shot's list and in the usual one.
func renamed(p *production.Production, list func(s *production.Shot) []string, usual []string, from, to string) {
	lists := [][]string{usual}
	for i := range p.Shots {
		lists = append(lists, list(&p.Shots[i]))
	}
	for _, codes := range lists {
		for k := range codes {
			if codes[k] == from {
				codes[k] = to
			}
		}
	}
}
