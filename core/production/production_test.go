package production

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"reelhouse/core/look"

	"reelhouse/core/frame"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

// complete returns a production without problems.
func complete() Production {
	p := New("SALT", "A title")
	p.Scene = SceneFile{Name: "a.glb", SHA256: "00"}
	p.Views = []View{{Code: "quay", Name: "Quay", Camera: "cam_quay", Look: "plain"}}
	p.Shots = []Shot{
		{
			Code:     "010",
			View:     "quay",
			Frames:   frame.Of(1001, 1048),
			Sizes:    []string{"scope"},
			PassList: "comp",
			Outputs:  []string{"master"},
			InBatch:  true,
		},
	}
	return p
}

func TestANewProductionWantsOnlyAScene(t *testing.T) {
	problems := New("SALT", "A title").Problems()
	if len(problems) != 1 || problems[0].Where != "scene" {
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
		"code":      {func(p *Production) { p.Code = "a/b" }, "production a/b", "letters"},
		"rate":      {func(p *Production) { p.Rate = frame.Rate{} }, "production", "frame rate"},
		"version":   {func(p *Production) { p.Version = 0 }, "production", "version 0"},
		"no size":   {func(p *Production) { p.Sizes = nil }, "sizes", "add one"},
		"flat size": {func(p *Production) { p.Sizes[0].Height = 0 }, "size scope", "cannot be rendered"},
		"two sizes": {func(p *Production) { p.Sizes = append(p.Sizes, p.Sizes[0]) }, "size scope", "two"},
		"scale":     {func(p *Production) { p.Qualities[0].Scale.Percent = 101 }, "quality draft", "101"},
		"drop":      {func(p *Production) { p.DropFrame = true }, "production", "29.97"},
		"timecode":  {func(p *Production) { p.FirstTimecode = "1:2" }, "production", "HH:MM:SS:FF"},
		"handles":   {func(p *Production) { p.Handles = -1 }, "production", "handle"},
		"display":   {func(p *Production) { p.Picture.Display = "x" }, "picture", "display encode"},
		"alpha":     {func(p *Production) { p.Picture.Alpha = "x" }, "picture", "premultiplied"},
		"back":      {func(p *Production) { p.Picture.Background.Kind = "x" }, "picture", "background"},
		"colour": {func(p *Production) {
			p.Picture.Background = look.Background{Kind: look.PlainColour,
				Colour: "red"}
		}, "picture", "#rrggbb"},
		"floor":       {func(p *Production) { p.Floor.Bits = 7 }, "minimum", "7"},
		"no output":   {func(p *Production) { p.Outputs = nil }, "outputs", "add one"},
		"two outputs": {func(p *Production) { p.Outputs[1].Code = "master" }, "output master", "two"},
		"outputs":     {func(p *Production) { p.Shots[0].Outputs = []string{"x"} }, "shot 010", `"x"`},
		"none asked": {func(p *Production) { p.Shots[0].Outputs, p.ShotDefaults.Outputs = nil, nil }, "shot 010",
			"no output"},
		"twice":       {func(p *Production) { p.Outputs[0].Curve = pixel.SRGB }, "output master", "second time"},
		"own pattern": {func(p *Production) { p.Outputs[1].Pattern = "x" }, "output review", "character"},
		"rules":       {func(p *Production) { p.Names.Separator = "." }, "names", "separate"},
		"samples":     {func(p *Production) { p.Qualities[0].Samples = 0 }, "quality draft", "0 samples"},
		"filter":      {func(p *Production) { p.Qualities[0].Filter = "x" }, "quality draft", "filter"},
		"quality":     {func(p *Production) { p.Quality = "x" }, "quality x", "does not exist"},
		"look":        {func(p *Production) { p.Views[0].Look = "x" }, "view quay", `"x"`},
		"view":        {func(p *Production) { p.Shots[0].View = "x" }, "shot 010", `"x"`},
		"frames":      {func(p *Production) { p.Shots[0].Frames = frame.Set{} }, "shot 010", "no frames"},
		"sizes":       {func(p *Production) { p.Shots[0].Sizes = []string{"x"} }, "shot 010", `"x"`},
		"none chosen": {
			func(p *Production) { p.Shots[0].Sizes, p.ShotDefaults.Sizes = nil, nil }, "shot 010", "at least one",
		},
		"no view":     {func(p *Production) { p.Shots[0].View = "" }, "shot 010", "at least one"},
		"also":        {func(p *Production) { p.Shots[0].Also = []string{"y"} }, "shot 010", `"y"`},
		"look of it":  {func(p *Production) { p.Shots[0].Look = "x" }, "shot 010", `"x"`},
		"step":        {func(p *Production) { p.Shots[0].Step = -1 }, "shot 010", "step of -1"},
		"own handles": {func(p *Production) { n := 2000; p.Shots[0].Handles = &n }, "shot 010", "2000"},
		"own quality": {func(p *Production) { p.Shots[0].Quality = "x" }, "shot 010", `"x"`},
		"label":       {func(p *Production) { p.Shots[0].Labels = []Label{{1001, "a b"}} }, "shot 010", `"a b"`},
		"two labels": {func(p *Production) { p.Shots[0].Labels = []Label{{1001, "a"}, {1002, "a"}} }, "shot 010",
			"two frames"},
		"region": {func(p *Production) { p.Region = raster.Part{Left: 50, Right: 40, Bottom: 100} }, "production",
			"none of the picture"},
		"pass list":  {func(p *Production) { p.Shots[0].PassList = "x" }, "shot 010", `"x"`},
		"no pass":    {func(p *Production) { p.PassLists[0].Passes = nil }, "pass list minimum", "at least one"},
		"pass":       {func(p *Production) { p.PassLists[0].Passes = []pass.Code{"x"} }, "pass list minimum", `"x"`},
		"background": {func(p *Production) { p.PassLists[0].Depth.Background = -1 }, "depth minimum", "above 0"},
		"pattern":    {func(p *Production) { p.Names.Pattern = "../(frame).(ext)" }, "names", "character 1"},
		"format":     {func(p *Production) { p.Outputs[0].Format = "xyz" }, "output master", "xyz"},
		"packing":    {func(p *Production) { p.Outputs[0].Packing = "x" }, "output master", "packing"},
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

func TestASetUpIsTakenOverInParts(t *testing.T) {
	from, to := complete(), New("REED", "Another")
	from.Handles, from.PassLists[0].Depth.Background = 12, 50
	if err := to.Take(from, TakeStandards, TakePasses); err != nil {
		t.Fatal(err)
	}
	if to.Handles != 12 || to.PassLists[0].Depth.Background != 50 || len(to.Shots) != 0 || to.Code != "REED" ||
		to.Scene.SHA256 != "" {
		t.Errorf("%+v", to)
	}
	to.Sizes[0].Width = 7
	if from.Sizes[0].Width == 7 {
		t.Error("both share a size")
	}
	if err := to.Take(from, SetUps()...); err != nil || len(to.Problems()) != 0 {
		t.Errorf("%v, %v", err, to.Problems())
	}
	if err := to.Take(from, "everything"); err == nil {
		t.Error("an unknown part was taken")
	}
}
