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
	if l, ok := s.production().FindPassList("relight"); !ok || len(l.Passes) != 10 || l.Passes[0] != pass.Beauty {
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

// The floor of the test's scene lies 2 m below the camera, and from 9 m before the origin to 9 m behind it; the camera stands at 5 m.
func TestDepthIsMeasuredAndTaken(t *testing.T) {
	s := newSite(t)
	edit := func(field, value string, values ...string) string {
		_, body := s.post("/p/TEST/edit/depth", url.Values{"field": {field}, "value": {value}, "values": values, "station": {"passes"}})
		return body
	}
	_, body := s.get("/p/TEST/depths?shot=010")
	s.says(body, "3 of 3 frames", "as the picture", "depth-bar")
	edit("depthBackground", "5")
	_, body = s.get("/p/TEST/depths?shot=010")
	s.says(body, "nearer than the farthest surface")
	s.says(edit("picture", "picture"), "Near, m", "0 at 0 m, 1 at 100 m, clipped")
	s.says(edit("range", "3.5 14"), "0 at 3.5 m, 1 at 14 m")
	edit("inverted", "", "1")
	edit("filtered", "", "1")
	s.says(edit("open", ""), "1 at 3.5 m, 0 at 14 m, filtered")
	if d := s.production().Depth; d != (pass.DepthStyle{Picture: true, Near: 3.5, Far: 14, Inverted: true, Open: true, Filtered: true}) {
		t.Errorf("the style is %+v", d)
	}
	edit("occlusion", "0.75 m")
	if r := s.production().OcclusionRadius; r != 0.75 {
		t.Errorf("the radius is %v", r)
	}
	s.says(edit("occlusion", "-1"), "radius of occlusion has to be")
	s.says(edit("near", "20"), "has to be nearer than far")
	s.says(edit("far", "x"), "is not a number")
	s.says(edit("range", "1"), "cannot be edited")
	if code, _ := s.get("/p/TEST/depths?shot=none"); code != 404 {
		t.Errorf("a shot that is not there: %d", code)
	}
	d, err := s.house.Draft(s.production().Production)
	if err != nil || !d.Batch.Depth.Filtered {
		t.Errorf("the batch has %+v, %v", d.Batch.Depth, err)
	}
}
