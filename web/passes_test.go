package web

import (
	"image/png"
	"net/url"
	"strings"
	"testing"

	"reelhouse/core/pass"
)

func TestEveryPassOfAViewIsShown(t *testing.T) {
	s := newSite(t)
	_, body := s.get("/p/TEST/passes?pass=cryptoobject")
	s.says(body, "Every pass of a view", "shown: a colour for each ID", "Motion back", "CryptoAsset00 to 02", "Relighting")
	if strings.Contains(body, "&#43; Compositing") {
		t.Error("a list that is there is suggested")
	}
	for _, p := range pass.Catalogue() {
		code, body := s.get("/p/TEST/wall/" + string(p.Code) + "?view=v&frame=1001")
		img, err := png.Decode(strings.NewReader(body))
		if code != 200 || err != nil || img.Bounds().Dx() != wallEdge {
			t.Errorf("%s: %d, %v", p.Code, code, err)
		}
	}
	_, body = s.get("/p/TEST/wall?view=v&frame=1001&at=0.5,0.9")
	s.says(body, "floor 100 %", "default 100 %", "Camera normal")
	for path, want := range map[string]int{"/wall/nothing?view=v": 404, "/wall?view=v&at=x": 400, "/wall/depth?view=none": 404} {
		if code, _ := s.get("/p/TEST" + path); code != want {
			t.Errorf("%s: %d, want %d", path, code, want)
		}
	}
}

func TestSuggestedListsAreTaken(t *testing.T) {
	s := newSite(t)
	add := func(code string) string {
		_, body := s.post("/p/TEST/edit/pass-list", url.Values{"field": {"suggested"}, "value": {code}, "station": {"passes"}})
		return body
	}
	s.says(add("relight"), "Relighting")
	if l, ok := s.production().FindPassList("relight"); !ok || len(l.Passes) != 6 || l.Passes[0] != pass.Beauty {
		t.Errorf("the list is %+v", l)
	}
	s.says(add("relight"), "cannot be edited")
	s.says(add("none"), "cannot be edited")
	for _, suggested := range pass.Suggestions() {
		for _, code := range suggested.Passes {
			if _, err := pass.Find(code); err != nil {
				t.Errorf("%s: %v", suggested.Code, err)
			}
		}
	}
}
