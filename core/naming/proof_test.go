package naming

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/frame"
)

// runsOf binds a pattern for shots and sizes.
func runsOf(pattern string, r Rules, shots, sizes []string, frames string) []Run {
	p := MustParse(pattern)
	var runs []Run
	for _, shot := range shots {
		for _, size := range sizes {
			f := Fields{
				Production: "SALT",
				Shot:       shot,
				View:       "quay",
				Size:       size,
				Output:     "master",
				Pass:       "all",
				Quality:    "final",
				Ext:        "exr",
				Version:    1,
			}
			runs = append(runs, Run{shot + " " + size, p, f, p.Bind(f, r), frame.MustParse(frames)})
		}
	}
	return runs
}

func TestProofsAreAsCheapAsThePatternAllows(t *testing.T) {
	shots, sizes := []string{"010", "020"}, []string{"hd", "tall"}
	for _, c := range []struct {
		pattern string
		shots   []string
		frames  string
		method  Method
		clashes int
	}{
		{"(shot)/(size)/(shot)_(size).(frame:4).(ext)", shots, "1-100", ByPattern, 0},
		{"(shot).(size).(frame:4).(ext)", shots, "1-100", ByPattern, 0},
		{"a/(shot)_(size).(frame:4).(ext)", shots, "1-100", BySequence, 0},
		{"(shot)_(size)(frame:4).(ext)", shots, "1-100", ByPath, 0},
		{"(shot)/(frame:4).(ext)", shots, "1-100", BySequence, 2},
		{"(frame:4).(ext)", shots, "1-100", BySequence, 3},
		// 1 with frame 10011 and 11 with frame 0011 are one path, 110011.
		{"(size)/(shot)(frame:4).(ext)", []string{"1", "11"}, "1-20000", ByPath, 9},
		{"(shot)/(size)/(frame:4).(ext)", []string{"a", "A"}, "1-2", BySequence, 2},
	} {
		p := Prove(runsOf(c.pattern, Rules{}, c.shots, sizes, c.frames), Rules{}, 9)
		if p.Method != c.method || len(p.Clashes) != c.clashes || p.Reason == "" {
			t.Errorf("%s: %s, %d clashes %v (%s)", c.pattern, p.Method, len(p.Clashes), p.Clashes, p.Reason)
		}
	}
	if p := Prove(nil, Rules{}, 1); p.Files != 0 || len(p.Clashes) != 0 {
		t.Errorf("of nothing: %+v", p)
	}
}

func TestAClashNamesBothAndSaysIfOnlyCaseDiffers(t *testing.T) {
	p := Prove(runsOf("(shot).(frame:4).(ext)", Rules{}, []string{"a", "A"}, []string{"hd"}, "7"), Rules{}, 9)
	if len(p.Clashes) != 1 || !p.Clashes[0].OnlyCaseDiffers ||
		!strings.Contains(p.Clashes[0].Error(), "a hd and A hd") {
		t.Errorf("%+v", p)
	}
	// A rule may bring together what was typed apart.
	p = Prove(
		runsOf("(shot).(frame:4).(ext)", Rules{Separator: "-"}, []string{"a_1", "a-1"}, []string{"hd"}, "7"),
		Rules{Separator: "-"}, 9,
	)
	if len(p.Clashes) != 1 || p.Clashes[0].OnlyCaseDiffers || p.Clashes[0].Path != "a-1.0007.exr" {
		t.Errorf("%+v", p)
	}
}

func TestDifferentPatternsAreToldApartByExtensionOrByPath(t *testing.T) {
	a := runsOf("(shot)/5.(frame).(ext)", Rules{}, []string{"010"}, []string{"hd"}, "1-9")
	b := runsOf("(shot)/(frame).5.(ext)", Rules{}, []string{"010"}, []string{"hd"}, "1-9")
	if p := Prove(append(a, b...), Rules{}, 9); p.Method != ByPath || len(p.Clashes) != 1 { // 5.5.exr
		t.Errorf("%+v", p)
	}
	b[0].Fields.Ext = "png"
	b[0].Path = b[0].Pattern.Bind(b[0].Fields, Rules{})
	if p := Prove(append(a, b...), Rules{}, 9); p.Method != ByPattern || len(p.Clashes) != 0 {
		t.Errorf("%+v", p)
	}
}

