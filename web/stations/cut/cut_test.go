package cut_test

import (
	"bytes"
	"fmt"
	"mime/multipart"
	"net/http/httptest"
	"os"
	"strings"
	"testing"

	"reelhouse/core/cut"
	"reelhouse/core/frame"
	"reelhouse/web/webtest"
)

func TestACutIsBroughtInAndChanged(t *testing.T) {
	s := webtest.New(t)
	path := "/p/TEST/cut/file"
	upload := func(name string, data []byte) string {
		var b bytes.Buffer
		w := multipart.NewWriter(&b)
		part, _ := w.CreateFormFile("file", name)
		part.Write(data)
		w.WriteField("station", "cut")
		w.WriteField("seen", fmt.Sprint(s.Production().Number))
		w.Close()
		r := httptest.NewRequest("POST", path, &b)
		r.Header.Set("Content-Type", w.FormDataContentType())
		_, body := s.Do(r)
		return body
	}
	data, err := os.ReadFile("../../../core/cut/testdata/reel_with_spaces.edl")
	if err != nil {
		t.Fatal(err)
	}
	s.Edits("production", "field", "firstTimecode", "value", "10:00:00:00")
	if body := upload("reel.edl", data); !strings.Contains(body, "3 clips are no shot") ||
		s.Production().Cut.Length() != 180 {
		t.Errorf("after the list there are %d frames\n%s", s.Production().Cut.Length(), body)
	}
	if body := upload("reel.edl", []byte("001 x V Q\n")); !strings.Contains(body, "line 1: an event") {
		t.Error("a broken list was taken")
	}
	if body := upload("reel.txt", data); !strings.Contains(body, ".otio or .edl") {
		t.Error("a file of no known kind was taken")
	}
	for _, format := range []string{"otio", "edl"} {
		if code, body := s.Get("/p/TEST/cut/file?format=" + format); code != 200 || !strings.Contains(body, "010") {
			t.Errorf("%s: %d\n%s", format, code, body)
		}
	}
	black, err := os.ReadFile("../../../core/cut/testdata/midnight.edl")
	if err != nil {
		t.Fatal(err)
	}
	if body := upload("midnight.edl", black); s.Production().Cut.Length() != 192 || !strings.Contains(body,
		`id="cut-said"`) &&
		len(s.Production().Cut.Said) > 0 || !strings.Contains(body, "End with the last clip") {
		t.Errorf("with black at its end it has %d frames\n%s", s.Production().Cut.Length(), body)
	}
	if s.Edits("cut.close"); s.Production().Cut.Length() != 168 {
		t.Errorf("closed it has %d frames", s.Production().Cut.Length())
	}
	kept, err := os.ReadFile("../../../core/cut/testdata/kept.otio")
	if err != nil {
		t.Fatal(err)
	}
	if body := upload("kept.otio", kept); strings.Contains(body, "not-in-timeline") ||
		!strings.Contains(body, "Imported from kept.otio, with 11 differences") {
		t.Errorf("of the timeline it says\n%s", body)
	}
	s.Edits("clip.move", "set.track", "0", "set.clip", "3", "set.record", "73", "set.toTrack", "0")
	if _, body := s.Get("/p/TEST/cut"); !strings.Contains(
		body,
		"track 1: at record frame 72 there is no room any more for Mix.1",
	) {
		t.Errorf("after a move it says\n%s", body)
	}
	upload("reel.edl", data)
	if s.Edits("cut", "field", "make-shots", "value", "v"); len(s.Production().Shots) != 4 {
		t.Errorf("of three clips became %d shots", len(s.Production().Shots)-1)
	}
	path = "/p/TEST/cut/sound"
	tone := append(
		[]byte(
			"RIFF\x00\x00\x00\x00WAVEfmt "+
				"\x10\x00\x00\x00\x01\x00\x01\x00\x40\x1f\x00\x00\x80\x3e\x00\x00\x02\x00\x10\x00data\x40\x1f\x00\x00",
		),
		make([]byte, 8000)...)
	if upload("harbour.wav", tone); s.Production().Cut.Sound.Seconds != 0.5 {
		t.Errorf("the sound is %+v", s.Production().Cut.Sound)
	}
	if body := upload("harbour.wav", tone[:100]); !strings.Contains(body, "samples that it promises") {
		t.Error("a sound that is cut off was taken")
	}
	if code, body := s.Get(path); code != 200 || len(body) != len(tone) {
		t.Errorf("the sound comes as %d, %d bytes", code, len(body))
	}
	if code, body := s.Get("/p/TEST/cut/play"); code != 200 || !strings.Contains(body, `"Title":"010"`) {
		t.Errorf("the playlist is %d %s", code, body)
	}
	if _, body := s.Get("/p/TEST/cut"); !strings.Contains(body, `class="wave"`) {
		t.Error("there is no waveform")
	}
	first := []string{"set.track", "0", "set.clip", "0"}
	s.Edits("clip.trim", append(first, "set.from", "10", "set.until", "40")...)
	s.Edits("clip.slip", append(first, "set.by", "-3")...)
	s.Edits("clip.set", append(first, "field", "speed", "value", "50 %")...)
	s.Edits("clip.add", "set.shot", "010", "set.place", "head", "head", "100")
	s.Edits("track.mute", "set.track", "0", "set.muted", "true")
	c := s.Production().Cut
	if clip := c.Tracks[0].Clips[0]; clip.Record != 10 || clip.Length != 30 || clip.Source != 1008 ||
		clip.Speed != (cut.Speed{Over: 1, Under: 2}) ||
		!c.Tracks[0].Muted {
		t.Errorf("the first clip is %+v", clip)
	}
	s.Edits("cut.conform", "of", "010")
	if shot, _ := s.Production().FindShot("010"); !shot.Frames.Equal(frame.Of(1001, 1003)) {
		t.Errorf("shot 010 has %s", shot.Frames)
	}
	for _, wrong := range [][]string{
		{"clip.trim", "set.track", "9", "set.clip", "9", "set.from", "1", "set.until", "2"},
		{"track.mute", "set.track", "7", "set.muted", "true"},
		{"clip.add", "set.shot", "none"}, append([]string{"clip.set", "field", "length", "value", "0"}, first...),
		append([]string{"clip.set", "field", "speed", "value", "fast"}, first...),
		{"cut.set", "field", "start", "value", "x"},
	} {
		if body := s.Edits(wrong[0], wrong[1:]...); !strings.Contains(body, "Not kept") {
			t.Errorf("%v was kept", wrong)
		}
	}
	if _, body := s.Get("/p/TEST/cut?as=timecode&open=0+0"); !strings.Contains(body, "01:00:00:10") ||
		!strings.Contains(body, `id="clip"`) {
		t.Errorf("the page is\n%s", body)
	}
}

func TestAQuickMovieIsAskedFor(t *testing.T) {
	s := webtest.New(t)
	if _, body := s.Post("/p/TEST/cut/movie", nil); !strings.Contains(body, "There is no cut that a movie") {
		t.Error("a movie of no cut was begun")
	}
	if code, body := s.Get("/p/TEST/cut/movie"); code != 404 {
		t.Errorf("no movie is answered with %d %s", code, body)
	}
	s.Edits("cut.rebuild")
	if _, body := s.Post("/p/TEST/cut/movie", nil); !strings.Contains(body, "quick movie, waits") {
		t.Errorf("it is not wanted: %s", body)
	}
	if _, body := s.Post("/p/TEST/cut/movie/stop", nil); strings.Contains(body, "quick movie, waits") ||
		!strings.Contains(body, `id="make-movie"`) {
		t.Error("it was not stopped")
	}
	for _, path := range []string{"/p/NONE/cut/movie", "/p/..%2f/cut/movie"} {
		if code, _ := s.Get(path); code != 404 {
			t.Errorf("%s: %d", path, code)
		}
	}
}
