package passes_test

import (
	"image/png"
	"net/url"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/web/stations/passes"
	"reelhouse/web/webtest"
)

func TestEveryPassOfAViewIsShown(t *testing.T) {
	s := webtest.New(t)
	_, body := s.Get("/p/TEST/passes?pass=cryptoobject")
	s.Says(
		body, "Shown: a colour for each ID", "Motion back", "CryptoObject00 to 02", "Relighting",
	)
	if strings.Contains(body, "&#43; Compositing") {
		t.Error("a list that is there is suggested")
	}
	for _, p := range pass.Catalogue() {
		code, body := s.Get("/p/TEST/wall/" + string(p.Code) + "?view=v&frame=1001")
		img, err := png.Decode(strings.NewReader(body))
		if code != 200 || err != nil || img.Bounds().Dx() != passes.WallEdge {
			t.Errorf("%s: %d, %v", p.Code, code, err)
		}
	}
	_, body = s.Get("/p/TEST/wall?view=v&frame=1001&at=0.5,0.9")
	s.Says(body, "floor 100 %", "default 100 %", "Camera normal")
	for path, want := range map[string]int{"/wall/nothing?view=v": 404, "/wall?view=v&at=x": 400,
		"/wall/depth?view=none": 404} {
		if code, _ := s.Get("/p/TEST" + path); code != want {
			t.Errorf("%s: %d, want %d", path, code, want)
		}
	}
}

func TestSuggestedListsAreTaken(t *testing.T) {
	s := webtest.New(t)
	add := func(code string) string {
		_, body := s.Post(
			"/p/TEST/edit/pass-list", url.Values{"field": {"add"}, "value": {code}, "station": {"passes"}},
		)
		return body
	}
	s.Says(add("relight"), "Relighting")
	if l, ok := s.Production().FindPassList("relight"); !ok || len(l.Passes) != 15 || l.Passes[0] != pass.Beauty {
		t.Errorf("the list is %+v", l)
	}
	s.Says(add("relight"), "it is there already")
	s.Says(add("none"), "no suggested list")
	for _, suggested := range pass.Suggestions() {
		for _, code := range suggested.Passes {
			if _, err := pass.Find(code); err != nil {
				t.Errorf("%s: %v", suggested.Code, err)
			}
		}
	}
}

// The floor of the test's scene lies 2 m below the camera, and from 9 m before the origin to 9 m behind it; the camera
// stands at 5 m.
func TestDepthIsMeasuredAndTaken(t *testing.T) {
	s := webtest.New(t)
	edit := func(field, value string, values ...string) string {
		_, body := s.Post(
			"/p/TEST/edit/depth",
			url.Values{"of": {"comp"}, "field": {field}, "value": {value}, "values": values, "station": {"passes"}},
		)
		return body
	}
	_, body := s.Get("/p/TEST/depths?shot=010")
	s.Says(body, "3 of 3 frames", "m in shot 010 alone", "depth-bar")
	edit("background", "5")
	_, body = s.Get("/p/TEST/depths?shot=010")
	s.Says(body, "nearer than the farthest surface")
	s.Says(edit("kind", "normalised"), "Near, m", "0 at 0 m, 1 at 100 m, clipped")
	edit("near", "3.5")
	s.Says(edit("far", "14"), "0 at 3.5 m, 1 at 14 m")
	edit("inverted", "", "1")
	edit("filtered", "", "1")
	s.Says(edit("clamped", ""), "1 at 3.5 m, 0 at 14 m, filtered")
	l, _ := s.Production().FindPassList("comp")
	if d := l.Depth.Style; d != (pass.DepthStyle{Picture: true, Near: 3.5, Far: 14, Inverted: true, Open: true,
		Filtered: true}) {
		t.Errorf("the style is %+v", d)
	}
	edit("occlusionRadius", "0.75 m")
	l, _ = s.Production().FindPassList("comp")
	if r := l.Depth.OcclusionRadius; r != 0.75 {
		t.Errorf("the radius is %v", r)
	}
	s.Says(edit("occlusionRadius", "-1"), "radius of occlusion has to be")
	s.Says(edit("near", "20"), "has to be nearer than far")
	s.Says(edit("far", "x"), "is not a number")
	s.Says(edit("kind", "x"), "metres or normalised")
	if code, _ := s.Get("/p/TEST/depths?shot=none"); code != 404 {
		t.Errorf("a shot that is not there: %d", code)
	}
	d, err := s.House.Draft(s.Production().Production)
	if err != nil || !d.Batch.Sequences[0].Depth.Style.Filtered {
		t.Errorf("the batch has %+v, %v", d.Batch.Sequences[0].Depth, err)
	}
}

