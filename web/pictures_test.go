package web

import (
	"bytes"
	"image/png"
	"math"
	"net/http/httptest"
	"strings"
	"testing"

	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

func TestAPictureComesAtOnce(t *testing.T) {
	s := newSite(t)
	fetch := func(query string) []byte {
		code, body := s.get("/p/TEST/preview?view=v&" + query)
		if code != 200 {
			t.Fatalf("%s: %d %s", query, code, body)
		}
		return []byte(body)
	}
	first, second := fetch("step=0"), fetch("step=1")
	a, errA := png.DecodeConfig(bytes.NewReader(first))
	b, errB := png.DecodeConfig(bytes.NewReader(second))
	if errA != nil || errB != nil || a.Width >= b.Width || b.Width != previewEdge {
		t.Errorf("pictures of %+v and %+v, %v, %v", a, b, errA, errB)
	}
	// A try shows the view as it would be, and changes nothing.
	if tried := fetch("step=0&try=view.place&set.side=above&set.x=4&set.y=5"); bytes.Equal(tried, first) {
		t.Error("a camera that was put elsewhere sees the same")
	}
	if p := s.production(); p.Views[0].Setup.Stand != nil {
		t.Error("trying has changed the view")
	}
	for _, query := range []string{"view=v&step=9", "view=v", "view=none&step=0",
		"view=v&step=0&try=view.place&set.side=above&set.x=x", "view=v&step=0&look=none"} {
		if code, _ := s.get("/p/TEST/preview?" + query); code < 400 || code >= 500 {
			t.Errorf("%s: %d", query, code)
		}
	}
}

func TestAPointIsPickedAndMeasured(t *testing.T) {
	s := newSite(t)
	_, body := s.get("/p/TEST/pick?view=v&frame=1001&at=0.5,0.9")
	s.says(body, "<b>floor</b>", "of default", "Focus here", "Aim the camera here", "depth from here")
	if strings.Contains(body, "tape") {
		t.Error("one point was measured")
	}
	_, body = s.get("/p/TEST/pick?view=v&frame=1001&at=0.6,0.9&from=0.5,0.9")
	s.says(body, `id="tape"`, "From floor")
	_, body = s.get("/p/TEST/pick?view=v&frame=1001&at=0.5,0.05&from=0.5,0.9")
	s.says(body, "no surface")
	for _, at := range []string{"", "2,0", "x", "NaN,0"} {
		if code, _ := s.get("/p/TEST/pick?view=v&at=" + at); code != 400 {
			t.Errorf("%q: %d", at, code)
		}
	}
	s.editView("locked", "")
	if code, body := s.get("/p/TEST/sights"); code != 200 || strings.Contains(body, "Look at") {
		t.Errorf("sights: %d %s", code, body)
	}
	s.editView("tilt", "90")
	_, body = s.get("/p/TEST/sights")
	s.says(body, "View v sees no object at all")
}

// environmentFile is a map with one value everywhere.
func environmentFile(t *testing.T, width, height int, light float32) []byte {
	t.Helper()
	img := pixel.New(width, height, "R", "G", "B", "A")
	for _, p := range img.Planes {
		for i := range p.Data {
			p.Data[i] = light
		}
	}
	var b bytes.Buffer
	if err := picture.Encode(&b, output.EXR.Usual(), img, []pass.Code{pass.Beauty}, picture.Header{}); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestAnEnvironmentIsTakenInAndPutRoundTheScene(t *testing.T) {
	s := newSite(t)
	send := func(name string, data []byte) string {
		return s.upload("/p/TEST/environment", map[string]string{"station": "views"}, map[string][]byte{name: data})
	}
	s.says(send("a.png", []byte("x")), "neither an .exr nor an .hdr")
	s.says(send("a.exr", []byte("x")), "a.exr was not imported")
	s.says(send("a.exr", environmentFile(t, 30, 20, 1)), "twice as wide as high")
	s.says(s.upload("/p/TEST/environment", nil, nil), "no file was chosen")
	s.says(
		send("bright day.exr", environmentFile(t, 32, 16, 2)), "Imported: bright day.exr", "bright_day", "32 × 16",
		"is in no look",
	)
	sky := func() float64 {
		code, body := s.get("/p/TEST/preview?view=v&step=0")
		if code != 200 {
			t.Fatalf("%d %s", code, body)
		}
		img, err := png.Decode(strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		r, _, _, _ := img.At(5, 2).RGBA()
		return pixel.SRGB.Decode(float64(r) / 0xffff)
	}
	s.editLook("plain", "environment", "bright_day")
	s.editLook("plain", "environmentIntensity", "0.25")
	s.says(s.editLook("plain", "environmentRotation", "30"), "bright_day")
	if got := sky(); math.Abs(got-0.5) > 0.01 {
		t.Errorf("a quarter of 2 shows as %v", got)
	}
	s.says(s.editLook("plain", "environment", "none"), "does not exist")
	s.says(s.editLook("plain", "environmentRotation", "500"), "outside 360")
	s.editLook("plain", "background", "colour")
	s.editLook("plain", "backgroundColour", "#ffffff")
	if got := sky(); math.Abs(got-1) > 0.01 {
		t.Errorf("before white the sky is %v", got)
	}
	s.says(s.editLook("plain", "backgroundColour", "red"), "#rrggbb")
	s.editLook("plain", "background", "")
	s.editLook("plain", "clay", "floor")
	s.says(s.editLook("plain", "leastSamples", "12"), "3 frames")
	if l := s.look("plain"); l.LeastSamples != 12 || len(l.Clay) != 1 || l.Background.Kind != "" {
		t.Errorf("the look is %+v", l)
	}
	s.says(s.editLook("plain", "leastSamples", "65"), "outside 0 to 64")
	edit := func(field, value string) string {
		_, body := s.post(
			"/p/TEST/edit/environment",
			map[string][]string{"of": {"bright_day"}, "field": {field}, "value": {value}, "station": {"views"}},
		)
		return body
	}
	s.says(edit("remove", ""), "look plain has this environment")
	s.says(edit("code", "day"), "environment-day")
	if l := s.look("plain"); l.Environment.Map != "day" {
		t.Errorf("the look names %q", l.Environment.Map)
	}
	// What is sent has the environment in it; a frame's job names the file.
	d, err := s.house.Draft(s.production().Production)
	if err != nil || len(d.Batch.Sequences) != 1 || d.Batch.Sequences[0].Environment.Width != 32 ||
		d.Batch.Sequences[0].Samples(d.Batch.Quality) != 12 {
		t.Errorf("the batch has %+v, %v", d.Batch.Sequences, err)
	}
	w := httptest.NewRecorder()
	s.handler.ServeHTTP(w, httptest.NewRequest("GET", "/p/TEST/views?look=plain", nil))
	s.says(w.Body.String(), `id="environment-day"`)
}
