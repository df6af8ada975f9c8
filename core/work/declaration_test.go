package work

import (
	"slices"
	"strings"
	"testing"

	"reelhouse/core/fingerprint"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/raster"
)

// classic is a renderer with flags, ranges, and names of its own.
var classic = Declaration{
	Line: []string{
		"classic",
		"-f",
		"(first)-(last)/(step)",
		"-res",
		"(width)x(height)",
		"-cam",
		"(camera)",
		"-o",
		"(files)",
		"-t",
		"(ext)",
		"-mood=(value:mood)",
		"((plain)",
		"(scene)",
	},
	Environment: map[string]string{"CLASSIC_CORES": "(cores)"},
	Scenes:      []string{".cls"},
	Files: []ForeignFile{
		{"picture.(frame:4).(ext)", []pass.Code{pass.Beauty}}, {"z/(frame:6)_depth.exr", []pass.Code{pass.Depth}},
	},
	Progress: `Done: *([0-9.]+)%`, Warning: `^W:`, Error: `^E: (.*)`, Wrote: `Saved "(.*)"`,
}

func compiled(t *testing.T, d Declaration) *Program {
	t.Helper()
	p, err := d.Compile()
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func exr(passes ...pass.Code) job.File {
	return job.File{Path: "/out/x", Encoding: output.Encoding{Format: output.EXR}, Passes: passes}
}

func TestARunOfADeclaredProgram(t *testing.T) {
	p := compiled(t, classic)
	png := job.File{Encoding: output.Encoding{Format: output.PNG}, Passes: []pass.Code{pass.Beauty}}
	j := job.Job{
		Scene: "/scenes/a.cls", View: job.View{Camera: "cam one"}, Size: raster.Size{Width: 64, Height: 32}, Samples: 3,
		Values: []job.Fact{{Name: "mood", Value: "calm"}},
	}
	for _, n := range []int{1001, 1003, 1005, 1006} {
		j.Frames = append(j.Frames, job.Frame{Number: n, Files: []job.File{exr(pass.Beauty), exr(pass.Depth)}})
	}
	j.Frames[3].Files = append(j.Frames[3].Files, png)
	runs, err := p.Runs(j, "/own", 2)
	if err != nil || len(runs) != 3 {
		t.Fatalf("%d runs, %v", len(runs), err)
	}
	want := `classic|-f|1001-1005/2|-res|64x32|-cam|cam one|-o|/own/0/picture|-t|exr|-mood=calm|(plain)|/scenes/a.cls`
	if got := strings.Join(runs[0].Line, "|"); got != want {
		t.Errorf("the line is\n%s, want\n%s", got, want)
	}
	if !slices.Equal(runs[0].Environment, []string{"CLASSIC_CORES=2"}) {
		t.Errorf("environment %v", runs[0].Environment)
	}
	if got := runs[0].Names[1]; !slices.Equal(got, []string{"picture.1003.exr", "z/001003_depth.exr"}) {
		t.Errorf("files of the second frame are %v", got)
	}
	if runs[1].Line[2] != "1006-1006/1" || runs[2].Line[10] != "png" || runs[2].Names[0][0] != "picture.1006.png" {
		t.Errorf("the others are %v and %v, %v", runs[1].Line, runs[2].Line, runs[2].Names)
	}
	if !p.Ranges() || !p.Understands("B.CLS") || p.Understands("a.glb") {
		t.Error("it renders ranges, and reads .cls alone")
	}
	one := classic
	one.Line = []string{"classic", "(frame:5)", "(files)"}
	runs, err = compiled(t, one).Runs(j, "/own", 1)
	if err != nil || len(runs) != 5 || runs[1].Line[1] != "01003" || runs[1].Line[2] != "/own/1/picture" {
		t.Errorf("frame by frame it is %v, %v", runs, err)
	}
}

func TestWhatADeclaredProgramCannot(t *testing.T) {
	p := compiled(t, classic)
	small := exr(pass.Beauty)
	small.Size = raster.Size{Width: 2, Height: 2}
	for says, files := range map[string][]job.File{
		"": {exr(pass.Beauty), exr(pass.Depth)}, "no OpenEXR file of beauty, depth": {exr(pass.Beauty, pass.Depth)},
		"no OpenEXR file of normal": {exr(pass.Normal)}, "does not resample": {small},
	} {
		if got := p.Cannot(files, nil); !strings.Contains(got, says) || (got == "") != (says == "") {
			t.Errorf("%v: %q, want %q", files, got, says)
		}
	}
	if got := p.Cannot(nil, &job.Region{Width: 2}); !strings.Contains(got, "whole pictures") {
		t.Errorf("a part: %q", got)
	}
}

func TestWhatALineOfItsLogMeans(t *testing.T) {
	p := compiled(t, classic)
	for line, want := range map[string]job.Message{
		"Done: 42.5%":           {Event: job.Progress, Progress: 0.425},
		"Done: 142%":            {Event: job.Note, Text: "Done: 142%"},
		"W: no sun":             {Event: job.Warning, Text: "W: no sun"},
		"E: no licence today":   {Event: job.Failed, Text: "no licence today"},
		`Saved "out/a 1.exr"`:   {Event: job.Wrote, Path: "out/a 1.exr"},
		"hello":                 {Event: job.Note, Text: "hello"},
		`{"event":"finished"}`:  {Event: job.Note, Text: `{"event":"finished"}`},
		`{"event":"wrote"} E: `: {Event: job.Note, Text: `{"event":"wrote"} E: `},
	} {
		if got := p.Hear(line); got != want {
			t.Errorf("%q means %+v, want %+v", line, got, want)
		}
	}
	if !p.EndsWell(0) || p.EndsWell(1) {
		t.Error("it ends well with 0 alone")
	}
	odd := classic
	odd.Exit = []int{0, 3}
	if q := compiled(t, odd); !q.EndsWell(3) || q.EndsWell(1) {
		t.Error("it ends well with 0 and 3")
	}
}

func TestWrongDeclarationsAreRefused(t *testing.T) {
	for says, change := range map[string]func(d *Declaration){
		"no command line":       func(d *Declaration) { d.Line = nil },
		"there is no field":     func(d *Declaration) { d.Line = []string{"x", "(frames)"} },
		"not closed":            func(d *Declaration) { d.Line = []string{"x", "a (first"} },
		"has no option":         func(d *Declaration) { d.Line = []string{"x", "(scene:4)"} },
		"needs an option":       func(d *Declaration) { d.Line = []string{"x", "(value)"} },
		"digits from 1 to 12":   func(d *Declaration) { d.Line = []string{"x", "(frame:99)"} },
		"no name of a variable": func(d *Declaration) { d.Environment = map[string]string{"A=B": "1"} },
		"of no file":            func(d *Declaration) { d.Files = nil },
		"with (frame) in it":    func(d *Declaration) { d.Files = []ForeignFile{{"a.exr", []pass.Code{pass.Beauty}}} },
		"below the folder": func(d *Declaration) {
			d.Files = []ForeignFile{{"../(frame).exr",
				[]pass.Code{pass.Beauty}}}
		},
		"it has no passes":      func(d *Declaration) { d.Files = []ForeignFile{{"(frame).exr", nil}} },
		"ending of scene files": func(d *Declaration) { d.Scenes = []string{"cls"} },
		"expression for error":  func(d *Declaration) { d.Error = "(" },
		"needs a group":         func(d *Declaration) { d.Progress = "[0-9]+%" },
	} {
		d := classic
		change(&d)
		if _, err := d.Compile(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

func TestWhoRendersAScene(t *testing.T) {
	all := []Renderer{
		{Renderer: fingerprint.Renderer{Name: "plain"}},
		{Renderer: fingerprint.Renderer{Name: "halyard"}, Scenes: []string{".hly"}, Files: classic.Files},
	}
	for _, c := range []struct{ chosen, scene, want string }{
		{"", "a.glb", ""}, {"", "a.hly", "halyard"}, {"plain", "a.hly", "plain"}, {"usual", "a.hly", ""},
		{"halyard", "a.glb", "halyard"}, {"gone", "a.glb", "error"},
	} {
		r, err := Choose(all, c.chosen, "usual", c.scene)
		got := ""
		if r != nil {
			got = r.Name
		}
		if err != nil {
			got = "error"
		}
		if got != c.want {
			t.Errorf("%q for %s: %q, want %q", c.chosen, c.scene, got, c.want)
		}
	}
	if why := all[1].Cannot("a.glb", nil, nil); !strings.Contains(why, "does not read") {
		t.Errorf("another scene: %q", why)
	}
	if why := all[0].Cannot("a.glb", []job.File{exr(pass.Normal)}, nil); why != "" {
		t.Errorf("one that keeps the contract cannot: %q", why)
	}
}

// However a template is written, it is refused or filled, and plain text stays as it is.
func FuzzTemplate(f *testing.F) {
	for _, text := range []string{"a(frame:4)b", "((x)", "(value:a b)", "(", ")", "(scene)(", "(frame:0)"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		parsed, err := parseTemplate(text, lineFields)
		if err != nil {
			return
		}
		got := parsed.fill(func(field, option string) string { return "" })
		if !strings.Contains(text, "(") && got != text {
			t.Errorf("%q became %q", text, got)
		}
	})
}