// Groups of lights are passes: added, named, taken into a list, renamed with it, and not removed while it has them.
func TestLightGroupsArePasses(t *testing.T) {
	s := webtest.New(t)
	group := func(of, field, value string) string {
		_, body := s.Post(
			"/p/TEST/edit/light-group",
			url.Values{"of": {of}, "field": {field}, "value": {value}, "values": {value}, "station": {"passes"}},
		)
		return body
	}
	s.Says(group("", "add", ""), "light-group1")
	group("group1", "lights", "lamp*, sign")
	group("group1", "name", "Lamps")
	list := func(field string, values url.Values) string {
		values.Set("of", "comp")
		values.Set("field", field)
		values.Set("station", "passes")
		command := "pass-list.set"
		if values.Has("set.pass") {
			command = "pass-list.choose"
		}
		_, body := s.Post("/p/TEST/edit/"+command, values)
		return body
	}
	list("passes", url.Values{"values": {"beauty", "light-group1", "light-other", "normal"}})
	if l, _ := s.Production().FindPassList("comp"); !slices.Equal(
		l.Passes, []pass.Code{"beauty", "light-group1", "light-other", "normal"},
	) {
		t.Errorf("the list has %v", l.Passes)
	}
	list("otherDepth", url.Values{"set.pass": {"light-group1"}, "values": {"1"}})
	s.Says(group("group1", "code", "lamps"), "light-lamps")
	l, _ := s.Production().FindPassList("comp")
	if l.Passes[1] != "light-lamps" || !l.Choice("light-lamps").OtherDepth {
		t.Errorf("renamed, the list is %+v", l)
	}
	s.Says(group("lamps", "remove", ""), "remove it there first")
	s.Says(group("lamps", "code", "other"), "all other light")
	s.Says(group("lamps", "lights", "[x"), "no name of lights")
	list("passes", url.Values{"values": {"beauty"}})
	group("lamps", "remove", "")
	if p := s.Production(); len(p.LightGroups) != 0 || len(p.Problems()) != 0 {
		t.Errorf("groups %v, problems %v", p.LightGroups, p.Problems())
	}
}

// What a list asks of single passes reaches the plan: the numbers they are stored as, how they are sampled, and the
// outputs that they go to.
func TestChoicesByPassReachThePlan(t *testing.T) {
	s := webtest.New(t)
	choose := func(field, option string, values ...string) string {
		_, body := s.Post(
			"/p/TEST/edit/pass-list.choose",
			url.Values{"of": {"comp"}, "field": {field}, "set.pass": {option}, "values": values, "station": {"passes"}},
		)
		return body
	}
	choose("otherDepth", "beauty", "1")
	choose("otherFilter", "normal", "1")
	s.Says(choose("outputs", "depth"), "would go to no output")
	s.Says(choose("otherFilter", "uv", "1"), "not in the list")
	s.Says(choose("otherFilter", "beauty", "1"), "cannot be sampled in another way")
	b, err := plan.Build(s.Production().Production, plan.Measure{})
	if err != nil {
		t.Fatal(err)
	}
	q := b.Sequences[0]
	if !slices.Equal(q.OtherFilter, []pass.Code{pass.Normal}) || q.Files[0].Encoding.Other != "beauty" {
		t.Errorf(
			"the sequence is sampled otherwise in %v, and stored otherwise in %q", q.OtherFilter,
			q.Files[0].Encoding.Other,
		)
	}
	described, _ := pass.Find(pass.Beauty)
	if q.Files[0].Encoding.Half(described) {
		t.Error("beauty is still stored in 16 bits")
	}
}
