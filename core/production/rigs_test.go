package production

import (
	"strings"
	"testing"

	"reelhouse/core/camera"
)

func noLens(View) (float64, error) { return 0, nil }

func codesOfRig(p Production) string {
	var codes []string
	for _, v := range p.Views {
		if v.Rig == "turn" {
			codes = append(codes, v.Code)
		}
	}
	return strings.Join(codes, " ")
}

func TestARigKeepsItsViews(t *testing.T) {
	p := complete()
	rig := camera.Rig{
		Kind:   camera.Ring,
		Code:   "turn",
		Name:   "Turn",
		Camera: "cam_quay",
		Look:   "plain",
		Count:  4,
		Radius: 10,
		Arc:    360,
	}
	if err := p.SetRig(rig, noLens); err != nil {
		t.Fatal(err)
	}
	if got := codesOfRig(p); got != "turn_1 turn_2 turn_3 turn_4" || len(p.Problems()) > 0 {
		t.Errorf("views %s, problems %v", got, p.Problems())
	}
	p.Shots[0].View = "turn_3"
	p.Views = append(p.Views, View{Code: "other", Camera: "cam_quay", Look: "plain"})
	rig.Count, rig.Radius = 6, 5
	if err := p.SetRig(rig, noLens); err != nil {
		t.Fatal(err)
	}
	if got := codesOfRig(p); got != "turn_1 turn_2 turn_3 turn_4 turn_5 turn_6" ||
		p.Views[len(p.Views)-1].Code != "other" {
		t.Errorf("views %s, the last one %s", got, p.Views[len(p.Views)-1].Code)
	}
	if v, _ := p.FindView("turn_1"); v.Setup.Stand.Position.Z != -5 {
		t.Errorf("the first stands at %+v", v.Setup.Stand)
	}
	refused := func(says string, count int) {
		t.Helper()
		r, before := rig, p.Copy()
		r.Count = count
		if err := before.SetRig(r, noLens); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%d cameras: %v, want %q", count, err, says)
		}
	}
	refused("shot 010 uses view turn_3", 2)
	refused("0 cameras", 0)
	p.Views[2].Setup.Locked = true
	refused("is locked", 5)
	if err := p.RemoveRig("turn"); err == nil {
		t.Error("a rig with a locked view was taken away")
	}
	p.Views[2].Setup.Locked, p.Shots[0].View = false, "quay"
	if err := p.RemoveRig("turn"); err != nil || codesOfRig(p) != "" || len(p.Rigs) != 0 || len(p.Views) != 2 {
		t.Errorf("removed: %v, views %v", err, p.Views)
	}
}

// The eyes of a view follow it, in name, camera, look and setup.
func TestAStereoPairFollowsItsView(t *testing.T) {
	p := complete()
	lens := func(v View) (float64, error) { return v.Setup.Focal, nil }
	p.Views[0].Setup.Focal = 50
	base := p.Views[0].Code
	pair := camera.Rig{
		Kind:        camera.Pair,
		Code:        "eyes",
		Name:        "Eyes",
		View:        base,
		Separation:  0.1,
		Convergence: 5,
		Left:        "L",
		Right:       "R",
	}
	if err := p.SetRig(pair, lens); err != nil {
		t.Fatal(err)
	}
	if p.Views[1].Code != base+"_L" || p.Views[2].Code != base+"_R" || p.Views[1].Setup.ShiftAcross != 0.5 ||
		p.Views[2].Camera != p.Views[0].Camera {
		t.Fatalf("the eyes are %+v", p.Views[1:3])
	}
	if eye, ok := p.EyeOf(base + "_R"); !ok || eye != (Eye{base + "_R", base + "_L", false}) {
		t.Errorf("the right eye is %+v, %v", eye, ok)
	}
	if eye, ok := p.EyeOf(base + "_L"); !ok || eye.Other != base+"_R" || !eye.Left {
		t.Errorf("the left eye is %+v, %v", eye, ok)
	}
	if _, ok := p.EyeOf(base); ok {
		t.Error("a view is an eye of itself")
	}
	p.Shots[0].View = base + "_R"
	p.RenameView(base, "pier")
	p.Views[0].Setup.Focal = 100
	if err := p.FollowPairs(lens); err != nil {
		t.Fatal(err)
	}
	if p.Views[1].Code != "pier_L" || p.Views[1].Setup.ShiftAcross != 1 || p.Shots[0].View != "pier_R" ||
		len(p.Problems()) > 0 {
		t.Errorf("after the change: %+v, shot of %s, problems %v", p.Views[1], p.Shots[0].View, p.Problems())
	}
	p.Views[1].Setup.Locked = true
	p.Views[0].Setup.Focal = 20
	if err := p.FollowPairs(lens); err == nil || !strings.Contains(err.Error(), "is locked") {
		t.Errorf("a locked eye: %v", err)
	}
	if p.Views = p.Views[1:]; p.FollowPairs(lens) != nil || len(p.Problems()) == 0 {
		t.Error("nothing says that the view is gone")
	}
}

func TestShotsDoNotUseWorkingViews(t *testing.T) {
	p := complete()
	p.Views[0].Working = true
	if ps := p.Problems(); len(ps) == 0 || !strings.Contains(ps[0].Message, "is a working view") {
		t.Errorf("problems %v", ps)
	}
}
