package edit

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/pass"
	"reelhouse/core/production"
)

// AddPassList adds a suggested list by its code, or one with the beauty.
type AddPassList struct {
	Suggestion string `json:"suggestion,omitempty" role:"value"`
}

func (AddPassList) Name() string { return "pass-list.add" }
func (AddPassList) Part() string { return "pass list" }

func (c AddPassList) apply(p *production.Production, _ Known) error {
	taken := func(code string) bool { _, ok := p.FindPassList(code); return ok }
	if c.Suggestion == "" {
		code := free("list", len(p.PassLists)+1, taken)
		p.PassLists = append(
			p.PassLists, production.PassList{
				Code: code, Name: "New list", Passes: []pass.Code{pass.Beauty}, Depth: firstDepth(p),
			},
		)
		return nil
	}
	for _, s := range pass.Suggestions() {
		if s.Code == c.Suggestion && !taken(s.Code) {
			p.PassLists = append(
				p.PassLists, production.PassList{
					Code: s.Code, Name: s.Name, Passes: pass.Sorted(s.Passes), Depth: firstDepth(p),
				},
			)
			return nil
		}
	}
	return fmt.Errorf("there is no suggested list %q, or it is there already", c.Suggestion)
}

// firstDepth is what depth holds in a new list: the same as in the first.
func firstDepth(p *production.Production) pass.DepthSettings {
	if len(p.PassLists) == 0 {
		return pass.UsualDepth()
	}
	return p.PassLists[0].Depth
}

func passListAt(p *production.Production, code string) (int, error) {
	return at("pass list", code, p.PassLists, func(l production.PassList) string { return l.Code })
}

// SetPassList changes a pass list.
type SetPassList struct {
	List   string       `json:"list" role:"of"`
	Code   *string      `json:"code,omitempty"`
	Title  *string      `json:"name,omitempty"`
	Passes *[]pass.Code `json:"passes,omitempty"`
}

func (SetPassList) Name() string   { return "pass-list.set" }
func (c SetPassList) Part() string { return "pass list " + c.List }

func (c SetPassList) apply(p *production.Production, _ Known) error {
	i, err := passListAt(p, c.List)
	if err != nil {
		return err
	}
	l := &p.PassLists[i]
	return first(
		to(&l.Name, c.Title),
		with("code", c.Code, func(code string) error { renamePassList(p, i, code); return nil }),
		with("passes", c.Passes, l.SetPasses),
	)
}

// renamePassList gives a list another code, wherever that is named.
func renamePassList(p *production.Production, i int, code string) {
	was := p.PassLists[i].Code
	for k := range p.Shots {
		if p.Shots[k].PassList == was {
			p.Shots[k].PassList = code
		}
	}
	if p.ShotDefaults.PassList == was {
		p.ShotDefaults.PassList = code
	}
	p.PassLists[i].Code = code
}

// IncludePasses puts passes into lists, or takes them out of them.
type IncludePasses struct {
	Lists  []string    `json:"lists" role:"of"`
	Passes []pass.Code `json:"passes"`
	On     bool        `json:"on"`
}

func (IncludePasses) Name() string { return "pass-list.include" }
func (c IncludePasses) Part() string {
	if len(c.Lists) == 1 {
		return "pass list " + c.Lists[0]
	}
	return "pass lists"
}

func (c IncludePasses) words() string {
	verb := "removed from"
	if c.On {
		verb = "added to"
	}
	what := fmt.Sprintf("%d passes", len(c.Passes))
	if len(c.Passes) == 1 {
		what = string(c.Passes[0])
	}
	return fmt.Sprintf("%s %s pass list %s", what, verb, strings.Join(c.Lists, ", "))
}

func (c IncludePasses) apply(p *production.Production, _ Known) error {
	if len(c.Lists) == 0 || len(c.Passes) == 0 {
		return wrong("passes", fmt.Errorf("no pass list or no pass is chosen"))
	}
	for _, code := range c.Lists {
		i, err := passListAt(p, code)
		if err != nil {
			return err
		}
		l := &p.PassLists[i]
		passes := slices.DeleteFunc(slices.Clone(l.Passes), func(code pass.Code) bool {
			return slices.Contains(c.Passes, code)
		})
		if c.On {
			passes = append(passes, c.Passes...)
		}
		if err := l.SetPasses(passes); err != nil {
			return wrong("passes", err)
		}
	}
	return nil
}

// CopyPassList adds a copy of a list after it.
type CopyPassList struct {
	List string `json:"list" role:"of"`
}

func (CopyPassList) Name() string   { return "pass-list.copy" }
func (c CopyPassList) Part() string { return "pass list " + c.List }

func (c CopyPassList) apply(p *production.Production, _ Known) error {
	i, err := passListAt(p, c.List)
	if err != nil {
		return err
	}
	fresh := p.Copy().PassLists[i]
	fresh.Code = free("list", len(p.PassLists)+1, func(code string) bool { _, ok := p.FindPassList(code); return ok })
	fresh.Name += ", copy"
	p.PassLists = slices.Insert(p.PassLists, i+1, fresh)
	return nil
}

// ChoosePass changes what a list asks of one of its passes.
type ChoosePass struct {
	List        string    `json:"list" role:"of"`
	Pass        pass.Code `json:"pass"`
	OtherDepth  *bool     `json:"otherDepth,omitempty" label:"bit depth"`
	OtherFilter *bool     `json:"otherFilter,omitempty" label:"filter"`
	Outputs     *[]string `json:"outputs,omitempty"`
}

