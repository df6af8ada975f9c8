package home_test

import (
	"net/http"
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
