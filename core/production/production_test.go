package production

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/pass"
	"reelhouse/core/raster"
)

// complete returns a production without problems.
func complete() Production {
	p := New("SALT", "A title")
	p.Scene = SceneFile{Name: "a.glb", SHA256: "00"}
	p.Views = []View{{"quay", "Quay", "cam_quay", "plain"}}
	p.Shots = []Shot{{Code: "010", View: "quay", Frames: frame.Of(1001, 1048), Sizes: []string{"scope"}, PassList: "comp", InBatch: true}}
	return p
}

func TestANewProductionWantsOnlyAScene(t *testing.T) {
	problems := New("SALT", "A title").Problems()
	if len(problems) != 1 || problems[0].Station != Scenes {
		t.Errorf("got %v", problems)
	}
	if problems := complete().Problems(); len(problems) != 0 {
		t.Errorf("a complete one has %v", problems)
	}
}

func TestEveryMistakeIsNamedWithItsPlace(t *testing.T) {
	for name, c := range map[string]struct {
		spoil       func(p *Production)
		where, says string
	}{
		"code":        {func(p *Production) { p.Code = "a/b" }, "production a/b", "letters"},
		"rate":        {func(p *Production) { p.Rate = frame.Rate{} }, "production", "frame rate"},
		"version":     {func(p *Production) { p.Version = 0 }, "production", "version 0"},
		"no size":     {func(p *Production) { p.Sizes = nil }, "sizes", "add one"},
		"flat size":   {func(p *Production) { p.Sizes[0].Height = 0 }, "size scope", "cannot be rendered"},
		"two sizes":   {func(p *Production) { p.Sizes = append(p.Sizes, p.Sizes[0]) }, "size scope", "two"},
		"percent":     {func(p *Production) { p.Qualities[0].Percent = 101 }, "quality draft", "101"},
		"samples":     {func(p *Production) { p.Qualities[0].Samples = 0 }, "quality draft", "0 samples"},
		"filter":      {func(p *Production) { p.Qualities[0].Filter = "x" }, "quality draft", "filter"},
		"quality":     {func(p *Production) { p.Quality = "x" }, "quality x", "does not exist"},
		"look":        {func(p *Production) { p.Views[0].Look = "x" }, "view quay", `"x"`},
		"view":        {func(p *Production) { p.Shots[0].View = "x" }, "shot 010", `"x"`},
		"frames":      {func(p *Production) { p.Shots[0].Frames = frame.Set{} }, "shot 010", "no frames"},
		"sizes":       {func(p *Production) { p.Shots[0].Sizes = []string{"x"} }, "shot 010", `"x"`},
		"none chosen": {func(p *Production) { p.Shots[0].Sizes = nil }, "shot 010", "at least one"},
		"pass list":   {func(p *Production) { p.Shots[0].PassList = "x" }, "shot 010", `"x"`},
		"no pass":     {func(p *Production) { p.PassLists[0].Passes = nil }, "pass list minimum", "at least one"},
		"pass":        {func(p *Production) { p.PassLists[0].Passes = []pass.Code{"x"} }, "pass list minimum", `"x"`},
		"background":  {func(p *Production) { p.DepthBackground = -1 }, "depth", "above 0"},
		"pattern":     {func(p *Production) { p.Output.Pattern = "../(frame).(ext)" }, "output", "character 1"},
		"format":      {func(p *Production) { p.Output.Format = "bmp" }, "output", "bmp"},
		"packing":     {func(p *Production) { p.Output.Packing = "x" }, "output", "packing"},
	} {
		p := complete()
		c.spoil(&p)
		found := false
		for _, problem := range p.Problems() {
			found = found || problem.Where == c.where && strings.Contains(problem.Message, c.says)
		}
		if !found {
			t.Errorf("%s: got %v", name, p.Problems())
		}
	}
}

func TestTheDocumentSurvivesJSON(t *testing.T) {
	p := complete()
	p.Shots[0].Frames = frame.MustParse("1001-1048x2,!1011")
	p.Sizes = append(p.Sizes, raster.Named{Code: "own", Size: raster.Size{Width: 3, Height: 4}})
	data, err := json.Marshal(p)
	if err != nil {
		t.Fatal(err)
	}
	var back Production
	if err := json.Unmarshal(data, &back); err != nil || !reflect.DeepEqual(p, back) {
		t.Errorf("%v\n%+v\n%+v", err, p, back)
	}
}
