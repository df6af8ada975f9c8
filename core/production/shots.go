package production

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"reelhouse/core/frame"
	"reelhouse/core/naming"
	"reelhouse/core/pass"
	"reelhouse/core/raster"
)

// A Shot is views over frames, in sizes. What it leaves open comes from the production.
type Shot struct {
	Code string `json:"code"`
	Name string `json:"name"`
	// Sequence is the part of the film that the shot belongs to, "" for none.
	Sequence string `json:"sequence,omitempty"`
	// Values are what the shot is of, by keys, such as its title; names, stamps and looks may ask for them.
	Values []Value `json:"values,omitempty"`
	// View is the code of a view, or of a rig for all of its views; each gives a sequence of its own.
	View string `json:"view"`
	// Also are further views and rigs.
	Also []string `json:"also,omitempty"`
	// Look is the code of a look that stands in for that of every view; "" for each view's own.
	Look   string    `json:"look,omitempty"`
	Frames frame.Set `json:"frames"`
	// Step renders every so many of the frames; 0 and 1 stand for all.
	Step int `json:"step,omitempty"`
	// Handles are frames before and after; nil for as many as the production has.
	Handles  *int     `json:"handles,omitempty"`
	Sizes    []string `json:"sizes,omitempty"`    // none for the production's usual ones
	PassList string   `json:"passList,omitempty"` // "" likewise
	// Depth says what its passes of depth and occlusion hold; nil for what its pass list says.
	Depth   *pass.DepthSettings `json:"depth,omitempty"`
	Outputs []string            `json:"outputs,omitempty"` // none for the production's usual ones
	Quality string              `json:"quality,omitempty"` // "" for that of the batch
	// Renderer is who renders it, whatever its views say; "" for these.
	Renderer string `json:"renderer,omitempty"`
	// Version is of what is rendered of the shot; 0 for the production's.
	Version int  `json:"version,omitempty"`
	InBatch bool `json:"inBatch"`
	// Without are cells that are left out of the batch, each a view and a size.
	Without []Cell `json:"without,omitempty"`
	// Tiles are of cells whose frames are rendered in other tiles than their size and the memory ask for.
	Tiles  []CellTiles `json:"tiles,omitempty"`
	Labels []Label     `json:"labels,omitempty"`
	Note   string      `json:"note,omitempty"`
}

// A Value is a text under a key.
type Value struct {
	Key   string `json:"key"`
	Value string `json:"value"`
}

// Limits of a shot's values.
const (
	MostValues     = 64
	MostValueBytes = 200
)

// ValueMap returns the values by their keys, nil for none.
func (s Shot) ValueMap() map[string]string {
	if len(s.Values) == 0 {
		return nil
	}
	values := make(map[string]string, len(s.Values))
	for _, v := range s.Values {
		values[v.Key] = v.Value
	}
	return values
}

// SetValue sets the value of a key; an empty one removes it.
func (s *Shot) SetValue(key, value string) {
	s.Values = slices.DeleteFunc(slices.Clone(s.Values), func(v Value) bool { return v.Key == key })
	if value != "" {
		s.Values = append(s.Values, Value{key, value})
	}
}

// ValueKeys returns the keys of all shots' values, each once, in the order in which they are met.
func (p Production) ValueKeys() []string {
	var keys []string
	for i := range p.Shots {
		for _, v := range p.Shots[i].Values {
			if !slices.Contains(keys, v.Key) {
				keys = append(keys, v.Key)
			}
		}
	}
	return keys
}

func (s *Shot) valueProblems(add func(field, format string, args ...any)) {
	if s.Sequence != "" && !naming.ValidCode(s.Sequence) {
		add("sequence", "the sequence %q must be 1 to 32 letters, digits, hyphens or underscores", s.Sequence)
	}
	if len(s.Values) > MostValues {
		add("values", "%d values are more than %d", len(s.Values), MostValues)
	}
	for i, v := range s.Values {
		twice := slices.ContainsFunc(s.Values[:i], func(w Value) bool { return w.Key == v.Key })
		switch {
		case !naming.ValidCode(v.Key):
			add("values", "the key %q must be 1 to 32 letters, digits, hyphens or underscores", v.Key)
		case twice:
			add("values", "the key %s stands twice", v.Key)
		case len(v.Value) > MostValueBytes || v.Value == "" || strings.ContainsFunc(v.Value, unicode.IsControl):
			add("values", "the value of %s must be a line of 1 to %d bytes", v.Key, MostValueBytes)
		}
	}
}

