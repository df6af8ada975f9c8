package screening_test

import (
	"encoding/json"
	"image/png"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"testing"

	"reelhouse/core/screening"
	"reelhouse/web/webtest"
)

func TestFramesAreLookedAtCloser(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	at := "/p/TEST/screen/" + strconv.FormatInt(sequence, 10) + "/" + strconv.Itoa(number)
	_, body := s.Get("/p/TEST/screening?sequence=" + strconv.FormatInt(sequence, 10))
	s.Says(
		body,
		`&#34;beauty&#34;:[&#34;R&#34;,&#34;G&#34;,&#34;B&#34;,&#34;A&#34;,&#34;luminance&#34;]`,
		"Look closer",
	)
	for query, want := range map[string][3]uint8{ // red is 0.18 everywhere, with the code 118
		"": {118, 0, 0}, "channel=R": {118, 118, 118}, "channel=G": {0, 0, 0}, "gamma=2": {173, 0, 0},
		"stops=3&marks=1": {0xd7, 0x2a, 0x8a},
	} {
		code, body := s.Get(at + "/beauty?" + query)
		img, err := png.Decode(strings.NewReader(body))
		if code != 200 || err != nil {
			t.Fatalf("%s: %d, %v", query, code, err)
		}
		r, g, b, _ := img.At(3, 3).RGBA()
		if got := [3]uint8{uint8(r >> 8), uint8(g >> 8), uint8(b >> 8)}; got != want {
			t.Errorf("%s: %v, want %v", query, got, want)
		}
	}
	said := s.Ask("GET", at+"/normal?marks=1&channel=X", func(*http.Request) {}).Header().Get("X-Mapping")
	if words, err := url.PathUnescape(said); err != nil || !strings.HasPrefix(words, "X, Y and Z from −1 to 1") ||
		!strings.HasSuffix(words, "; X alone; "+screening.Marks) || strings.ContainsFunc(said,
		func(r rune) bool { return r > 127 }) {
		t.Errorf("what is shown is said as %q", said)
	}
	var found screening.Scope
	code, body := s.Get(at + "/spread/depth?place=0,0,2,1")
	if err := json.Unmarshal([]byte(body), &found); code != 200 || err != nil || found.Pixels != 2 ||
		found.Channels[0].Above != 1 || found.Channels[0].Histogram[255] != 1 { // 1000 m, and 7.2 m, which is white
		t.Errorf("%d %s", code, body)
	}
	for _, hostile := range webtest.Hostile() {
		for _, query := range []string{"gamma=", "stops=", "channel=", "place="} {
			for _, what := range []string{"/beauty?", "/spread/beauty?"} {
				if code, body := s.Get(at + what + query + url.QueryEscape(hostile)); code >= 500 {
					t.Errorf("%s%s%q: %d %s", what, query, hostile, code, body)
				}
			}
		}
	}
	if code, _ := s.Get(at + "/beauty?gamma=NaN"); code != 400 {
		t.Errorf("a gamma of NaN: %d", code)
	}
	if code, _ := s.Get(at + "/spread/beauty?place=0,0,9999,9999"); code != 200 { // as far as there are pixels
		t.Errorf("a place beyond the picture: %d", code)
	}
}
