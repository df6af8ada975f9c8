package edit

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/grade"
	"reelhouse/core/pass"
	"reelhouse/core/production"
)

// AddGrade adds a grade that changes nothing yet.
type AddGrade struct {
	Title string `json:"name,omitempty"`
}

func (AddGrade) Name() string { return "grade.add" }
func (AddGrade) Part() string { return "grade" }

func (c AddGrade) apply(p *production.Production, _ Known) error {
	p.Grades = append(p.Grades, namedGrade(p, grade.Grade{}, c.Title))
	return p.CheckGrades()
}

// namedGrade gives a grade a name, and a code that is made of it.
func namedGrade(p *production.Production, g grade.Grade, name string) grade.Grade {
	g.Name = strings.TrimSpace(name)
	g.Code = namedCode(g.Name, "grade", func(code string) bool { _, ok := p.FindGrade(code); return ok })
	if g.Name == "" {
		g.Name = "Grade " + strings.TrimPrefix(g.Code, "grade")
	}
	return g
}

// CopyGrade adds a grade like another one.
type CopyGrade struct {
	Grade string `json:"grade" role:"of"`
	Title string `json:"name,omitempty"`
}

func (CopyGrade) Name() string   { return "grade.copy" }
func (c CopyGrade) Part() string { return "grade " + c.Grade }

func (c CopyGrade) apply(p *production.Production, _ Known) error {
	i, err := gradeAt(p, c.Grade)
	if err != nil {
		return err
	}
	g := p.Grades[i]
	g.Lights, g.Steps = slices.Clone(g.Lights), slices.Clone(g.Steps)
	title := c.Title
	if strings.TrimSpace(title) == "" {
		title = g.Name + " 2"
	}
	p.Grades = append(p.Grades, namedGrade(p, g, title))
	return p.CheckGrades()
}

// SetGrade changes what a grade is called.
type SetGrade struct {
	Grade string  `json:"grade" role:"of"`
	Code  *string `json:"code,omitempty"`
	Title *string `json:"name,omitempty"`
}

func (SetGrade) Name() string   { return "grade.set" }
func (c SetGrade) Part() string { return "grade " + c.Grade }

func (c SetGrade) apply(p *production.Production, _ Known) error {
	return changeGrade(p, c.Grade, func(g *grade.Grade) error {
		return first(to(&g.Name, c.Title), to(&g.Code, c.Code))
	})
}

// SetGradeLight changes the light of a pass in a grade: how many times as bright it is, and its colour. A light that is
// as it was is not kept.
type SetGradeLight struct {
	Grade     string   `json:"grade" role:"of"`
	Pass      string   `json:"pass" role:"value"`
	Intensity *float64 `json:"intensity,omitempty"`
	Colour    *string  `json:"colour,omitempty"` // as #rrggbb
}

func (SetGradeLight) Name() string   { return "grade.light" }
func (c SetGradeLight) Part() string { return "grade " + c.Grade }

func (c SetGradeLight) apply(p *production.Production, _ Known) error {
	return changeGrade(p, c.Grade, func(g *grade.Grade) error {
		code := pass.Code(c.Pass)
		_, group := code.LightGroup()
		if err := p.PassThere(code); err != nil {
			return wrong("pass", err)
		}
		// Light groups and parts of the picture are each all of its light: choosing one leaves the other.
		g.Lights = slices.DeleteFunc(g.Lights, func(l grade.Gain) bool {
			_, other := l.Pass.LightGroup()
			return other != group
		})
		i := slices.IndexFunc(g.Lights, func(l grade.Gain) bool { return l.Pass == code })
		if i < 0 {
			i = len(g.Lights)
			g.Lights = append(g.Lights, grade.Gain{Pass: code, Intensity: 1})
		}
		l := &g.Lights[i]
		err := first(to(&l.Intensity, c.Intensity), with("colour", c.Colour, func(v string) error {
			if l.Colour = strings.ToLower(v); l.Colour == "#ffffff" {
				l.Colour = ""
			}
			return nil
		}))
		if l.Intensity == 1 && l.Colour == "" {
			g.Lights = slices.Delete(g.Lights, i, i+1)
		}
		return err
	})
}

// A stepped is what steps of a grade may be given.
type stepped struct {
	Title      *string  `json:"name,omitempty"`
	On         *bool    `json:"on,omitempty"`
	Exposure   *float64 `json:"exposure,omitempty" unit:"stops"`
	Slope      *triple  `json:"slope,omitempty"`
	Offset     *triple  `json:"offset,omitempty"`
	Power      *triple  `json:"power,omitempty"`
	Saturation *float64 `json:"saturation,omitempty"`
	Space      *string  `json:"space,omitempty"`
	Clamped    *bool    `json:"clamped,omitempty" label:"clamped to 0 to 1"`
	Matte      *string  `json:"matte,omitempty"`
	Near       *number  `json:"near,omitempty" unit:"m"`
	Far        *number  `json:"far,omitempty" unit:"m"`
	Soft       *number  `json:"soft,omitempty" label:"softness" unit:"m"`
	Inverted   *bool    `json:"inverted,omitempty" label:"inverse"`
}