// ShotDefaults is what shots have that say nothing else.
type ShotDefaults struct {
	Sizes    []string `json:"sizes,omitempty"`
	PassList string   `json:"passList,omitempty"`
	Outputs  []string `json:"outputs,omitempty"`
}

// A Cell is one view of a shot in one size.
type Cell struct {
	View string `json:"view"`
	Size string `json:"size"`
}

// CellTiles are the tiles that the frames of a cell are rendered in.
type CellTiles struct {
	Cell
	Tiles raster.Tiling `json:"tiles"`
}

// A Label names a frame, such as a pose.
type Label struct {
	Frame int    `json:"frame"`
	Name  string `json:"name"`
}

// A Waiver sets what a rule finds aside, until a batch is sent.
type Waiver struct {
	Rule   string `json:"rule"`
	Reason string `json:"reason"`
}

// MostStep is the largest step between frames.
const MostStep = 10_000

// FindShot returns the shot of a code.
func (p Production) FindShot(code string) (Shot, bool) {
	return find(p.Shots, code, func(s Shot) string { return s.Code })
}

// Set reports whether the shot says something of its own about a field, which otherwise comes from the production or
// its view.
func (s Shot) Set(field string) bool {
	switch field {
	case "look":
		return s.Look != ""
	case "step":
		return s.Step > 1
	case "handles":
		return s.Handles != nil
	case "sizes":
		return len(s.Sizes) > 0
	case "passList":
		return s.PassList != ""
	case "depth":
		return s.Depth != nil
	case "outputs":
		return len(s.Outputs) > 0
	case "quality":
		return s.Quality != ""
	case "renderer":
		return s.Renderer != ""
	case "version":
		return s.Version != 0
	}
	return false
}

// Unset gives a field back to the production; it reports whether there is such a field.
func (s *Shot) Unset(field string) bool {
	switch field {
	case "look":
		s.Look = ""
	case "step":
		s.Step = 0
	case "handles":
		s.Handles = nil
	case "sizes":
		s.Sizes = nil
	case "passList":
		s.PassList = ""
	case "depth":
		s.Depth = nil
	case "outputs":
		s.Outputs = nil
	case "quality":
		s.Quality = ""
	case "renderer":
		s.Renderer = ""
	case "version":
		s.Version = 0
	default:
		return false
	}
	return true
}

// Seen returns the codes of the views and rigs that the shot shows.
func (s Shot) Seen() []string {
	if s.View == "" {
		return s.Also
	}
	return append([]string{s.View}, s.Also...)
}

// Shows reports whether the shot shows a view or a rig by its code.
func (s Shot) Shows(code string) bool { return slices.Contains(s.Seen(), code) }

// Label returns the name of a frame, "" for none.
func (s Shot) Label(n int) string {
	if i := slices.IndexFunc(s.Labels, func(l Label) bool { return l.Frame == n }); i >= 0 {
		return s.Labels[i].Name
	}
	return ""
}

// LeftOut reports whether a cell is left out of the batch.
func (s Shot) LeftOut(view, size string) bool { return slices.Contains(s.Without, Cell{view, size}) }

// TilesOf returns the tiles that were set for a cell, the zero value for none.
func (s Shot) TilesOf(view, size string) raster.Tiling {
	for _, t := range s.Tiles {
		if t.Cell == (Cell{view, size}) {
			return t.Tiles
		}
	}
	return raster.Tiling{}
}

