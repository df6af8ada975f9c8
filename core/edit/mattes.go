package edit

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/pass"
	"reelhouse/core/production"
)

// AddMatte keeps a matte under a name: of objects, materials or assets, by their names, in which "*" stands for any run
// of characters.
type AddMatte struct {
	Title string   `json:"name,omitempty"`
	Layer string   `json:"layer,omitempty" label:"taken from"`
	Names []string `json:"names"`
}

func (AddMatte) Name() string { return "matte.add" }
func (AddMatte) Part() string { return "matte" }

func (c AddMatte) apply(p *production.Production, _ Known) error {
	has := func(code string) bool { _, ok := p.FindMatte(code); return ok }
	title := strings.TrimSpace(c.Title)
	code := namedCode(title, "matte", has)
	m := pass.Matte{Code: code, Name: title, Layer: pass.Code(c.Layer), Names: sortedNames(c.Names)}
	if m.Layer == "" {
		m.Layer = pass.CryptoObject
	}
	if m.Name == "" {
		m.Name = code
	}
	p.Mattes = append(p.Mattes, m)
	return wrong("names", m.Check())
}

// SetMatte changes a matte. Grades follow its code.
type SetMatte struct {
	Matte string    `json:"matte" role:"of"`
	Code  *string   `json:"code,omitempty"`
	Title *string   `json:"name,omitempty"`
	Layer *string   `json:"layer,omitempty" label:"taken from"`
	Names *[]string `json:"names,omitempty"`
}

func (SetMatte) Name() string   { return "matte.set" }
func (c SetMatte) Part() string { return "matte " + c.Matte }

func (c SetMatte) apply(p *production.Production, _ Known) error {
	i, err := matteAt(p, c.Matte)
	if err != nil {
		return err
	}
	m := &p.Mattes[i]
	err = first(
		to(&m.Name, c.Title), as(&m.Layer, c.Layer),
		with("names", c.Names, func(names []string) error { m.Names = sortedNames(names); return m.Check() }),
		with("code", c.Code, func(code string) error {
			if _, taken := p.FindMatte(code); taken && code != m.Code {
				return fmt.Errorf("there is a matte %q", code)
			}
			inSteps(p, m.Code, func(masked *string) { *masked = code })
			m.Code = code
			return m.Check()
		}),
	)
	if err != nil {
		return err
	}
	return wrong("layer", m.Check())
}

// RemoveMatte removes a matte that no grade is masked by.
type RemoveMatte struct {
	Matte string `json:"matte" role:"of"`
}

func (RemoveMatte) Name() string   { return "matte.remove" }
func (c RemoveMatte) Part() string { return "matte " + c.Matte }

func (c RemoveMatte) apply(p *production.Production, _ Known) error {
	i, err := matteAt(p, c.Matte)
	if err != nil {
		return err
	}
	used := false
	inSteps(p, c.Matte, func(*string) { used = true })
	if used {
		return fmt.Errorf("a grade is masked by it; choose another matte there first")
	}
	p.Mattes = slices.Delete(p.Mattes, i, i+1)
	return nil
}

func matteAt(p *production.Production, code string) (int, error) {
	return at("matte", code, p.Mattes, func(m pass.Matte) string { return m.Code })
}

// inSteps calls do for every step of a grade that is masked by a matte.
func inSteps(p *production.Production, matte string, do func(masked *string)) {
	for i := range p.Grades {
		for k := range p.Grades[i].Steps {
			if m := &p.Grades[i].Steps[k].Mask.Matte; *m == matte {
				do(m)
			}
		}
	}
}

// sortedNames returns names in their order, each once, and none that is empty.
func sortedNames(names []string) []string {
	var all []string
	for _, name := range names {
		if name = strings.TrimSpace(name); name != "" {
			all = append(all, name)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// longestCode is how many letters a code has that is made of a name.
const longestCode = 24

// codeFrom makes a code of small letters and digits of a name, "" if nothing is left of it.
func codeFrom(name string) string {
	code := strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
			return r
		}
		return -1
	}, strings.ToLower(name))
	return code[:min(longestCode, len(code))]
}

// namedCode makes a code that is not in use of a name, or of a word where nothing is left of the name.
func namedCode(name, word string, used func(string) bool) string {
	code := codeFrom(name)
	switch {
	case code != "" && !used(code):
		return code
	case code == "":
		return free(word, 1, used)
	}
	return free(code[:min(longestCode-3, len(code))], 2, used)
}
