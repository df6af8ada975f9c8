package web

import (
	"bytes"
	"fmt"
	"mime/multipart"
	"net/http/httptest"
	"net/url"
	"os"
	"strconv"
	"strings"
	"testing"

	"reelhouse/core/cut"
	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/core/queue"
)

// edits posts fields of a part and returns the answer.
func (s *site) edits(kind string, pairs ...string) string {
	s.t.Helper()
	form := url.Values{"station": {"batch"}}
	for i := 0; i < len(pairs); i += 2 {
		form.Add(pairs[i], pairs[i+1])
	}
	code, body := s.post("/p/TEST/edit/"+kind, form)
	if code != 200 {
		s.t.Errorf("%s %v: %d", kind, pairs, code)
	}
	return body
}

func TestShotsAreChangedTogether(t *testing.T) {
	s := newSite(t)
	for range 3 {
		s.edits("shot", "field", "add")
	}
	codes := []string{"chosen", "020", "chosen", "030"}
	s.edits("shot", append(codes, "field", "step", "value", "2")...)
	s.edits("shot", append(codes, "field", "sizes", "values", "hd")...)
	s.edits("shot", append(codes, "field", "handles", "value", "8")...)
	s.edits("shot", append(codes, "field", "quality", "value", "final")...)
	p := s.production()
	for _, code := range []string{"020", "030"} {
		if shot, _ := p.FindShot(code); shot.Step != 2 || shot.Sizes[0] != "hd" || *shot.Handles != 8 ||
			shot.Quality != "final" {
			t.Errorf("shot %s is %+v", code, shot)
		}
	}
	if shot, _ := p.FindShot("040"); shot.Set("step") || shot.Set("sizes") {
		t.Errorf("a shot that was not ticked is %+v", shot)
	}
	s.edits("shot", append(codes, "field", "reset", "value", "step")...)
	s.edits("shot", "of", "020", "field", "reset", "value", "handles")
	s.edits("shot", "chosen", "040", "field", "move", "value", "-1")
	s.edits("shot", append(codes, "field", "inBatch")...)
	s.edits("shot", "field", "renumber")
	p = s.production()
	if p.Shots[2].Step != 0 || p.Shots[1].Handles != nil || p.Shots[1].InBatch || p.Shots[3].Quality != "final" ||
		p.Shots[2].Quality != "" {
		t.Errorf("the shots are %+v", p.Shots)
	}
	s.edits("shot", "chosen", "020", "chosen", "030", "field", "copy")
	if body := s.edits("shot", "chosen", "020", "chosen", "030", "field", "join"); !strings.Contains(
		body, "differ in their",
	) {
		t.Error("shots that differ were joined")
	}
	s.edits("shot", "of", "020", "field", "split", "value", "1020")
	if _, ok := s.production().FindShot("020b"); !ok {
		t.Errorf("it was not split: %v", s.production().Shots)
	}
	for _, pairs := range [][]string{{"field", "copy"}, {"chosen", "999", "field", "copy"},
		{"chosen", "020", "field", "step", "value", "many"}, {"chosen", "020", "field", "look", "value", "none"}} {
		if body := s.edits("shot", pairs...); !strings.Contains(body, "Not kept") {
			t.Errorf("%v was kept", pairs)
		}
	}
	s.edits("shot", "of", "010", "field", "labels", "value", "1002 = pose-a")
	if shot, _ := s.production().FindShot("010"); shot.Label(1002) != "pose-a" {
		t.Errorf("labels are %v", shot.Labels)
	}
}

