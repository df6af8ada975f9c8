// Package grade changes finished pictures: the light that they were lit with, from passes that were kept of it, and
// their colours, by corrections as the ASC Color Decision List has them, each where a mask lets it.
//
// Pictures are linear light with premultiplied alpha. What is done depends on nothing but a pixel's own values, so that
// it is computed in bands, in any order.
package grade

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// A Grade is what is changed of pictures: first their light, then their colours, step by step.
type Grade struct {
	Code string `json:"code"`
	Name string `json:"name"`
	// Lights are gains of passes of light, either of light groups or of the parts of the picture; those that are not
	// named stay as they are.
	Lights []Gain `json:"lights,omitempty"`
	Steps  []Step `json:"steps,omitempty"`
}

// A Gain is by how much the light of a pass is multiplied.
type Gain struct {
	Pass      pass.Code `json:"pass"`
	Intensity float64   `json:"intensity"`        // 1 for as it is
	Colour    string    `json:"colour,omitempty"` // as #rrggbb, of which the light is taken; "" for white
}

// RGB returns the factors of red, green and blue.
func (g Gain) RGB() [3]float64 {
	rgb := [3]float64{g.Intensity, g.Intensity, g.Intensity}
	if n, err := strconv.ParseUint(strings.TrimPrefix(g.Colour, "#"), 16, 32); err == nil &&
		colourForm.MatchString(g.Colour) {
		for c := range rgb {
			rgb[c] *= pixel.SRGB.Decode(float64(n>>(16-8*c)&255) / 255)
		}
	}
	return rgb
}

// White are factors that change nothing.
var White = [3]float64{1, 1, 1}

// A Step is an exposure and a correction.
type Step struct {
	Name     string  `json:"name,omitempty"`
	Off      bool    `json:"off,omitempty"`
	Exposure float64 `json:"exposure,omitempty"` // stops
	CDL      CDL     `json:"cdl"`
	Space    Space   `json:"space,omitempty"` // in which the correction is done
	// Clamped says that the correction clamps to 0 to 1 where the ASC CDL 1.2 does; otherwise light above 1 goes on.
	Clamped bool `json:"clamped,omitempty"`
	Mask    Mask `json:"mask,omitzero"`
}

// A Mask says where a step counts: where a matte covers the pixel, and where it is so far away. The zero value is
// everywhere.
type Mask struct {
	Matte    string  `json:"matte,omitempty"` // its code
	Near     float64 `json:"near,omitempty"`  // metres of depth
	Far      float64 `json:"far,omitempty"`   // 0 for any depth
	Soft     float64 `json:"soft,omitempty"`  // metres outside of these over which it fades
	Inverted bool    `json:"inverted,omitempty"`
}

// ByDepth reports whether the mask asks for depth.
func (m Mask) ByDepth() bool { return m.Far > 0 }

// Bounds of grades.
const (
	MostGrades    = 100 // of a production
	MostSteps     = 20
	MostIntensity = 1000
	mostStops     = 20
	mostMetres    = 1e6
)

var (
	codeForm   = regexp.MustCompile(`^[a-z0-9]{1,24}$`)
	colourForm = regexp.MustCompile(`^#[0-9a-f]{6}$`)
)

// CheckAll says what is wrong with grades, or nil. hasMatte tells which mattes there are.
func CheckAll(all []Grade, hasMatte func(code string) bool) error {
	if len(all) > MostGrades {
		return fmt.Errorf("%d grades are more than %d", len(all), MostGrades)
	}
	seen := map[string]bool{}
	for _, g := range all {
		if err := g.Check(hasMatte); err != nil {
			return fmt.Errorf("grade %s: %w", g.Code, err)
		}
		if seen[g.Code] {
			return fmt.Errorf("two grades have the code %q", g.Code)
		}
		seen[g.Code] = true
	}
	return nil
}

