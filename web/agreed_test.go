package web

import (
	"bytes"
	"encoding/json"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/preflight"
	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/store"
)

var saying = regexp.MustCompile(
	`(?s)<(?:p|span)[^>]*(?:class="mistake"|id="notice"|id="impact")[^>]*>(.*?)</(?:p|span)>`,
)

// said returns what a page says to what was done: its notice and its mistakes.
func said(body string) string {
	var all []string
	for _, m := range saying.FindAllStringSubmatch(body, -1) {
		all = append(all, m[1])
	}
	return strings.Join(all, "\n")
}

// set edits one field and returns the page.
func (s *site) set(kind, of, field string, values ...string) string {
	s.t.Helper()
	form := url.Values{"of": {of}, "field": {field}, "values": values, "station": {"standards"}}
	if len(values) > 0 {
		form.Set("value", values[0])
	}
	code, body := s.post("/p/TEST/edit/"+kind, form)
	if code != 200 {
		s.t.Fatalf("%s %s %s %v: %d\n%s", kind, of, field, values, code, said(body))
	}
	return body
}

func TestStandardsAreEditedInTheirOwnWords(t *testing.T) {
	s := newSite(t)
	for _, e := range [][]string{
		{"size", "", "add", "A3-300"}, {"size", "hd", "ratio", "2.39"}, {"size", "hd", "lock-ratio", "1"},
		{"size", "hd", "width", "4096"}, {"size", "hd", "multipleOf", "2"},
		{"size", "hd", "fit", "pad"}, {"size", "hd", "anchorY", "0.5"}, {"size", "hd", "pixelAspect", "1.5"},
		{"size", "A3-300", "printWidth", "12 in"}, {"size", "A3-300", "turn", ""},
		{"quality", "draft", "scale", "1/3"}, {"quality", "", "add", ""}, {"production", "", "rate", "29.970 fps drop"},
		{"production", "", "firstTimecode", "01:00:00;00"}, {"production", "", "handles", "8"},
		{"picture", "", "display", "bt1886"}, {"picture", "", "alpha", "straight"},
		{"picture", "", "background", "colour"}, {"picture", "", "colour", "#FF8000"},
		{"minimum", "", "width", "2048"}, {"minimum", "", "bits", "16"}, {"minimum", "", "lossless", "1"},
	} {
		before := s.production().Number
		if body := s.set(e[0], e[1], e[2], e[3:]...); s.production().Number == before ||
			strings.Contains(body, "Not kept") {
			t.Errorf("%v was not kept:\n%s", e, said(body))
		}
	}
	p := s.production()
	hd, _ := p.FindSize("hd")
	a3, _ := p.FindSize("A3-300")
	if hd.Width != 4096 || hd.Height != 1714 || hd.Fit.Fitting != "pad" || hd.Fit.AnchorY != 0.5 ||
		hd.PixelAspect != 1.5 ||
		a3.Width != 4961 ||
		a3.Height != 3600 {
		t.Errorf("%+v\n%+v", hd, a3)
	}
	if p.Qualities[0].Scale.Divisor != 3 || !p.DropFrame || p.Clock().Timecode(1001).String() != "01:00:00;00" ||
		p.Handles != 8 ||
		len(p.Qualities) != 3 {
		t.Errorf("%+v", p.Standards)
	}
	if p.Picture.Background != (look.Background{Kind: look.PlainColour, Colour: "#ff8000"}) ||
		p.Floor != (production.Floor{Width: 2048, Bits: 16, Lossless: true}) {
		t.Errorf("%+v %+v", p.Picture, p.Floor)
	}
	for says, e := range map[string][]string{
		"unlock": {"size", "hd", "ratio", "2"}, "no ratio": {"size", "A3-300", "ratio", "x"},
		"printed length": {"size", "A3-300", "printWidth", "12"}, "not a number": {"size", "hd", "anchorX", "NaN"},
		"outside 0.1": {"size", "hd", "pixelAspect", "20"}, "HH:MM:SS": {"production", "", "firstTimecode", "x"},
		"handle": {"production", "", "handles", "-1"}, "not a frame rate": {"production", "", "rate", "x"},
		"#rrggbb": {"picture", "", "colour", "red"}, "no part of a size": {"quality", "draft", "scale", "2/3"},
		"is sent in this quality": {"quality", "draft", "remove", ""},
		"outside 0 to":            {"minimum", "", "width", "-5"},
	} {
		before := s.production().Number
		if body := s.set(e[0], e[1], e[2], e[3:]...); !strings.Contains(body, says) || s.production().Number != before {
			t.Errorf("%v does not say %q, or was kept:\n%s", e, says, said(body))
		}
	}
}

