// Package naming builds file paths from patterns.
//
// A pattern is text with fields in round brackets; slashes make folders:
//
//	(production)/(shot)/(size)/v(version:3)/(pass)/(shot)_(view)_(pass).(frame:4).(ext)
//
// Fields are production, sequence, shot, view, camera, angle, look, size, output, pass, quality, version, frame, label,
// value and ext. The label is the name of a frame that has one, and the number of any other. The angle is that of a
// view in its rig, in whole degrees. (value:title) is the value that the shot has under that key. A number after a
// colon pads version, angle and frame with zeros to that many digits. Every pattern has a (frame) or a (label), so that
// no frame overwrites another, and ends with .(ext). Only relative paths below the output folder come out, and no
// character that a common file system refuses.
package naming

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"
)

// Fields are the values that a pattern is filled with. They are cleaned on the way (see Clean).
type Fields struct {
	Production, Sequence, Shot, View, Camera, Look, Size, Output, Pass, Quality, Ext string
	Version, Angle                                                                   int
	Values                                                                           map[string]string // by their keys
}

// valueField begins the name of a field that is a value of the shot; its key follows.
const valueField = "value:"

// ValueField returns the field of a shot's value.
func ValueField(key string) string { return valueField + key }

// Value returns a field's text; "" for version and angle, which are numbers, and for what is no field of it.
func (f Fields) Value(field string) string {
	if key, ok := strings.CutPrefix(field, valueField); ok {
		return f.Values[key]
	}
	switch field {
	case "production":
		return f.Production
	case "sequence":
		return f.Sequence
	case "camera":
		return f.Camera
	case "shot":
		return f.Shot
	case "view":
		return f.View
	case "look":
		return f.Look
	case "size":
		return f.Size
	case "output":
		return f.Output
	case "pass":
		return f.Pass
	case "quality":
		return f.Quality
	case "ext":
		return f.Ext
	}
	return ""
}

// FieldNames returns the names of all fields, in the order in which they are offered.
func FieldNames() []string {
	return []string{
		"production", "sequence", "shot", "view", "camera", "angle", "look", "size", "output", "pass", "quality",
		"version", "frame", "label", "value", "ext",
	}
}

// A SyntaxError says what is wrong in a pattern, and at which byte of it (from 0).
type SyntaxError struct {
	Text    string
	Offset  int
	Problem string
}

func (e *SyntaxError) Error() string {
	return fmt.Sprintf("name pattern, at character %d: %s", e.Offset+1, e.Problem)
}

// A Pattern is a parsed pattern. The zero value is no pattern.
type Pattern struct {
	text  string
	parts []part
}

// A part is literal text or, with a field, the place of a value.
type part struct {
	text   string
	field  string
	digits int
	offset int
}

const (
	maxDigits  = 9
	maxPattern = 400
	refused    = `<>:"\|?*`
)

// Parse reads a pattern. Its errors are *SyntaxError.
func Parse(text string) (Pattern, error) {
	if strings.TrimSpace(text) == "" {
		return Pattern{}, &SyntaxError{
			text, 0, "the pattern is empty; write for example (shot)/(shot)_(pass).(frame:4).(ext)",
		}
	}
	parts, err := split(text, FieldNames())
	if err != nil {
		return Pattern{}, err
	}
	p := Pattern{text, parts}
	if err := p.check(); err != nil {
		return Pattern{}, err
	}
	return p, nil
}

// MustParse is Parse for patterns known to be right; it panics on an error.
func MustParse(text string) Pattern {
	p, err := Parse(text)
	if err != nil {
		panic(err)
	}
	return p
}

func (p Pattern) String() string { return p.text }

// Has reports whether the pattern uses a field.
func (p Pattern) Has(field string) bool {
	return slices.ContainsFunc(p.parts, func(q part) bool { return q.field == field })
}

// Keys returns the keys of the values that the pattern uses.
func (p Pattern) Keys() []string {
	var keys []string
	for _, q := range p.parts {
		if key, ok := strings.CutPrefix(q.field, valueField); ok && !slices.Contains(keys, key) {
			keys = append(keys, key)
		}
	}
	return keys
}

