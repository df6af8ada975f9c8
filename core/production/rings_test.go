package production

import (
	"strings"
	"testing"

	"reelhouse/core/camera"
)

func codesOfRing(p Production) string {
	var codes []string
	for _, v := range p.Views {
		if v.Ring == "turn" {
			codes = append(codes, v.Code)
		}
	}
	return strings.Join(codes, " ")
}

func TestARingKeepsItsViews(t *testing.T) {
	p := complete()
	ring := camera.Ring{Code: "turn", Name: "Turn", Camera: "cam_quay", Look: "plain", Count: 4, Radius: 10, Arc: 360}
	if err := p.SetRing(ring); err != nil {
		t.Fatal(err)
	}
	if got := codesOfRing(p); got != "turn_1 turn_2 turn_3 turn_4" || len(p.Problems()) > 0 {
		t.Errorf("views %s, problems %v", got, p.Problems())
	}
	p.Shots[0].View = "turn_3"
	p.Views = append(p.Views, View{Code: "other", Camera: "cam_quay", Look: "plain"})
	ring.Count, ring.Radius = 6, 5
	if err := p.SetRing(ring); err != nil {
		t.Fatal(err)
	}
	if got := codesOfRing(p); got != "turn_1 turn_2 turn_3 turn_4 turn_5 turn_6" || p.Views[len(p.Views)-1].Code != "other" {
		t.Errorf("views %s, the last one %s", got, p.Views[len(p.Views)-1].Code)
	}
	if v, _ := p.FindView("turn_1"); v.Setup.Stand.Position.Z != -5 {
		t.Errorf("the first stands at %+v", v.Setup.Stand)
	}
	refused := func(says string, count int) {
		t.Helper()
		r, before := ring, p.Copy()
		r.Count = count
		if err := before.SetRing(r); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%d cameras: %v, want %q", count, err, says)
		}
	}
	refused("shot 010 uses view turn_3", 2)
	refused("0 cameras", 0)
	p.Views[2].Setup.Locked = true
	refused("is locked", 5)
	if err := p.RemoveRing("turn"); err == nil {
		t.Error("a ring with a locked view was taken away")
	}
	p.Views[2].Setup.Locked, p.Shots[0].View = false, "quay"
	if err := p.RemoveRing("turn"); err != nil || codesOfRing(p) != "" || len(p.Rings) != 0 || len(p.Views) != 2 {
		t.Errorf("removed: %v, views %v", err, p.Views)
	}
}
