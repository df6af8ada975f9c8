package fingerprint

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/job"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

// left are the fields that do not count, as Of says, with the reason.
var left = map[string]string{
	"Scene":             "its contents stand for it",
	"Environment":       "its contents stand for it",
	"Memory":            "how the work is shared out",
	"Tiles.Columns":     "how the work is shared out",
	"Tiles.Rows":        "how the work is shared out",
	"Frames.Number":     "Frame adds it",
	"Frames.Files.Path": "compared by itself",
	"View.Look.Name":    "decides no pixel", "View.Look.Base": "resolved before: the look has what it takes from " +
		"another",
	"View.Look.Environment.Map": "its contents stand for it",
}

// fill gives everything that can be changed a place in a value: slices get one element, pointers something to point at.
func fill(v reflect.Value) {
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				fill(v.Field(i))
			}
		}
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		fill(v.Index(0))
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		fill(v.Elem())
	case reflect.Array:
		for i := range v.Len() {
			fill(v.Index(i))
		}
	}
}

// each changes one thing after the other, calls seen with its name, and puts it back.
func each(v reflect.Value, name string, seen func(name string)) {
	old := reflect.New(v.Type()).Elem()
	old.Set(v)
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() {
				each(v.Field(i), strings.TrimPrefix(name+"."+f.Name, "."), seen)
			}
		}
		return
	case reflect.Slice:
		if v.Type().Elem().Kind() == reflect.Uint8 {
			return
		}
		each(v.Index(0), name, seen)
		v.Set(reflect.Append(v, v.Index(0)))
		if !strings.HasPrefix(name, "Frames") || name == "Frames.Files" { // one frame is all that is asked for
			seen(name)
		}
	case reflect.Array:
		each(v.Index(0), name, seen)
	case reflect.Pointer:
		each(v.Elem(), name, seen)
	case reflect.String:
		v.SetString(v.String() + "x")
		seen(name)
	case reflect.Bool:
		v.SetBool(!v.Bool())
		seen(name)
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		v.SetInt(v.Int() + 1)
		seen(name)
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		v.SetUint(v.Uint() + 1)
		seen(name)
	case reflect.Float32, reflect.Float64:
		v.SetFloat(v.Float() + 1)
		seen(name)
	default:
		panic(fmt.Sprintf("%s is a %s, which this test cannot change", name, v.Kind()))
	}
	v.Set(old)
}

// Whatever of an order is changed, the fingerprint is another one, but for what left names.
func TestEveryFieldOfAnOrderCounts(t *testing.T) {
	var order job.Job
	fill(reflect.ValueOf(&order).Elem())
	order.Frames[0].Files[0].Encoding = output.PNG.Usual()
	c, r := Contents{Scene: "s"}, Renderer{Name: "r"}
	was := Of(order, c, r)
	fields := 0
	each(reflect.ValueOf(&order).Elem(), "", func(name string) {
		fields++
		now := Of(order, c, r)
		if _, out := left[name]; out != (now == was) {
			t.Errorf("%s: changed %v, but it is to count %v", name, now != was, !out)
		}
	})
	if Of(order, c, r) != was {
		t.Error("the order was not put back")
	}
	if fields < 80 {
		t.Errorf("only %d fields were tried", fields)
	}
	for _, other := range []Print{
		Of(order, Contents{Scene: "t"}, r), Of(order, Contents{Scene: "s", Environment: "e"}, r),
		Of(order, c, Renderer{Name: "q"}), Of(order, c, Renderer{Name: "r", Version: "2"}),
		Of(order, c, Renderer{Name: "r", Varies: true}),
	} {
		if other == was {
			t.Error("other contents, or another renderer, give the same")
		}
	}
}

func TestFramesOfASequenceDiffer(t *testing.T) {
	p := Of(job.Job{}, Contents{}, Renderer{})
	all := []Print{p, p.Frame(1, ""), p.Frame(2, ""), p.Frame(1, "lamp-lit")}
	for i, a := range all {
		if len(a) != 64 || slices.Contains(all[i+1:], a) {
			t.Errorf("%v", all)
		}
	}
	if Print("").Frame(1, "").Known() {
		t.Error("a frame is known of a sequence that is not")
	}
}

func TestWhatVariesSaysWhy(t *testing.T) {
	order := job.Job{
		Rate: frame.Rate{
			Numerator:   24,
			Denominator: 1,
		}, View: job.View{Look: look.Plain(), Setup: camera.Setup{}}, Size: raster.Size{Width: 8, Height: 8},
		Passes: []pass.Code{pass.Beauty}, Frames: []job.Frame{{Files: []job.File{{Stamp: stamp.Usual()}}}},
	}
	if why := Varies(order, Renderer{Name: "r"}); why != "" {
		t.Errorf("the usual: %s", why)
	}
	limited := order
	limited.Effort.Seconds = 4
	stamped := order
	stamped.Frames = []job.Frame{{Files: []job.File{{Stamp: stamp.Usual().With(stamp.TopMiddle, "(date)")}}}}
	for says, c := range map[string]struct {
		order job.Job
		r     Renderer
	}{"time limit": {limited, Renderer{}}, "(date)": {stamped, Renderer{}},
		"declared": {order, Renderer{Varies: true}}} {
		if why := Varies(c.order, c.r); !strings.Contains(why, says) {
			t.Errorf("%s: %q", says, why)
		}
	}
}