// The proofs against the plain way: expand everything into a map.
func TestProofsAgreeWithComparingEverything(t *testing.T) {
	values := []string{"1", "11", "a", "A", "a_1", "a-1", "1_a"}
	for _, pattern := range []string{
		"(shot)/(size).(frame:2).(ext)", "(shot)_(size).(frame).(ext)", "(shot)(size)/(frame:2).(ext)",
		"(shot)(frame)(size).(ext)", "(shot).(frame)/(size)_(frame:2).(ext)", "(frame)_(shot)/(size).(ext)",
		"x(shot)/v(version:2).(size).(frame:3).(ext)",
	} {
		for _, r := range []Rules{{}, {Separator: "_"}, {Case: Upper}} {
			for i := range values {
				runs := runsOf(
					pattern, r, []string{values[i], values[(i+1)%len(values)]},
					[]string{values[(i+2)%len(values)], values[(i+4)%len(values)]}, "1-130",
				)
				seen, unique := map[string]bool{}, true
				for _, run := range runs {
					for n := range run.Frames.All() {
						key := strings.ToLower(run.Path.Frame(n))
						unique = unique && !seen[key]
						seen[key] = true
					}
				}
				if p := Prove(runs, r, 3); unique != (len(p.Clashes) == 0) {
					t.Errorf("%s, %v, %v: unique %v, but %+v", pattern, r, values[i], unique, p)
				}
			}
		}
	}
}

func TestRulesMakeOneWayOfWriting(t *testing.T) {
	r := Rules{Separator: "-", Case: Lower}
	if got := r.Clean("Night_1 b"); got != "night-1-b" {
		t.Errorf("got %s", got)
	}
	for _, bad := range []Rules{{Separator: "."}, {Case: "x"}} {
		if bad.Check() == nil {
			t.Errorf("%+v passed", bad)
		}
	}
	if r.Check() != nil {
		t.Error("good rules were refused")
	}
}

func TestPortabilityIsSaid(t *testing.T) {
	for path, says := range map[string]string{
		"a/con/b.exr": "device", "a/b./c": "dot or space", "a/.b": "hides", "-a": "hyphen", "a/Ærø.exr": "letter",
		strings.Repeat("a/", 120) + "b": "bytes long",
		strings.Repeat("a", 256):        "bytes long", "a//b": "no name", "a:b": "refuse",
	} {
		if got := strings.Join(Portable(path), "; "); !strings.Contains(got, says) {
			t.Errorf("%.20s: %q does not say %q", path, got, says)
		}
	}
	if got := Portable("SALT/010/scope/v001/010_quay.1001.exr"); len(got) != 0 {
		t.Errorf("a good path: %v", got)
	}
}

func TestTheTreeCountsFiles(t *testing.T) {
	root := Tree(
		runsOf(
			"(production)/(shot)/(size).(frame:4).(ext)", Rules{}, []string{"010", "020"}, []string{"hd", "tall"},
			"1-10x3",
		),
	)
	if root.Files != 16 || len(root.Folders) != 1 || root.Folders[0].Files != 16 || len(root.Folders[0].Folders) != 2 {
		t.Fatalf("%+v", root)
	}
	shot := root.Folders[0].Folders[1]
	if want := (Line{"020 hd", "hd.0001.exr", "hd.0010.exr", "SALT/020/hd.0001.exr", 4}); shot.Name != "020" ||
		shot.Files != 8 ||
		shot.Lines[0] != want {
		t.Errorf("%+v", shot)
	}
	compact := Tree(
		runsOf(
			"a/(production)/(shot)/x/(size)/(frame:4).(ext)", Rules{}, []string{"010"}, []string{"hd", "tall"}, "1-10",
		),
	).Compact(100)
	if top := compact.Folders[0]; top.Name != "a/SALT/010/x" || len(top.Folders) != 2 ||
		top.Folders[1].Name != "tall" ||
		top.Files != 20 ||
		len(top.Folders[1].Lines) != 1 {
		t.Errorf("%+v", top)
	}
}

