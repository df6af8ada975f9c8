package home_test

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"reelhouse/web/webtest"
)

func TestANewProductionStartsFromAPresetOrAnother(t *testing.T) {
	s := webtest.New(t)
	s.Set("production", "", "handles", "12")
	s.Post("/p/TEST/preset/save", url.Values{"kind": {"standards"}, "name": {"Long"}, "station": {"standards"}})
	if code, _ := s.Post("/productions", url.Values{"code": {"ONE"}, "title": {"One"},
		"start": {"preset:Long"}}); code != http.StatusSeeOther {
		t.Fatal(code)
	}
	if p, _ := s.House.Record.Production("ONE"); p.Handles != 12 || p.Preset != "Long" || len(p.Shots) != 0 {
		t.Errorf("%+v", p)
	}
	if code, _ := s.Post("/productions", url.Values{"code": {"TWO"}, "title": {"Two"},
		"start": {"production:TEST"}}); code != http.StatusSeeOther {
		t.Fatal(code)
	}
	if p, _ := s.House.Record.Production("TWO"); len(p.Shots) != 1 || p.Scene.SHA256 == "" || p.Title != "Two" {
		t.Errorf("%+v", p)
	}
	if _, body := s.Post("/p/ONE/take", url.Values{"from": {"TEST"}, "values": {"shots", "views"},
		"station": {"standards"}, "mine": {"1"}}); !strings.Contains(
		body, "Saved",
	) {
		t.Errorf("copying parts:\n%s", webtest.Said(body))
	}
	if p, _ := s.House.Record.Production("ONE"); len(p.Shots) != 1 || p.Scene.SHA256 != "" {
		t.Errorf("%+v", p)
	}
	if _, body := s.Post("/p/ONE/take", url.Values{"from": {"TEST"}, "station": {"standards"},
		"mine": {"1"}}); !strings.Contains(
		body, "choose what to copy",
	) {
		t.Errorf("nothing chosen:\n%s", webtest.Said(body))
	}
	if code, body := s.Post("/productions",
		url.Values{"code": {"X"}, "title": {"X"}, "start": {"preset:none"}}); code != http.StatusUnprocessableEntity ||
		!strings.Contains(body, "not found") {
		t.Errorf("a preset that is none: %d", code)
	}
}

// A production opens where it was left, if that is a page of its own.
func TestAProductionOpensWhereItWasLeft(t *testing.T) {
	s := webtest.New(t)
	for left, want := range map[string]string{
		"":                                "/p/TEST/standards",
		"/p/TEST/views?open=v&frame=1003": "/p/TEST/views?frame=1003&open=v",
		"/p/OTHER/views":                  "/p/TEST/standards",
		"//elsewhere/p/TEST/views":        "/p/TEST/standards",
		"https://elsewhere/p/TEST/views":  "/p/TEST/standards",
		"/p/TEST/undo":                    "/p/TEST/standards",
		"/p/TEST/views?" + strings.Repeat("x", 600): "/p/TEST/standards",
	} {
		request := httptest.NewRequest(http.MethodGet, "/", nil)
		request.Host = "127.0.0.1"
		request.AddCookie(&http.Cookie{Name: "left-TEST", Value: url.QueryEscape(left)})
		answer := httptest.NewRecorder()
		s.Handler.ServeHTTP(answer, request)
		if at := answer.Header().Get("Location"); answer.Code != http.StatusSeeOther || at != want {
			t.Errorf("left at %q it opens at %q, %d", left, at, answer.Code)
		}
	}
	_, body := s.Get("/?new=1")
	s.Says(body, `id="production-TEST"`, "1 shot", "3 frames", "last changed")
}
