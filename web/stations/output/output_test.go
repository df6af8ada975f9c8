package output_test

import (
	"net/url"
	"strconv"
	"strings"
	"testing"

	"reelhouse/core/output"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/store"
	"reelhouse/web/webtest"
)

func TestOutputsAreEditedAndRefusedWithReasons(t *testing.T) {
	s := webtest.New(t)
	for _, e := range [][]string{
		{"output", "review", "depth", "16"}, {"output", "review", "curve", "gamma22"},
		{"output", "review", "alpha", "straight"}, {"output", "review", "stamp-top-middle", "(note) (rendertime)"},
		{"output", "review", "stamp-opacity", "50 %"}, {"output", "review", "stamp-percent", "6"},
		{"output", "master", "packing", "groups"}, {"output", "master", "group-depth", "data"},
		{"output", "master", "group-normal", "data"}, {"output", "master", "compression", "none"},
		{"output", "master", "stamp-on", "1"}, {"output", "proxy", "scale", "1/4"},
		{"output", "proxy", "kernel", "lanczos"}, {"output", "proxy", "level", "70"},
		{"output", "proxy", "pattern", "small/(shot)_(frame:4).(ext)"}, {"output", "", "add", "review"},
		{"output", "review2", "code", "dailies"}, {"output", "dailies", "name", "Dailies"},
		{"names", "", "separator", "-"}, {"names", "", "case", "upper"},
	} {
		before := s.Production().Number
		if body := s.Set(e[0], e[1], e[2], e[3:]...); s.Production().Number == before ||
			strings.Contains(body, "Not kept") {
			t.Errorf("%v was not kept:\n%s", e, webtest.Said(body))
		}
	}
	p := s.Production()
	review, _ := p.FindOutput("review")
	master, _ := p.FindOutput("master")
	if review.Stamp.Opacity != 0.5 || review.Stamp.Percent != 6 ||
		review.Stamp.Line("top-middle") != "(note) (rendertime)" ||
		review.Depth != output.Sixteen {
		t.Errorf("%+v", review)
	}
	if len(master.Groups) != 1 || len(master.Groups[0].Passes) != 2 || !master.StampMaster || len(p.Problems()) != 0 {
		t.Errorf("%+v %v", master, p.Problems())
	}
	for says, e := range map[string][]string{
		"second time":      {"output", "master", "curve", "srgb"},
		"no field":         {"output", "review", "stamp-top-left", "(nope)"},
		"lies in 1 to 100": {"output", "proxy", "level", "0"},
		"uses this output": {"output", "master", "remove", ""}, "no depth": {"output", "proxy", "depth", "16"},
		"must end with": {"output", "proxy", "pattern", "x"}, "no resampling": {"output", "proxy", "kernel", "x"},
		"no layers": {"output", "review", "only", "beauty", "depth"},
	} {
		before := s.Production().Number
		if body := s.Set(e[0], e[1], e[2], e[3:]...); !strings.Contains(body, says) || s.Production().Number != before {
			t.Errorf("%v does not say %q, or was kept:\n%s", e, says, webtest.Said(body))
		}
	}
	// What a format cannot hold is shown before it is chosen.
	_, body := s.Get("/p/TEST/output?open=master")
	for _, says := range []string{"PNG has no float numbers", "JPEG has no layers",
		"JPEG loses a little of the picture", `id="output-master-format-jpeg" disabled`} {
		if !strings.Contains(body, says) && !strings.Contains(strings.ReplaceAll(body, "\n", " "), says) {
			t.Errorf("the page does not say %q", says)
		}
	}
}

