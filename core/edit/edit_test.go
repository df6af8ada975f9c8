package edit

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/geom"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/core/scene"
)

// sample returns a production with a shot, without a scene.
func sample() production.Production {
	p := production.New("SALT", "A title")
	p.Views = []production.View{{Code: "quay", Name: "Quay", Camera: "cam_quay", Look: "plain"}}
	p.Shots = []production.Shot{
		{Code: "010", Name: "First", View: "quay", Frames: frame.Of(1001, 1048), InBatch: true},
		{Code: "020", Name: "Second", View: "quay", Frames: frame.Of(1049, 1060), InBatch: true},
	}
	return p
}

// do applies a command that was read from words.
func do(t *testing.T, p *production.Production, name string, pairs ...string) error {
	t.Helper()
	values := map[string][]string{}
	for i := 0; i < len(pairs); i += 2 {
		values[pairs[i]] = append(values[pairs[i]], pairs[i+1])
	}
	c, err := FromText(name, values)
	if err != nil {
		return err
	}
	return Apply(c, p, Known{Reach: 250, NextVersion: 7})
}

// Names are stable, and everything that has one is found under it; JSON that was written is read as the same.
func TestEveryCommandIsFoundAndSurvivesJSON(t *testing.T) {
	wellNamed := regexp.MustCompile(`^[a-z]+(-[a-z]+)*\.[a-z]+(-[a-z]+)*$`)
	seen := map[string]bool{}
	for _, c := range all() {
		name := c.Name()
		if seen[name] || !wellNamed.MatchString(name) {
			t.Errorf("the name %q is no name, or stands twice", name)
		}
		seen[name] = true
		filled := reflect.New(reflect.TypeOf(c)).Elem()
		r := rand.New(rand.NewPCG(1, 2))
		for _, f := range fieldsOf(filled.Type()) {
			fill(r, filled.FieldByIndex(f.index))
		}
		c = filled.Interface().(Command)
		data, err := ToJSON(c)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		back, err := FromJSON(data)
		if err != nil || !reflect.DeepEqual(c, back) {
			t.Errorf("%s: %v\n%s\n%+v\n%+v", name, err, data, c, back)
		}
		if words := Summary(c); strings.TrimSpace(words) == "" || strings.Contains(words, "%!") ||
			strings.Contains(words, "0x") {
			t.Errorf("%s: its summary is %q", name, words)
		}
		if c.Part() == "" {
			t.Errorf("%s: it names no part", name)
		}
	}
}

// fill puts something into a value and what it is made of.
func fill(r *rand.Rand, v reflect.Value) {
	switch value := v.Addr().Interface().(type) {
	case *frame.Set:
		*value = frame.Of(1, 9)
		return
	case *Own:
		*value = Own{8, true}
		return
	case *production.Production:
		*value = production.New("A", "B")
		return
	}
	switch v.Kind() {
	case reflect.String:
		v.SetString("text" + string(rune('a'+r.IntN(26))))
	case reflect.Bool:
		v.SetBool(true)
	case reflect.Int, reflect.Int64:
		v.SetInt(int64(1 + r.IntN(9)))
	case reflect.Float64:
		v.SetFloat(float64(1 + r.IntN(9)))
	case reflect.Pointer:
		if v.Type().Elem().Kind() != reflect.Struct || v.Type().Elem() == reflect.TypeFor[frame.Set]() ||
			v.Type().Elem() == reflect.TypeFor[Own]() {
			v.Set(reflect.New(v.Type().Elem()))
			fill(r, v.Elem())
		}
	case reflect.Slice:
		if k := v.Type().Elem().Kind(); k == reflect.String {
			v.Set(reflect.MakeSlice(v.Type(), 2, 2))
			fill(r, v.Index(0))
			fill(r, v.Index(1))
		}
	}
}