func TestOutputsAreEditedAndRefusedWithReasons(t *testing.T) {
	s := newSite(t)
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
		before := s.production().Number
		if body := s.set(e[0], e[1], e[2], e[3:]...); s.production().Number == before ||
			strings.Contains(body, "Not kept") {
			t.Errorf("%v was not kept:\n%s", e, said(body))
		}
	}
	p := s.production()
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
		before := s.production().Number
		if body := s.set(e[0], e[1], e[2], e[3:]...); !strings.Contains(body, says) || s.production().Number != before {
			t.Errorf("%v does not say %q, or was kept:\n%s", e, says, said(body))
		}
	}
	// What a format cannot hold is shown before it is chosen.
	_, body := s.get("/p/TEST/output?open=master")
	for _, says := range []string{"PNG has no float numbers", "JPEG has no layers",
		"JPEG loses a little of the picture", `id="output-master-format-jpeg" disabled`} {
		if !strings.Contains(body, says) && !strings.Contains(strings.ReplaceAll(body, "\n", " "), says) {
			t.Errorf("the page does not say %q", says)
		}
	}
}

func TestAProductionWithoutStandardsSaysWhatIsMissing(t *testing.T) {
	s := newSite(t)
	s.set("shot", "010", "remove", "")
	for _, part := range [][]string{{"size", "scope"}, {"size", "hd"}, {"output", "master"}, {"output", "review"},
		{"output", "proxy"}, {"quality", "final"}, {"pass-list", "comp"}, {"pass-list", "minimum"}} {
		s.set(part[0], part[1], "remove", "")
	}
	for _, st := range stations {
		if code, body := s.get("/p/TEST/" + string(st.Key)); code != 200 {
			t.Errorf("%s: %d\n%s", st.Key, code, body)
		}
	}
	if body := s.set("shot", "", "add", ""); !strings.Contains(body, "add what is missing") {
		t.Errorf("a shot of nothing: %s", said(body))
	}
	if p := s.production(); len(p.Sizes) != 1 || len(p.Outputs) != 1 || len(p.Qualities) != 1 {
		t.Errorf("the last of something could be removed: %+v", p.Standards)
	}
	if _, body := s.get("/p/TEST/names?value=" + url.QueryEscape("(shot).(frame:4).(ext)")); !strings.Contains(
		body, "no paths yet",
	) {
		t.Errorf("the names' preview: %s", body)
	}
}

func TestAnEditShowsWhatItChanges(t *testing.T) {
	s := newSite(t)
	if body := s.set("size", "hd", "width", "3840"); !strings.Contains(body, "That changes") ||
		!strings.Contains(body, "1 shot") ||
		!strings.Contains(body, "→") {
		t.Errorf("a larger size:\n%s", said(body))
	}
	if body := s.set("names", "", "pattern", "(shot)/(frame:5).(ext)"); !strings.Contains(body, "3 paths") {
		t.Errorf("other names:\n%s", said(body))
	}
	if body := s.set("production", "", "title", "Another"); strings.Contains(body, "That changes") {
		t.Errorf("a title changes nothing:\n%s", said(body))
	}
}