func TestTheNameEditorCompletesAndPointsAtMistakes(t *testing.T) {
	s := webtest.New(t)
	names := func(text string, caret int) string {
		_, body := s.Get("/p/TEST/names?value=" + url.QueryEscape(text) + "&caret=" + strconv.Itoa(caret))
		return body
	}
	if body := names("(sh", 3); !strings.Contains(body, `data-complete="(shot)"`) ||
		!strings.Contains(body, "no &#39;)&#39;") {
		t.Errorf("completion:\n%s", webtest.Said(body))
	}
	if body := names("a/(nope)/(frame).(ext)", 5); !strings.Contains(body, `a/(<mark class="bad">n</mark>ope)`) {
		t.Errorf("the mistake's place:\n%s", webtest.Said(body))
	}
	body := names("(shot)/(output).(frame:4).(ext)", 0)
	for _, says := range []string{`data-proof="pattern"`, "3 files: proved by the pattern",
		`data-take="0" data-end="6"`, "no reserved name", "enough for every frame"} {
		if !strings.Contains(body, says) {
			t.Errorf("the preview does not say %q:\n%s", says, webtest.Said(body))
		}
	}
	s.Set("shot", "010", "sizes", "hd", "scope")
	if body := names("(shot).(frame:4).(ext)", 0); !strings.Contains(body, "010 v hd (master all)") ||
		!strings.Contains(body, "would both write 010.1001.exr") {
		t.Errorf("the colliding pair is not named:\n%s", webtest.Said(body))
	}
	if body := names("(shot)/(size)/(frame:2).(ext)", 0); strings.Contains(body, "too short") {
		t.Errorf("numbers of one length are long enough:\n%s", webtest.Said(body))
	}
	s.Set("shot", "010", "frames", "98-101")
	s.Set("names", "", "pattern", "(shot)/(size)/v(version)/(frame:2).(ext)")
	s.Edits(preflight.PadFrames.CommandName())
	if p := s.Production(); p.Names.Pattern != "(shot)/(size)/v(version)/(frame:3).(ext)" {
		t.Errorf("padding became %s", p.Names.Pattern)
	}
}

// An output says what its format cannot hold of what its shots ask for, also when these follow the production's
// defaults.
func TestAnOutputSaysWhatItCannotHoldOfTheDefaults(t *testing.T) {
	s := webtest.New(t)
	_, err := s.House.Record.Edit("TEST", store.Making{Summary: "defaults"}, func(p *production.Production) error {
		p.Shots[0].Outputs, p.Shots[0].PassList = nil, ""
		p.ShotDefaults.Outputs, p.ShotDefaults.PassList = []string{"master"}, "comp"
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	_, body := s.Get("/p/TEST/output?open=master")
	s.Says(body, "PNG has no float numbers, and depth, normal and object need them")
}

func TestNamesArePreviewedBeforeTheyAreKept(t *testing.T) {
	s := webtest.New(t)
	_, body := s.Get("/p/TEST/names?value=" + url.QueryEscape("(shot)/(frame:6).(ext)"))
	if !strings.Contains(body, "001001.exr") || !strings.Contains(body, "001003.exr") ||
		!strings.Contains(body, "3 files") {
		t.Errorf("preview:\n%s", body)
	}
	if _, body := s.Get("/p/TEST/names?value=" + url.QueryEscape("(shot)/(frane).(ext)")); !strings.Contains(
		body, "at character 9",
	) {
		t.Errorf("a mistake:\n%s", body)
	}
	if p := s.Production(); p.Names.Pattern != production.DefaultPattern {
		t.Errorf("a preview was kept: %s", p.Names.Pattern)
	}
}

func TestAVolumeIsChosen(t *testing.T) {
	s := webtest.New(t)
	disk := t.TempDir()
	if err := s.House.SetVolumes([]store.Volume{{Code: "archive", Name: "Archive disk", Folder: disk}}); err != nil {
		t.Fatal(err)
	}
	s.Set("production", "", "volume", "archive")
	_, body := s.Get("/p/TEST/output")
	if s.Production().Volume != "archive" || !strings.Contains(body, "<b>files go here</b>") ||
		!strings.Contains(body, "archive:") {
		t.Errorf("it was not chosen: %s", webtest.Said(body))
	}
	if err := s.House.SetVolumes(nil); err != nil {
		t.Fatal(err)
	}
	_, body = s.Get("/p/TEST/output")
	if !strings.Contains(body, "not configured") || strings.Contains(body, disk) ||
		!strings.Contains(body, "is not in the server&#39;s configuration") {
		t.Error("a volume that is gone is not shown as such")
	}
	if s.Set("production", "", "volume", ""); s.Production().Volume != "" {
		t.Error("the data folder was not chosen again")
	}
}
