// Package preset keeps what one production has agreed for the next: the whole of its standards, or one
// output, under a name. A preset travels as a JSON file:
//
//	{
//	  "format": "reelhouse-preset",
//	  "version": 1,
//	  "kind": "standards",
//	  "name": "Feature, scope and HD",
//	  "standards": { ... }
//	}
//
// with "kind": "output" and "output" instead for a single output, and "kind": "delivery" and "delivery" for the recipe
// of a delivery. The fields are those of production.Standards, output.Output and production.Delivery; docs/formats.md
// describes them. Unknown fields are refused, so that a misspelt one is not lost in silence.
package preset

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode"

	"reelhouse/core/difference"
	"reelhouse/core/output"
	"reelhouse/core/production"
)

// A Kind is what a preset holds.
type Kind string

// The kinds.
const (
	Standards Kind = "standards"
	Output    Kind = "output"
	Delivery  Kind = "delivery"
)

// A Preset is standards, an output or a recipe under a name. Of the pointers, that of its kind is set.
type Preset struct {
	Kind      Kind                  `json:"kind"`
	Name      string                `json:"name"`
	Standards *production.Standards `json:"standards,omitempty"`
	Output    *output.Output        `json:"output,omitempty"`
	Delivery  *production.Delivery  `json:"delivery,omitempty"`
}

// Code returns the code of the output or recipe that it holds, "" for standards.
func (p Preset) Code() string {
	switch {
	case p.Output != nil:
		return p.Output.Code
	case p.Delivery != nil:
		return p.Delivery.Code
	}
	return ""
}

const (
	fileFormat  = "reelhouse-preset"
	fileVersion = 1
	// MaxFile is how large a preset's file may be, in bytes.
	MaxFile = 4 << 20
	maxName = 80
)

// OfStandards returns the standards of a production as a preset.
func OfStandards(name string, p production.Production) Preset {
	s := p.Standards
	return Preset{Kind: Standards, Name: name, Standards: &s}
}

// OfOutput returns an output as a preset.
func OfOutput(name string, o output.Output) Preset {
	return Preset{Kind: Output, Name: name, Output: &o}
}

// OfDelivery returns a recipe as a preset: without its shots, which are of one production.
func OfDelivery(name string, d production.Delivery) Preset {
	d.Shots = nil
	return Preset{Kind: Delivery, Name: name, Delivery: &d}
}

// CheckName says what is wrong with a preset's name, or nil.
func CheckName(name string) error {
	if strings.TrimSpace(name) == "" {
		return fmt.Errorf("the preset needs a name")
	}
	if len(name) > maxName || strings.TrimSpace(name) != name ||
		strings.ContainsFunc(name, func(r rune) bool { return !unicode.IsPrint(r) }) {
		return fmt.Errorf("a preset's name is at most %d printable characters, without spaces at its ends", maxName)
	}
	return nil
}

// Check says what is wrong with the preset: its name, its kind, or the first problem of what it holds.
func (p Preset) Check() error {
	if err := CheckName(p.Name); err != nil {
		return err
	}
	held := 0
	for _, is := range []bool{p.Standards != nil, p.Output != nil, p.Delivery != nil} {
		if is {
			held++
		}
	}
	switch {
	case held > 1:
		return fmt.Errorf("a preset of the kind %q holds %q and nothing else", p.Kind, p.Kind)
	case p.Kind == Standards && p.Standards != nil:
		if problems := p.Standards.Problems(); len(problems) > 0 {
			return problems[0]
		}
	case p.Kind == Delivery && p.Delivery != nil:
		if problems := p.Delivery.Problems(); len(problems) > 0 {
			return problems[0]
		}
	case p.Kind == Output && p.Output != nil:
		if field, err := p.Output.Check(); err != nil {
			return fmt.Errorf("output %s, %s: %w", p.Output.Code, field, err)
		}
	case p.Kind == Standards || p.Kind == Output || p.Kind == Delivery:
		return fmt.Errorf("a preset of the kind %q holds %q and nothing else", p.Kind, p.Kind)
	default:
		return fmt.Errorf(
			"there is no preset of the kind %q; there are %s, %s and %s",
			p.Kind,
			Standards,
			Output,
			Delivery,
		)
	}
	return nil
}

// file is a preset as it is written.
type file struct {
	Format  string `json:"format"`
	Version int    `json:"version"`
	Preset
}

// Write writes the preset's file.
func (p Preset) Write(w io.Writer) error {
	e := json.NewEncoder(w)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(file{fileFormat, fileVersion, p})
}

