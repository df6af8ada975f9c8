package history_test

import (
	"net/url"
	"testing"

	"reelhouse/web/webtest"
)

// The history tells who did what, compares revisions, and brings an older one back.
func TestTheHistoryIsReadComparedAndRestored(t *testing.T) {
	s := webtest.New(t)
	first := s.Production()
	s.Set("production", "", "title", "Second")
	_, body := s.Get("/p/TEST/history")
	s.Says(body, "production: title Second", "created", "somebody", "current")
	_, body = s.Get("/p/TEST/history?from=1&to=2")
	s.Says(body, "Revision 1 to 2", "title", "Second")
	_, body = s.Post("/p/TEST/restore", url.Values{"number": {"1"}, "station": {"history"}})
	s.Says(body, "Saved: restore revision 1", "restore revision 1")
	if now := s.Production(); now.Title != first.Title || now.Number != 3 {
		t.Errorf("revision %d, %q", now.Number, now.Title)
	}
	if code, _ := s.Get("/p/TEST/history?from=1&to=99"); code != 404 {
		t.Errorf("a revision that there is not: %d", code)
	}
	if _, err := s.House.Record.At("TEST", 2); err != nil {
		t.Error(err)
	}
}