func TestTheSheetIsReadInParts(t *testing.T) {
	s := newSite(t)
	s.edits("shot", "of", "010", "field", "sizes", "values", "hd", "values", "scope")
	s.edits("production", "field", "next-version")
	if _, body := s.get("/p/TEST/batch/rows?from=0"); strings.Count(body, `type="checkbox"`) != 2 ||
		!strings.Contains(body, "1001-1003") {
		t.Errorf("the row is\n%s", body)
	}
	s.edits("cell", "of", "010", "field", "inBatch", "set.view", "v", "set.size", "hd")
	if n := len(draft(t, s).Sequences); n != 1 {
		t.Errorf("with a cell left out there are %d sequences", n)
	}
	if _, body := s.get("/p/TEST/batch/rows?from=0"); !strings.Contains(body, "excluded") {
		t.Errorf("the cell is not marked:\n%s", body)
	}
	s.edits("cell", "of", "010", "field", "inBatch", "set.view", "v", "set.size", "hd", "values", "1")
	if n := len(draft(t, s).Sequences); n != 2 {
		t.Errorf("taken in again there are %d sequences", n)
	}
	if _, body := s.get("/p/TEST/batch/rows?from=0&filter=nothing+like+it"); strings.Contains(body, "<tr") {
		t.Errorf("the filter leaves\n%s", body)
	}
	if _, body := s.get("/p/TEST/batch/rows?from=0&group=look"); !strings.Contains(body, "Look plain") {
		t.Errorf("the group is\n%s", body)
	}
	if _, body := s.get("/p/TEST/batch/paths?shot=010&view=v&size=hd"); strings.Count(body, "<li>") != 3 {
		t.Errorf("the paths are\n%s", body)
	}
	if _, body := s.get("/p/TEST/batch/sums"); !strings.Contains(body, "Final") || !strings.Contains(body, "beauty") ||
		!strings.Contains(body, "master") {
		t.Errorf("the sums are\n%s", body)
	}
	for _, path := range []string{"batch/paths?shot=x", "batch/rows?from=-1", "batch/rows?from=many"} {
		if code, _ := s.get("/p/TEST/" + path); code == 200 {
			t.Errorf("%s was answered", path)
		}
	}
}

func draft(t *testing.T, s *site) plan.Batch {
	t.Helper()
	d, err := s.house.Draft(s.production().Production)
	if err != nil {
		t.Fatal(err)
	}
	return d.Batch
}

func TestFindingsAreFixedOrSetAsideOnTheSheet(t *testing.T) {
	s := newSite(t)
	s.edits("production", "field", "next-version")
	s.edits("production", "field", "quality", "value", "final")
	s.edits("production", "field", "region", "value", "0, 0, 50, 50")
	s.edits("shot", "of", "010", "field", "quality", "value", "draft")
	body := s.edits("shot", "of", "010", "field", "step", "value", "2")
	for _, rule := range []string{"region-left-on", "quick-shot"} {
		if !strings.Contains(body, `data-rule="`+rule+`"`) {
			t.Errorf("%s is not found", rule)
		}
	}
	if !strings.Contains(body, `id="quick"`) {
		t.Error("it cannot be said twice")
	}
	for _, fix := range []preflight.Fix{preflight.WholePicture, preflight.FinalQuality, preflight.EveryFrame} {
		body = s.edits(fix.CommandName())
	}
	if p := s.production(); !p.Region.Whole() || p.Shots[0].Set("quality") || p.Shots[0].Set("step") ||
		strings.Contains(body, `class="finding refuses"`) {
		t.Errorf("after the fixes: %+v", p.Shots[0])
	}
	if s.edits(preflight.FarEnough.CommandName()); s.production().DepthBackground < 10 {
		t.Errorf("the background is %v m deep", s.production().DepthBackground)
	}
	if body := s.edits("finding", "field", "waive", "of", "below-minimum", "value", " "); !strings.Contains(
		body, "write why",
	) {
		t.Error("a finding was set aside without a reason")
	}
	s.edits("finding", "field", "waive", "of", "view-without-shot", "value", "it is for later")
	if w := s.production().Waivers; len(w) != 1 ||
		w[0] != (production.Waiver{Rule: "view-without-shot", Reason: "it is for later"}) {
		t.Errorf("waivers are %+v", w)
	}
	s.edits("finding", "field", "restore", "of", "view-without-shot")
	if len(s.production().Waivers) != 0 {
		t.Error("it is still set aside")
	}
	if code, _ := s.post("/p/TEST/edit/finding",
		url.Values{"station": {"batch"}, "field": {"waive"}, "of": {"same-path"}, "value": {"x"}}); code != 200 ||
		len(s.production().Waivers) != 0 {
		t.Error("a rule that is firm was set aside")
	}
}

