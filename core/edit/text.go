package edit

import (
	"encoding"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"
)

// Fields of commands have these tags:
//
//	json   the stable name
//	label  what people call it; the name itself if there is none
//	unit   that may follow a number, such as "mm"
//	role   "of" for the code of the part that is changed, "value" for what an action is done with, "context" for what
//	       changes nothing by itself
//
// A pointer is nil if the field was not given. Numbers that may be left empty have the type number.

// A field is one of a command's.
type field struct {
	name, label, unit, role string
	index                   []int
	kind                    reflect.Type
}

func fieldsOf(t reflect.Type) []field {
	var fields []field
	for i := range t.NumField() {
		f := t.Field(i)
		if f.Anonymous { // fields that several commands have
			for _, inner := range fieldsOf(f.Type) {
				inner.index = append(slices.Clone(f.Index), inner.index...)
				fields = append(fields, inner)
			}
			continue
		}
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if name == "" || name == "-" {
			continue
		}
		label := f.Tag.Get("label")
		if label == "" {
			label = name
		}
		fields = append(fields, field{name, label, f.Tag.Get("unit"), f.Tag.Get("role"), f.Index, f.Type})
	}
	return fields
}

// ErrUnknown is wrapped by the errors about names of commands and fields that do not exist.
var ErrUnknown = errors.New("unknown")

// find returns the zero value of the command of a name.
func find(name string) (reflect.Type, error) {
	for _, c := range all() {
		if c.Name() == name {
			return reflect.TypeOf(c), nil
		}
	}
	return nil, fmt.Errorf("there is no command %q: %w", name, ErrUnknown)
}

// Names returns the names of all commands, sorted.
func Names() []string {
	var names []string
	for _, c := range all() {
		names = append(names, c.Name())
	}
	slices.Sort(names)
	return names
}

// A Field describes a field of a command.
type Field struct {
	Name, Label, Unit string
	Of                bool // it names the part that is changed
	Value             bool // it is what an action is done with
	Many, Bool        bool
}

// Fields describes the fields of a command, in their order.
func Fields(name string) ([]Field, error) {
	t, err := find(name)
	if err != nil {
		return nil, err
	}
	var out []Field
	for _, f := range fieldsOf(t) {
		plain := f.kind
		if plain.Kind() == reflect.Pointer {
			plain = plain.Elem()
		}
		out = append(out, Field{
			Name: f.name, Label: f.label, Unit: f.unit, Of: f.role == "of", Value: f.role == "value",
			Many: plain.Kind() == reflect.Slice, Bool: plain.Kind() == reflect.Bool,
		})
	}
	return out, nil
}

// FromText reads a command from texts by the names of its fields. A list takes all texts of its name, anything else the
// first. A name without texts stands for an empty list, an empty text, or no. Numbers may be followed by their unit.
func FromText(name string, values map[string][]string) (Command, error) {
	t, err := find(name)
	if err != nil {
		return nil, err
	}
	v := reflect.New(t).Elem()
	fields := fieldsOf(t)
	for given := range values {
		if !slices.ContainsFunc(fields, func(f field) bool { return f.name == given }) {
			return nil, fmt.Errorf("%s has no field %q: %w", name, given, ErrUnknown)
		}
	}
	var fault *Mistake
	for _, f := range fields {
		texts, isGiven := values[f.name]
		if !isGiven {
			continue
		}
		if err := f.read(v.FieldByIndex(f.index), texts); err != nil && fault == nil {
			fault = &Mistake{Field: f.name, Message: err.Error()}
		}
	}
	c := v.Interface().(Command)
	if fault != nil {
		fault.Part = c.Part()
		return nil, fault
	}
	return c, nil
}