func TestFieldsAreCompletedWhereTheyAreTyped(t *testing.T) {
	for _, c := range []struct {
		text       string
		at         int
		found      string
		start, end int
	}{
		{"(sh", 3, "(shot)", 0, 3},
		{"a/(s", 4, "(sequence) (shot) (size)", 2, 4},
		{"(fr)", 3, "(frame:4)", 0, 4},
		{"(", 1, strings.NewReplacer("(version)", "(version:3)", "(frame)", "(frame:4)", "(angle)", "(angle:3)",
			"(value)", "(value:title)").Replace("(" + strings.Join(FieldNames(), ") (") + ")"), 0, 1},
		{"(shot)", 6, "", 6, 6},
		{"abc", 2, "", 2, 2},
		{"(v/(frame)", 2, "(view) (version:3) (value:title)", 0, 2},
	} {
		found, start, end := Complete(c.text, c.at, FieldNames())
		if strings.Join(found, " ") != c.found || start != c.start || end != c.end {
			t.Errorf("%q at %d: %v %d %d", c.text, c.at, found, start, end)
		}
	}
}

func TestBlocksAreFieldsAndText(t *testing.T) {
	var got []string
	for _, b := range Blocks("a/(shot)_(frame:4)(nope)x(") {
		got = append(got, fmt.Sprintf("%s:%s", b.Field, b.Source))
	}
	if want := []string{":a/", "shot:(shot)", ":_", "frame:(frame:4)", ":(nope)", ":x", ":("}; !slices.Equal(
		got, want,
	) {
		t.Errorf("got %q", got)
	}
}

func TestTextsAreFilled(t *testing.T) {
	text, err := ParseText("(production) (shot) (frame:5) at (timecode), (note)")
	if err != nil {
		t.Fatal(err)
	}
	got := text.Fill(7, 1, func(field string) string { return "<" + field + ">" })
	if got != "<production> <shot> 00007 at <timecode>, <note>" {
		t.Errorf("got %s", got)
	}
	if _, err := ParseText("(ext)"); err == nil {
		t.Error("(ext) belongs to paths only")
	}
}

// A million paths that no pattern proves apart: every one is expanded and compared.
func BenchmarkProveMillionPaths(b *testing.B) {
	var shots []string
	for i := range 100 {
		shots = append(shots, fmt.Sprintf("sh%03d", i))
	}
	for name, pattern := range map[string]string{"pattern": "(production)/(shot)/(size)/(shot)_(view).(frame:4).(ext)",
		"paths": "(production)/(shot)_(size)_(view)_(frame:4).(ext)"} {
		b.Run(name, func(b *testing.B) {
			runs := runsOf(pattern, Rules{}, shots, []string{"scope", "hd"}, "1001-6000")
			b.ReportAllocs()
			n := 0
			for b.Loop() {
				p := Prove(runs, Rules{}, 9)
				if len(p.Clashes) > 0 || string(p.Method) != name {
					b.Fatalf("%+v", p)
				}
				n += p.Files
			}
			b.ReportMetric(float64(n)/b.Elapsed().Seconds(), "paths/s")
		})
	}
}

// Values may be any text, dots included: two that make one path are found, and those that cannot are proved apart.
func TestValuesInNamesAreProved(t *testing.T) {
	run := func(pattern, shot, title, episode string, frames string) Run {
		p := MustParse(pattern)
		f := Fields{Shot: shot, Ext: "exr", Values: map[string]string{"title": title, "episode": episode}}
		return Run{shot, p, f, p.Bind(f, Rules{}), frame.MustParse(frames)}
	}
	const open = "(value:title).(frame).(value:episode).(ext)"
	proof := Prove([]Run{run(open, "010", "x", "1.y", "2"), run(open, "020", "x.2", "y", "1")}, Rules{}, 9)
	if proof.Method != ByPath || len(proof.Clashes) != 1 {
		t.Errorf("x.2.1.y.exr twice: %+v", proof)
	}
	const plain = "(value:title)/(shot).(frame).(ext)"
	if proof := Prove([]Run{run(plain, "010", "a", "", "1-9"), run(plain, "020", "b", "", "1-9")}, Rules{},
		9); len(proof.Clashes) > 0 || proof.Method == ByPath {
		t.Errorf("codes: %+v", proof)
	}
	const single = "(value:title).(label).(ext)"
	if proof := Prove([]Run{run(single, "010", "a", "", "1"), run(single, "020", "a", "", "1")}, Rules{},
		9); len(proof.Clashes) != 1 {
		t.Errorf("two stills of one name: %+v", proof)
	}
}
