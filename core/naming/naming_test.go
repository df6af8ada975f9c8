package naming

import (
	"errors"
	"path"
	"path/filepath"
	"strings"
	"testing"
)

const usual = "(production)/(shot)/(size)/v(version:3)/(pass)/(shot)_(view)_(pass).(frame:4).(ext)"

var fields = Fields{
	Production: "SALT",
	Shot:       "010",
	View:       "quay",
	Look:       "dusk",
	Size:       "scope",
	Pass:       "beauty",
	Quality:    "draft",
	Ext:        "exr",
	Version:    7,
}

func TestPathsComeOutAsWritten(t *testing.T) {
	for text, want := range map[string]string{
		usual:                                    "SALT/010/scope/v007/beauty/010_quay_beauty.1001.exr",
		"(shot)_(frame:2).(ext)":                 "010_1001.exr",
		"(look)/(quality)/a b(frame:6)!.(ext)":   "dusk/draft/a b001001!.exr",
		"f(frame:5)/(frame).(ext)":               "f01001/1001.exr",
		"v(version)-(size)/(shot).(frame).(ext)": "v7-scope/010.1001.exr",
	} {
		p, err := Parse(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		bound := p.Bind(fields, Rules{})
		if got := bound.Frame(1001); got != want {
			t.Errorf("%s: got %s, want %s", text, got, want)
		}
		var back Path
		if err := back.UnmarshalText([]byte(bound.String())); err != nil || back.Frame(-3) != bound.Frame(-3) {
			t.Errorf("%s: text form %q, %v", text, bound, err)
		}
	}
	if got := MustParse("(frame:4).(ext)").Bind(fields, Rules{}).Frame(-12); got != "-0012.exr" {
		t.Errorf("a negative frame became %s", got)
	}
}

func TestParseSaysWhereAndWhat(t *testing.T) {
	for text, offset := range map[string]int{
		"":                             0,
		"   ":                          0,
		"../(frame).(ext)":             0,
		"a/../(frame).(ext)":           2,
		"a/./(frame).(ext)":            2,
		"/a/(frame).(ext)":             0,
		"a//(frame).(ext)":             2,
		"a./(frame).(ext)":             0,
		"(shot)/(frame.(ext)":          8,
		"(shto)/(frame).(ext)":         1,
		"(shot:3)/(frame).(ext)":       6,
		"(frame:0).(ext)":              7,
		"(frame:x).(ext)":              7,
		"a:b(frame).(ext)":             1,
		"a)(frame).(ext)":              1,
		`C:\x(frame).(ext)`:            1,
		"(shot).(ext)":                 12,
		"(frame).(ext)x":               14,
		"(frame)(ext)":                 12,
		"(frame).exr":                  11,
		"(ext)/(frame).(ext)":          0,
		"(frame).(ext)\x00":            13,
		strings.Repeat("a", 401):       400,
		"(shot)/ (pass)/(frame).(ext)": 7,
	} {
		_, err := Parse(text)
		var se *SyntaxError
		if !errors.As(err, &se) || se.Offset != offset {
			t.Errorf("%q: %v, want an error at %d", text, err, offset)
		}
	}
}

func TestFieldsNeverBringRefusedCharacters(t *testing.T) {
	for value, want := range map[string]string{
		"a/b": "a-b", `a\b:c*?`: "a-b-c--", "..": "none", "": "none", "x.": "x", " night 1 ": "night_1",
		"(frame)": "-frame-", "Ærø": "Ærø", "a\tb": "a-b",
	} {
		if got := (Rules{}).Clean(value); got != want {
			t.Errorf("%q became %q, want %q", value, got, want)
		}
	}
	if got := MustParse("(shot)/(pass).(frame).(ext)").Bind(Fields{Shot: "con", Pass: "Aux", Ext: "exr"},
		Rules{}).Frame(1); got != "_con/_Aux.1.exr" {
		t.Errorf("device names came out as %s", got)
	}
}

func FuzzPatternStaysBelowTheOutputFolder(f *testing.F) {
	f.Add(usual, "010")
	f.Add("(shot)/(frame).(ext)", "../..")
	f.Add("a/(view)(frame:3).(ext)", "C:\\")
	f.Fuzz(func(t *testing.T, text, value string) {
		p, err := Parse(text)
		if err != nil {
			return
		}
		if again, err := Parse(p.String()); err != nil || again.String() != text {
			t.Fatalf("%q reads back as %q, %v", text, again, err)
		}
		blocks := ""
		for _, b := range Blocks(text) {
			blocks += b.Source
		}
		if blocks != text {
			t.Fatalf("%q falls into the blocks of %q", text, blocks)
		}
		fields := Fields{value, value, value, value, value, value, value, value, value, value, value, 1, -1, nil}
		fields.Values = map[string]string{}
		for _, key := range p.Keys() {
			fields.Values[key] = value
		}
		got := p.Bind(fields,
			Rules{Separator: "-", Case: Upper}).
			Frame(1001)
		if !filepath.IsLocal(got) || path.Clean(got) != got || strings.ContainsAny(got, refused+"\x00") {
			t.Fatalf("%q with %q gives %q", text, value, got)
		}
	})
}

func BenchmarkMillionPaths(b *testing.B) {
	p := MustParse(usual).Bind(fields, Rules{})
	b.ReportAllocs()
	buf, n := make([]byte, 0, 128), 0
	for b.Loop() {
		for i := range 1_000_000 {
			buf = p.AppendFrame(buf[:0], i)
		}
		n += 1_000_000
	}
	b.ReportMetric(float64(n)/b.Elapsed().Seconds(), "paths/s")
}

func TestLabelledFramesBearTheirNames(t *testing.T) {
	path := MustParse("(shot)/(label).(frame:4).(ext)").Bind(Fields{Shot: "010", Ext: "exr"}, Rules{}).
		Labelled(map[int]string{1003: "lamp-lit"})
	if got := path.Frame(1003) + " " + path.Frame(1004); got != "010/lamp-lit.1003.exr 010/1004.1004.exr" {
		t.Errorf("the paths are %s", got)
	}
	var again Path
	if err := again.UnmarshalText([]byte(path.String())); err != nil ||
		again.Labelled(map[int]string{1003: "lamp-lit"}).Frame(1003) != path.Frame(1003) {
		t.Errorf("%s does not come back: %v", path, err)
	}
	if _, err := Parse("(shot).(ext)"); err == nil {
		t.Error("a pattern without a frame number was taken")
	}
	// Single pictures that have names need no number; one without a name has its number instead.
	single := MustParse("(camera)_(label)_(angle:3)_(value:title).(ext)").Bind(Fields{
		Camera: "cam quay", Angle: 45, Ext: "png", Values: map[string]string{"title": "Low water/ebb"},
	}, Rules{}).Labelled(map[int]string{1003: "lamp-lit"})
	if got := single.Frame(1003) + " " + single.Frame(4); got !=
		"cam_quay_lamp-lit_045_Low_water-ebb.png cam_quay_4_045_Low_water-ebb.png" {
		t.Errorf("the paths are %s", got)
	}
	for _, wrong := range []string{"(value).(frame).(ext)", "(value:).(frame).(ext)", "(value:a b).(frame).(ext)",
		"(camera:3).(frame).(ext)", "(angle:x).(frame).(ext)"} {
		if _, err := Parse(wrong); err == nil {
			t.Errorf("%s was taken", wrong)
		}
	}
}