func TestShotsAreChangedByWords(t *testing.T) {
	p := sample()
	for _, c := range [][]string{
		{"shot.set", "shots", "010", "frames", "1001-1036", "note", "wait for the ferry"},
		{"shot.set", "shots", "010", "shots", "020", "step", "2", "handles", "8"},
		{"shot.set", "shots", "020", "handles", ""},
		{"shot.split", "shot", "010", "at", "1011"},
		{"defaults.set", "sizes", "hd", "sizes", "scope"},
		{"size.set", "size", "hd", "width", "1280 px", "code", "small"},
		{"production.next-version"}, {"depth.far-background"}, {"names.pad"},
	} {
		if err := do(t, &p, c[0], c[1:]...); err != nil {
			t.Errorf("%v: %v", c, err)
		}
	}
	if len(p.Shots) != 3 || p.Shots[0].Frames.String() != "1001-1010" || p.Shots[1].Code != "010a" ||
		p.Shots[2].Handles != nil {
		t.Errorf("%+v", p.Shots)
	}
	if p.Shots[0].Step != 2 || *p.Shots[0].Handles != 8 || p.Shots[2].Step != 2 || p.Version != 7 ||
		p.PassLists[0].Depth.Background != 1000 {
		t.Errorf("%+v", p)
	}
	if !slices.Equal(p.ShotDefaults.Sizes, []string{"scope", "small"}) { // in the list's order, by the new code
		t.Errorf("the usual sizes are %v", p.ShotDefaults.Sizes)
	}
}

// A mistake names the part and the field, and says what is wrong.
func TestMistakesNameTheirField(t *testing.T) {
	for _, c := range []struct {
		part, field, says string
		words             []string
	}{
		{"shot 010", "frames", "comes after the last", []string{"shot.set", "shots", "010", "frames", "1048-1001"}},
		{"shot 010", "step", `"many" is not a whole number`, []string{"shot.set", "shots", "010", "step", "many"}},
		{"shot 010", "look", "does not exist", []string{"shot.set", "shots", "010", "look", "none"}},
		{"shots", "code", "one code", []string{"shot.set", "shots", "010", "shots", "020", "code", "030"}},
		{"shot 020", "code", "two of the code", []string{"shot.set", "shots", "010", "code", "020"}},
		{"shot 999", "set", "no shot", []string{"shot.set", "shots", "999", "name", "x"}},
		{"shots", "copy", "tick some", []string{"shot.copy"}},
		{"shot 010", "split", "does not lie within", []string{"shot.split", "shot", "010", "at", "5"}},
		{"size hd", "width", "above 0", []string{"size.set", "size", "hd", "width", "0"}},
		{"quality draft", "noise", "outside", []string{"quality.set", "quality", "draft", "noise", "200 %"}},
		{"quality draft", "remove", "next batch", []string{"quality.remove", "quality", "draft"}},
		{"production", "firstTimecode", "HH:MM:SS:FF", []string{"production.set", "firstTimecode", "soon"}},
		{"production", "rate", "", []string{"production.set", "rate", "fast"}},
		{"view quay", "x", "no scene", []string{"view.set", "view", "quay", "x", "1"}},
		{"view quay", "remove", "shot 010 uses this view", []string{"view.remove", "view", "quay"}},
		{"look plain", "remove", "view quay uses", []string{"look.remove", "look", "plain"}},
		{"names", "pattern", "character", []string{"names.set", "pattern", "(frame"}},
		{"output master", "format", "no format", []string{"output.set", "output", "master", "format", "xyz"}},
		{"preset", "standards", "choose a preset", []string{"preset.recall", "kind", "standards", "preset", "none"}},
		{"take", "from", "choose the production", []string{"set-up.copy", "from", "NONE", "parts", "views"}},
		{"batch", "waive", "write why", []string{"finding.waive", "rule", "x"}},
	} {
		p := sample()
		err := do(t, &p, c.words[0], c.words[1:]...)
		var m *Mistake
		if !errors.As(err, &m) || m.Part != c.part || m.Field != c.field || !strings.Contains(m.Message, c.says) {
			t.Errorf("%v: %+v, %v", c.words, m, err)
		}
	}
}

func TestUnknownNamesAreNoMistakesOfPeople(t *testing.T) {
	for name, values := range map[string]map[string][]string{
		"shot.explode": nil, "shot.set": {"nonsense": {"x"}},
	} {
		if _, err := FromText(name, values); !errors.Is(err, ErrUnknown) {
			t.Errorf("%s: %v", name, err)
		}
	}
	for _, text := range []string{`{"command":"shot.explode"}`, `{"command":"shot.set","nonsense":1}`} {
		if _, err := FromJSON([]byte(text)); !errors.Is(err, ErrUnknown) {
			t.Errorf("%s: %v", text, err)
		}
	}
	for text, says := range map[string]string{`[`: "JSON object",
		`{"command":"shot.set","step":"x"}`: "a string cannot stand here"} {
		var m *Mistake
		if _, err := FromJSON([]byte(text)); !errors.As(err, &m) || !strings.Contains(m.Message, says) {
			t.Errorf("%s: %v", text, err)
		}
	}
}

