package web

import (
	"net/url"
	"testing"
)

func (s *site) editRig(field, value string) string {
	s.t.Helper()
	form := url.Values{"of": {"ring1"}, "field": {field}, "value": {value}, "station": {"views"}}
	if field == "add" {
		form.Set("of", "")
	}
	_, body := s.post("/p/TEST/edit/rig", form)
	return body
}

func TestARigIsBuiltAndMovedAsOne(t *testing.T) {
	s := newSite(t)
	s.says(s.editRig("add", "ring"), "ring1_1", "ring1_8", "45° apart", "<option>floor</option>")
	s.editRig("subject", "floor") // whose middle is 0, 0, 0
	s.editRig("x", "2.5")
	s.editRig("count", "4")
	s.editRig("radius", "3")
	p := s.production()
	if len(p.Views) != 5 || p.Rigs[0].Count != 4 {
		t.Fatalf("%d views, rig %+v", len(p.Views), p.Rigs[0])
	}
	if at := p.Views[2].Setup.Stand.Position; at.X != 5.5 || at.Y != 2 || at.Z > 1e-9 || at.Z < -1e-9 {
		t.Errorf("the second stands at %v", at)
	}
	for field, c := range map[string][2]string{"count": {"0", "0 cameras; 1 to"}, "radius": {"-1", "radius of -1 m"},
		"arc": {"400", "arc of 400°"}, "subject": {"nothing", "no object"}, "height": {"x", "is not a number"}} {
		s.says(s.editRig(field, c[0]), c[1])
	}
	// One of its views cannot be moved alone, until it is taken out.
	edit := func(field, value string) string {
		_, body := s.post(
			"/p/TEST/edit/view",
			url.Values{
				"of": {"ring1_2"}, "field": {field}, "value": {value}, "station": {"views"}, "open": {"ring1_2"},
			},
		)
		return body
	}
	for field, value := range map[string]string{"x": "0", "camera": "cam", "look": "plain", "remove": ""} {
		s.says(edit(field, value), "the rig ring1")
	}
	s.says(edit("detach", ""), "It stands where this view says")
	edit("x", "0")
	if v, _ := s.production().FindView("ring1_2"); v.Rig != "" || v.Setup.Stand.Position.X != 0 {
		t.Errorf("taken out, it is %+v", v)
	}
	s.says(s.editRig("remove", ""), "Views")
	if p := s.production(); len(p.Rigs) != 0 || len(p.Views) != 2 {
		t.Errorf("removed: %+v", p.Views)
	}
}