// Check says what is wrong with the grade, or nil.
func (g Grade) Check(hasMatte func(code string) bool) error {
	if !codeForm.MatchString(g.Code) {
		return fmt.Errorf("its code %q is to be 1 to 24 small letters and digits", g.Code)
	}
	seen := map[pass.Code]bool{}
	groups, parts := 0, 0
	for _, l := range g.Lights {
		_, group := l.Pass.LightGroup()
		switch {
		case group:
			groups++
		case slices.Contains(Parts(), l.Pass):
			parts++
		default:
			return fmt.Errorf("%q is no pass of light that can be changed", l.Pass)
		}
		if seen[l.Pass] {
			return fmt.Errorf("the light of %s is there twice", l.Pass)
		}
		seen[l.Pass] = true
		if err := within("intensity of "+string(l.Pass), l.Intensity, 0, MostIntensity); err != nil {
			return err
		}
		if l.Colour != "" && !colourForm.MatchString(l.Colour) {
			return fmt.Errorf("the colour of %s, %.20q, is to be written as #rrggbb", l.Pass, l.Colour)
		}
	}
	if groups > 0 && parts > 0 {
		return fmt.Errorf("change either light groups or parts of the picture: each of the two is all of the light")
	}
	if len(g.Steps) > MostSteps {
		return fmt.Errorf("%d steps are more than %d", len(g.Steps), MostSteps)
	}
	for i, s := range g.Steps {
		if err := s.check(hasMatte); err != nil {
			return fmt.Errorf("step %d: %w", i+1, err)
		}
	}
	return nil
}

func (s Step) check(hasMatte func(code string) bool) error {
	if err := within("exposure in stops", s.Exposure, -mostStops, mostStops); err != nil {
		return err
	}
	if err := s.CDL.Check(); err != nil {
		return err
	}
	if !slices.Contains(Spaces(), s.Space) {
		return fmt.Errorf("a correction is done in one of %q", Spaces())
	}
	m := s.Mask
	for name, v := range map[string]float64{"near": m.Near, "far": m.Far, "softness": m.Soft} {
		if err := within(name+" in metres", v, 0, mostMetres); err != nil {
			return err
		}
	}
	if m.ByDepth() && m.Near > m.Far {
		return fmt.Errorf("near, %g m, is farther than far, %g m", m.Near, m.Far)
	}
	if m.Inverted && m.Matte == "" && !m.ByDepth() {
		return fmt.Errorf("the inverse of everything is nothing; choose a matte or a depth, or no inverse")
	}
	if m.Matte != "" && !hasMatte(m.Matte) {
		return fmt.Errorf("there is no matte %q", m.Matte)
	}
	return nil
}

func within(what string, v, least, most float64) error {
	if !(v >= least && v <= most) {
		return fmt.Errorf("%s is to be from %g to %g", what, least, most)
	}
	return nil
}

// Parts are the passes that a picture is the sum of, by how its light came.
func Parts() []pass.Code {
	return []pass.Code{
		pass.DiffuseDirect, pass.DiffuseIndirect, pass.SpecularDirect, pass.SpecularIndirect, pass.Transmission,
		pass.Emission, pass.Environment,
	}
}

// Relights reports whether the grade changes any light.
func (g Grade) Relights() bool {
	return slices.ContainsFunc(g.Lights, func(l Gain) bool { return l.RGB() != White })
}

// Done returns the steps that are done.
func (g Grade) Done() []Step {
	return slices.DeleteFunc(slices.Clone(g.Steps), func(s Step) bool { return s.Off })
}

// Changes reports whether pictures come out otherwise than they are.
func (g Grade) Changes() bool {
	return g.Relights() || slices.ContainsFunc(g.Done(), func(s Step) bool {
		return s.Exposure != 0 || s.CDL != Neutral() || s.Clamped
	})
}

// Mattes returns the codes of the mattes that are wanted, each once.
func (g Grade) Mattes() []string {
	var all []string
	for _, s := range g.Done() {
		if m := s.Mask.Matte; m != "" && !slices.Contains(all, m) {
			all = append(all, m)
		}
	}
	return all
}

// ByDepth reports whether a step is masked by depth.
func (g Grade) ByDepth() bool {
	return slices.ContainsFunc(g.Done(), func(s Step) bool { return s.Mask.ByDepth() })
}

// Needed returns the passes of light that are read, of those that were kept: all light groups, or all parts of the
// picture, which of them the grade changes; none if it changes no light. whole reports whether together they are all of
// the picture's light.
func (g Grade) Needed(kept []pass.Code, groups []pass.LightGroup) (passes []pass.Code, whole bool) {
	if !g.Relights() {
		return nil, false
	}
	all := Parts()
	if _, group := g.Lights[0].Pass.LightGroup(); group {
		all = nil
		for _, p := range pass.LightPasses(groups) {
			all = append(all, p.Code)
		}
	}
	whole = true
	for _, code := range all {
		if slices.Contains(kept, code) {
			passes = append(passes, code)
		} else {
			whole = false
		}
	}
	return passes, whole
}