func TestSummariesAreForPeople(t *testing.T) {
	for want, words := range map[string][]string{
		"shot 010: frames 1001-1036":           {"shot.set", "shots", "010", "frames", "1001-1036"},
		"shots 010, 020: step 2":               {"shot.set", "shots", "010", "shots", "020", "step", "2"},
		"view quay: lens shift X 2 mm":         {"view.set", "view", "quay", "lensShiftX", "2"},
		"view quay: locked on":                 {"view.set", "view", "quay", "locked", "yes"},
		"remove size hd":                       {"size.remove", "size", "hd"},
		"production: handles 8, frame rate 25": {"production.set", "handles", "8", "rate", "25"},
		"output review: burn-in":               {"output.stamp", "output", "review", "on", "yes"},
		"look dusk: sun azimuth 200 °, sun intensity 3": {"look.set", "look", "dusk", "sunAzimuth", "200°",
			"sunIntensity", "3"},
		"shot defaults: sizes hd, scope": {"defaults.set", "sizes", "hd", "sizes", "scope"},
		"shots 1, 2, 3, 4, 5 and 3 more: quality cleared": {"shot.set", "shots", "1", "shots", "2", "shots", "3",
			"shots", "4", "shots", "5", "shots", "6", "shots", "7", "shots", "8", "quality", ""},
		"quality draft: noise threshold 2 %, final off": {"quality.set", "quality", "draft", "noise", "2", "final",
			"no"},
		"sizes › hd › width as in preset House & home": {"preset.reset", "kind", "standards", "preset",
			"House & home", "path", "sizes", "path", "hd", "path", "width"},
		"waive quick-shot: for the trailer": {"finding.waive", "rule", "quick-shot", "reason",
			"for the trailer"},
		"pass list comp: passes beauty, depth": {"pass-list.set", "list", "comp", "passes", "beauty",
			"passes", "depth"},
		"copy shot 010": {"shot.copy", "shots", "010"},
		"add quality":   {"quality.add"},
		"dolly zoom of view quay to 70 mm": {"view.dolly-zoom", "view", "quay", "focalLength", "70",
			"distance", "5"},
		"shot 010 quay hd: excluded from batch": {"cell.set", "shot", "010", "view", "quay", "size", "hd",
			"inBatch", "no"},
		"names: name pattern (shot)/(frame:4).(ext)": {"names.set", "pattern", "(shot)/(frame:4).(ext)"},
		"depth comp: background depth 50 m, kind normalised": {"depth.set", "list", "comp", "background", "50",
			"kind", "normalised"},
		"depth added to pass list comp, minimum": {"pass-list.include", "lists", "comp", "lists", "minimum",
			"passes", "depth", "on", "yes"},
		"minimum: least width 2048 px": {"minimum.set", "width", "2048"},
	} {
		values := map[string][]string{}
		for i := 1; i < len(words); i += 2 {
			values[words[i]] = append(values[words[i]], words[i+1])
		}
		c, err := FromText(words[0], values)
		if err != nil || Summary(c) != want {
			t.Errorf("%v: %q, %v, want %q", words, Summary(c), err, want)
		}
	}
}

// A command asks for what it has to know, and says so when it was given that of another scene.
func TestCommandsAskForWhatTheyNeed(t *testing.T) {
	p := sample()
	p.Scene = production.SceneFile{Name: "a.glb", SHA256: "00"}
	x := 1.0
	c := SetView{View: "quay", X: &x}
	if n := NeedsOf(c, p); n.Scene == nil || n.Scene.SHA256 != "00" {
		t.Errorf("it needs %+v", n)
	}
	if err := Apply(c, &p, Known{}); !errors.Is(err, ErrOutdated) {
		t.Errorf("without its scene: %v", err)
	}
	if err := Apply(c, &p, Known{SceneFault: errors.New("it is broken")}); err == nil || err.Error() != "it is broken" {
		t.Errorf("with a scene that cannot be read: %v", err)
	}
	if n := NeedsOf(SetShots{}, p); n != (Needs{}) {
		t.Errorf("shots need %+v", n)
	}
	if n := NeedsOf(RecallPreset{Kind: preset.Standards, Preset: "House"}, p); n.Preset.Name != "House" {
		t.Errorf("a preset needs %+v", n)
	}
}

