package edit

import (
	"errors"
	"fmt"
	"reflect"
	"slices"

	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/core/scene"
)

// A Command is one change of a production. Its exported fields are what it was given; see the package's comment.
type Command interface {
	// Name is the stable name, such as "shot.set": the kind of part, and what is done.
	Name() string
	// Part names what is changed, as production.Problem does: "shot 010".
	Part() string
	// apply changes p. Its errors are a person's mistakes.
	apply(p *production.Production, k Known) error
}

// Needs says what a command has to know beside the production. The zero value asks for nothing.
type Needs struct {
	Scene       *production.SceneFile // to be read; nil for none
	Reach       bool                  // how deep the scene is
	NextVersion bool
	Production  string // code of another production, "" for none
	Preset      PresetName
}

// A PresetName names a preset. The zero value names none.
type PresetName struct {
	Kind preset.Kind
	Name string
}

// Known is what a command was given of what it asked for. What could not be had is its zero value.
type Known struct {
	SceneFile   production.SceneFile // that Scene is of
	Scene       *scene.Scene
	SceneFault  error   // why the scene cannot be used, in words for a person
	Reach       float64 // metres, farther away than anything of the scene
	NextVersion int
	Production  *production.Production
	Preset      *preset.Preset
}

// needy is a command that has to know more than the production.
type needy interface {
	needs(p production.Production) Needs
}

// NeedsOf returns what a command has to know to be applied to p.
func NeedsOf(c Command, p production.Production) Needs {
	if n, ok := c.(needy); ok {
		return n.needs(p)
	}
	return Needs{}
}

// ErrOutdated is the error about a command that was given another scene than the production has by now. It is to be
// given the right one, and applied again.
var ErrOutdated = errors.New("the scene was changed in the meantime")

// A Mistake is what a person has to put right: the part as production.Problem names it, and the field by its JSON name.
type Mistake struct {
	Part, Field, Message string
}

func (m *Mistake) Error() string { return m.Message }

// wrong marks an error as one about a field.
func wrong(field string, err error) error {
	var m *Mistake
	if err == nil || errors.Is(err, ErrOutdated) || errors.As(err, &m) && m.Field != "" {
		return err
	}
	return &Mistake{Field: field, Message: err.Error()}
}

// Apply changes a production as a command says. A change may leave problems that were there, and may not bring new ones
// where it was made. If there is an error, p is in no particular state; the error is a *Mistake or ErrOutdated.
func Apply(c Command, p *production.Production, k Known) error {
	before := p.Problems()
	err := c.apply(p, k)
	if err == nil {
		fields := given(c)
		for _, problem := range p.Problems() {
			here := problem.Where == c.Part() || problem.Field == "code" || slices.Contains(fields, problem.Field)
			if here && !slices.Contains(before, problem) {
				return &Mistake{problem.Where, problem.Field, problem.Message}
			}
		}
		return nil
	}
	if errors.Is(err, ErrOutdated) {
		return err
	}
	m := &Mistake{Message: err.Error()}
	if errors.As(err, &m) {
		m = &Mistake{m.Part, m.Field, m.Message}
	}
	if m.Part == "" {
		m.Part = c.Part()
	}
	if m.Field == "" {
		_, action := split(c.Name())
		m.Field = action
	}
	return m
}

// given returns the names of the fields that a command, or a part of one, was given.
func given(c any) []string {
	var names []string
	v := reflect.ValueOf(c)
	for _, f := range fieldsOf(v.Type()) {
		if !v.FieldByIndex(f.index).IsZero() {
			names = append(names, f.name)
		}
	}
	return names
}

// to puts a value that was given where it belongs.
func to[T any](place *T, value *T) error {
	if value != nil {
		*place = *value
	}
	return nil
}

// with does something with a value that was given; its errors are about the field.
func with[T any](field string, value *T, do func(T) error) error {
	if value == nil {
		return nil
	}
	return wrong(field, do(*value))
}

// first returns the first error of several.
func first(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// at returns the place of the part of a code in a list.
func at[T any](kind, code string, list []T, codeOf func(T) string) (int, error) {
	i := slices.IndexFunc(list, func(t T) bool { return codeOf(t) == code })
	if i < 0 {
		return 0, fmt.Errorf("there is no %s %q", kind, code)
	}
	return i, nil
}

// free returns the first code with a number from n on that is not in use.
func free(prefix string, n int, used func(string) bool) string {
	for ; ; n++ {
		if code := fmt.Sprint(prefix, n); !used(code) {
			return code
		}
	}
}

// needScene asks for the scene of the production, if it has one that can be read here.
func needScene(p production.Production) Needs {
	if p.Scene.SHA256 == "" || p.Scene.Opaque != nil {
		return Needs{}
	}
	return Needs{Scene: &p.Scene}
}

// scene returns the scene of the production.
func (k Known) scene(p *production.Production) (*scene.Scene, error) {
	switch {
	case p.Scene.SHA256 == "":
		return nil, fmt.Errorf("there is no scene yet; import one first")
	case p.Scene.Opaque != nil:
		return nil, fmt.Errorf("the scene %s is read by its own renderer only", p.Scene.Name)
	case k.SceneFault != nil:
		return nil, k.SceneFault
	case k.Scene == nil || !sameFile(k.SceneFile, p.Scene):
		return nil, ErrOutdated
	}
	return k.Scene, nil
}

// sameFile reports whether two scene files are read to the same scene.
func sameFile(a, b production.SceneFile) bool {
	return a.SHA256 == b.SHA256 && a.Unit == b.Unit && a.Number == b.Number
}
