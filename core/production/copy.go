package production

import (
	"reflect"
	"sync"
)

// Copy returns a production that shares nothing with the first that could be changed through it. Values with unexported
// fields, such as sets of frames, are never changed, and are shared.
func (p Production) Copy() Production {
	var fresh Production
	copyInto(reflect.ValueOf(&fresh).Elem(), reflect.ValueOf(p))
	return fresh
}

// A shape tells of a type whether copies of its values share something that could be changed, and of a struct in which
// fields.
type shape struct {
	refers bool
	fields []int
}

// shapes are those of every type that was met.
var shapes sync.Map // of *shape by reflect.Type

func shapeOf(t reflect.Type) *shape {
	if known, ok := shapes.Load(t); ok {
		return known.(*shape)
	}
	s := &shape{}
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice, reflect.Map:
		s.refers = true
	case reflect.Struct:
		for i := range t.NumField() {
			if f := t.Field(i); f.IsExported() && shapeOf(f.Type).refers {
				s.refers, s.fields = true, append(s.fields, i)
			}
		}
	}
	shapes.Store(t, s)
	return s
}

func copyInto(to, from reflect.Value) {
	switch t := from.Type(); t.Kind() {
	case reflect.Struct:
		to.Set(from)
		unshare(to)
	case reflect.Slice:
		if from.IsNil() {
			return
		}
		fresh := reflect.MakeSlice(t, from.Len(), from.Len())
		reflect.Copy(fresh, from)
		if elem := t.Elem(); elem.Kind() == reflect.Struct && shapeOf(elem).refers {
			for i := range fresh.Len() {
				unshare(fresh.Index(i))
			}
		} else if shapeOf(elem).refers {
			for i := range fresh.Len() {
				copyInto(fresh.Index(i), from.Index(i))
			}
		}
		to.Set(fresh)
	case reflect.Pointer:
		if from.IsNil() {
			return
		}
		fresh := reflect.New(t.Elem())
		copyInto(fresh.Elem(), from.Elem())
		to.Set(fresh)
	case reflect.Map:
		if from.IsNil() {
			return
		}
		fresh := reflect.MakeMapWithSize(t, from.Len())
		for _, key := range from.MapKeys() {
			value := reflect.New(t.Elem()).Elem()
			copyInto(value, from.MapIndex(key))
			fresh.SetMapIndex(key, value)
		}
		to.Set(fresh)
	default:
		to.Set(from)
	}
}

// unshare replaces everything that a struct shares with the one it is a copy of.
func unshare(v reflect.Value) {
	for _, i := range shapeOf(v.Type()).fields {
		f := v.Field(i)
		switch f.Kind() {
		case reflect.Struct:
			unshare(f)
		default:
			if !f.IsNil() {
				copyInto(f, f)
			}
		}
	}
}