func TestTheSecondTabIsToldAndMayInsist(t *testing.T) {
	s := newSite(t)
	seen := strconv.Itoa(s.production().Number)
	post := func(field, value string, more url.Values) string {
		form := url.Values{"of": {"hd"}, "field": {field}, "value": {value}, "station": {"standards"}, "seen": {seen}}
		for k, v := range more {
			form[k] = v
		}
		_, body := s.post("/p/TEST/edit/size", form)
		return body
	}
	post("width", "1000", nil)
	body := post("width", "2000", nil)
	if p := s.production(); p.Sizes[1].Width != 1000 ||
		!strings.Contains(body, "changed elsewhere in the meantime, to 1000") ||
		!strings.Contains(body, `value="2000"`) ||
		!strings.Contains(body, "Keep mine") {
		t.Errorf("%+v\n%s", p.Sizes[1], said(body))
	}
	if body := post("height", "900", nil); s.production().Sizes[1].Height != 900 ||
		strings.Contains(body, "Keep mine") {
		t.Errorf("another field of the same size was refused:\n%s", said(body))
	}
	post("width", "2000", url.Values{"mine": {"1"}})
	if p := s.production(); p.Sizes[1].Width != 2000 || p.Sizes[1].Height != 900 {
		t.Errorf("insisting was refused: %+v", p.Sizes[1])
	}
}

func TestPresetsAreSavedComparedAndPutBack(t *testing.T) {
	s := newSite(t)
	do := func(what string, form url.Values) string {
		t.Helper()
		form.Set("station", "standards")
		code, body := s.post("/p/TEST/preset/"+what, form)
		if code != 200 {
			t.Fatalf("%s: %d\n%s", what, code, said(body))
		}
		return body
	}
	standards := func(name string) url.Values { return url.Values{"kind": {"standards"}, "name": {name}} }
	do("save", standards("House & home"))
	if body := do("save", standards("house & home")); !strings.Contains(body, "already") {
		t.Errorf("a second preset of the name:\n%s", said(body))
	}
	s.set("size", "hd", "width", "1000")
	body := s.set("production", "", "handles", "8")
	if !strings.Contains(body, "3 differences") || !strings.Contains(body, "sizes › hd › width") {
		t.Fatalf("differences are not shown:\n%s", said(body))
	}
	form := standards("House & home")
	form.Set("path", `["sizes","hd","width"]`)
	if body := do("reset", form); s.production().Sizes[1].Width != 1920 || !strings.Contains(body, "2 differences") {
		t.Errorf("one thing was not put back: %+v", s.production().Sizes[1])
	}
	if body := do("recall", standards("House & home")); s.production().Handles != 0 ||
		!strings.Contains(body, "Nothing differs") {
		t.Errorf("all was not put back:\n%s", said(body))
	}
	do("save", url.Values{"kind": {"output"}, "name": {"Small"}, "output": {"proxy"}})
	s.set("output", "proxy", "level", "33")
	if _, body := s.get("/p/TEST/output?open=proxy&against=Small"); !strings.Contains(body, "outputs › proxy › level") {
		t.Errorf("an output's difference is not shown:\n%s", said(body))
	}
	do("recall", url.Values{"kind": {"output"}, "name": {"Small"}})
	if o, _ := s.production().FindOutput("proxy"); o.Level != 90 {
		t.Errorf("the output was not recalled: %+v", o)
	}
	if body := do("recall", standards("none")); !strings.Contains(body, "choose a preset") {
		t.Errorf("a preset that is none:\n%s", said(body))
	}
	if body := do("delete", standards("House & home")); !strings.Contains(body, "is gone") {
		t.Errorf("deleting:\n%s", said(body))
	}
}

func TestPresetFilesGoOutAndComeIn(t *testing.T) {
	s := newSite(t)
	code, file := s.get("/p/TEST/preset/file")
	p, err := preset.Read(strings.NewReader(file))
	if code != 200 || err != nil || p.Name != "Test" {
		t.Fatalf("%d, %v", code, err)
	}
	if _, file := s.get("/p/TEST/preset/file?output=review"); !strings.Contains(file, `"kind": "output"`) {
		t.Errorf("an output's file:\n%s", file)
	}
	upload := func(text string) string {
		var b bytes.Buffer
		w := multipart.NewWriter(&b)
		part, _ := w.CreateFormFile("file", "house.json")
		part.Write([]byte(text))
		w.WriteField("station", "standards")
		w.Close()
		r := httptest.NewRequest("POST", "/p/TEST/preset/file", &b)
		r.Header.Set("Content-Type", w.FormDataContentType())
		r.Header.Set("HX-Request", "true")
		_, body := s.do(r)
		return body
	}
	if body := upload(file); !strings.Contains(body, "Imported: the standards preset Test") {
		t.Errorf("a good file:\n%s", said(body))
	}
	for text, says := range map[string]string{file: "already", file[:len(file)/2]: "was not imported", "": "line 1",
		strings.Replace(file, `"width": 2048`, `"width": -1`, 1): "size scope"} {
		if body := upload(text); !strings.Contains(body, says) {
			t.Errorf("want %q:\n%s", says, said(body))
		}
	}
	if all, _ := s.house.Record.Presets(preset.Standards); len(all) != 1 {
		t.Errorf("there are %d presets", len(all))
	}
}

