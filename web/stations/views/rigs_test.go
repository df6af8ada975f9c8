package views_test

import (
	"net/url"
	"testing"

	"reelhouse/web/webtest"
)

func TestARigIsBuiltAndMovedAsOne(t *testing.T) {
	s := webtest.New(t)
	s.Says(s.EditRig("add", "ring"), "ring1_1", "ring1_8", "45° apart", "<option value=\"floor\">floor</option>")
	s.EditRig("subject", "floor") // whose middle is 0, 0, 0
	s.EditRig("x", "2.5")
	s.EditRig("count", "4")
	s.EditRig("radius", "3")
	p := s.Production()
	if len(p.Views) != 5 || p.Rigs[0].Count != 4 {
		t.Fatalf("%d views, rig %+v", len(p.Views), p.Rigs[0])
	}
	if at := p.Views[2].Setup.Stand.Position; at.X != 5.5 || at.Y != 2 || at.Z > 1e-9 || at.Z < -1e-9 {
		t.Errorf("the second stands at %v", at)
	}
	for field, c := range map[string][2]string{"count": {"0", "0 cameras; 1 to"}, "radius": {"-1", "radius of -1 m"},
		"arc": {"400", "arc of 400°"}, "subject": {"nothing", "no object"}, "height": {"x", "is not a number"}} {
		s.Says(s.EditRig(field, c[0]), c[1])
	}
	// One of its views cannot be moved alone, until it is taken out.
	edit := func(field, value string) string {
		_, body := s.Post(
			"/p/TEST/edit/view",
			url.Values{
				"of": {"ring1_2"}, "field": {field}, "value": {value}, "station": {"views"}, "open": {"ring1_2"},
			},
		)
		return body
	}
	for field, value := range map[string]string{"x": "0", "camera": "cam", "look": "plain", "remove": ""} {
		s.Says(edit(field, value), "the rig ring1")
	}
	s.Says(edit("detach", ""), "It stands where this view says")
	edit("x", "0")
	if v, _ := s.Production().FindView("ring1_2"); v.Rig != "" || v.Setup.Stand.Position.X != 0 {
		t.Errorf("taken out, it is %+v", v)
	}
	s.Says(s.EditRig("remove", ""), "Views")
	if p := s.Production(); len(p.Rigs) != 0 || len(p.Views) != 2 {
		t.Errorf("removed: %+v", p.Views)
	}
}
