package web

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/pass"
	"reelhouse/core/production"
)

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
