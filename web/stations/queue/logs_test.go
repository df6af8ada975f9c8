package queue_test

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"reelhouse/web/webtest"
)

// fail makes the next frame fail with a log.
func fail(t *testing.T, s *webtest.Site, log string) {
	t.Helper()
	l, err := s.House.Record.Lease("hand")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.House.Record.Refuse(l, "broken", log); err != nil {
		t.Fatal(err)
	}
}

func TestALogIsAPage(t *testing.T) {
	s := webtest.New(t)
	var long strings.Builder
	for i := range 5000 {
		fmt.Fprintf(&long, "20:42:37.335  line of nothing %d\n", i+1)
	}
	fail(t, s, "20:42:37.335  looking\n20:42:37.336  warning: dim <light>\n20:42:37.337  error: missing QUAY.png\n")
	fail(t, s, long.String()+"20:42:38.000  broken: the needle\n")
	task := fmt.Sprintf("%d/010/v/hd/1001", s.Batch.ID)
	_, body := s.Get("/p/TEST/queue?log=" + task)
	s.Says(
		body,
		task,
		"3 lines",
		`id="line-2" class="warns"`,
		`id="line-3" class="error"`,
		"dim &lt;light&gt;",
		"line 3",
		"Download",
		"attempt 1",
	)
	_, body = s.Get("/p/TEST/queue?log=" + task + "&words=quay.PNG&line=3")
	s.Says(body, "<mark>QUAY.png</mark>", `data-found="1"`, `class="error" aria-current="true"`)
	_, body = s.Get("/p/TEST/queue?log=" + task + "&words=nothing+like+it")
	s.Says(body, "is in no line", fmt.Sprintf("queue?in=%d&amp;words=nothing&#43;like&#43;it", s.Batch.ID))
	other := fmt.Sprintf("%d/010/v/hd/1002", s.Batch.ID)
	_, body = s.Get("/p/TEST/queue?log=" + other)
	if n := strings.Count(body, `id="line-`); n != 2000 || strings.Contains(body, "Earlier lines") {
		t.Errorf("%d lines of a long log are shown first", n)
	}
	s.Says(body, "Later lines", "5001 lines")
	_, body = s.Get("/p/TEST/queue?log=" + other + "&line=5001")
	s.Says(body, "Earlier lines", `id="line-5001"`, "the needle")
	for _, address := range []string{"x", "1", fmt.Sprintf("%d/010/v/hd", s.Batch.ID), task + "/x", "9/010/v/hd/1001"} {
		status, body := s.Get("/p/TEST/queue?log=" + url.QueryEscape(address))
		if status != http.StatusUnprocessableEntity && status != http.StatusNotFound {
			t.Errorf("the log of %q: %d\n%s", address, status, webtest.Said(body))
		}
	}
	third := fmt.Sprintf("%d/010/v/hd/1003", s.Batch.ID)
	_, body = s.Get("/p/TEST/queue?log=" + third)
	s.Says(body, "Nothing has been said about this task yet")
	sequence := s.Batch.Sequences[0].ID
	answer := s.Ask("GET", fmt.Sprintf("/p/TEST/log/%d/1001?attempt=1", sequence), func(*http.Request) {})
	if answer.Code != http.StatusOK || !strings.HasPrefix(answer.Body.String(), "20:42:37.335  looking\n") ||
		!strings.Contains(answer.Header().Get("Content-Disposition"), "_010_v_hd_1001_attempt_1.log") ||
		!strings.HasPrefix(answer.Header().Get("Content-Type"), "text/plain") {
		t.Errorf("%d %v\n%s", answer.Code, answer.Header(), answer.Body)
	}
	if status, _ := s.Get(fmt.Sprintf("/p/TEST/log/%d/1003", sequence)); status != http.StatusNotFound {
		t.Errorf("a log that is not there: %d", status)
	}
}

func TestLogsOfABatchAreSearched(t *testing.T) {
	s := webtest.New(t)
	fail(t, s, "20:42:37.335  looking\n20:42:37.336  error: missing QUAY.png\n")
	fail(t, s, "20:42:37.335  all <well>\n")
	in := fmt.Sprint("/p/TEST/queue?in=", s.Batch.ID)
	_, body := s.Get(in + "&words=quay")
	s.Says(body, "<mark>QUAY</mark>.png", "1 line of 1 task", "line 2", "#line-2")
	_, body = s.Get(in + "&words=" + url.QueryEscape("<well>"))
	s.Says(body, "<mark>&lt;well&gt;</mark>")
	_, body = s.Get(in + "&words=gone")
	s.Says(body, "No log of this batch has")
	_, body = s.Get(in)
	s.Says(body, "Write what you look for")
	for _, id := range []string{"x", "99"} {
		if status, _ := s.Get("/p/TEST/queue?in=" + id); status != http.StatusUnprocessableEntity &&
			status != http.StatusNotFound {
			t.Errorf("in %s: %d", id, status)
		}
	}
	for _, hostile := range webtest.Hostile() {
		if _, body := s.Get(in + "&words=" + url.QueryEscape(hostile)); strings.Contains(body, hostile) &&
			strings.Contains(hostile, "<") {
			t.Errorf("%q stands there as it is", hostile)
		}
	}
}
