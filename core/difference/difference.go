// Package difference says in which values two documents differ, and carries single differences from one to
// the other.
//
// A document is anything that encoding/json can write. Objects are compared key by key. In lists of parts
// that bear a code, each part is compared with the one of the same code, wherever that stands; other lists
// are compared whole. So "sizes › scope › width" stays the same place when a size is put before it.
package difference

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
)

// Order ends the path of a change in the order of a list of parts.
const Order = "(order)"

// A Change is one place at which two documents differ.
type Change struct {
	Path []string        `json:"path"`
	Was  json.RawMessage `json:"was,omitempty"` // nil if there was nothing
	Is   json.RawMessage `json:"is,omitempty"`  // nil if there is nothing any more
}

// Where returns the path in one line.
func (c Change) Where() string { return strings.Join(c.Path, " › ") }

// Meets reports whether both changes concern one value: the same path, or one within the other.
func (c Change) Meets(d Change) bool {
	n := min(len(c.Path), len(d.Path))
	return slices.Equal(c.Path[:n], d.Path[:n])
}

// Same reports whether both changes lead to one value at one place.
func (c Change) Same(d Change) bool { return slices.Equal(c.Path, d.Path) && bytes.Equal(c.Is, d.Is) }

// Between returns the changes that lead from one document to another.
func Between(was, is any) ([]Change, error) {
	a, err := tree(was)
	if err != nil {
		return nil, err
	}
	b, err := tree(is)
	if err != nil {
		return nil, err
	}
	var changes []Change
	compare(nil, a, b, &changes)
	return changes, nil
}

// tree turns a document into maps, slices and plain values.
func tree(document any) (any, error) {
	data, err := json.Marshal(document)
	if err != nil {
		return nil, err
	}
	return parse(data)
}

func parse(data []byte) (any, error) {
	var v any
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	err := d.Decode(&v)
	return v, err
}

func text(v any) json.RawMessage {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err) // v came out of encoding/json
	}
	return data
}

func compare(path []string, a, b any, changes *[]Change) {
	add := func(path []string, was, is json.RawMessage) {
		*changes = append(*changes, Change{slices.Clone(path), was, is})
	}
	at := func(key string) []string { return append(path[:len(path):len(path)], key) }
	mapA, okA := a.(map[string]any)
	mapB, okB := b.(map[string]any)
	if okA && okB {
		for _, key := range keys(mapA, mapB) {
			was, hadIt := mapA[key]
			is, hasIt := mapB[key]
			switch {
			case hadIt && hasIt:
				compare(at(key), was, is, changes)
			case hadIt:
				add(at(key), text(was), nil)
			default:
				add(at(key), nil, text(is))
			}
		}
		return
	}
	codesA, partsA := byCode(a)
	codesB, partsB := byCode(b)
	if partsA == nil || partsB == nil {
		if was, is := text(a), text(b); !bytes.Equal(was, is) {
			add(path, was, is)
		}
		return
	}
	var keptA, keptB []string
	for _, code := range codesA {
		if _, has := partsB[code]; has {
			keptA = append(keptA, code)
			compare(at(code), partsA[code], partsB[code], changes)
		} else {
			add(at(code), text(partsA[code]), nil)
		}
	}
	for _, code := range codesB {
		if _, had := partsA[code]; had {
			keptB = append(keptB, code)
		} else {
			add(at(code), nil, text(partsB[code]))
		}
	}
	if !slices.Equal(keptA, keptB) {
		add(at(Order), text(codesA), text(codesB))
	}
}

func keys(a, b map[string]any) []string {
	var all []string
	for k := range a {
		all = append(all, k)
	}
	for k := range b {
		if _, both := a[k]; !both {
			all = append(all, k)
		}
	}
	slices.Sort(all)
	return all
}

// byCode returns the parts of a list by their codes; nil if it is no list of parts with codes of their own.
// A missing or empty list is one without parts.
func byCode(v any) ([]string, map[string]any) {
	if v == nil {
		return nil, map[string]any{}
	}
	list, ok := v.([]any)
	if !ok {
		return nil, nil
	}
	var codes []string
	parts := map[string]any{}
	for _, entry := range list {
		part, ok := entry.(map[string]any)
		code, named := part["code"].(string)
		if _, twice := parts[code]; !ok || !named || twice {
			return nil, nil
		}
		codes = append(codes, code)
		parts[code] = part
	}
	return codes, parts
}

// Apply makes changes to a document: at each path it puts what the change leads to. into is a pointer to the
// document, which is left as it is if there is an error.
func Apply(into any, changes ...Change) error {
	v, err := tree(into)
	if err != nil {
		return err
	}
	for _, c := range changes {
		if v, err = put(v, c.Path, c); err != nil {
			return fmt.Errorf("%s: %w", c.Where(), err)
		}
	}
	// A new value, since decoding into the old one would keep what is taken away.
	return replace(into, text(v))
}

func put(v any, path []string, c Change) (any, error) {
	if len(path) == 0 {
		if c.Is == nil {
			return nil, nil
		}
		return parse(c.Is)
	}
	key := path[0]
	if m, ok := v.(map[string]any); ok {
		inner, err := put(m[key], path[1:], c)
		if err != nil {
			return nil, err
		}
		if inner == nil && len(path) == 1 {
			delete(m, key)
		} else {
			m[key] = inner
		}
		return m, nil
	}
	codes, parts := byCode(v)
	if parts == nil {
		return nil, fmt.Errorf("there is nothing of that name any more")
	}
	if key == Order && len(path) == 1 {
		var wanted []string
		if err := json.Unmarshal(c.Is, &wanted); err != nil {
			return nil, err
		}
		slices.SortStableFunc(codes, func(a, b string) int {
			i, j := slices.Index(wanted, a), slices.Index(wanted, b)
			if i < 0 || j < 0 {
				return 0
			}
			return i - j
		})
	} else {
		if _, has := parts[key]; !has {
			if len(path) > 1 {
				return nil, fmt.Errorf("there is no part of the code %s any more", key)
			}
			codes = append(codes, key)
		}
		inner, err := put(parts[key], path[1:], c)
		if err != nil {
			return nil, err
		}
		if parts[key] = inner; inner == nil {
			codes = slices.DeleteFunc(codes, func(code string) bool { return code == key })
		}
	}
	list := make([]any, 0, len(codes))
	for _, code := range codes {
		list = append(list, parts[code])
	}
	return list, nil
}

// replace decodes data into a new value and puts it where into points.
func replace(into any, data []byte) error {
	target := reflect.ValueOf(into)
	if target.Kind() != reflect.Pointer || target.IsNil() {
		return fmt.Errorf("a document is changed through a pointer, not a %T", into)
	}
	fresh := reflect.New(target.Elem().Type())
	if err := json.Unmarshal(data, fresh.Interface()); err != nil {
		return err
	}
	target.Elem().Set(fresh.Elem())
	return nil
}