// read puts texts into a field.
func (f field) read(into reflect.Value, texts []string) error {
	if into.Kind() == reflect.Pointer {
		into.Set(reflect.New(into.Type().Elem()))
		into = into.Elem()
	}
	text := ""
	if len(texts) > 0 {
		text = strings.TrimSpace(texts[0])
	}
	if u, ok := into.Addr().Interface().(encoding.TextUnmarshaler); ok {
		return u.UnmarshalText([]byte(strings.TrimSpace(strings.TrimSuffix(text, f.unit))))
	}
	switch into.Kind() {
	case reflect.String:
		into.SetString(text)
	case reflect.Bool:
		on, err := readBool(text)
		into.SetBool(on)
		return err
	case reflect.Int:
		n, err := readInt(text, f.unit)
		into.SetInt(int64(n))
		return err
	case reflect.Float64:
		n, err := readNumber(text, f.unit)
		into.SetFloat(n)
		return err
	case reflect.Slice:
		if into.Type().Elem().Kind() != reflect.String {
			return fmt.Errorf("it is given as JSON only")
		}
		list := reflect.MakeSlice(into.Type(), len(texts), len(texts))
		for i, text := range texts {
			list.Index(i).SetString(strings.TrimSpace(text))
		}
		into.Set(list)
	default:
		if err := json.Unmarshal([]byte(text), into.Addr().Interface()); err != nil {
			return fmt.Errorf("it is given as JSON: %w", err)
		}
	}
	return nil
}

func readBool(text string) (bool, error) {
	switch strings.ToLower(text) {
	case "1", "yes", "true", "on":
		return true, nil
	case "", "0", "no", "false", "off":
		return false, nil
	}
	return false, fmt.Errorf("%q is neither yes nor no", text)
}

func readInt(text, unit string) (int, error) {
	n, err := strconv.Atoi(strings.TrimSpace(strings.TrimSuffix(text, unit)))
	if err != nil {
		return 0, fmt.Errorf("%q is not a whole number", text)
	}
	return n, nil
}

func readNumber(text, unit string) (float64, error) {
	n, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(text, unit)), 64)
	if err != nil || math.IsNaN(n) || math.IsInf(n, 0) {
		return 0, fmt.Errorf("%q is not a number", text)
	}
	return n, nil
}

// A number is one that may be left empty, which stands for 0: the usual value.
type number float64

// UnmarshalText reads a number without its unit.
func (n *number) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*n = 0
		return nil
	}
	v, err := readNumber(string(text), "")
	*n = number(v)
	return err
}

// UnmarshalJSON reads a JSON number.
func (n *number) UnmarshalJSON(data []byte) error { return json.Unmarshal(data, (*float64)(n)) }

// toNumber puts a number that was given where it belongs.
func toNumber(place *float64, value *number) error {
	if value != nil {
		*place = float64(*value)
	}
	return nil
}

// A Named is a command as JSON: its name beside its fields.
type named struct {
	Command string `json:"command"`
}

// ToJSON writes a command as a JSON object: its fields, and its name as "command".
func ToJSON(c Command) ([]byte, error) {
	data, err := json.Marshal(c)
	if err != nil {
		return nil, err
	}
	name, err := json.Marshal(c.Name())
	if err != nil {
		return nil, err
	}
	rest := string(data[1:])
	if rest != "}" {
		rest = "," + rest
	}
	return []byte(`{"command":` + string(name) + rest), nil
}

// FromJSON reads a command from what ToJSON writes. Fields that the command does not have are an error.
func FromJSON(data []byte) (Command, error) {
	var n named
	if err := json.Unmarshal(data, &n); err != nil {
		return nil, &Mistake{Message: "a command is a JSON object with its name as \"command\""}
	}
	t, err := find(n.Command)
	if err != nil {
		return nil, err
	}
	var values map[string]json.RawMessage
	if err := json.Unmarshal(data, &values); err != nil {
		return nil, &Mistake{Message: err.Error()}
	}
	delete(values, "command")
	v := reflect.New(t)
	fields := fieldsOf(t)
	for name, value := range values {
		i := slices.IndexFunc(fields, func(f field) bool { return f.name == name })
		if i < 0 {
			return nil, fmt.Errorf("%s has no field %q: %w", n.Command, name, ErrUnknown)
		}
		if err := json.Unmarshal(value, v.Elem().FieldByIndex(fields[i].index).Addr().Interface()); err != nil {
			return nil, &Mistake{Field: name, Message: plainJSON(err)}
		}
	}
	return v.Elem().Interface().(Command), nil
}

// plainJSON says what is wrong with a JSON value without naming types of Go.
func plainJSON(err error) string {
	var kind *json.UnmarshalTypeError
	if errors.As(err, &kind) {
		return fmt.Sprintf("a %s cannot stand here", kind.Value)
	}
	return err.Error()
}
