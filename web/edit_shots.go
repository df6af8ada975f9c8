package web

import (
	"fmt"
	"slices"

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
	case "remove":
		if err := unused(p, "list", func(s production.Shot) bool { return s.PassList == l.Code }); err != nil {
			return err
		}
		p.PassLists = slices.Delete(p.PassLists, i, i+1)
	default:
		return errChoice
	}
	return nil
}

// unused returns an error that names the first shot which uses a part that is to be removed.
func unused(p *production.Production, part string, uses func(s production.Shot) bool) error {
	if i := slices.IndexFunc(p.Shots, uses); i >= 0 {
		return fmt.Errorf("shot %s uses this %s; choose another there first", p.Shots[i].Code, part)
	}
	return nil
}

// renamed puts another code in the place of one, in every shot's list.
func renamed(p *production.Production, list func(s *production.Shot) []string, from, to string) {
	for i := range p.Shots {
		codes := list(&p.Shots[i])
		for k := range codes {
			if codes[k] == from {
				codes[k] = to
			}
		}
	}
}