func TestABatchIsSentAsAsked(t *testing.T) {
	s := newSite(t)
	s.edits("production", "field", "next-version")
	revision := func() string { return strconv.Itoa(s.production().Number) }
	for what, form := range map[string]url.Values{
		"order": {"order": {"odd"}}, "priority": {"priority": {"high"}}, "time": {"begin": {"time"}, "time": {""}},
		"batch": {"begin": {"batch:x"}}, "begin": {"begin": {"never"}}, "no such batch": {"begin": {"batch:99"}},
	} {
		form.Set("revision", revision())
		if _, body := s.post("/p/TEST/send", form); !strings.Contains(body, `role="alert"`) {
			t.Errorf("%s: it was sent", what)
		}
	}
	send := func(form url.Values) {
		t.Helper()
		form.Set("revision", revision())
		if code, body := s.post("/p/TEST/send", form); code != 204 {
			t.Fatalf("%v: %d\n%s", form, code, body)
		}
		s.edits("production", "field", "next-version")
	}
	send(
		url.Values{
			"name": {"Night"}, "note": {"all of it"}, "priority": {"5"}, "order": {"coarse"},
			"begin": {"time"}, "time": {"2031-01-01T19:00:00Z"},
		},
	)
	send(url.Values{"begin": {"batch:1"}})
	send(url.Values{"begin": {"held"}})
	batches, err := s.house.Record.Batches("TEST")
	if err != nil {
		t.Fatal(err)
	}
	if b := batches[2]; b.Name != "Night" || b.Note != "all of it" || b.Priority != 5 || b.Start.Year() != 2031 ||
		b.Counts()[queue.Blocked] != 3 {
		t.Errorf("the first is %+v", b.Waiting)
	}
	if batches[1].AfterBatch != 1 || batches[0].Counts()[queue.Held] != 3 {
		t.Errorf("the others are %+v and %v", batches[1].Waiting, batches[0].Counts())
	}
	if _, body := s.get("/p/TEST/queue"); !strings.Contains(body, "all of it") ||
		!strings.Contains(body, "waits for batch 1") {
		t.Errorf("the queue does not say what they wait for:\n%s", body)
	}
}

