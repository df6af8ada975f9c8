package production

import (
	"encoding/json"
	"reflect"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/cut"
	"reelhouse/core/frame"
	"reelhouse/core/raster"
)

// A copy is equal, and nothing that is changed in it changes the first.
func TestACopySharesNothing(t *testing.T) {
	p := complete()
	handles := 8
	p.Shots[0].Handles, p.Shots[0].Also, p.Shots[0].Labels = &handles, []string{"quay"}, []Label{{1001, "a"}}
	p.Shots[0].Tiles = []CellTiles{{Cell{"quay", "scope"}, raster.Tiling{Columns: 2, Rows: 2}}}
	p.Views[0].Setup.Stand = &camera.Stand{}
	p.Looks[0].Hidden = []string{"a"}
	p.PassLists[0].Choices = []PassChoice{{Pass: "beauty", Outputs: []string{"master"}}}
	p.Cut.Tracks = []cut.Track{{Kept: cut.Kept(`{"a":1}`), Clips: []cut.Clip{
		{Shot: "010", Notes: []string{"n"}, Before: []cut.Other{{Off: 1, Kept: cut.Kept(`{"b":2}`)}}},
	}}}
	before, err := json.Marshal(p)
	if err != nil {
		t.Fatal(err)
	}
	c := p.Copy()
	if !reflect.DeepEqual(c, p) {
		t.Fatalf("%+v\n%+v", c, p)
	}
	spoil(reflect.ValueOf(&c).Elem())
	if after, err := json.Marshal(p); err != nil || string(after) != string(before) {
		t.Errorf("%v\n%s\n%s", err, before, after)
	}
}

// spoil changes every value that can be reached.
func spoil(v reflect.Value) {
	if v.CanSet() && v.Type() == reflect.TypeFor[frame.Set]() {
		v.Set(reflect.ValueOf(frame.Of(5, 6)))
		return
	}
	switch v.Kind() {
	case reflect.String:
		v.SetString(v.String() + "x")
	case reflect.Bool:
		v.SetBool(!v.Bool())
	case reflect.Int, reflect.Int64:
		v.SetInt(v.Int() + 1)
	case reflect.Float64:
		v.SetFloat(v.Float() + 1)
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				spoil(v.Field(i))
			}
		}
	case reflect.Slice:
		for i := range v.Len() {
			spoil(v.Index(i))
		}
	case reflect.Pointer:
		if !v.IsNil() {
			spoil(v.Elem())
		}
	}
}
