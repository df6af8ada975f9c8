package work

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
)

// A template is text with fields in round brackets.
type template []piece

// A piece is plain text, or a field with its option.
type piece struct{ text, field, option string }

// mostDigits is how many a number may be filled up to.
const mostDigits = 12

// parseTemplate reads a template whose fields are among those given: what they say is how many options a field has, 0
// for none, 1 for one that may be left out, 2 for one that is needed. "((" stands for a bracket.
func parseTemplate(text string, fields map[string]int) (template, error) {
	var t template
	plain := ""
	for i := 0; i < len(text); {
		switch {
		case strings.HasPrefix(text[i:], "(("):
			plain, i = plain+"(", i+2
		case text[i] == '(':
			end := strings.IndexByte(text[i:], ')')
			if end < 0 {
				return nil, fmt.Errorf("at letter %d: the bracket is not closed; write (( for a bracket", i+1)
			}
			name, option, has := strings.Cut(text[i+1:i+end], ":")
			options, known := fields[name]
			switch {
			case !known:
				return nil, fmt.Errorf("at letter %d: there is no field %q; there are %s", i+1, name,
					strings.Join(slices.Sorted(maps.Keys(fields)), ", "))
			case has && options == 0:
				return nil, fmt.Errorf("at letter %d: (%s) has no option", i+1, name)
			case option == "" && (has || options == 2):
				return nil, fmt.Errorf("at letter %d: (%s:…) needs an option", i+1, name)
			}
			if n, err := strconv.Atoi(option); name == "frame" && has && (err != nil || n < 1 || n > mostDigits) {
				return nil, fmt.Errorf("at letter %d: (frame:%s): a number of digits from 1 to %d is wanted", i+1,
					option, mostDigits)
			}
			if plain != "" {
				t, plain = append(t, piece{text: plain}), ""
			}
			t, i = append(t, piece{field: name, option: option}), i+end+1
		default:
			plain, i = plain+text[i:i+1], i+1
		}
	}
	if plain != "" {
		t = append(t, piece{text: plain})
	}
	return t, nil
}

// has reports whether a field stands in it.
func (t template) has(field string) bool {
	return slices.ContainsFunc(t, func(p piece) bool { return p.field == field })
}

// fill puts values in the places of fields.
func (t template) fill(value func(field, option string) string) string {
	var out strings.Builder
	for _, p := range t {
		out.WriteString(p.text)
		if p.field != "" {
			out.WriteString(value(p.field, p.option))
		}
	}
	return out.String()
}
