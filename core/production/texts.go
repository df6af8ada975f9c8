package production

import (
	"fmt"
	"reflect"
	"strings"
	"sync"
	"unicode/utf8"
)

// The longest texts of a production, in bytes: of names, titles and all that stands in one line, and of notes.
const (
	MostText = 500
	MostNote = 2000
)

// TooLong finds a text of the document that is longer than it may be, or is no text, nil for none. Every edit works
// through all of them, so that one that is long slows everything.
func (p Production) TooLong() error {
	if err := tooLong(reflect.ValueOf(p), "production"); err != nil {
		return &LongText{err.Error()}
	}
	return nil
}

// A LongText is the error about a text that cannot be kept.
type LongText struct{ Message string }

func (l *LongText) Error() string { return l.Message }

// longTexts are the fields that may be as long as a note.
var longTexts = map[string]bool{"Note": true, "Reason": true, "Pattern": true, "Text": true}

func tooLong(v reflect.Value, name string) error {
	switch v.Kind() {
	case reflect.String:
		most := MostText
		if longTexts[name] {
			most = MostNote
		}
		if text := v.String(); len(text) > most {
			return fmt.Errorf(
				"%q… is %d bytes long; a %s has %d at most", beginning(text), len(text), strings.ToLower(name), most,
			)
		} else if !utf8.ValidString(text) || strings.ContainsRune(text, 0) {
			return fmt.Errorf("%q is no text: it holds bytes that are no letters", beginning(text))
		}
	case reflect.Struct:
		for _, f := range textFields(v.Type()) {
			if err := tooLong(v.Field(f.index), f.name); err != nil {
				return err
			}
		}
	case reflect.Slice, reflect.Array:
		switch v.Type().Elem().Kind() {
		case reflect.String, reflect.Struct, reflect.Slice, reflect.Pointer:
		default:
			return nil
		}
		for i := range v.Len() {
			if err := tooLong(v.Index(i), name); err != nil {
				return err
			}
		}
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			return tooLong(v.Elem(), name)
		}
	case reflect.Map:
		for _, key := range v.MapKeys() {
			if err := tooLong(v.MapIndex(key), name); err != nil {
				return err
			}
		}
	}
	return nil
}

// beginning returns the first few letters of a text.
func beginning(text string) string {
	const most = 24
	if len(text) > most {
		text = text[:most]
	}
	return strings.ToValidUTF8(text, "?")
}

// A textField is a field of a struct that may hold texts.
type textField struct {
	index int
	name  string
}

// texts are the fields of every type that was met.
var texts sync.Map // of []textField by reflect.Type

func textFields(t reflect.Type) []textField {
	if known, ok := texts.Load(t); ok {
		return known.([]textField)
	}
	var fields []textField
	for i := range t.NumField() {
		f := t.Field(i)
		switch f.Type.Kind() {
		case reflect.String, reflect.Struct, reflect.Slice, reflect.Array, reflect.Pointer, reflect.Interface,
			reflect.Map:
			if f.IsExported() && (f.Type.Kind() != reflect.Struct || len(textFields(f.Type)) > 0) {
				fields = append(fields, textField{i, f.Name})
			}
		}
	}
	texts.Store(t, fields)
	return fields
}

// MostRendererName is the longest name of a renderer, in bytes.
const MostRendererName = 40

// CheckRenderer says what is wrong with the name of a renderer, or nil. Whether a house has it is not known here.
func CheckRenderer(name string) error {
	for _, r := range name {
		if !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || strings.ContainsRune("-_.", r)) {
			return fmt.Errorf("a renderer is named by letters, digits, -, _ and ., and %q is none of them", r)
		}
	}
	if name == "" || len(name) > MostRendererName {
		return fmt.Errorf("the name of a renderer has 1 to %d letters", MostRendererName)
	}
	return nil
}