// FrameDigits returns the padding of the frame number.
func (p Pattern) FrameDigits() int {
	for _, q := range p.parts {
		if q.field == "frame" {
			return q.digits
		}
	}
	return 1
}

// split takes a text with fields apart; only the fields given are known.
func split(text string, fields []string) ([]part, error) {
	fail := func(at int, format string, args ...any) ([]part, error) {
		return nil, &SyntaxError{text, at, fmt.Sprintf(format, args...)}
	}
	if len(text) > maxPattern {
		return fail(maxPattern, "the pattern is longer than %d characters", maxPattern)
	}
	var parts []part
	for at := 0; at < len(text); {
		if text[at] == ')' {
			return fail(at, "')' closes nothing; a field begins with '('")
		}
		if text[at] != '(' {
			end := strings.IndexAny(text[at:], "()")
			if end < 0 {
				end = len(text) - at
			}
			parts = append(parts, part{text: text[at : at+end], offset: at})
			at += end
			continue
		}
		end := strings.IndexByte(text[at:], ')')
		if end < 0 {
			return fail(at, "the field that begins here has no ')'")
		}
		q := part{offset: at}
		name, option, padded := strings.Cut(text[at+1:at+end], ":")
		if q.field = name; !slices.Contains(fields, name) {
			return fail(at+1, "there is no field %q; there are %s", name, strings.Join(fields, ", "))
		}
		q.digits = 1
		optionAt := at + 2 + len(name)
		if name == "value" {
			if !ValidCode(option) {
				return fail(at+1, "say which value of the shot it is, such as (value:title)")
			}
			q.field, padded = ValueField(option), false
		}
		if padded {
			if name != "frame" && name != "version" && name != "angle" {
				return fail(optionAt, "only frame, version and angle take a number of digits")
			}
			n, err := strconv.Atoi(option)
			if err != nil || n < 1 || n > maxDigits || option[0] == '+' {
				return fail(optionAt, "%q is not a number of digits from 1 to %d", option, maxDigits)
			}
			q.digits = n
		}
		parts = append(parts, q)
		at += end + 1
	}
	return parts, nil
}

// check holds the whole pattern against the rules of the package comment.
func (p Pattern) check() error {
	fail := func(at int, format string, args ...any) error {
		return &SyntaxError{p.text, at, fmt.Sprintf(format, args...)}
	}
	for _, q := range p.parts {
		for i, c := range q.text {
			if strings.ContainsRune(refused, c) || unicode.IsControl(c) || c == unicode.ReplacementChar {
				return fail(q.offset+i, "the character %q is refused by some file systems", c)
			}
		}
	}
	start := 0
	for segment := range strings.SplitSeq(p.text, "/") {
		switch {
		case segment == "" && start == 0:
			return fail(start, "a path cannot begin with '/'; it lies below the output folder")
		case segment == "":
			return fail(start, "a folder has no name")
		case segment == "." || segment == "..":
			return fail(start, "%q is not a folder name; paths stay below the output folder", segment)
		case strings.HasSuffix(segment, ".") || strings.HasSuffix(segment, " ") || strings.HasPrefix(segment, " "):
			return fail(start, "a name may not begin or end with a space, or end with a dot: %q", segment)
		}
		start += len(segment) + 1
	}
	last := len(p.parts) - 1
	if last < 1 || p.parts[last].field != "ext" || !strings.HasSuffix(p.parts[last-1].text, ".") {
		return fail(len(p.text), "the pattern must end with .(ext)")
	}
	for i, q := range p.parts {
		if q.field == "ext" && i < last {
			return fail(q.offset, "(ext) belongs at the end only")
		}
	}
	if !p.Has("frame") && !p.Has("label") {
		return fail(
			len(p.text), "the pattern has no (frame), and no (label): every frame would overwrite the one before",
		)
	}
	return nil
}
