package web

import (
	"image/png"
	"net/url"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/plan"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
)

func TestEveryPassOfAViewIsShown(t *testing.T) {
	s := newSite(t)
	_, body := s.get("/p/TEST/passes?pass=cryptoobject")
	s.says(
		body, "Every pass of a view", "shown: a colour for each ID", "Motion back", "CryptoAsset00 to 02", "Relighting",
	)
	if strings.Contains(body, "&#43; Compositing") {
		t.Error("a list that is there is suggested")
	}
	for _, p := range pass.Catalogue() {
		code, body := s.get("/p/TEST/wall/" + string(p.Code) + "?view=v&frame=1001")
		img, err := png.Decode(strings.NewReader(body))
		if code != 200 || err != nil || img.Bounds().Dx() != wallEdge {
			t.Errorf("%s: %d, %v", p.Code, code, err)
		}
	}
	_, body = s.get("/p/TEST/wall?view=v&frame=1001&at=0.5,0.9")
	s.says(body, "floor 100 %", "default 100 %", "Camera normal")
	for path, want := range map[string]int{"/wall/nothing?view=v": 404, "/wall?view=v&at=x": 400,
		"/wall/depth?view=none": 404} {
		if code, _ := s.get("/p/TEST" + path); code != want {
			t.Errorf("%s: %d, want %d", path, code, want)
		}
	}
}

func TestSuggestedListsAreTaken(t *testing.T) {
	s := newSite(t)
	add := func(code string) string {
		_, body := s.post(
			"/p/TEST/edit/pass-list", url.Values{"field": {"add"}, "value": {code}, "station": {"passes"}},
		)
		return body
	}
	s.says(add("relight"), "Relighting")
	if l, ok := s.production().FindPassList("relight"); !ok || len(l.Passes) != 15 || l.Passes[0] != pass.Beauty {
		t.Errorf("the list is %+v", l)
	}
	s.says(add("relight"), "it is there already")
	s.says(add("none"), "no suggested list")
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
	s := newSite(t)
	edit := func(field, value string, values ...string) string {
		_, body := s.post(
			"/p/TEST/edit/depth",
			url.Values{"field": {field}, "value": {value}, "values": values, "station": {"passes"}},
		)
		return body
	}
	_, body := s.get("/p/TEST/depths?shot=010")
	s.says(body, "3 of 3 frames", "as the picture", "depth-bar")
	edit("background", "5")
	_, body = s.get("/p/TEST/depths?shot=010")
	s.says(body, "nearer than the farthest surface")
	s.says(edit("kind", "normalised"), "Near, m", "0 at 0 m, 1 at 100 m, clipped")
	edit("near", "3.5")
	s.says(edit("far", "14"), "0 at 3.5 m, 1 at 14 m")
	edit("inverted", "", "1")
	edit("filtered", "", "1")
	s.says(edit("clamped", ""), "1 at 3.5 m, 0 at 14 m, filtered")
	if d := s.production().Depth; d != (pass.DepthStyle{Picture: true, Near: 3.5, Far: 14, Inverted: true, Open: true,
		Filtered: true}) {
		t.Errorf("the style is %+v", d)
	}
	edit("occlusionRadius", "0.75 m")
	if r := s.production().OcclusionRadius; r != 0.75 {
		t.Errorf("the radius is %v", r)
	}
	s.says(edit("occlusionRadius", "-1"), "radius of occlusion has to be")
	s.says(edit("near", "20"), "has to be nearer than far")
	s.says(edit("far", "x"), "is not a number")
	s.says(edit("kind", "x"), "metres or normalised")
	if code, _ := s.get("/p/TEST/depths?shot=none"); code != 404 {
		t.Errorf("a shot that is not there: %d", code)
	}
	d, err := s.house.Draft(s.production().Production)
	if err != nil || !d.Batch.Depth.Filtered {
		t.Errorf("the batch has %+v, %v", d.Batch.Depth, err)
	}
}