func TestANewProductionStartsFromAPresetOrAnother(t *testing.T) {
	s := newSite(t)
	s.set("production", "", "handles", "12")
	s.post("/p/TEST/preset/save", url.Values{"kind": {"standards"}, "name": {"Long"}, "station": {"standards"}})
	if code, _ := s.post("/productions", url.Values{"code": {"ONE"}, "title": {"One"},
		"start": {"preset:Long"}}); code != http.StatusSeeOther {
		t.Fatal(code)
	}
	if p, _ := s.house.Record.Production("ONE"); p.Handles != 12 || p.Preset != "Long" || len(p.Shots) != 0 {
		t.Errorf("%+v", p)
	}
	if code, _ := s.post("/productions", url.Values{"code": {"TWO"}, "title": {"Two"},
		"start": {"production:TEST"}}); code != http.StatusSeeOther {
		t.Fatal(code)
	}
	if p, _ := s.house.Record.Production("TWO"); len(p.Shots) != 1 || p.Scene.SHA256 == "" || p.Title != "Two" {
		t.Errorf("%+v", p)
	}
	if _, body := s.post("/p/ONE/take", url.Values{"from": {"TEST"}, "values": {"shots", "views"},
		"station": {"standards"}, "mine": {"1"}}); !strings.Contains(
		body, "Saved",
	) {
		t.Errorf("copying parts:\n%s", said(body))
	}
	if p, _ := s.house.Record.Production("ONE"); len(p.Shots) != 1 || p.Scene.SHA256 != "" {
		t.Errorf("%+v", p)
	}
	if _, body := s.post("/p/ONE/take", url.Values{"from": {"TEST"}, "station": {"standards"},
		"mine": {"1"}}); !strings.Contains(
		body, "choose what to copy",
	) {
		t.Errorf("nothing chosen:\n%s", said(body))
	}
	if code, body := s.post("/productions",
		url.Values{"code": {"X"}, "title": {"X"}, "start": {"preset:none"}}); code != http.StatusUnprocessableEntity ||
		!strings.Contains(body, "not found") {
		t.Errorf("a preset that is none: %d", code)
	}
}

func TestTheNextVersionTouchesNothingEarlier(t *testing.T) {
	s := newSite(t)
	p := s.production()
	p.Version = 2
	if _, err := s.house.SendDraft(p.Production, house.Sending{}); err != nil {
		t.Fatal(err)
	}
	s.set("production", "", "next-version")
	if got := s.production().Version; got != 3 {
		t.Errorf("after 1 and 2 were sent the next is %d", got)
	}
	s.set("names", "", "pattern", "(shot)/(output)/(size)/(frame:4).(ext)")
	if body := s.set("production", "", "next-version"); !strings.Contains(body, "no (version)") ||
		s.production().Version != 3 {
		t.Errorf("without a version in the names:\n%s", said(body))
	}
}

