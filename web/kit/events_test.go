package kit_test

import (
	"bufio"
	"context"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"sync"
	"testing"

	"reelhouse/core/production"
	"reelhouse/store"
	"reelhouse/web/webtest"
)

func TestOtherTabsHearOfEdits(t *testing.T) {
	s := webtest.New(t)
	r, err := s.House.Record.Edit(
		"TEST",
		store.Making{Summary: "a title"},
		func(p *production.Production) error { p.Title = "New"; return nil },
	)
	if err != nil {
		t.Fatal(err)
	}
	text, err := s.App.Text("edited", r)
	if err != nil || !strings.Contains(text, `data-number="`+strconv.Itoa(r.Number)+`"`) ||
		!strings.Contains(text, "a title") {
		t.Errorf("%s, %v", text, err)
	}
}

// However many pages listen, what changes is worked out once for all of them; and there are not more than can be.
func TestManyPagesListenForThePriceOfOne(t *testing.T) {
	s := webtest.New(t)
	server := httptest.NewServer(s.Handler)
	defer server.Close()
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	const pages = 60
	var group sync.WaitGroup
	heard := make(chan string, 10*pages)
	for range pages {
		request, err := http.NewRequestWithContext(ctx, "GET", server.URL+"/p/TEST/events?all=1", nil)
		if err != nil {
			t.Fatal(err)
		}
		answer, err := http.DefaultClient.Do(request)
		if err != nil || answer.StatusCode != 200 {
			t.Fatalf("%v, %v", answer, err)
		}
		group.Go(func() {
			defer answer.Body.Close()
			for lines := bufio.NewScanner(answer.Body); lines.Scan(); {
				if text := lines.Text(); strings.Contains(text, "data-good=") {
					heard <- text
				}
			}
		})
	}
	all := func(says string) {
		t.Helper()
		for n := 0; n < pages; {
			if strings.Contains(<-heard, says) {
				n++
			}
		}
	}
	all("0 of 3 good")
	before := s.App.Rounds()
	s.Finish()
	s.Hub.Changed()
	all("1 of 3 good")
	if rounds := s.App.Rounds() - before; rounds > 5 {
		t.Errorf("%d rounds were worked out for %d pages", rounds, pages)
	}
	s.App.Listen(0)
	if status, body := s.Get("/p/TEST/events"); status != http.StatusServiceUnavailable ||
		!strings.Contains(body, "Too many pages") {
		t.Errorf("one more: %d %s", status, body)
	}
	cancel()
	group.Wait()
}

// The live events say how things stand, and say it again when they have changed.
func TestEventsTellWhatChanges(t *testing.T) {
	s := webtest.New(t)
	server := httptest.NewServer(s.Handler)
	defer server.Close()
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, "GET", server.URL+"/p/TEST/events?all=1", nil)
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
	s.Finish()
	s.Hub.Changed()
	until("1 of 3")
	until("1 of 3 good")
}
