package edit

import (
	"fmt"
	"strings"

	"reelhouse/core/preset"
	"reelhouse/core/production"
)

// RecallPreset gives a production all that a preset holds.
type RecallPreset struct {
	Kind   preset.Kind `json:"kind"`
	Preset string      `json:"preset"`
}

func (RecallPreset) Name() string    { return "preset.recall" }
func (RecallPreset) Part() string    { return "preset" }
func (c RecallPreset) words() string { return "recall preset " + c.Preset }

func (c RecallPreset) needs(production.Production) Needs {
	return Needs{Preset: PresetName{c.Kind, c.Preset}}
}

func (c RecallPreset) apply(p *production.Production, k Known) error {
	if k.Preset == nil {
		return &Mistake{Field: string(c.Kind), Message: "choose a preset"}
	}
	return wrong(string(c.Kind), k.Preset.Recall(p))
}

// ResetToPreset gives a production the value of a preset at one place.
type ResetToPreset struct {
	Kind   preset.Kind `json:"kind"`
	Preset string      `json:"preset"`
	Path   []string    `json:"path"` // as preset.Differences names it
}

func (ResetToPreset) Name() string { return "preset.reset" }
func (ResetToPreset) Part() string { return "preset" }
func (c ResetToPreset) words() string {
	return strings.Join(c.Path, " › ") + " as in preset " + c.Preset
}

func (c ResetToPreset) needs(production.Production) Needs {
	return Needs{Preset: PresetName{c.Kind, c.Preset}}
}

func (c ResetToPreset) apply(p *production.Production, k Known) error {
	if k.Preset == nil {
		return &Mistake{Field: string(c.Kind), Message: "choose a preset"}
	}
	return wrong(string(c.Kind), k.Preset.PutBack(p, c.Path))
}

// TakeSetUp copies parts of another production's set-up.
type TakeSetUp struct {
	From  string             `json:"from"`
	Parts []production.SetUp `json:"parts"`
}

func (TakeSetUp) Name() string    { return "set-up.copy" }
func (TakeSetUp) Part() string    { return "take" }
func (c TakeSetUp) words() string { return "set-up from " + c.From }

func (c TakeSetUp) needs(production.Production) Needs { return Needs{Production: c.From} }

func (c TakeSetUp) apply(p *production.Production, k Known) error {
	switch {
	case k.Production == nil:
		return &Mistake{Field: "from", Message: "choose the production to copy from"}
	case len(c.Parts) == 0:
		return &Mistake{Field: "from", Message: "choose what to copy"}
	}
	return wrong("from", p.Take(*k.Production, c.Parts...))
}

// ReplaceProduction puts a document in the place of the one that is there: an older revision, or one that a program has
// worked out.
type ReplaceProduction struct {
	Revision int                   `json:"revision,omitempty"` // that it was
	Document production.Production `json:"document"`
}

func (ReplaceProduction) Name() string { return "production.replace" }
func (ReplaceProduction) Part() string { return "production" }

func (c ReplaceProduction) words() string {
	if c.Revision == 0 {
		return "replace the set-up"
	}
	return fmt.Sprintf("restore revision %d", c.Revision)
}

func (c ReplaceProduction) apply(p *production.Production, _ Known) error {
	*p = c.Document.Copy()
	return nil
}
