package screening_test

import (
	"net/url"
	"strconv"
	"strings"
	"testing"

	"reelhouse/web/webtest"
)

func TestFramesAreDecidedOn(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	base := "/p/TEST/screen/" + strconv.FormatInt(sequence, 10) + "/verdicts"
	frame := strconv.Itoa(number)
	give := func(pairs ...string) string {
		form := url.Values{"frames": {frame}, "verdict": {"retake"}}
		for i := 0; i < len(pairs); i += 2 {
			form.Set(pairs[i], pairs[i+1])
		}
		code, body := s.Post(base, form)
		if code != 200 {
			t.Errorf("%v: %d", form, code)
		}
		return body
	}
	for says, pairs := range map[string][]string{
		"is no verdict":       {"verdict", "perfect"},
		"are not good":        {"frames", frame + "-" + strconv.Itoa(number+1)},
		"has no frames 9":     {"frames", "9"},
		"rows of points":      {"marks", "<svg>"},
		"lies outside":        {"marks", "[[[99999,1]]]", "marked", frame},
		"none of those":       {"marks", "[[[1,1]]]", "marked", "9"},
		"too long":            {"note", strings.Repeat("x", 2001)},
		"what the question":   {"verdict", "question"},
		"Not kept":            {"frames", "one"},
		"invalid syntax":      {"marks", "[[[1,1]]]", "marked", "x"},
		"Nothing was decided": {"frames", ""},
	} {
		body := give(pairs...)
		if says != "Nothing was decided" {
			s.Says(body, says)
		}
		if strings.Contains(body, "Take back") {
			t.Errorf("%v was kept", pairs)
		}
	}
	body := give("note", "a <b>mast</b> too many", "marks", "[[[1,2],[3,4]]]", "marked", frame)
	s.Says(body, "Kept: retake", "a &lt;b&gt;mast&lt;/b&gt; too many", `data-marks="[[[1,2],[3,4]]]"`, "Take back")
	s.Says(give("verdict", "approved"), "approved <b class=\"num\">1</b>", "1 earlier verdict")
	s.Says(give(), "is approved by somebody")
	_, body = s.Post(strings.Replace(base, "TEST", "OTHER", 1), url.Values{"frames": {frame}, "verdict": {"retake"}})
	s.Says(body, "There is nothing here")
	_, body = s.Get("/p/TEST/screening?state=approved")
	s.Says(body, "wall-card", "approved</b>")
	_, body = s.Get("/p/TEST/screening?state=question")
	s.Says(body, "No sequence is like that.")
	_, body = s.Get("/p/TEST/screening?notes=1")
	s.Says(body, "note-picture", "approved</b>", "/verdicts/csv")
	for format, want := range map[string]string{"csv": "production,shot,view", "otio": `"Marker.2"`} {
		code, body := s.Get("/p/TEST/verdicts/" + format)
		if code != 200 || !strings.Contains(body, want) {
			t.Errorf("%s: %d %s", format, code, body)
		}
	}
	if code, _ := s.Get("/p/TEST/verdicts/exe"); code != 404 {
		t.Errorf("a format that is none: %d", code)
	}
	_, body = s.Post(base+"/2/back", nil)
	s.Says(body, "Taken back: approved", "1 earlier verdict", "taken back by somebody")
	_, body = s.Post(base+"/2/back", nil)
	s.Says(body, "has taken it back already")
	_, body = s.Post(base+"/99/back", nil)
	s.Says(body, "There is nothing here")
}

func TestRetakesAreShownAndSent(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	_, body := s.Get("/p/TEST/screening?retakes=1")
	s.Says(body, "No frame is to be made again")
	_, body = s.Post("/p/TEST/retakes", url.Values{})
	s.Says(body, "No frames are wanted again")
	s.Post("/p/TEST/screen/"+strconv.FormatInt(sequence, 10)+"/verdicts",
		url.Values{"frames": {strconv.Itoa(number)}, "verdict": {"retake"}, "note": {"dull"}})
	_, body = s.Get("/p/TEST/screening?retakes=1")
	s.Says(body, "becomes v002", "dull", "Cannot be made again", "would come out as it is")
	_, body = s.Post("/p/TEST/retakes", url.Values{"confirmed": {"1"}})
	s.Says(body, "would come out as it is", `role="alert"`)
	last, err := s.House.Record.LastBatch()
	if err != nil || last != s.Batch.ID {
		t.Errorf("batch %d was sent, %v", last, err)
	}
}
