package web

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"image/png"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/store"
)

// finish makes a frame good by hand, with a file whose depth is 7.2 m everywhere but in its first pixel.
func (s *site) finish() (sequence int64, number int) {
	s.t.Helper()
	l, err := s.house.Record.Lease("hand")
	if err != nil {
		s.t.Fatal(err)
	}
	size := l.Sequence.Spec.Size
	img := pixel.New(
		size.Width, size.Height, "R", "G", "B", "A", "depth.Z", "normal.X", "normal.Y", "normal.Z", "object.R",
		"object.G", "object.B",
	)
	for i := range img.Plane("depth.Z").Data {
		img.Plane("depth.Z").Data[i] = 7.2
		img.Plane("R").Data[i] = 0.18
	}
	img.Plane("depth.Z").Data[0] = 1000
	var b bytes.Buffer
	if err := picture.Encode(&b, output.EXR.Usual(), img, l.Sequence.Spec.Passes,
		picture.Header{Rate: frame.Rate{Numerator: 24, Denominator: 1}}); err != nil {
		s.t.Fatal(err)
	}
	path := l.Sequence.Spec.Files[0].Path.Frame(l.Number)
	full := filepath.Join(s.house.Output(), path)
	if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
		s.t.Fatal(err)
	}
	if err := os.WriteFile(full, b.Bytes(), 0o644); err != nil {
		s.t.Fatal(err)
	}
	if err := s.house.Record.Check(l); err != nil {
		s.t.Fatal(err)
	}
	if err := s.house.Record.Accept(l, 1, []store.File{{Path: path, Bytes: int64(b.Len()),
		SHA256: strings.Repeat("ab", 32)}}, "by hand"); err != nil {
		s.t.Fatal(err)
	}
	return l.SequenceID, l.Number
}

func TestScreeningShowsPassesAndTrueValues(t *testing.T) {
	s := newSite(t)
	sequence, number := s.finish()
	base := "/p/TEST/screen/" + strconv.FormatInt(sequence, 10)
	at := base + "/" + strconv.Itoa(number)
	if _, body := s.get("/p/TEST/screening"); !strings.Contains(body, `data-pass="depth"`) ||
		!strings.Contains(body, `data-jump="1001"`) {
		t.Errorf("the room:\n%s", body)
	}
	var listed []struct {
		Number int
		State  queue.State
	}
	if _, body := s.get(base); json.Unmarshal([]byte(body), &listed) != nil || len(listed) != 3 ||
		listed[0].State != queue.Good ||
		listed[1].State != queue.Ready {
		t.Errorf("frames: %s", body)
	}
	for code, want := range map[pass.Code]uint8{pass.Beauty: 118, pass.Depth: 255, pass.Normal: 128, pass.Object: 0} {
		status, body := s.get(at + "/" + string(code))
		shown, err := png.Decode(strings.NewReader(body))
		if status != 200 || err != nil {
			t.Fatalf("%s: %d, %v", code, status, err)
		}
		if r, _, _, _ := shown.At(3, 3).RGBA(); uint8(r>>8) != want {
			t.Errorf("%s is shown as %d, want %d", code, r>>8, want)
		}
	}
	if _, body := s.get(at + "/probe?x=3&y=3"); !strings.Contains(body, `"text":"7.200 m"`) ||
		!strings.Contains(body, `"text":"0.1801"`) {
		t.Errorf("probe: %s", body)
	}
	for path, want := range map[string]int{
		at + "/probe?x=-1&y=0": 400, at + "/probe?x=a": 400, at + "/probe?x=99999&y=0": 400, at + "/motion": 404,
		at + "/beauty?stops=99": 400, base + "/1003/beauty": 404, base + "/1003/probe?x=0&y=0": 404,
	} {
		if status, body := s.get(path); status != want {
			t.Errorf("%s: %d, want %d\n%s", path, status, want, body)
		}
	}
}

func TestAFileThatWasTakenAwayIsSaid(t *testing.T) {
	s := newSite(t)
	sequence, number := s.finish()
	files, err := s.house.Record.Files(sequence, number)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Remove(filepath.Join(s.house.Output(), files[0].Path)); err != nil {
		t.Fatal(err)
	}
	if status, body := s.get("/p/TEST/screen/" + strconv.FormatInt(sequence, 10) +
		"/1001/beauty"); status != http.StatusGone ||
		!strings.Contains(body, "no longer there") {
		t.Errorf("%d %s", status, body)
	}
}

// The live events say how things stand, and say it again when they have changed.
func TestEventsTellWhatChanges(t *testing.T) {
	s := newSite(t)
	server := httptest.NewServer(s.handler)
	defer server.Close()
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, "GET", server.URL+"/p/TEST/events?queue=1", nil)
	if err != nil {
		t.Fatal(err)
	}
	answer, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	if got := answer.Header.Get("Content-Type"); got != "text/event-stream" {
		t.Errorf("the stream is %s", got)
	}
	lines := bufio.NewScanner(answer.Body)
	lines.Buffer(nil, 1<<20)
	until := func(text string) {
		t.Helper()
		for lines.Scan() {
			if strings.Contains(lines.Text(), text) {
				return
			}
		}
		t.Fatalf("the stream ended before %q: %v", text, lines.Err())
	}
	until("event: running")
	until("0 of 3")
	until("event: batch-")
	until("0 of 3 good")
	s.finish()
	s.hub.Changed()
	until("1 of 3")
	until("1 of 3 good")
}

func TestTheChartShowsEveryShot(t *testing.T) {
	p := production.New("TEST", "Test")
	p.Shots = []production.Shot{
		{
			Code:    "010",
			Frames:  frame.MustParse("1001-1048"),
			InBatch: true,
		}, {Code: "020", Frames: frame.MustParse("1010-1020x5")},
		{Code: "030", Frames: frame.MustParse("1001-1100,!1050-1060"), InBatch: true},
	}
	c := newChart(p, p.Shots, 1144)
	if len(c.Bars) != 3 || len(c.Bars[0].Parts) != 1 || len(c.Bars[1].Parts) != 3 || len(c.Bars[2].Parts) != 2 ||
		!c.Bars[1].Out {
		t.Errorf("bars are %+v", c.Bars)
	}
	for _, b := range c.Bars {
		for _, part := range b.Parts {
			if part.X < chartLeft-0.01 || part.X+part.Width > float64(c.Width) {
				t.Errorf("%s reaches outside: %+v", b.Code, part)
			}
		}
	}
	if c.Bars[0].Overlap != 3 || len(c.Bars[0].Shared) != 3 || c.Bars[2].Overlap != 0 {
		t.Errorf("frames that two shots share: %+v", c.Bars)
	}
	if c.BareFrames.String() != "1101-1144" || c.BareCount != 44 {
		t.Errorf("frames of the scene in no shot: %s", c.BareFrames)
	}
	p.Handles = 8
	if h := newChart(p, p.Shots, 1144).Bars[0].Handles; len(h) != 2 {
		t.Errorf("handles are drawn as %+v", h)
	}
	if len(c.Ticks) < 5 || len(c.Ticks) > 30 {
		t.Errorf("%d ticks", len(c.Ticks))
	}
}
