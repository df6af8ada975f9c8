package web

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/output"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/shotlist"
)

// shot applies an edit of one shot.
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
		p.Cut.Rename(map[string]string{s.Code: e.value})
		s.Code = e.value
	case "name":
		s.Name = e.value
	case "note":
		s.Note = e.value
	case "reach", "shift":
		s.Frames, err = e.draggedFrames(s.Frames)
		return err
	case "labels":
		s.Labels, err = shotlist.ReadLabels(e.value)
		return err
	case "cell":
		return e.cell(s)
	case "tiles":
		view, size, ok := strings.Cut(e.option, " ")
		if !ok {
			return errChoice
		}
		tiles, err := raster.ParseTiling(e.value)
		if err != nil {
			return err
		}
		s.SetTiles(view, size, tiles)
	case "split":
		at, err := e.number()
		if err != nil {
			return err
		}
		_, err = p.SplitShot(s.Code, at)
		return err
	case "copy":
		_, err := p.CopyShot(s.Code)
		return err
	case "usual":
		if !s.Unset(e.option) {
			return errChoice
		}
	case "remove":
		p.Shots = slices.Delete(p.Shots, i, i+1)
	default:
		return e.give(p, s)
	}
	return nil
}

// give gives a shot what the edit says of one of the fields that many shots can be given together.
func (e edit) give(p *production.Production, s *production.Shot) error {
	var err error
	switch e.field {
	case "view":
		s.View = e.value
	case "also":
		s.Also = slices.DeleteFunc(slices.Clone(e.values), func(code string) bool { return code == s.View })
	case "look":
		s.Look = e.value
	case "frames":
		s.Frames, err = frame.Parse(e.value)
	case "step":
		s.Step, err = e.number()
	case "handles":
		if e.value == "" {
			s.Handles = nil
			return nil
		}
		n, err := e.number()
		if err != nil {
			return err
		}
		s.Handles = &n
	case "sizes":
		s.Sizes = e.chosenOf(codesOf(p.Sizes, func(n raster.Named) string { return n.Code }))
	case "outputs":
		s.Outputs = e.chosenOf(codesOf(p.Outputs, func(o output.Output) string { return o.Code }))
	case "passList":
		s.PassList = e.value
	case "quality":
		s.Quality = e.value
	case "inBatch":
		s.InBatch = e.ticked()
	default:
		return errChoice
	}
	return err
}

// codesOf returns the codes of a list's parts.
func codesOf[T any](list []T, code func(T) string) []string {
	codes := make([]string, len(list))
	for i, t := range list {
		codes[i] = code(t)
	}
	return codes
}

// chosenOf returns those of the codes that are ticked.
func (e edit) chosenOf(codes []string) []string {
	return slices.DeleteFunc(slices.Clone(codes), func(code string) bool { return !slices.Contains(e.values, code) })
}

// draggedFrames returns frames as a bar was dragged: "1010 1040" are its new ends, "-12" is by how much it was moved.
func (e edit) draggedFrames(set frame.Set) (frame.Set, error) {
	var numbers []int
	for _, word := range strings.Fields(e.value) {
		n, err := strconv.Atoi(word)
		if err != nil {
			return set, fmt.Errorf("%q is not a whole number", word)
		}
		numbers = append(numbers, n)
	}
	switch {
	case e.field == "reach" && len(numbers) == 2:
		return set.Reach(numbers[0], numbers[1])
	case e.field == "shift" && len(numbers) == 1:
		return set.Shift(numbers[0])
	}
	return set, errChoice
}

// cell leaves one view in one size out of the batch, or takes it in again.
func (e edit) cell(s *production.Shot) error {
	view, size, ok := strings.Cut(e.option, " ")
	if !ok {
		return errChoice
	}
	c := production.Cell{View: view, Size: size}
	if s.Without = slices.DeleteFunc(s.Without, func(other production.Cell) bool { return other == c }); !e.ticked() {
		s.Without = append(s.Without, c)
	}
	return nil
}

// shots applies an edit of all shots that are chosen, whose codes are the edit's values.
func (e edit) shots(p *production.Production) error {
	codes := e.chosen
	if len(codes) == 0 && e.field != "renumber" {
		return fmt.Errorf("no shot is chosen; tick some first")
	}
	known := func(code string) bool { _, ok := p.FindShot(code); return ok }
	if i := slices.IndexFunc(codes, func(code string) bool { return !known(code) }); i >= 0 {
		return fmt.Errorf("shot %s does not exist any more", codes[i])
	}
	switch e.field {
	case "remove":
		p.Shots = slices.DeleteFunc(p.Shots, func(s production.Shot) bool { return slices.Contains(codes, s.Code) })
		return nil
	case "copy":
		for _, code := range codes {
			if _, err := p.CopyShot(code); err != nil {
				return err
			}
		}
		return nil
	case "join":
		return p.JoinShots(codes)
	case "renumber":
		p.RenumberShots(codes)
		return nil
	case "up":
		p.MoveShots(codes, -1)
		return nil
	case "down":
		p.MoveShots(codes, 1)
		return nil
	}
	for i := range p.Shots {
		s := &p.Shots[i]
		if !slices.Contains(codes, s.Code) {
			continue
		}
		if e.field == "usual" {
			if !s.Unset(e.option) {
				return errChoice
			}
			continue
		}
		if err := e.give(p, s); err != nil {
			return err
		}
	}
	return nil
}

// usual applies an edit of what shots have that say nothing else.
func (e edit) usual(p *production.Production) error {
	switch e.field {
	case "sizes":
		p.Usual.Sizes = e.chosenOf(codesOf(p.Sizes, func(n raster.Named) string { return n.Code }))
	case "outputs":
		p.Usual.Outputs = e.chosenOf(codesOf(p.Outputs, func(o output.Output) string { return o.Code }))
	case "passList":
		p.Usual.PassList = e.value
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
	s := production.Shot{Code: code, Name: "New shot", View: views[0].Code, Frames: frame.Of(p.FirstFrame, p.FirstFrame+47), InBatch: true}
	if len(p.Usual.Sizes) == 0 {
		s.Sizes = []string{p.Sizes[0].Code}
	}
	if len(p.Usual.Outputs) == 0 {
		s.Outputs = []string{p.Outputs[0].Code}
	}
	if p.Usual.PassList == "" {
		s.PassList = p.PassLists[0].Code
	}
	p.Shots = append(p.Shots, s)
	return nil
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
