package edit

import (
	"encoding/json"
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

// AddShot adds a shot of 48 frames of the first view, numbered in tens.
type AddShot struct{}

func (AddShot) Name() string { return "shot.add" }
func (AddShot) Part() string { return "shot" }

func (AddShot) apply(p *production.Production, _ Known) error {
	views := p.ShotViews()
	if len(views) == 0 {
		return fmt.Errorf("there is no view yet; import a scene with cameras first")
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
	frames := frame.Of(p.FirstFrame, p.FirstFrame+47)
	s := production.Shot{Code: code, Name: "New shot", View: views[0].Code, Frames: frames, InBatch: true}
	if len(p.ShotDefaults.Sizes) == 0 {
		s.Sizes = []string{p.Sizes[0].Code}
	}
	if len(p.ShotDefaults.Outputs) == 0 {
		s.Outputs = []string{p.Outputs[0].Code}
	}
	if p.ShotDefaults.PassList == "" {
		s.PassList = p.PassLists[0].Code
	}
	p.Shots = append(p.Shots, s)
	return nil
}

// AddShotsOf adds a shot of each of some views, over the frames at which the scene or the view's camera moves.
type AddShotsOf struct {
	Views []string `json:"views" role:"value"`
}

func (AddShotsOf) Name() string                          { return "shot.add-of" }
func (AddShotsOf) Part() string                          { return "shot" }
func (c AddShotsOf) words() string                       { return "add shots of " + strings.Join(c.Views, ", ") }
func (c AddShotsOf) needs(p production.Production) Needs { return needScene(p) }

func (c AddShotsOf) apply(p *production.Production, k Known) error {
	if len(c.Views) == 0 {
		return fmt.Errorf("no view is chosen; tick some first")
	}
	last := p.FirstFrame
	if p.Scene.Opaque == nil {
		s, err := k.scene(p)
		if err != nil {
			return err
		}
		last = lastFrame(p, s)
	}
	for _, code := range c.Views {
		v, ok := p.FindView(code)
		if !ok {
			return fmt.Errorf("there is no view %q", code)
		}
		if err := (AddShot{}).apply(p, k); err != nil {
			return err
		}
		s := &p.Shots[len(p.Shots)-1]
		s.View, s.Name, s.Frames = v.Code, v.Name, frame.Of(p.FirstFrame, last)
		if v.Setup.Motion != nil {
			if from, to := v.Setup.Motion.Span(); from < to {
				s.Frames = frame.Of(from, to)
			}
		}
	}
	return nil
}

// Own is a number that may be left to the production, which is the empty text.
type Own struct {
	Number int
	Set    bool
}

// UnmarshalText reads a whole number, or nothing.
func (o *Own) UnmarshalText(text []byte) error {
	*o = Own{}
	if len(text) == 0 {
		return nil
	}
	n, err := readInt(string(text), "")
	*o = Own{n, err == nil}
	return err
}

// MarshalText writes what UnmarshalText reads.
func (o Own) MarshalText() ([]byte, error) {
	if !o.Set {
		return nil, nil
	}
	return strconv.AppendInt(nil, int64(o.Number), 10), nil
}

// UnmarshalJSON reads a number, too.
func (o *Own) UnmarshalJSON(data []byte) error {
	var text string
	if json.Unmarshal(data, &text) == nil {
		return o.UnmarshalText([]byte(text))
	}
	*o = Own{Set: true}
	return json.Unmarshal(data, &o.Number)
}

// SetShots changes one shot or several together. Empty values leave a field to the production.
type SetShots struct {
	Shots    []string   `json:"shots" role:"of"`
	Code     *string    `json:"code,omitempty"` // of one shot
	Title    *string    `json:"name,omitempty"`
	Note     *string    `json:"note,omitempty"`
	View     *string    `json:"view,omitempty"`
	Also     *[]string  `json:"also,omitempty" label:"further views"`
	Look     *string    `json:"look,omitempty"`
	Frames   *frame.Set `json:"frames,omitempty"`
	Step     *int       `json:"step,omitempty"`
	Handles  *Own       `json:"handles,omitempty"`
	Sizes    *[]string  `json:"sizes,omitempty"`
	PassList *string    `json:"passList,omitempty" label:"pass list"`
	Outputs  *[]string  `json:"outputs,omitempty"`
	Quality  *string    `json:"quality,omitempty"`
	Renderer *string    `json:"renderer,omitempty"`
	Version  *number    `json:"version,omitempty"`
	InBatch  *bool      `json:"inBatch,omitempty" label:"in batch"`
	Labels   *string    `json:"labels,omitempty" label:"named frames"`
	Sequence *string    `json:"sequence,omitempty"`
	Values   *string    `json:"values,omitempty"` // as shotlist.ReadValues
}

func (SetShots) Name() string   { return "shot.set" }
func (c SetShots) Part() string { return shotsPart(c.Shots) }

// shotsPart names a shot, or several.
func shotsPart(codes []string) string {
	if len(codes) == 1 {
		return "shot " + codes[0]
	}
	return "shots"
}

// shotsWords names shots for the history.
func shotsWords(codes []string) string {
	const most = 6
	switch {
	case len(codes) == 1:
		return "shot " + codes[0]
	case len(codes) <= most:
		return "shots " + strings.Join(codes, ", ")
	}
	return fmt.Sprintf("shots %s and %d more", strings.Join(codes[:most-1], ", "), len(codes)-most+1)
}

func (c SetShots) words() string { return shotsWords(c.Shots) + strings.TrimPrefix(plain(c), c.Part()) }

// checkShots returns an error if there is none chosen, or one that does not exist.
func checkShots(p *production.Production, codes []string) error {
	if len(codes) == 0 {
		return fmt.Errorf("no shot is chosen; tick some first")
	}
	there := map[string]bool{}
	for _, s := range p.Shots {
		there[s.Code] = true
	}
	for _, code := range codes {
		if !there[code] {
			return fmt.Errorf("there is no shot %q", code)
		}
	}
	return nil
}

func (c SetShots) apply(p *production.Production, _ Known) error {
	if err := checkShots(p, c.Shots); err != nil {
		return err
	}
	if c.Code != nil && len(c.Shots) != 1 {
		return wrong("code", fmt.Errorf("two shots cannot have one code"))
	}
	chosen := map[string]bool{}
	for _, code := range c.Shots {
		chosen[code] = true
	}
	for i := range p.Shots {
		if !chosen[p.Shots[i].Code] {
			continue
		}
		was := p.Shots[i].Frames
		if err := first(c.one(p, &p.Shots[i]), followShot(p, i, was)); err != nil {
			return err
		}
	}
	return nil
}

func (c SetShots) one(p *production.Production, s *production.Shot) error {
	return first(
		to(&s.Name, c.Title),
		to(&s.Note, c.Note),
		to(&s.View, c.View),
		with("also", c.Also, func(codes []string) error {
			s.Also = slices.DeleteFunc(slices.Clone(codes), func(code string) bool { return code == s.View })
			return nil
		}),
		to(&s.Look, c.Look),
		to(&s.Frames, c.Frames),
		to(&s.Step, c.Step),
		with("handles", c.Handles, func(own Own) error {
			if s.Handles = nil; own.Set {
				s.Handles = &own.Number
			}
			return nil
		}),
		with("sizes", c.Sizes, func(codes []string) error {
			s.Sizes = inOrder(codes, codesOf(p.Sizes, func(n raster.Named) string { return n.Code }))
			return nil
		}),
		to(&s.PassList, c.PassList),
		with("outputs", c.Outputs, func(codes []string) error {
			s.Outputs = inOrder(codes, codesOf(p.Outputs, func(o output.Output) string { return o.Code }))
			return nil
		}),
		to(&s.Quality, c.Quality),
		with("renderer", c.Renderer, func(name string) error { return rendererName(&s.Renderer, name) }),
		with("version", c.Version, func(n number) error { return whole(&s.Version, n) }),
		to(&s.InBatch, c.InBatch),
		with(
			"labels",
			c.Labels,
			func(text string) (err error) { s.Labels, err = shotlist.ReadLabels(text); return err },
		),
		to(&s.Sequence, c.Sequence),
		with("values", c.Values, func(text string) (err error) {
			s.Values, err = shotlist.ReadValues(text)
			return err
		}),
		with("code", c.Code, func(code string) error {
			p.Cut.Rename(map[string]string{s.Code: code})
			s.Code = code
			return nil
		}),
	)
}

// codesOf returns the codes of a list's parts.
func codesOf[T any](list []T, code func(T) string) []string {
	codes := make([]string, len(list))
	for i, t := range list {
		codes[i] = code(t)
	}
	return codes
}

// inOrder returns chosen codes in the order of all, and after them those that do not exist.
func inOrder(chosen, all []string) []string {
	var out []string
	for _, code := range all {
		if slices.Contains(chosen, code) {
			out = append(out, code)
		}
	}
	for _, code := range chosen {
		if !slices.Contains(out, code) {
			out = append(out, code)
		}
	}
	return out
}

// ResetShots leaves one field of shots to the production again.
type ResetShots struct {
	Shots []string `json:"shots" role:"of"`
	Field string   `json:"field" role:"value"`
}

func (ResetShots) Name() string    { return "shot.reset" }
func (c ResetShots) Part() string  { return shotsPart(c.Shots) }
func (c ResetShots) words() string { return shotsWords(c.Shots) + ": reset " + c.Field }

func (c ResetShots) apply(p *production.Production, _ Known) error {
	if err := checkShots(p, c.Shots); err != nil {
		return err
	}
	for i := range p.Shots {
		if slices.Contains(c.Shots, p.Shots[i].Code) && !p.Shots[i].Unset(c.Field) {
			return fmt.Errorf("a shot cannot leave %q to the production", c.Field)
		}
	}
	return nil
}

// ReachShot gives a shot's frames new ends, and ShiftShot moves them, as a bar is dragged.
type ReachShot struct {
	Shot  string `json:"shot" role:"of"`
	First int    `json:"first"`
	Last  int    `json:"last"`
}

func (ReachShot) Name() string   { return "shot.trim" }
func (c ReachShot) Part() string { return "shot " + c.Shot }
func (c ReachShot) words() string {
	return fmt.Sprintf("shot %s: frames %d-%d", c.Shot, c.First, c.Last)
}

func (c ReachShot) apply(p *production.Production, _ Known) error {
	return onFrames(p, c.Shot, func(set frame.Set) (frame.Set, error) { return set.Reach(c.First, c.Last) })
}

// ShiftShot moves the frames of shots.
type ShiftShot struct {
	Shots []string `json:"shots" role:"of"`
	By    int      `json:"by" role:"value"`
}

func (ShiftShot) Name() string   { return "shot.shift" }
func (c ShiftShot) Part() string { return shotsPart(c.Shots) }
func (c ShiftShot) words() string {
	return fmt.Sprintf("%s: move by %+d frames", shotsWords(c.Shots), c.By)
}

func (c ShiftShot) apply(p *production.Production, _ Known) error {
	if err := checkShots(p, c.Shots); err != nil {
		return err
	}
	for _, code := range c.Shots {
		err := onFrames(p, code, func(set frame.Set) (frame.Set, error) { return set.Shift(c.By) })
		if err != nil {
			return err
		}
	}
	return nil
}

func onFrames(p *production.Production, code string, change func(frame.Set) (frame.Set, error)) error {
	i, err := shotAt(p, code)
	if err != nil {
		return err
	}
	was := p.Shots[i].Frames
	if p.Shots[i].Frames, err = change(was); err == nil {
		err = followShot(p, i, was)
	}
	return wrong("frames", err)
}

func shotAt(p *production.Production, code string) (int, error) {
	return at("shot", code, p.Shots, func(s production.Shot) string { return s.Code })
}

// SetCell takes one view of a shot in one size into the batch or leaves it out, or gives it tiles of its own.
type SetCell struct {
	Shot    string  `json:"shot" role:"of"`
	View    string  `json:"view"`
	Size    string  `json:"size"`
	InBatch *bool   `json:"inBatch,omitempty" label:"in batch"`
	Tiles   *string `json:"tiles,omitempty"`
}

func (SetCell) Name() string   { return "cell.set" }
func (c SetCell) Part() string { return "shot " + c.Shot }

func (c SetCell) words() string {
	what := "tiles"
	if c.InBatch != nil {
		what = map[bool]string{true: "in batch", false: "excluded from batch"}[*c.InBatch]
	}
	return fmt.Sprintf("shot %s %s %s: %s", c.Shot, c.View, c.Size, what)
}

func (c SetCell) apply(p *production.Production, _ Known) error {
	i, err := shotAt(p, c.Shot)
	if err != nil {
		return err
	}
	s := &p.Shots[i]
	cell := production.Cell{View: c.View, Size: c.Size}
	if c.View == "" || c.Size == "" {
		return fmt.Errorf("a cell is a view and a size")
	}
	return first(
		with("inBatch", c.InBatch, func(in bool) error {
			s.Without = slices.DeleteFunc(s.Without, func(other production.Cell) bool { return other == cell })
			if !in {
				s.Without = append(s.Without, cell)
			}
			return nil
		}),
		with("tiles", c.Tiles, func(text string) error {
			tiles, err := raster.ParseTiling(text)
			if err == nil {
				s.SetTiles(c.View, c.Size, tiles)
			}
			return err
		}),
	)
}

// SetDefaults changes what shots have that do not override it.
type SetDefaults struct {
	Sizes    *[]string `json:"sizes,omitempty"`
	Outputs  *[]string `json:"outputs,omitempty"`
	PassList *string   `json:"passList,omitempty" label:"pass list"`
}

func (SetDefaults) Name() string { return "defaults.set" }
func (SetDefaults) Part() string { return "shot defaults" }

func (c SetDefaults) apply(p *production.Production, _ Known) error {
	return first(
		with("sizes", c.Sizes, func(codes []string) error {
			p.ShotDefaults.Sizes = inOrder(codes, codesOf(p.Sizes, func(n raster.Named) string { return n.Code }))
			return nil
		}),
		with("outputs", c.Outputs, func(codes []string) error {
			p.ShotDefaults.Outputs = inOrder(codes, codesOf(p.Outputs, func(o output.Output) string { return o.Code }))
			return nil
		}),
		to(&p.ShotDefaults.PassList, c.PassList),
	)
}

// ShotVersion gives a shot a version of its own.
func ShotVersion(code string, version int) SetShots {
	n := number(version)
	return SetShots{Shots: []string{code}, Version: &n}
}