func TestACutIsBroughtInAndChanged(t *testing.T) {
	s := newSite(t)
	path := "/p/TEST/cut/file"
	upload := func(name string, data []byte) string {
		var b bytes.Buffer
		w := multipart.NewWriter(&b)
		part, _ := w.CreateFormFile("file", name)
		part.Write(data)
		w.WriteField("station", "cut")
		w.WriteField("seen", fmt.Sprint(s.production().Number))
		w.Close()
		r := httptest.NewRequest("POST", path, &b)
		r.Header.Set("Content-Type", w.FormDataContentType())
		_, body := s.do(r)
		return body
	}
	data, err := os.ReadFile("../core/cut/testdata/reel_with_spaces.edl")
	if err != nil {
		t.Fatal(err)
	}
	s.edits("production", "field", "firstTimecode", "value", "10:00:00:00")
	if body := upload("reel.edl", data); !strings.Contains(body, "3 clips are no shot") ||
		s.production().Cut.Length() != 180 {
		t.Errorf("after the list there are %d frames\n%s", s.production().Cut.Length(), body)
	}
	if body := upload("reel.edl", []byte("001 x V Q\n")); !strings.Contains(body, "line 1: an event") {
		t.Error("a broken list was taken")
	}
	if body := upload("reel.txt", data); !strings.Contains(body, ".otio or .edl") {
		t.Error("a file of no known kind was taken")
	}
	for _, format := range []string{"otio", "edl"} {
		if code, body := s.get("/p/TEST/cut/file?format=" + format); code != 200 || !strings.Contains(body, "010") {
			t.Errorf("%s: %d\n%s", format, code, body)
		}
	}
	if s.edits("cut", "field", "make-shots", "value", "v"); len(s.production().Shots) != 4 {
		t.Errorf("of three clips became %d shots", len(s.production().Shots)-1)
	}
	path = "/p/TEST/cut/sound"
	tone := append(
		[]byte(
			"RIFF\x00\x00\x00\x00WAVEfmt "+
				"\x10\x00\x00\x00\x01\x00\x01\x00\x40\x1f\x00\x00\x80\x3e\x00\x00\x02\x00\x10\x00data\x40\x1f\x00\x00",
		),
		make([]byte, 8000)...)
	if upload("harbour.wav", tone); s.production().Cut.Sound.Seconds != 0.5 {
		t.Errorf("the sound is %+v", s.production().Cut.Sound)
	}
	if body := upload("harbour.wav", tone[:100]); !strings.Contains(body, "samples that it promises") {
		t.Error("a sound that is cut off was taken")
	}
	if code, body := s.get(path); code != 200 || len(body) != len(tone) {
		t.Errorf("the sound comes as %d, %d bytes", code, len(body))
	}
	if code, body := s.get("/p/TEST/cut/play"); code != 200 || !strings.Contains(body, `"Title":"010"`) {
		t.Errorf("the playlist is %d %s", code, body)
	}
	if _, body := s.get("/p/TEST/cut"); !strings.Contains(body, `class="wave"`) {
		t.Error("there is no waveform")
	}
	first := []string{"set.track", "0", "set.clip", "0"}
	s.edits("clip.trim", append(first, "set.from", "10", "set.until", "40")...)
	s.edits("clip.slip", append(first, "set.by", "-3")...)
	s.edits("clip.set", append(first, "field", "speed", "value", "50 %")...)
	s.edits("clip.add", "set.shot", "010", "set.place", "head", "head", "100")
	s.edits("track.mute", "set.track", "0", "set.muted", "true")
	c := s.production().Cut
	if clip := c.Tracks[0].Clips[0]; clip.Record != 10 || clip.Length != 30 || clip.Source != 1008 ||
		clip.Speed != (cut.Speed{Over: 1, Under: 2}) ||
		!c.Tracks[0].Muted {
		t.Errorf("the first clip is %+v", clip)
	}
	s.edits("cut.conform", "of", "010")
	if shot, _ := s.production().FindShot("010"); !shot.Frames.Equal(frame.Of(1001, 1003)) {
		t.Errorf("shot 010 has %s", shot.Frames)
	}
	for _, wrong := range [][]string{
		{"clip.trim", "set.track", "9", "set.clip", "9", "set.from", "1", "set.until", "2"},
		{"track.mute", "set.track", "7", "set.muted", "true"},
		{"clip.add", "set.shot", "none"}, append([]string{"clip.set", "field", "length", "value", "0"}, first...),
		append([]string{"clip.set", "field", "speed", "value", "fast"}, first...),
		{"cut.set", "field", "start", "value", "x"},
	} {
		if body := s.edits(wrong[0], wrong[1:]...); !strings.Contains(body, "Not kept") {
			t.Errorf("%v was kept", wrong)
		}
	}
	if _, body := s.get("/p/TEST/cut?as=timecode&open=0+0"); !strings.Contains(body, "01:00:00:10") ||
		!strings.Contains(body, `id="clip"`) {
		t.Errorf("the page is\n%s", body)
	}
}