// Lacks says which light the grade changes that was not kept.
func (g Grade) Lacks(kept []pass.Code) []pass.Code {
	var all []pass.Code
	for _, l := range g.Lights {
		if l.RGB() != White && !slices.Contains(kept, l.Pass) {
			all = append(all, l.Pass)
		}
	}
	return all
}

// gainOf returns the factors of a pass.
func (g Grade) gainOf(code pass.Code) [3]float64 {
	i := slices.IndexFunc(g.Lights, func(l Gain) bool { return l.Pass == code })
	if i < 0 {
		return White
	}
	return g.Lights[i].RGB()
}

// at returns how much a mask lets through at a depth and a coverage.
func (m Mask) at(metres, coverage float64) float64 {
	v := 1.0
	if m.Matte != "" {
		v = coverage
	}
	if m.ByDepth() {
		outside := max(m.Near-metres, metres-m.Far, 0)
		switch {
		case math.IsNaN(metres) || outside > 0 && outside >= m.Soft:
			v = 0
		case outside > 0:
			v *= 1 - outside/m.Soft
		}
	}
	if m.Inverted {
		v = 1 - v
	}
	return v
}

// A Frozen is a grade as it was sent, with all that it names.
type Frozen struct {
	Grade
	Masks []pass.Matte `json:"masks,omitempty"`
	Read  []pass.Code  `json:"read,omitempty"`  // passes of light that are read
	Whole bool         `json:"whole,omitempty"` // together they are all of the picture's light
}

// Freeze returns a grade as it is done to pictures of which some passes were kept. It fails if it changes nothing, or
// something that was not kept.
func (g Grade) Freeze(
	kept []pass.Code, groups []pass.LightGroup, find func(code string) (pass.Matte, bool),
) (f Frozen, err error) {
	f.Grade = g
	if !g.Changes() {
		return f, fmt.Errorf("grade %s changes nothing yet", g.Code)
	}
	if lacks := g.Lacks(kept); len(lacks) > 0 {
		return f, fmt.Errorf("it changes light that was not kept: %s; render with a pass list that has it",
			strings.Join(texts(lacks), ", "))
	}
	f.Read, f.Whole = g.Needed(kept, groups)
	for _, code := range g.Mattes() {
		m, ok := find(code)
		if !ok {
			return f, fmt.Errorf("there is no matte %q", code)
		}
		if !slices.Contains(kept, m.Layer) {
			return f, fmt.Errorf("the matte %s is taken from %s, which was not kept", code, m.Layer)
		}
		f.Masks = append(f.Masks, m)
	}
	if g.ByDepth() && !slices.Contains(kept, pass.Depth) {
		return f, fmt.Errorf("it is masked by depth, which was not kept")
	}
	return f, nil
}

func texts(codes []pass.Code) []string {
	var all []string
	for _, code := range codes {
		all = append(all, string(code))
	}
	return all
}

// FindMask returns the matte of a code.
func (f Frozen) FindMask(code string) (pass.Matte, bool) {
	i := slices.IndexFunc(f.Masks, func(m pass.Matte) bool { return m.Code == code })
	if i < 0 {
		return pass.Matte{}, false
	}
	return f.Masks[i], true
}

// Describe says in a line what the grade does.
func (g Grade) Describe() string {
	said := []string{g.Code}
	for _, l := range g.Lights {
		said = append(said, strings.TrimSpace(fmt.Sprintf("%s x %g %s", l.Pass, l.Intensity, l.Colour)))
	}
	for _, c := range g.Corrections() {
		said = append(said, c.CDL.String()+" ("+c.Description+")")
	}
	return strings.Join(said, "; ")
}

// Passes returns the passes that are read beside the picture.
func (f Frozen) Passes() []pass.Code {
	all := slices.Clone(f.Read)
	for _, m := range f.Masks {
		all = append(all, m.Layer)
	}
	if f.ByDepth() {
		all = append(all, pass.Depth)
	}
	return pass.Sorted(all)
}
