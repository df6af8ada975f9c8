package standards_test

import (
	"net/url"
	"strings"
	"testing"

	"reelhouse/core/look"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
	"reelhouse/house"
	"reelhouse/web/webtest"
)

func TestStandardsAreEditedInTheirOwnWords(t *testing.T) {
	s := webtest.New(t)
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
		before := s.Production().Number
		if body := s.Set(e[0], e[1], e[2], e[3:]...); s.Production().Number == before ||
			strings.Contains(body, "Not kept") {
			t.Errorf("%v was not kept:\n%s", e, webtest.Said(body))
		}
	}
	p := s.Production()
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
		before := s.Production().Number
		if body := s.Set(e[0], e[1], e[2], e[3:]...); !strings.Contains(body, says) || s.Production().Number != before {
			t.Errorf("%v does not say %q, or was kept:\n%s", e, says, webtest.Said(body))
		}
	}
}

func TestAProductionWithoutStandardsSaysWhatIsMissing(t *testing.T) {
	s := webtest.New(t)
	s.Set("shot", "010", "remove", "")
	if body := s.Set("size", "scope", "remove", ""); !strings.Contains(body, "the shot defaults use the size scope") {
		t.Errorf("a size that the defaults name went: %s", webtest.Said(body))
	}
	for _, field := range []string{"sizes", "outputs", "passList"} {
		s.Set("defaults", "", field, "")
	}
	for _, part := range [][]string{{"size", "scope"}, {"size", "hd"}, {"output", "master"}, {"output", "review"},
		{"output", "proxy"}, {"quality", "final"}, {"pass-list", "comp"}, {"pass-list", "minimum"}} {
		s.Set(part[0], part[1], "remove", "")
	}
	for _, st := range s.App.Stations() {
		if code, body := s.Get("/p/TEST/" + string(st.Key)); code != 200 {
			t.Errorf("%s: %d\n%s", st.Key, code, body)
		}
	}
	if body := s.Set("shot", "", "add", ""); !strings.Contains(body, "add what is missing") {
		t.Errorf("a shot of nothing: %s", webtest.Said(body))
	}
	if p := s.Production(); len(p.Sizes) != 1 || len(p.Outputs) != 1 || len(p.Qualities) != 1 {
		t.Errorf("the last of something could be removed: %+v", p.Standards)
	}
	if _, body := s.Get("/p/TEST/names?value=" + url.QueryEscape("(shot).(frame:4).(ext)")); !strings.Contains(
		body, "no paths yet",
	) {
		t.Errorf("the names' preview: %s", body)
	}
}

func TestTheNextVersionTouchesNothingEarlier(t *testing.T) {
	s := webtest.New(t)
	p := s.Production()
	p.Version = 2
	if _, err := s.House.SendDraft(p.Production, house.Sending{}); err != nil {
		t.Fatal(err)
	}
	s.Set("production", "", "next-version")
	if got := s.Production().Version; got != 3 {
		t.Errorf("after 1 and 2 were sent the next is %d", got)
	}
	s.Set("names", "", "pattern", "(shot)/(output)/(size)/(frame:4).(ext)")
	if body := s.Set("production", "", "next-version"); !strings.Contains(body, "no (version)") ||
		s.Production().Version != 3 {
		t.Errorf("without a version in the names:\n%s", webtest.Said(body))
	}
}

func TestTimeIsToldInEveryWay(t *testing.T) {
	s := webtest.New(t)
	for query, says := range map[string]string{
		"by=frame&value=1049": "00:00:02:00", "by=timecode&value=00:00:02:00": `value="1049"`,
		"by=seconds&value=2": `value="1049"`, "by=timecode&value=x": "HH:MM:SS:FF",
		"by=frame&value=x": "not a frame number", "by=seconds&value=NaN": "not a number of seconds",
	} {
		if _, body := s.Get("/p/TEST/clock?" + query); !strings.Contains(body, says) {
			t.Errorf("%s: want %q\n%s", query, says, webtest.Said(body))
		}
	}
	for query, says := range map[string]string{
		"count=120&to=30&method=nearest": ">150<", "count=120&to=30&method=blend": "40 %",
		"count=x&to=30": "not a number of frames", "count=120&to=x": "not a frame rate",
	} {
		if _, body := s.Get("/p/TEST/retime?" + query); !strings.Contains(body, says) {
			t.Errorf("%s: want %q\n%s", query, says, webtest.Said(body))
		}
	}
	if _, body := s.Get("/p/TEST/shots"); !strings.Contains(body, "00:00:00:00 – 00:00:00:02") ||
		!strings.Contains(body, "0.12 s") {
		t.Errorf("shots do not tell their time:\n%s", webtest.Said(body))
	}
}

// A quality's effort is typed as a person says it, and what is empty is as usual.
func TestEffortIsEdited(t *testing.T) {
	s := webtest.New(t)
	set := func(field, value string) string {
		_, body := s.Post(
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
	q, _ := s.Production().FindQuality("final")
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
		before, _ := s.Production().FindQuality("final")
		set(field, value)
		if after, _ := s.Production().FindQuality("final"); after != before {
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
	if q, _ := s.Production().FindQuality("final"); q.Effort != (sampling.Effort{}) || q.Tiles != (raster.Tiling{}) {
		t.Errorf("emptied, the quality is %+v", q)
	}
}