// SetTiles sets the tiles of a cell; the zero value leaves them to its size and the memory.
func (s *Shot) SetTiles(view, size string, tiles raster.Tiling) {
	c := Cell{view, size}
	s.Tiles = slices.DeleteFunc(s.Tiles, func(t CellTiles) bool { return t.Cell == c })
	if tiles != (raster.Tiling{}) {
		s.Tiles = append(s.Tiles, CellTiles{c, tiles})
	}
}

// ViewsOf returns the views that a shot shows, each once, rigs as their views; those that do not exist are left out.
func (p Production) ViewsOf(s Shot) []View {
	var views []View
	add := func(v View) {
		if !slices.ContainsFunc(views, func(w View) bool { return w.Code == v.Code }) {
			views = append(views, v)
		}
	}
	for _, code := range s.Seen() {
		if v, ok := p.FindView(code); ok {
			add(v)
			continue
		}
		for _, v := range p.Views {
			if v.Rig == code {
				add(v)
			}
		}
	}
	return views
}

// LookOf returns the code of the look under which a shot shows a view.
func (p Production) LookOf(s Shot, v View) string {
	if s.Look != "" {
		return s.Look
	}
	return v.Look
}

// SizesOf returns the codes of the sizes that a shot is rendered in.
func (p Production) SizesOf(s Shot) []string {
	if len(s.Sizes) > 0 {
		return s.Sizes
	}
	return p.ShotDefaults.Sizes
}

// OutputsOf returns the codes of the outputs that a shot goes to.
func (p Production) OutputsOf(s Shot) []string {
	if len(s.Outputs) > 0 {
		return s.Outputs
	}
	return p.ShotDefaults.Outputs
}

// PassListOf returns the code of a shot's pass list.
func (p Production) PassListOf(s Shot) string {
	if s.PassList != "" {
		return s.PassList
	}
	return p.ShotDefaults.PassList
}

// QualityOf returns the code of the quality that a shot is rendered in.
func (p Production) QualityOf(s Shot) string {
	if s.Quality != "" {
		return s.Quality
	}
	return p.Quality
}

// HandlesOf returns how many frames are rendered before and after a shot that moves.
func (p Production) HandlesOf(s Shot) int {
	if s.Handles != nil {
		return *s.Handles
	}
	return p.Handles
}

// OwnFrames returns a shot's frames in its step, without handles.
func (p Production) OwnFrames(s Shot) frame.Set { return s.Frames.Thin(s.Step) }

// RenderedOf returns the frames that are rendered for a shot: in its step, and with handles if it is more than a still.
func (p Production) RenderedOf(s Shot) frame.Set {
	return p.OwnFrames(s).WithHandles(p.HandlesOf(s))
}

// SplitShot cuts a shot in two at a frame, which is the first of the new one; its code is the old one with a letter.
func (p *Production) SplitShot(code string, at int) (string, error) {
	i := slices.IndexFunc(p.Shots, func(s Shot) bool { return s.Code == code })
	if i < 0 {
		return "", fmt.Errorf("there is no shot %s", code)
	}
	before, from := p.Shots[i].Frames.Split(at)
	if before.Empty() || from.Empty() {
		return "", fmt.Errorf("frame %d does not lie within %s; both parts need frames", at, p.Shots[i].Frames)
	}
	second := p.copyShot(i)
	p.Shots[i].Frames, second.Frames = before, from
	for _, l := range p.Shots[i].Labels {
		if l.Frame >= at {
			p.Shots[i].Labels = slices.DeleteFunc(p.Shots[i].Labels, func(m Label) bool { return m == l })
		} else {
			second.Labels = slices.DeleteFunc(second.Labels, func(m Label) bool { return m == l })
		}
	}
	p.Shots = slices.Insert(p.Shots, i+1, second)
	return second.Code, nil
}

// CopyShot puts a copy of a shot after it, and returns its code.
func (p *Production) CopyShot(code string) (string, error) {
	i := slices.IndexFunc(p.Shots, func(s Shot) bool { return s.Code == code })
	if i < 0 {
		return "", fmt.Errorf("there is no shot %s", code)
	}
	fresh := p.copyShot(i)
	p.Shots = slices.Insert(p.Shots, i+1, fresh)
	return fresh.Code, nil
}

