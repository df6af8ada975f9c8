package views_test

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
	"reelhouse/web/webtest"
)

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
	s := webtest.New(t)
	send := func(name string, data []byte) string {
		return s.Upload("/p/TEST/environment", map[string]string{"station": "views"}, map[string][]byte{name: data})
	}
	s.Says(send("a.png", []byte("x")), "neither an .exr nor an .hdr")
	s.Says(send("a.exr", []byte("x")), "a.exr was not imported")
	s.Says(send("a.exr", environmentFile(t, 30, 20, 1)), "twice as wide as high")
	s.Says(s.Upload("/p/TEST/environment", nil, nil), "no file was chosen")
	s.Says(
		send("bright day.exr", environmentFile(t, 32, 16, 2)), "Imported: bright day.exr", "bright_day", "32 × 16",
		"is in no look",
	)
	sky := func() float64 {
		code, body := s.Get("/p/TEST/preview?view=v&step=0")
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
	s.EditLook("plain", "environment", "bright_day")
	s.EditLook("plain", "environmentIntensity", "0.25")
	s.Says(s.EditLook("plain", "environmentRotation", "30"), "bright_day")
	if got := sky(); math.Abs(got-0.5) > 0.01 {
		t.Errorf("a quarter of 2 shows as %v", got)
	}
	s.Says(s.EditLook("plain", "environment", "none"), "does not exist")
	s.Says(s.EditLook("plain", "environmentRotation", "500"), "outside 360")
	s.EditLook("plain", "background", "colour")
	s.EditLook("plain", "backgroundColour", "#ffffff")
	if got := sky(); math.Abs(got-1) > 0.01 {
		t.Errorf("before white the sky is %v", got)
	}
	s.Says(s.EditLook("plain", "backgroundColour", "red"), "#rrggbb")
	s.EditLook("plain", "background", "")
	s.EditLook("plain", "clay", "floor")
	s.Says(s.EditLook("plain", "leastSamples", "12"), "3 frames")
	if l := s.Look("plain"); l.LeastSamples != 12 || len(l.Clay) != 1 || l.Background.Kind != "" {
		t.Errorf("the look is %+v", l)
	}
	s.Says(s.EditLook("plain", "leastSamples", "65"), "outside 0 to 64")
	edit := func(field, value string) string {
		_, body := s.Post(
			"/p/TEST/edit/environment",
			map[string][]string{"of": {"bright_day"}, "field": {field}, "value": {value}, "station": {"views"}},
		)
		return body
	}
	s.Says(edit("remove", ""), "look plain has this environment")
	s.Says(edit("code", "day"), "environment-day")
	if l := s.Look("plain"); l.Environment.Map != "day" {
		t.Errorf("the look names %q", l.Environment.Map)
	}
	// What is sent has the environment in it; a frame's job names the file.
	d, err := s.House.Draft(s.Production().Production)
	if err != nil || len(d.Batch.Sequences) != 1 || d.Batch.Sequences[0].Environment.Width != 32 ||
		d.Batch.Sequences[0].Samples(d.Batch.Quality) != 12 {
		t.Errorf("the batch has %+v, %v", d.Batch.Sequences, err)
	}
	w := httptest.NewRecorder()
	s.Handler.ServeHTTP(w, httptest.NewRequest("GET", "/p/TEST/views?look=plain", nil))
	s.Says(w.Body.String(), `id="environment-day"`)
}