// Renaming a part keeps everything that names it.
func TestRenamingKeepsWhatNamesAPart(t *testing.T) {
	p := sample()
	p.Shots[0].Look, p.Shots[0].Outputs, p.Shots[0].Sizes = "plain", []string{"review"}, []string{"hd"}
	p.Shots[0].Without = []production.Cell{{View: "quay", Size: "hd"}}
	p.PassLists[1].Choices = []production.PassChoice{{Pass: "depth", Outputs: []string{"review"}}}
	for _, c := range [][]string{
		{"look.set", "look", "plain", "code", "day"}, {"output.set", "output", "review", "code", "dailies"},
		{"size.set", "size", "hd", "code", "wide"},
		{"view.set", "view", "quay", "code", "pier"},
	} {
		if err := do(t, &p, c[0], c[1:]...); err != nil {
			t.Errorf("%v: %v", c, err)
		}
	}
	s := p.Shots[0]
	if s.Look != "day" || s.Outputs[0] != "dailies" || s.Sizes[0] != "wide" || s.View != "pier" ||
		s.Without[0] != (production.Cell{View: "pier", Size: "wide"}) {
		t.Errorf("%+v", s)
	}
	if p.Views[0].Look != "day" || p.PassLists[1].Choices[0].Outputs[0] != "dailies" {
		t.Errorf("%+v, %+v", p.Views, p.PassLists)
	}
}

func FuzzCommands(f *testing.F) {
	for _, c := range all() {
		data, err := ToJSON(c)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(string(data))
	}
	f.Add(`{"command":"shot.set","shots":["010"],"frames":"1001-1048x2","handles":""}`)
	f.Fuzz(func(t *testing.T, text string) {
		c, err := FromJSON([]byte(text))
		if err != nil {
			return
		}
		if _, err := ToJSON(c); err != nil {
			t.Fatalf("%s: it cannot be written: %v", text, err)
		}
		Summary(c)
		p := sample()
		if err := Apply(c, &p, Known{Reach: 10, NextVersion: 2}); err != nil {
			return
		}
		if _, err := json.Marshal(p); err != nil {
			t.Fatalf("%s: what it makes cannot be kept: %v", text, err)
		}
	})
}

// A shot that overrides depth begins with what its list says; its list stays, and what it said comes back.
func TestAShotHasADepthOfItsOwn(t *testing.T) {
	p := sample()
	p.Scene.SHA256 = "5ce"
	for _, c := range [][]string{
		{"depth.set", "list", "comp", "background", "500 m", "occlusionRadius", "0.5"},
		{"shot.set", "shots", "010", "passList", "comp"},
		{"shot-depth.set", "shot", "010", "kind", "normalised", "near", "2", "far", "80"},
	} {
		if err := do(t, &p, c[0], c[1:]...); err != nil {
			t.Fatalf("%v: %v", c, err)
		}
	}
	own := pass.DepthSettings{
		Style: pass.DepthStyle{Picture: true, Near: 2, Far: 80}, Background: 500, OcclusionRadius: 0.5,
	}
	list, _ := p.FindPassList("comp")
	b, err := plan.Build(p, plan.Measure{})
	if err != nil {
		t.Fatal(err)
	}
	if got := b.DepthOf(b.Sequences[0]); got != own || list.Depth.Style.Picture {
		t.Errorf("the shot has %+v, its list %+v", got, list.Depth)
	}
	for _, c := range [][]string{
		{"shot-depth.set", "shot", "010", "far", "1"}, {"shot-depth.set", "shot", "none", "far", "90"},
		{"depth.set", "far", "90"}, {"shot-depth.set", "shot", "010", "occlusionRadius", "-1"},
	} {
		if err := do(t, &p, c[0], c[1:]...); err == nil {
			t.Errorf("%v was kept", c)
		}
	}
	if err := do(t, &p, "shot.reset", "shots", "010", "field", "depth"); err != nil || p.Shots[0].Depth != nil {
		t.Errorf("%v, %+v", err, p.Shots[0].Depth)
	}
}

