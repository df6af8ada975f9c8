package edit

import (
	"encoding"
	"fmt"
	"reflect"
	"strings"
)

// A worded command says in words of its own what it does.
type worded interface{ words() string }

// mostWords is the longest value that a summary repeats, in bytes.
const mostWords = 40

// Summary says in words what a command does, for the history and for what is undone: "shot 010: frames 1001-1036".
func Summary(c Command) string {
	if w, ok := c.(worded); ok {
		return w.words()
	}
	return plain(c)
}

// plain says what a command does by its name and its fields.
func plain(c Command) string {
	part := c.Part()
	kind, action := split(c.Name())
	if action != "set" {
		text := strings.ReplaceAll(action, "-", " ") + " " + strings.ReplaceAll(kind, "-", " ")
		if rest, ok := strings.CutPrefix(part, strings.ReplaceAll(kind, "-", " ")); ok {
			text += rest
		}
		return text
	}
	var changes []string
	v := reflect.ValueOf(c)
	for _, f := range fieldsOf(v.Type()) {
		value := v.FieldByIndex(f.index)
		if f.role == "of" || f.role == "context" || value.IsZero() {
			continue
		}
		changes = append(changes, strings.TrimSpace(f.label+" "+f.show(value)))
	}
	return part + ": " + strings.Join(changes, ", ")
}

// show writes a value for people; "" if it is too long for that.
func (f field) show(v reflect.Value) string {
	if v.Kind() == reflect.Pointer {
		v = v.Elem()
	}
	text := ""
	switch value := v.Interface().(type) {
	case bool:
		return map[bool]string{true: "on", false: "off"}[value]
	case encoding.TextMarshaler:
		data, err := value.MarshalText()
		if err != nil {
			return ""
		}
		text = string(data)
	default:
		switch v.Kind() {
		case reflect.Slice:
			var parts []string
			for i := range v.Len() {
				parts = append(parts, fmt.Sprint(v.Index(i).Interface()))
			}
			text = strings.Join(parts, ", ")
		case reflect.Struct, reflect.Map:
			return ""
		default:
			text = fmt.Sprint(value)
		}
	}
	switch {
	case text == "":
		return "cleared"
	case len(text) > mostWords:
		return ""
	case f.unit != "":
		return text + " " + f.unit
	}
	return text
}

// split returns the kind of part and the action of a command's name.
func split(name string) (kind, action string) {
	kind, action, _ = strings.Cut(name, ".")
	return kind, action
}