// copyShot returns a copy of a shot with a code of its own: the old one with the first letters that are free.
func (p *Production) copyShot(i int) Shot {
	fresh := p.Shots[i]
	fresh.Also, fresh.Sizes, fresh.Outputs = slices.Clone(fresh.Also), slices.Clone(
		fresh.Sizes,
	), slices.Clone(fresh.Outputs)
	fresh.Without, fresh.Tiles, fresh.Labels = slices.Clone(fresh.Without), slices.Clone(
		fresh.Tiles,
	), slices.Clone(fresh.Labels)
	fresh.Values = slices.Clone(fresh.Values)
	stem := strings.TrimRight(fresh.Code, "abcdefghijklmnopqrstuvwxyz")
	if stem == "" {
		stem = fresh.Code
	}
	for n := 1; ; n++ {
		fresh.Code = stem + letters(n)
		if _, taken := p.FindShot(fresh.Code); !taken && naming.ValidCode(fresh.Code) {
			return fresh
		}
		if n > 26*27 { // the code is as long as codes may be
			stem = stem[:max(1, len(stem)-1)]
			n = 0
		}
	}
}

// letters counts a, b, ..., z, aa, ab and so on, from 1.
func letters(n int) string {
	text := ""
	for ; n > 0; n = (n - 1) / 26 {
		text = string(rune('a'+(n-1)%26)) + text
	}
	return text
}

// JoinShots makes one shot of several: the first with the frames and labels of all. They have to agree in everything
// that is rendered.
func (p *Production) JoinShots(codes []string) error {
	if len(codes) < 2 {
		return fmt.Errorf("choose two shots or more to join")
	}
	first, ok := p.FindShot(codes[0])
	if !ok {
		return fmt.Errorf("there is no shot %s", codes[0])
	}
	sets := []frame.Set{first.Frames}
	for _, code := range codes[1:] {
		s, ok := p.FindShot(code)
		if !ok {
			return fmt.Errorf("there is no shot %s", code)
		}
		if field := first.differs(s); field != "" {
			return fmt.Errorf("shots %s and %s differ in their %s; make them alike first", first.Code, code, field)
		}
		sets = append(sets, s.Frames)
		for _, l := range s.Labels {
			if first.Label(l.Frame) == "" {
				first.Labels = append(first.Labels, l)
			}
		}
		if s.Note != "" && s.Note != first.Note {
			first.Note = strings.TrimSpace(first.Note + " " + s.Note)
		}
	}
	all, err := frame.Union(sets...)
	if err != nil {
		return err
	}
	first.Frames = all
	slices.SortFunc(first.Labels, func(a, b Label) int { return a.Frame - b.Frame })
	p.Shots = slices.DeleteFunc(p.Shots, func(s Shot) bool { return slices.Contains(codes[1:], s.Code) })
	for i := range p.Shots {
		if p.Shots[i].Code == first.Code {
			p.Shots[i] = first
		}
	}
	return nil
}

// differs names what two shots do not have in common, beside frames, labels, names and notes; "" for nothing.
func (s Shot) differs(t Shot) string {
	handles := func(h *int) int {
		if h == nil {
			return -1
		}
		return *h
	}
	switch {
	case !slices.Equal(s.Seen(), t.Seen()):
		return "views"
	case s.Look != t.Look:
		return "look"
	case s.Sequence != t.Sequence || !slices.Equal(s.Values, t.Values):
		return "values"
	case s.Step != t.Step:
		return "step"
	case handles(s.Handles) != handles(t.Handles):
		return "handles"
	case !slices.Equal(s.Sizes, t.Sizes) || !slices.Equal(s.Without, t.Without):
		return "sizes"
	case !slices.Equal(s.Tiles, t.Tiles):
		return "tiles"
	case s.PassList != t.PassList:
		return "pass list"
	case !sameDepth(s.Depth, t.Depth):
		return "depth"
	case !slices.Equal(s.Outputs, t.Outputs):
		return "outputs"
	case s.Quality != t.Quality:
		return "quality"
	case s.Version != t.Version:
		return "version"
	case s.InBatch != t.InBatch:
		return "place in the batch"
	}
	return ""
}

