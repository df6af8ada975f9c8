package look

import (
	"regexp"
	"slices"
	"strings"
)

// valueField is the place of a value in a text; names of things may have other brackets.
var valueField = regexp.MustCompile(`\(value:([^()]*)\)`)

// asking returns the texts of the look in which values of shots may stand, such as "label_(value:title)".
func (l *Look) asking() []*string {
	texts := []*string{&l.Variant}
	for _, list := range [][]string{
		l.LightsOff, l.Hidden, l.Shown, l.Unseen, l.Holdouts, l.Clay, l.ShadowCatchers,
	} {
		for i := range list {
			texts = append(texts, &list[i])
		}
	}
	for i := range l.Lights {
		texts = append(texts, &l.Lights[i].Name)
	}
	for i := range l.Textures {
		texts = append(texts, &l.Textures[i].Image, &l.Textures[i].By)
	}
	return slices.DeleteFunc(texts, func(text *string) bool { return !strings.Contains(*text, "(value:") })
}

// Asks reports whether the look asks for values of the shot that it is used in.
func (l *Look) Asks() bool { return len(l.asking()) > 0 }

// A NoValue is the error about a value that a look asks for and a shot does not have: its key.
type NoValue string

func (v NoValue) Error() string { return "the value " + string(v) }

// With returns the look with the values of a shot. Its error is a NoValue, and the look then has nothing in its place.
func (l Look) With(values map[string]string) (Look, error) {
	l = l.Clone()
	var missing error
	for _, text := range l.asking() {
		*text = valueField.ReplaceAllStringFunc(*text, func(field string) string {
			key := valueField.FindStringSubmatch(field)[1]
			if values[key] == "" {
				missing = NoValue(key)
			}
			return values[key]
		})
	}
	return l, missing
}

// lightNames returns the names of the lights that are changed.
func (l Look) lightNames() []string {
	names := make([]string, len(l.Lights))
	for i, c := range l.Lights {
		names[i] = c.Name
	}
	return names
}