func TestTimeIsToldInEveryWay(t *testing.T) {
	s := newSite(t)
	for query, says := range map[string]string{
		"by=frame&value=1049": "00:00:02:00", "by=timecode&value=00:00:02:00": `value="1049"`,
		"by=seconds&value=2": `value="1049"`, "by=timecode&value=x": "HH:MM:SS:FF",
		"by=frame&value=x": "not a frame number", "by=seconds&value=NaN": "not a number of seconds",
	} {
		if _, body := s.get("/p/TEST/clock?" + query); !strings.Contains(body, says) {
			t.Errorf("%s: want %q\n%s", query, says, said(body))
		}
	}
	for query, says := range map[string]string{
		"count=120&to=30&method=nearest": ">150<", "count=120&to=30&method=blend": "40 %",
		"count=x&to=30": "not a number of frames", "count=120&to=x": "not a frame rate",
	} {
		if _, body := s.get("/p/TEST/retime?" + query); !strings.Contains(body, says) {
			t.Errorf("%s: want %q\n%s", query, says, said(body))
		}
	}
	if _, body := s.get("/p/TEST/shots"); !strings.Contains(body, "00:00:00:00 – 00:00:00:02") ||
		!strings.Contains(body, "0.12 s") {
		t.Errorf("shots do not tell their time:\n%s", said(body))
	}
}

func TestTheNameEditorCompletesAndPointsAtMistakes(t *testing.T) {
	s := newSite(t)
	names := func(text string, caret int) string {
		_, body := s.get("/p/TEST/names?value=" + url.QueryEscape(text) + "&caret=" + strconv.Itoa(caret))
		return body
	}
	if body := names("(sh", 3); !strings.Contains(body, `data-complete="(shot)"`) ||
		!strings.Contains(body, "no &#39;)&#39;") {
		t.Errorf("completion:\n%s", said(body))
	}
	if body := names("a/(nope)/(frame).(ext)", 5); !strings.Contains(body, `a/(<mark class="bad">n</mark>ope)`) {
		t.Errorf("the mistake's place:\n%s", said(body))
	}
	body := names("(shot)/(output).(frame:4).(ext)", 0)
	for _, says := range []string{`data-proof="pattern"`, "3 files: proved by the pattern",
		`data-take="0" data-end="6"`, "no reserved name", "enough for every frame"} {
		if !strings.Contains(body, says) {
			t.Errorf("the preview does not say %q:\n%s", says, said(body))
		}
	}
	s.set("shot", "010", "sizes", "hd", "scope")
	if body := names("(shot).(frame:4).(ext)", 0); !strings.Contains(body, "010 v hd (master all)") ||
		!strings.Contains(body, "would both write 010.1001.exr") {
		t.Errorf("the colliding pair is not named:\n%s", said(body))
	}
	if body := names("(shot)/(size)/(frame:2).(ext)", 0); strings.Contains(body, "too short") {
		t.Errorf("numbers of one length are long enough:\n%s", said(body))
	}
	s.set("shot", "010", "frames", "98-101")
	s.set("names", "", "pattern", "(shot)/(size)/v(version)/(frame:2).(ext)")
	s.edits(preflight.PadFrames.CommandName())
	if p := s.production(); p.Names.Pattern != "(shot)/(size)/v(version)/(frame:3).(ext)" {
		t.Errorf("padding became %s", p.Names.Pattern)
	}
}

func TestScreeningShowsTheOutputThatIsAsked(t *testing.T) {
	s := newSite(t)
	if code, body := s.get("/p/TEST/screening?sequence=" + strconv.FormatInt(s.batch.Sequences[0].ID, 10) +
		"&output=none"); code != 404 {
		t.Errorf("an output that is none: %d\n%s", code, said(body))
	}
	at := "/p/TEST/screen/" + strconv.FormatInt(s.batch.Sequences[0].ID, 10)
	_, body := s.get(at)
	var frames []struct{ Timecode string }
	if err := json.Unmarshal([]byte(body), &frames); err != nil || len(frames) != 3 ||
		frames[2].Timecode != "00:00:00:02" {
		t.Errorf("%s, %v", body, err)
	}
}

func TestOtherTabsHearOfEdits(t *testing.T) {
	s := newSite(t)
	r, err := s.house.Record.Edit(
		"TEST",
		store.Making{Summary: "a title"},
		func(p *production.Production) error { p.Title = "New"; return nil },
	)
	if err != nil {
		t.Fatal(err)
	}
	pages, err := parsePages()
	if err != nil {
		t.Fatal(err)
	}
	text, err := pages.partial("edited", r)
	if err != nil || !strings.Contains(text, `data-number="`+strconv.Itoa(r.Number)+`"`) ||
		!strings.Contains(text, "a title") {
		t.Errorf("%s, %v", text, err)
	}
}