// Read reads a preset's file and checks it. Its errors say what is wrong, and in which line where that is
// known.
func Read(r io.Reader) (Preset, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxFile+1))
	if err != nil {
		return Preset{}, fmt.Errorf("preset file: %w", err)
	}
	if len(data) > MaxFile {
		return Preset{}, fmt.Errorf("preset file: it is larger than %d MB, which no preset is", MaxFile>>20)
	}
	var f file
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	if err := d.Decode(&f); err != nil {
		return Preset{}, fmt.Errorf("preset file%s: %w", line(data, err, d.InputOffset()), err)
	}
	if d.More() {
		return Preset{}, fmt.Errorf("preset file%s: something follows the preset", line(data, nil, d.InputOffset()))
	}
	switch {
	case f.Format != fileFormat:
		return Preset{}, fmt.Errorf(
			"preset file: its format is %q, not %q; it is no preset of Reelhouse", f.Format, fileFormat,
		)
	case f.Version != fileVersion:
		return Preset{}, fmt.Errorf("preset file: version %d is not known here, only %d", f.Version, fileVersion)
	}
	if err := f.Preset.Check(); err != nil {
		return Preset{}, fmt.Errorf("preset file: %w", err)
	}
	return f.Preset, nil
}

// line says in which line of a file an error lies.
func line(data []byte, err error, offset int64) string {
	var syntax *json.SyntaxError
	var kind *json.UnmarshalTypeError
	switch {
	case errors.As(err, &syntax):
		offset = syntax.Offset
	case errors.As(err, &kind):
		offset = kind.Offset
	}
	return fmt.Sprintf(", line %d", bytes.Count(data[:min(int(offset), len(data))], []byte("\n"))+1)
}

// Differences returns in what a production differs from the preset: Was is the preset's value, Is the
// production's. An output is held against the production's output of the same code.
func (p Preset) Differences(of production.Production) ([]difference.Change, error) {
	if p.Kind == Standards {
		return difference.Between(p.Standards, of.Standards)
	}
	if p.Kind == Delivery {
		own, have := of.FindDelivery(p.Delivery.Code)
		if own.Shots = nil; !have {
			return difference.Between(deliveries{[]production.Delivery{*p.Delivery}}, deliveries{})
		}
		return difference.Between(
			deliveries{[]production.Delivery{*p.Delivery}},
			deliveries{[]production.Delivery{own}},
		)
	}
	own, have := of.FindOutput(p.Output.Code)
	if !have {
		return difference.Between(outputs{[]output.Output{*p.Output}}, outputs{})
	}
	return difference.Between(outputs{[]output.Output{*p.Output}}, outputs{[]output.Output{own}})
}

// outputs is the part of a production that a preset of an output compares with.
type outputs struct {
	Outputs []output.Output `json:"outputs"`
}

// deliveries is likewise that of a preset of a recipe.
type deliveries struct {
	Deliveries []production.Delivery `json:"deliveries"`
}

// PutBack gives a production the preset's value at one place, as Differences names it.
func (p Preset) PutBack(into *production.Production, path []string) error {
	changes, err := p.Differences(*into)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(changes, func(c difference.Change) bool { return slices.Equal(c.Path, path) })
	if i < 0 {
		return fmt.Errorf("%s does not differ from the preset any more", strings.Join(path, " › "))
	}
	back := difference.Change{Path: changes[i].Path, Was: changes[i].Is, Is: changes[i].Was}
	if p.Kind == Delivery {
		return difference.Apply(into, back)
	}
	return difference.Apply(&into.Standards, back)
}

// Recall gives a production all that the preset holds.
func (p Preset) Recall(into *production.Production) error {
	if p.Kind == Standards {
		fresh := *p.Standards
		if err := difference.Apply(&fresh); err != nil { // a copy that shares nothing
			return err
		}
		into.Standards, into.Preset = fresh, p.Name
		if _, ok := into.FindQuality(into.Quality); !ok && len(into.Qualities) > 0 {
			into.Quality = into.Qualities[0].Code
		}
		return nil
	}
	if p.Kind == Delivery {
		for i, d := range into.Deliveries {
			if d.Code == p.Delivery.Code {
				fresh := *p.Delivery
				fresh.Shots = d.Shots
				into.Deliveries[i] = fresh
				return nil
			}
		}
		into.Deliveries = append(into.Deliveries, *p.Delivery)
		return nil
	}
	for i, o := range into.Outputs {
		if o.Code == p.Output.Code {
			into.Outputs[i] = *p.Output
			return nil
		}
	}
	into.Outputs = append(into.Outputs, *p.Output)
	return nil
}