func (ChoosePass) Name() string    { return "pass-list.choose" }
func (c ChoosePass) Part() string  { return "pass list " + c.List }
func (c ChoosePass) words() string { return fmt.Sprintf("pass list %s: options of %s", c.List, c.Pass) }

func (c ChoosePass) apply(p *production.Production, _ Known) error {
	i, err := passListAt(p, c.List)
	if err != nil {
		return err
	}
	l := &p.PassLists[i]
	if !slices.Contains(l.Passes, c.Pass) {
		return fmt.Errorf("%s is not in the list any more", c.Pass)
	}
	choice := l.Choice(c.Pass)
	err = first(
		to(&choice.OtherDepth, c.OtherDepth),
		to(&choice.OtherFilter, c.OtherFilter),
		with("outputs", c.Outputs, func(codes []string) error {
			if len(codes) == 0 {
				return fmt.Errorf("%s would go to no output; remove it from the list instead", c.Pass)
			}
			if choice.Outputs = slices.Clone(codes); len(codes) == len(p.Outputs) {
				choice.Outputs = nil
			}
			return nil
		}),
	)
	if err == nil {
		l.Choose(choice)
	}
	return err
}

// RemovePassList removes a list that no shot uses.
type RemovePassList struct {
	List string `json:"list" role:"of"`
}

func (RemovePassList) Name() string   { return "pass-list.remove" }
func (c RemovePassList) Part() string { return "pass list " + c.List }

func (c RemovePassList) apply(p *production.Production, _ Known) error {
	i, err := passListAt(p, c.List)
	if err != nil {
		return err
	}
	uses := func(s production.Shot) bool { return p.PassListOf(s) == c.List }
	defaults := []string{p.ShotDefaults.PassList}
	if err := first(unused(p, "list", uses), noDefault(defaults, "pass list", c.List)); err != nil {
		return err
	}
	p.PassLists = slices.Delete(p.PassLists, i, i+1)
	return nil
}

// AddLightGroup adds a group of lights, which is a pass.
type AddLightGroup struct{}

func (AddLightGroup) Name() string { return "light-group.add" }
func (AddLightGroup) Part() string { return "light group" }

func (AddLightGroup) apply(p *production.Production, _ Known) error {
	code := free("group", len(p.LightGroups)+1, func(code string) bool {
		return slices.ContainsFunc(p.LightGroups, func(g pass.LightGroup) bool { return g.Code == code })
	})
	p.LightGroups = append(p.LightGroups, pass.LightGroup{Code: code, Name: "New group"})
	return pass.CheckLightGroups(p.LightGroups)
}

// SetLightGroup changes a group of lights. Pass lists follow its code.
type SetLightGroup struct {
	Group  string  `json:"group" role:"of"`
	Code   *string `json:"code,omitempty"`
	Title  *string `json:"name,omitempty"`
	Sky    *bool   `json:"sky,omitempty"`
	Sun    *bool   `json:"sun,omitempty"`
	Lights *string `json:"lights,omitempty"` // names with commas between
}

func (SetLightGroup) Name() string   { return "light-group.set" }
func (c SetLightGroup) Part() string { return "light group " + c.Group }

func (c SetLightGroup) apply(p *production.Production, _ Known) error {
	i, err := groupAt(p, c.Group)
	if err != nil {
		return err
	}
	g := &p.LightGroups[i]
	err = first(
		to(&g.Name, c.Title), to(&g.Sky, c.Sky), to(&g.Sun, c.Sun),
		with("lights", c.Lights, func(text string) error { g.Lights = commas(text); return nil }),
		with("code", c.Code, func(code string) error { return renameGroup(p, i, code) }),
	)
	if err != nil {
		return err
	}
	return pass.CheckLightGroups(p.LightGroups)
}

func groupAt(p *production.Production, code string) (int, error) {
	return at("light group", code, p.LightGroups, func(g pass.LightGroup) string { return g.Code })
}

// inLists calls do for every list that has the pass of a group, with the place of that pass.
func inLists(p *production.Production, group string, do func(l *production.PassList, at int)) {
	for k := range p.PassLists {
		if at := slices.Index(p.PassLists[k].Passes, pass.LightCode(group)); at >= 0 {
			do(&p.PassLists[k], at)
		}
	}
}

func renameGroup(p *production.Production, i int, code string) error {
	was := p.LightGroups[i].Code
	p.LightGroups[i].Code = code
	if err := pass.CheckLightGroups(p.LightGroups); err != nil {
		return err
	}
	inLists(p, was, func(l *production.PassList, at int) {
		for k := range l.Choices {
			if l.Choices[k].Pass == l.Passes[at] {
				l.Choices[k].Pass = pass.LightCode(code)
			}
		}
		l.Passes[at] = pass.LightCode(code)
	})
	return nil
}

// RemoveLightGroup removes a group whose pass is in no list.
type RemoveLightGroup struct {
	Group string `json:"group" role:"of"`
}

func (RemoveLightGroup) Name() string   { return "light-group.remove" }
func (c RemoveLightGroup) Part() string { return "light group " + c.Group }

func (c RemoveLightGroup) apply(p *production.Production, _ Known) error {
	i, err := groupAt(p, c.Group)
	if err != nil {
		return err
	}
	used := ""
	inLists(p, c.Group, func(l *production.PassList, _ int) { used = l.Code })
	if used != "" {
		return fmt.Errorf("the pass list %s has its pass; remove it there first", used)
	}
	p.LightGroups = slices.Delete(p.LightGroups, i, i+1)
	return nil
}