func (c stepped) change(s *grade.Step) error {
	triples := func(name string, value *triple, place *[3]float64) error {
		return with(name, value, func(v triple) error { *place = v; return nil })
	}
	err := first(
		to(&s.Name, c.Title), to(&s.Exposure, c.Exposure), triples("slope", c.Slope, &s.CDL.Slope),
		triples("offset", c.Offset, &s.CDL.Offset), triples("power", c.Power, &s.CDL.Power),
		to(&s.CDL.Saturation, c.Saturation), as(&s.Space, c.Space), to(&s.Clamped, c.Clamped),
		to(&s.Mask.Matte, c.Matte), toNumber(&s.Mask.Near, c.Near), toNumber(&s.Mask.Far, c.Far),
		toNumber(&s.Mask.Soft, c.Soft), to(&s.Mask.Inverted, c.Inverted),
		with("on", c.On, func(on bool) error { s.Off = !on; return nil }),
	)
	if s.Mask.Matte == "" && !s.Mask.ByDepth() && c.Inverted == nil {
		s.Mask.Inverted = false // the last mask was taken away
	}
	return err
}

// A triple is three numbers, for red, green and blue; one number stands for all of them.
type triple [3]float64

// UnmarshalText reads one or three numbers, with spaces or commas between.
func (t *triple) UnmarshalText(text []byte) error {
	words := strings.FieldsFunc(string(text), func(r rune) bool { return r == ' ' || r == ',' || r == ';' })
	if len(words) == 1 {
		words = []string{words[0], words[0], words[0]}
	}
	if len(words) != len(t) {
		return fmt.Errorf("%.40q is not one number, or three for red, green and blue", text)
	}
	for i, word := range words {
		v, err := readNumber(word, "")
		if err != nil {
			return err
		}
		t[i] = v
	}
	return nil
}

// AddGradeStep adds a step at the end of a grade.
type AddGradeStep struct {
	Grade string `json:"grade" role:"of"`
	stepped
}

func (AddGradeStep) Name() string   { return "grade.add-step" }
func (c AddGradeStep) Part() string { return "grade " + c.Grade }

func (c AddGradeStep) apply(p *production.Production, _ Known) error {
	return changeGrade(p, c.Grade, func(g *grade.Grade) error {
		g.Steps = append(g.Steps, grade.Step{CDL: grade.Neutral()})
		return c.change(&g.Steps[len(g.Steps)-1])
	})
}

// SetGradeStep changes a step of a grade. Steps are counted from 1.
type SetGradeStep struct {
	Grade string `json:"grade" role:"of"`
	Step  int    `json:"step" role:"value"`
	stepped
}

func (SetGradeStep) Name() string   { return "grade.step" }
func (c SetGradeStep) Part() string { return "grade " + c.Grade }

func (c SetGradeStep) apply(p *production.Production, _ Known) error {
	return changeGrade(p, c.Grade, func(g *grade.Grade) error {
		if err := hasStep(*g, c.Step); err != nil {
			return err
		}
		return c.change(&g.Steps[c.Step-1])
	})
}

// MoveGradeStep puts a step of a grade at another place.
type MoveGradeStep struct {
	Grade string `json:"grade" role:"of"`
	Step  int    `json:"step" role:"value"`
	To    int    `json:"to" role:"value"`
}

func (MoveGradeStep) Name() string   { return "grade.move-step" }
func (c MoveGradeStep) Part() string { return "grade " + c.Grade }

func (c MoveGradeStep) apply(p *production.Production, _ Known) error {
	return changeGrade(p, c.Grade, func(g *grade.Grade) error {
		if err := first(hasStep(*g, c.Step), hasStep(*g, c.To)); err != nil {
			return err
		}
		s := g.Steps[c.Step-1]
		g.Steps = slices.Insert(slices.Delete(g.Steps, c.Step-1, c.Step), c.To-1, s)
		return nil
	})
}

// RemoveGradeStep removes a step of a grade.
type RemoveGradeStep struct {
	Grade string `json:"grade" role:"of"`
	Step  int    `json:"step" role:"value"`
}

func (RemoveGradeStep) Name() string   { return "grade.remove-step" }
func (c RemoveGradeStep) Part() string { return "grade " + c.Grade }

func (c RemoveGradeStep) apply(p *production.Production, _ Known) error {
	return changeGrade(p, c.Grade, func(g *grade.Grade) error {
		if err := hasStep(*g, c.Step); err != nil {
			return err
		}
		g.Steps = slices.Delete(g.Steps, c.Step-1, c.Step)
		return nil
	})
}

// RemoveGrade removes a grade. What was made by it stays.
type RemoveGrade struct {
	Grade string `json:"grade" role:"of"`
}

func (RemoveGrade) Name() string   { return "grade.remove" }
func (c RemoveGrade) Part() string { return "grade " + c.Grade }

func (c RemoveGrade) apply(p *production.Production, _ Known) error {
	i, err := gradeAt(p, c.Grade)
	if err != nil {
		return err
	}
	p.Grades = slices.Delete(p.Grades, i, i+1)
	return nil
}

func hasStep(g grade.Grade, n int) error {
	if n < 1 || n > len(g.Steps) {
		return wrong("step", fmt.Errorf("grade %s has no step %s, only %d", g.Code, strconv.Itoa(n), len(g.Steps)))
	}
	return nil
}

func gradeAt(p *production.Production, code string) (int, error) {
	return at("grade", code, p.Grades, func(g grade.Grade) string { return g.Code })
}

// changeGrade changes a grade, and says what is wrong with it then.
func changeGrade(p *production.Production, code string, change func(g *grade.Grade) error) error {
	i, err := gradeAt(p, code)
	if err != nil {
		return err
	}
	if err := change(&p.Grades[i]); err != nil {
		return err
	}
	return p.CheckGrades()
}

// MarshalText writes what UnmarshalText reads.
func (t triple) MarshalText() ([]byte, error) {
	return fmt.Appendf(nil, "%v %v %v", t[0], t[1], t[2]), nil
}
