package screening_test

import (
	"encoding/json"
	"image"
	"image/png"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"reelhouse/core/pass"
	"reelhouse/core/queue"
	"reelhouse/web/webtest"
)

func TestScreeningShowsTheOutputThatIsAsked(t *testing.T) {
	s := webtest.New(t)
	if code, body := s.Get("/p/TEST/screening?sequence=" + strconv.FormatInt(s.Batch.Sequences[0].ID, 10) +
		"&output=none"); code != 404 {
		t.Errorf("an output that is none: %d\n%s", code, webtest.Said(body))
	}
	at := "/p/TEST/screen/" + strconv.FormatInt(s.Batch.Sequences[0].ID, 10)
	_, body := s.Get(at)
	var frames []struct{ Timecode string }
	if err := json.Unmarshal([]byte(body), &frames); err != nil || len(frames) != 3 ||
		frames[2].Timecode != "00:00:00:02" {
		t.Errorf("%s, %v", body, err)
	}
}

func TestScreeningShowsPassesAndTrueValues(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	base := "/p/TEST/screen/" + strconv.FormatInt(sequence, 10)
	at := base + "/" + strconv.Itoa(number)
	if _, body := s.Get("/p/TEST/screening?sequence=" + strconv.FormatInt(sequence, 10)); !strings.Contains(body,
		`data-pass="depth"`) ||
		!strings.Contains(body, `data-jump="1001"`) {
		t.Errorf("the room:\n%s", body)
	}
	var listed []struct {
		Number int
		State  queue.State
	}
	if _, body := s.Get(base); json.Unmarshal([]byte(body), &listed) != nil || len(listed) != 3 ||
		listed[0].State != queue.Good ||
		listed[1].State != queue.Ready {
		t.Errorf("frames: %s", body)
	}
	for code, want := range map[pass.Code]uint8{pass.Beauty: 118, pass.Depth: 255, pass.Normal: 128, pass.Object: 0} {
		status, body := s.Get(at + "/" + string(code))
		shown, err := png.Decode(strings.NewReader(body))
		if status != 200 || err != nil {
			t.Fatalf("%s: %d, %v", code, status, err)
		}
		if r, _, _, _ := shown.At(3, 3).RGBA(); uint8(r>>8) != want {
			t.Errorf("%s is shown as %d, want %d", code, r>>8, want)
		}
	}
	if _, body := s.Get(at + "/probe?x=3&y=3"); !strings.Contains(body, `"text":"7.200 m"`) ||
		!strings.Contains(body, `"text":"0.1801"`) {
		t.Errorf("probe: %s", body)
	}
	for path, want := range map[string]int{
		at + "/probe?x=-1&y=0": 400, at + "/probe?x=a": 400, at + "/probe?x=99999&y=0": 400, at + "/motion": 404,
		at + "/beauty?stops=99": 400, base + "/1003/beauty": 404, base + "/1003/probe?x=0&y=0": 404,
	} {
		if status, body := s.Get(path); status != want {
			t.Errorf("%s: %d, want %d\n%s", path, status, want, body)
		}
	}
}

func TestAFileThatWasTakenAwayIsSaid(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	files, err := s.House.Record.Files(sequence, number)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Remove(filepath.Join(s.House.Output(), files[0].Path)); err != nil {
		t.Fatal(err)
	}
	if status, body := s.Get("/p/TEST/screen/" + strconv.FormatInt(sequence, 10) +
		"/1001/beauty"); status != http.StatusGone ||
		!strings.Contains(body, "no longer there") {
		t.Errorf("%d %s", status, body)
	}
}

func TestTilesAreCutFromAPicture(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	at := "/p/TEST/screen/" + strconv.FormatInt(sequence, 10) + "/" + strconv.Itoa(number)
	_, whole := s.Get(at + "/depth")
	_, cut := s.Get(at + "/tile/depth?by=1&x=0&y=0")
	want, err := png.Decode(strings.NewReader(whole))
	if err != nil {
		t.Fatal(err)
	}
	got, err := png.Decode(strings.NewReader(cut))
	if err != nil || got.Bounds() != want.Bounds().Intersect(image.Rect(0, 0, 512, 512)) {
		t.Fatalf("%v: %v of %v", err, got, want.Bounds())
	}
	for _, p := range []image.Point{{}, {X: 3, Y: 3}, got.Bounds().Max.Sub(image.Pt(1, 1))} {
		if got.At(p.X, p.Y) != want.At(p.X, p.Y) {
			t.Errorf("%v is %v, and %v in the whole", p, got.At(p.X, p.Y), want.At(p.X, p.Y))
		}
	}
	for path, want := range map[string]int{
		"/tile/beauty?by=1&x=0&y=0&channel=A": 200, "/tile/beauty?by=2&x=0&y=0": 400, "/tile/beauty?by=0&x=0&y=0": 400,
		"/tile/beauty?by=1&x=-1&y=0": 404, "/tile/beauty?by=1&x=9&y=0": 404, "/tile/beauty?x=a": 400,
		"/tile/motion?by=1&x=0&y=0": 404, "/tile/nothing?by=1&x=0&y=0": 404,
		"/tile/beauty?by=1&x=0&y=9223372036854775807": 404, "/tile/beauty?by=1&x=0&y=0&output=none": 404,
	} {
		if status, body := s.Get(at + path); status != want {
			t.Errorf("%s: %d, want %d\n%s", path, status, want, webtest.Said(body))
		}
	}
}