// A list is copied with what it asks; its new code is followed by the shots that use it.
func TestAPassListIsCopiedAndRenamed(t *testing.T) {
	p := sample()
	p.Scene.SHA256 = "5ce"
	for _, c := range [][]string{
		{"pass-list.include", "lists", "comp", "lists", "minimum", "passes", "uv", "passes", "position", "on", "1"},
		{"pass-list.choose", "list", "comp", "pass", "uv", "otherDepth", "1"},
		{"pass-list.copy", "list", "comp"},
		{"pass-list.include", "lists", "comp", "passes", "uv", "on", "no"},
		{"pass-list.set", "list", "minimum", "code", "plain"},
	} {
		if err := do(t, &p, c[0], c[1:]...); err != nil {
			t.Fatalf("%v: %v", c, err)
		}
	}
	comp, _ := p.FindPassList("comp")
	copied := p.PassLists[slices.IndexFunc(p.PassLists, func(l production.PassList) bool {
		return l.Code == "comp"
	})+1]
	if slices.Contains(comp.Passes, pass.UV) || len(comp.Choices) != 0 || !copied.Choice(pass.UV).OtherDepth ||
		!slices.Contains(comp.Passes, pass.Position) {
		t.Errorf("%+v and its copy %+v", comp, copied)
	}
	if len(p.Problems()) > 0 || p.ShotDefaults.PassList != "plain" {
		t.Errorf("%v, default %s", p.Problems(), p.ShotDefaults.PassList)
	}
	for _, c := range [][]string{
		{"pass-list.include", "lists", "none", "passes", "uv", "on", "1"},
		{"pass-list.include", "lists", "comp", "passes", "nothing", "on", "1"},
		{"pass-list.include", "lists", "comp"},
		{"pass-list.set", "list", "plain", "code", "comp"}, {"pass-list.set", "list", "plain", "code", "a b"},
	} {
		if err := do(t, &p, c[0], c[1:]...); err == nil {
			t.Errorf("%v was kept", c)
		}
	}
}

// Ranges move together, with the keys of a camera that moves over one of them; a shot has a version of its own; new
// shots are made of views.
func TestShotsMoveAndHaveVersions(t *testing.T) {
	p := sample()
	p.Scene.SHA256 = "5ce"
	first, last := p.Shots[0].Frames.First(), p.Shots[0].Frames.Last()
	v := &p.Views[0]
	for _, n := range []int{first, last} {
		v.Setup.Motion = v.Setup.Motion.With(camera.Key{Frame: n})
	}
	for i := range p.Shots {
		p.Shots[i].InBatch = true
		if i > 0 { // another shot of the same view would keep the keys from following
			p.Shots[i].View = "other"
		}
	}
	p.Views = append(p.Views, production.View{Code: "other", Camera: "cam", Look: v.Look})
	for _, c := range [][]string{
		{"shot.shift", "shots", "010", "shots", "020", "by", "-3"}, {"shot.set", "shots", "020", "version", "12"},
	} {
		if err := do(t, &p, c[0], c[1:]...); err != nil {
			t.Fatalf("%v: %v", c, err)
		}
	}
	if from, to := p.Views[0].Setup.Motion.Span(); p.Shots[0].Frames.First() != first-3 || from != first-3 ||
		to != last-3 {
		t.Errorf("frames %s, keys from %d to %d", p.Shots[0].Frames, from, to)
	}
	b, err := plan.Build(p, plan.Measure{})
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range b.Sequences {
		want := map[string]int{"010": p.Version, "020": 12}[s.Shot]
		if b.VersionOf(s) != want || !strings.Contains(s.Files[0].Path.String(), fmt.Sprintf("v%03d", want)) {
			t.Errorf("%s has version %d: %s", s.Shot, b.VersionOf(s), s.Files[0].Path)
		}
	}
	if err := do(t, &p, "shot.reset", "shots", "020", "field", "version"); err != nil || p.Shots[1].Version != 0 {
		t.Errorf("%v, version %d", err, p.Shots[1].Version)
	}
	if err := do(t, &p, "shot.set", "shots", "020", "version", "10001"); err == nil {
		t.Error("version 10001 was kept")
	}
}