func sameDepth(a, b *pass.DepthSettings) bool {
	if a == nil || b == nil {
		return a == b
	}
	return *a == *b
}

// RenumberShots gives the shots codes of three digits or more, in steps of ten and in their order: 010, 020 and so on.
// With codes, only those shots are renumbered, among the numbers that the others leave free. It returns the new code of
// each old one.
func (p *Production) RenumberShots(codes []string) map[string]string {
	taken := map[string]bool{}
	for _, s := range p.Shots {
		if len(codes) > 0 && !slices.Contains(codes, s.Code) {
			taken[s.Code] = true
		}
	}
	now, n := map[string]string{}, 0
	for i, s := range p.Shots {
		if len(codes) > 0 && !slices.Contains(codes, s.Code) {
			continue
		}
		for n += 10; taken[fmt.Sprintf("%03d", n)]; n += 10 {
		}
		p.Shots[i].Code = fmt.Sprintf("%03d", n)
		now[s.Code] = p.Shots[i].Code
	}
	p.Cut.Rename(now)
	return now
}

// MoveShots brings shots by so many places towards the front, if by is negative, or the end. They keep their order.
func (p *Production) MoveShots(codes []string, by int) {
	chosen := func(s Shot) bool { return slices.Contains(codes, s.Code) }
	for range max(by, -by) {
		if by < 0 {
			for i := 1; i < len(p.Shots); i++ {
				if chosen(p.Shots[i]) && !chosen(p.Shots[i-1]) {
					p.Shots[i-1], p.Shots[i] = p.Shots[i], p.Shots[i-1]
				}
			}
			continue
		}
		for i := len(p.Shots) - 2; i >= 0; i-- {
			if chosen(p.Shots[i]) && !chosen(p.Shots[i+1]) {
				p.Shots[i+1], p.Shots[i] = p.Shots[i], p.Shots[i+1]
			}
		}
	}
}

// shots says what is wrong with shots by themselves; what they name that there is not is found when that is resolved.
func (p Production) shots(ps *problems) {
	ps.codes("shot", codesOf(p.Shots, func(s Shot) string { return s.Code }))
	for i := range p.Shots {
		s := &p.Shots[i]
		add := func(field, format string, args ...any) { ps.add("shot "+s.Code, field, format, args...) }
		if s.Frames.Empty() {
			add("frames", "there are no frames; write a range such as 1001-1048")
		}
		if s.Step < 0 || s.Step > MostStep {
			add("step", "a step of %d is outside 1 to %d", s.Step, MostStep)
		}
		if s.Handles != nil && (*s.Handles < 0 || *s.Handles > MaxHandles) {
			add("handles", "%d frames of handle are outside 0 to %d", *s.Handles, MaxHandles)
		}
		if s.Version < 0 || s.Version > MaxVersion {
			add("version", "version %d is outside 1 to %d", s.Version, MaxVersion)
		}
		for _, t := range s.Tiles {
			if err := t.Tiles.Check(); err != nil {
				add("sizes", "%s in %s: %s", t.View, t.Size, err)
			}
		}
		if s.Depth != nil {
			if err := s.Depth.Check(); err != nil {
				add("depth", "%s", err)
			}
		}
		s.labelProblems(add)
		s.valueProblems(add)
	}
}

func (s *Shot) labelProblems(add func(field, format string, args ...any)) {
	seen := make(map[string]bool, len(s.Labels))
	for _, l := range s.Labels {
		switch {
		case !naming.ValidCode(l.Name):
			add(
				"labels", "the label %q of frame %d must be 1 to 32 letters, digits, hyphens or underscores", l.Name,
				l.Frame,
			)
		case seen[l.Name]:
			add("labels", "two frames are called %s; change one", l.Name)
		}
		seen[l.Name] = true
	}
}
