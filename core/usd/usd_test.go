package usd

import (
	"os"
	"slices"
	"strings"
	"testing"
)

// everything wants every attribute.
func everything(string) bool { return true }

// The file was written by hand after the OpenUSD project's documentation of the text form.
func harbour(t testing.TB) string {
	t.Helper()
	data, err := os.ReadFile("testdata/harbour.usda")
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

func TestALayerIsRead(t *testing.T) {
	l, err := Read(strings.NewReader(harbour(t)), everything)
	if err != nil {
		t.Fatal(err)
	}
	if l.Fields["upAxis"] != "Z" || l.Fields["metersPerUnit"] != 0.01 ||
		l.Fields["doc"] != "Two cameras\non a quay." {
		t.Errorf("the layer is %v", l.Fields)
	}
	if want := []string{"./water.usda", "quay.usda", "variants of weather"}; !slices.Equal(l.Elsewhere, want) {
		t.Errorf("elsewhere are %q", l.Elsewhere)
	}
	var names []string
	for _, p := range l.Prims {
		names = append(names, p.Kind+" "+p.Type+" "+p.Name)
	}
	if got := strings.Join(names, ", "); got != "class  _camera, def Xform World, def Camera plan, over  World, def "+
		"Camera gone" {
		t.Errorf("prims are %s", got)
	}
	world := l.Prims[1]
	if len(world.Children) != 2 || world.Children[0].Name != "quay" || world.Attributes["note"].Value != `said "so"` {
		t.Errorf("the world is %+v", world)
	}
	if points := world.Children[0].Attributes["points"].Value.([]any); len(points) != 3 {
		t.Errorf("points %v", points)
	}
	boom := world.Children[1]
	turns := boom.Attributes["xformOp:rotateZ"].Samples
	if len(turns) != 2 || turns[1] != (Sample{1025, 90.0}) {
		t.Errorf("the boom turns by %v", turns)
	}
	if st := world.Children[0].Attributes["primvars:st"].Samples; len(st) != 2 || st[1].Value != "None" {
		t.Errorf("coordinates are %v", st)
	}
	if l.Prims[4].Fields["active"] != "false" {
		t.Errorf("the last prim's fields are %v", l.Prims[4].Fields)
	}
	bound, err := Read(strings.NewReader("#usda 1.0\ndef Camera \"a\" ( inherits = </_camera> ) {}"), everything)
	if err != nil || !slices.Equal(bound.Elsewhere, []string{"inherits </_camera>"}) {
		t.Errorf("of what it inherits it says %q, %v", bound.Elsewhere, err)
	}
	few, err := Read(strings.NewReader(harbour(t)), func(name string) bool { return name == "focalLength" })
	if err != nil || len(few.Prims[1].Children[1].Children[0].Attributes) != 1 {
		t.Errorf("of what is wanted there is %+v, %v", few.Prims[1].Children[1].Children[0], err)
	}
}

func TestMistakesAreToldByLine(t *testing.T) {
	for text, says := range map[string]string{
		"PXR-USDC\x00": "no text file",
		"PXR":          "begins with #usda",
		"#usda 1.0\ndef Camera quay " +
			"{}": `line 2: "quay" stands where the name of a prim has to`,
		"#usda 1.0\ndef Camera \"a\"\n{\n":                          "line 4: the file ends too early",
		"#usda 1.0\ndef \"a\" { float x = }":                        `line 2: "}" stands where a value has to`,
		"#usda 1.0\ndef \"a\" { float x = (1 2) ":                   `line 2: "2" stands where ")" has to`,
		"#usda 1.0\ndef \"a\n\" {}":                                 "line 2: text does not end in its line",
		"#usda 1.0\n(\n  upAxis \"Y\"\n)":                           `line 3: "\"Y" stands where "=" has to`,
		"#usda 1.0\ndef \"a\" { float x.timeSamples = { one: 1 } }": `line 2: "one" is no time`,
		"#usda 1.0\n" + strings.Repeat("def \"a\" { ", 300):         "more than 200 deep",
	} {
		if _, err := Read(strings.NewReader(text), everything); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%.60q: %v", text, err)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add(harbour(f))
	f.Add("#usda 1.0\ndef Camera \"a\" { double3 xformOp:translate.timeSamples = { 1: (1, 2, 3), inf: None } }")
	f.Fuzz(func(t *testing.T, text string) {
		l, err := Read(strings.NewReader(text), everything)
		if err == nil && l == nil {
			t.Error("nothing was read, and nothing said")
		}
	})
}
