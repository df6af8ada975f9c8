package production

import (
	"slices"
	"strings"
	"testing"

	"reelhouse/core/cut"
	"reelhouse/core/frame"
)

func codes(p Production) string {
	return strings.Join(codesOf(p.Shots, func(s Shot) string { return s.Code }), " ")
}

func TestWhatAShotLeavesOpenComesFromTheProduction(t *testing.T) {
	p := complete()
	p.Handles = 4
	p.ShotDefaults = ShotDefaults{Sizes: []string{"hd"}, PassList: "minimum", Outputs: []string{"review"}}
	s := Shot{Code: "020", View: "quay", Frames: frame.Of(1001, 1048)}
	if !slices.Equal(p.SizesOf(s), []string{"hd"}) || p.PassListOf(s) != "minimum" ||
		!slices.Equal(p.OutputsOf(s), []string{"review"}) ||
		p.QualityOf(s) != "draft" ||
		p.HandlesOf(s) != 4 ||
		p.LookOf(s, p.Views[0]) != "plain" {
		t.Error("a shot without anything of its own has something else than the production")
	}
	none := 0
	for field, set := range map[string]func(s *Shot){
		"look": func(s *Shot) { s.Look = "dusk" }, "step": func(s *Shot) { s.Step = 2 },
		"handles": func(s *Shot) { s.Handles = &none }, "sizes": func(s *Shot) { s.Sizes = []string{"scope"} },
		"passList": func(s *Shot) { s.PassList = "comp" }, "outputs": func(s *Shot) { s.Outputs = []string{"master"} },
		"quality": func(s *Shot) { s.Quality = "final" }, "renderer": func(s *Shot) { s.Renderer = "halyard" },
	} {
		own := s
		if set(&own); !own.Set(field) || s.Set(field) {
			t.Errorf("%s: what is set does not show so", field)
		}
		if !own.Unset(field) || own.Set(field) {
			t.Errorf("%s cannot be put back", field)
		}
	}
	if s.Set("name") || s.Unset("name") {
		t.Error("a name comes from the production")
	}
	s.Handles, s.Step = &none, 10
	if got := p.RenderedOf(s); got.String() != "1001-1041x10" { // floor(47/10) + 1 = 5 frames
		t.Errorf("every tenth frame of 1001-1048 is %s", got)
	}
	s.Handles = nil
	if got := p.RenderedOf(Shot{Frames: frame.Of(7, 7)}); got.Count() != 1 {
		t.Errorf("a still has handles: %s", got)
	}
}

func TestAShotMayShowSeveralViewsAndRigs(t *testing.T) {
	p := complete()
	for _, code := range []string{"turn_1", "turn_2"} {
		p.Views = append(p.Views, View{Code: code, Camera: "c", Look: "plain", Rig: "turn"})
	}
	s := Shot{Code: "020", View: "turn", Also: []string{"quay", "turn_2"}}
	if got := codesOf(p.ViewsOf(s), func(v View) string { return v.Code }); !slices.Equal(
		got, []string{"turn_1", "turn_2", "quay"},
	) {
		t.Errorf("it shows %v", got)
	}
	s.Without = []Cell{{"turn_2", "scope"}}
	p.Shots = append(p.Shots, s)
	p.RenameView("turn_2", "side")
	if got := p.Shots[1]; !slices.Equal(got.Also, []string{"quay", "side"}) || !got.LeftOut("side", "scope") ||
		got.LeftOut("quay", "scope") {
		t.Errorf("after the view was renamed: %+v", got)
	}
	if err := p.RemoveRig("turn"); err == nil {
		t.Error("a rig that a shot shows was removed")
	}
}

