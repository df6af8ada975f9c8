package shotlist

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/naming"
	"reelhouse/core/production"
)

// valuePrefix begins the name of a column that is a value of the shots; its key follows.
const valuePrefix = "value:"

// KeyOf returns the key under which a column's values are kept, by its name: "Title of the film" is
// "title_of_the_film". It is "" if nothing is left.
func KeyOf(header string) string {
	name := strings.TrimPrefix(strings.ToLower(strings.TrimSpace(header)), valuePrefix)
	key := strings.Trim((naming.Rules{}).Clean(name), "-_")
	if !naming.ValidCode(key) {
		return ""
	}
	return key
}

// ReadValues reads values of a shot, such as "title = Low water; lamp = red".
func ReadValues(text string) ([]production.Value, error) {
	var values []production.Value
	for _, part := range strings.FieldsFunc(text, func(r rune) bool { return r == ';' || r == '\n' }) {
		if strings.TrimSpace(part) == "" {
			continue
		}
		key, value, ok := strings.Cut(part, "=")
		v := production.Value{Key: strings.TrimSpace(key), Value: strings.TrimSpace(value)}
		if !ok || v.Key == "" || v.Value == "" {
			return nil, fmt.Errorf("%q is no value; write a key and what it is, such as title = Low water", part)
		}
		if slices.ContainsFunc(values, func(w production.Value) bool { return w.Key == v.Key }) {
			return nil, fmt.Errorf("the key %s stands twice", v.Key)
		}
		values = append(values, v)
	}
	return values, nil
}

// WriteValues writes values as ReadValues reads them.
func WriteValues(values []production.Value) string {
	var parts []string
	for _, v := range values {
		parts = append(parts, v.Key+" = "+v.Value)
	}
	return strings.Join(parts, "; ")
}