// A light of the scene is changed by itself, and a subject is isolated in one step; both are put back.
func TestALookChangesALightAndIsolates(t *testing.T) {
	p := sample()
	code := p.Looks[0].Code
	for _, c := range [][]string{
		{"look-light.set", "look", code, "light", "lamp", "times", "2.5"},
		{"look-light.set", "look", code, "light", "lamp", "colour", "#ff8000"},
		{"look.isolate", "look", code, "object", "ferry"},
	} {
		if err := do(t, &p, c[0], c[1:]...); err != nil {
			t.Fatalf("%v: %v", c, err)
		}
	}
	l := p.Looks[0]
	if len(l.Lights) != 1 || l.Lights[0].Factor() != 2.5 || l.Lights[0].Colour != "#ff8000" ||
		!slices.Equal(l.Hidden, []string{"*"}) || !slices.Equal(l.Shown, []string{"ferry"}) {
		t.Errorf("%+v", l)
	}
	for _, c := range [][]string{
		{"look-light.set", "look", code, "light", "lamp", "times", "", "colour", ""},
		{"look.isolate", "look", code, "object", ""},
	} {
		if err := do(t, &p, c[0], c[1:]...); err != nil {
			t.Fatalf("%v: %v", c, err)
		}
	}
	if l := p.Looks[0]; len(l.Lights)+len(l.Hidden)+len(l.Shown) > 0 {
		t.Errorf("%+v", l)
	}
	for _, c := range [][]string{
		{"look-light.set", "look", code, "light", "lamp", "times", "-1"},
		{"look-light.set", "look", code, "light", "lamp", "colour", "red"},
		{"look-light.set", "look", code, "times", "2"},
	} {
		if err := do(t, &p, c[0], c[1:]...); err == nil {
			t.Errorf("%v was kept", c)
		}
	}
}

// A lens that changes with its keys is changed at the frame that is looked at; one that does not, for all frames.
func TestALensIsChangedAtItsKey(t *testing.T) {
	p := sample()
	v := &p.Views[0]
	for _, n := range []int{1001, 1048} {
		v.Setup.Motion = v.Setup.Motion.With(camera.Key{Frame: n})
	}
	set := func(values ...string) {
		t.Helper()
		if err := do(t, &p, "view.set", append([]string{"view", v.Code}, values...)...); err != nil {
			t.Fatal(err)
		}
	}
	set("focusDistance", "7", "frame", "1048")
	if v.Setup.Focus != 7 || v.Setup.Motion.Keys[1].Focus != 0 {
		t.Errorf("%+v", v.Setup)
	}
	v.Setup.Motion = v.Setup.Motion.With(camera.Key{Frame: 1001, Focus: 3})
	set("focusDistance", "9", "frame", "1048")
	set("focusDistance", "5", "frame", "1020")
	keys := v.Setup.Motion.Keys
	if len(keys) != 3 || keys[0].Focus != 3 || keys[1].Focus != 5 || keys[2].Focus != 9 || v.Setup.Focus != 7 {
		t.Errorf("%+v", keys)
	}
}

// A view whose camera becomes its own sees what it saw, standing or moving by keys.
func TestACameraBecomesTheViewsOwn(t *testing.T) {
	s := &scene.Scene{Roots: []int{0}, Cameras: []scene.Camera{{Up: 0.5, Aspect: 2}}}
	n := scene.NewNode("cam")
	n.Camera, n.Translation = 0, geom.Vec{X: 3, Y: 2, Z: 1}
	s.Nodes = []scene.Node{n}
	p := sample()
	p.Scene.SHA256, p.Views[0].Camera = "5ce", "cam"
	k := Known{SceneFile: p.Scene, Scene: s}
	before := p.Views[0].Setup.Of(s.At(0).World[0], s.Cameras[0])
	c, err := FromText("view.set", map[string][]string{"view": {p.Views[0].Code}, "camera": {""}})
	if err != nil {
		t.Fatal(err)
	}
	if err := Apply(c, &p, k); err != nil {
		t.Fatal(err)
	}
	v := p.Views[0]
	after := v.Setup.Of(geom.Identity(), camera.OwnOptics())
	if v.Camera != "" || after.Pose.Origin != before.Pose.Origin ||
		math.Abs(after.Camera.Up-before.Camera.Up) > 1e-9 || math.Abs(after.Camera.Aspect-before.Camera.Aspect) > 1e-9 {
		t.Errorf("it was %+v, and is %+v", before, after)
	}
}