func TestShotsAreSplitJoinedCopiedMovedAndRenumbered(t *testing.T) {
	p := complete()
	p.Shots[0].Labels = []Label{{1003, "a"}, {1040, "b"}}
	second, err := p.SplitShot("010", 1025)
	if err != nil || second != "010a" || p.Shots[0].Frames.String() != "1001-1024" ||
		p.Shots[1].Frames.String() != "1025-1048" ||
		p.Shots[0].Label(1003) != "a" ||
		p.Shots[0].Label(1040) != "" ||
		p.Shots[1].Label(1040) != "b" ||
		p.Shots[1].Label(1003) != "" {
		t.Fatalf("split: %v, %+v", err, p.Shots)
	}
	for _, at := range []int{1001, 1025, 900} {
		if _, err := p.SplitShot("010", at); err == nil {
			t.Errorf("split at frame %d, where nothing is left of a part", at)
		}
	}
	if third, err := p.CopyShot("010a"); err != nil || third != "010b" || codes(p) != "010 010a 010b" {
		t.Errorf("copied: %s, %v, %s", third, err, codes(p))
	}
	p.Shots[2].Sizes = []string{"hd"}
	if err := p.JoinShots([]string{"010", "010b"}); err == nil || !strings.Contains(err.Error(), "sizes") {
		t.Errorf("shots in other sizes were joined: %v", err)
	}
	if err := p.JoinShots([]string{"010", "010a"}); err != nil || p.Shots[0].Frames.String() != "1001-1048" ||
		len(p.Shots[0].Labels) != 2 ||
		codes(p) != "010 010b" {
		t.Errorf("joined: %v, %+v", err, p.Shots)
	}
	for range 3 {
		p.CopyShot("010")
	}
	p.MoveShots([]string{"010b"}, -2)
	if codes(p) != "010 010d 010b 010c 010a" {
		t.Errorf("moved to the front: %s", codes(p))
	}
	before := codes(p)
	p.MoveShots(strings.Fields(before)[:2], -1)
	if codes(p) != before {
		t.Errorf("the first ones were moved beyond the front: %s", codes(p))
	}
	now := p.RenumberShots(nil)
	if codes(p) != "010 020 030 040 050" || now[strings.Fields(before)[4]] != "050" {
		t.Errorf("renumbered: %s, %v", codes(p), now)
	}
	p.MoveShots([]string{"010", "030"}, 1)
	if codes(p) != "020 010 040 030 050" {
		t.Errorf("moved on: %s", codes(p))
	}
	p.RenumberShots([]string{"040", "030"})
	if codes(p) != "020 010 030 040 050" {
		t.Errorf("some renumbered: %s", codes(p))
	}
}

func TestTheCutAndTheShotsFollowEachOther(t *testing.T) {
	p := complete()
	p.Shots = append(
		p.Shots, Shot{Code: "020", View: "quay", Frames: frame.MustParse("1033-1079x2"), InBatch: true},
		Shot{Code: "030", View: "quay", Frames: frame.Of(1, 9)},
	)
	p.Cut = p.FirstCut()
	clips := p.Cut.Tracks[0].Clips
	if len(clips) != 2 || clips[1].Record != 48 || clips[1].Length != 47 || clips[1].Source != 1033 {
		t.Fatalf("the first cut is %+v", clips)
	}
	if err := p.Cut.Trim(0, 0, 10, 20); err != nil {
		t.Fatal(err)
	}
	changed, err := p.FollowCut([]string{"010"})
	if s, _ := p.FindShot("010"); err != nil || !slices.Equal(changed, []string{"010"}) ||
		s.Frames.String() != "1011-1020" {
		t.Errorf("%v, %v: %s", changed, err, s.Frames)
	}
	p.RenumberShots(nil)
	p.Shots[0].Code = "005"
	p.Cut.Rename(map[string]string{"010": "005"})
	if p.Cut.Tracks[0].Clips[0].Shot != "005" || len(p.Problems()) > 0 {
		t.Errorf("after another code the cut shows %+v; %v", p.Cut.Tracks[0].Clips[0], p.Problems())
	}
	p.Cut.Tracks[0].Clips = append(
		p.Cut.Tracks[0].Clips, cut.Clip{Name: "Gulls & rope, wide.mov", Record: 200, Length: 10, Source: 1100},
		cut.Clip{Name: "Gulls & rope, wide.mov", Record: 210, Length: 5, Source: 1120},
		cut.Clip{Name: "020", Record: 300, Length: 1, Source: 1},
	)
	added, err := p.ShotsOfCut("quay")
	if err != nil || strings.Join(added, " ") != "Gulls-rope-wide-mov 020-2" || len(p.Problems()) > 0 {
		t.Errorf("made were %q, %v; %v", added, err, p.Problems())
	}
	if s, _ := p.FindShot(added[0]); s.Frames.String() != "1100-1109,1120-1124" || s.Name != "Gulls & rope, wide.mov" {
		t.Errorf("the new shot is %+v", s)
	}
	if _, err := p.ShotsOfCut("none"); err == nil {
		t.Error("shots were made of a view that is not there")
	}
	p.Cut.Tracks[0].Clips[0].Length = 0
	if ps := p.Problems(); len(ps) != 1 || ps[0].Where != "cut" {
		t.Errorf("a clip without frames: %v", ps)
	}
}