// Groups of lights are passes: added, named, taken into a list, renamed with it, and not removed while it has them.
func TestLightGroupsArePasses(t *testing.T) {
	s := newSite(t)
	group := func(of, field, value string) string {
		_, body := s.post(
			"/p/TEST/edit/light-group",
			url.Values{"of": {of}, "field": {field}, "value": {value}, "values": {value}, "station": {"passes"}},
		)
		return body
	}
	s.says(group("", "add", ""), "light-group1")
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
		_, body := s.post("/p/TEST/edit/"+command, values)
		return body
	}
	list("passes", url.Values{"values": {"beauty", "light-group1", "light-other", "normal"}})
	if l, _ := s.production().FindPassList("comp"); !slices.Equal(
		l.Passes, []pass.Code{"beauty", "light-group1", "light-other", "normal"},
	) {
		t.Errorf("the list has %v", l.Passes)
	}
	list("otherDepth", url.Values{"set.pass": {"light-group1"}, "values": {"1"}})
	s.says(group("group1", "code", "lamps"), "light-lamps")
	l, _ := s.production().FindPassList("comp")
	if l.Passes[1] != "light-lamps" || !l.Choice("light-lamps").OtherDepth {
		t.Errorf("renamed, the list is %+v", l)
	}
	s.says(group("lamps", "remove", ""), "remove it there first")
	s.says(group("lamps", "code", "other"), "all other light")
	s.says(group("lamps", "lights", "[x"), "no name of lights")
	list("passes", url.Values{"values": {"beauty"}})
	group("lamps", "remove", "")
	if p := s.production(); len(p.LightGroups) != 0 || len(p.Problems()) != 0 {
		t.Errorf("groups %v, problems %v", p.LightGroups, p.Problems())
	}
}

// What a list asks of single passes reaches the plan: the numbers they are stored as, how they are sampled, and the
// outputs that they go to.
func TestChoicesByPassReachThePlan(t *testing.T) {
	s := newSite(t)
	choose := func(field, option string, values ...string) string {
		_, body := s.post(
			"/p/TEST/edit/pass-list.choose",
			url.Values{"of": {"comp"}, "field": {field}, "set.pass": {option}, "values": values, "station": {"passes"}},
		)
		return body
	}
	choose("otherDepth", "beauty", "1")
	choose("otherFilter", "normal", "1")
	s.says(choose("outputs", "depth"), "would go to no output")
	s.says(choose("otherFilter", "uv", "1"), "not in the list")
	s.says(choose("otherFilter", "beauty", "1"), "cannot be sampled in another way")
	b, err := plan.Build(s.production().Production, plan.Measure{})
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

// A quality's effort is typed as a person says it, and what is empty is as usual.
func TestEffortIsEdited(t *testing.T) {
	s := newSite(t)
	set := func(field, value string) string {
		_, body := s.post(
			"/p/TEST/edit/quality",
			url.Values{"of": {"final"}, "field": {field}, "value": {value}, "station": {"standards"}},
		)
		return body
	}
	for field, value := range map[string]string{"noise": "4 %", "leastSamples": "3", "diffuse": "5", "specular": "6",
		"transmitted": "10", "indirectLimit": "12.5", "timeLimit": "90 s", "spread": "spread", "tiles": "3 x 2",
		"filter": "lanczos"} {
		set(field, value)
	}
	q, _ := s.production().FindQuality("final")
	want := sampling.Effort{
		Noise:   0.04,
		Least:   3,
		Bounces: sampling.Bounces{Diffuse: 5, Glossy: 6, Through: 10},
		Clamp:   12.5,
		Seconds: 90,
		Splat:   true,
	}
	if q.Effort != want || q.Tiles != (raster.Tiling{Columns: 3, Rows: 2}) || q.Filter != pixel.LanczosFilter {
		t.Errorf("the quality is %+v", q)
	}
	for field, value := range map[string]string{"noise": "200 %", "leastSamples": "99", "diffuse": "-1",
		"indirectLimit": "x", "timeLimit": "-3", "tiles": "many"} {
		before, _ := s.production().FindQuality("final")
		set(field, value)
		if after, _ := s.production().FindQuality("final"); after != before {
			t.Errorf("%s of %q was taken: %+v", field, value, after)
		}
	}
	for _, field := range []string{"noise", "leastSamples", "indirectLimit", "timeLimit", "tiles"} {
		set(field, "")
	}
	set("diffuse", "3")
	set("specular", "4")
	set("transmitted", "8")
	set("spread", "placed")
	if q, _ := s.production().FindQuality("final"); q.Effort != (sampling.Effort{}) || q.Tiles != (raster.Tiling{}) {
		t.Errorf("emptied, the quality is %+v", q)
	}
}
