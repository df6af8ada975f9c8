package preflight

import (
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/naming"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/core/production"
)

func sequence(shot, pattern string, frames string) plan.Sequence {
	passes := []pass.Code{pass.Beauty, pass.Depth}
	return plan.Sequence{
		Shot: shot, View: "quay", SizeCode: "hd", Camera: "cam", Frames: frame.MustParse(frames), Passes: passes, FrameBytes: 1e6,
		Files: []plan.FileSequence{{Label: "all", Passes: passes, Format: production.EXR, Path: naming.MustParse(pattern).Bind(naming.Fields{Shot: shot, Ext: "exr"})}},
	}
}

func TestRules(t *testing.T) {
	facts := Facts{Cameras: []string{"cam"}, LastFrame: 1100, FreeBytes: -1, Taken: func(string) string { return "" }}
	good := func() plan.Batch {
		return plan.Batch{FirstFrame: 1001, Quality: production.Quality{Name: "Final", Full: true}, Sequences: []plan.Sequence{
			sequence("010", "(shot).(frame:4).(ext)", "1001-1048"), sequence("020", "(shot).(frame:4).(ext)", "1001-1048"),
		}}
	}
	if found := Check(good(), facts); len(found) != 0 {
		t.Errorf("a good batch has %+v", found)
	}
	for rule, c := range map[string]struct {
		spoil    func(b *plan.Batch, f *Facts)
		severity Severity
		says     string
	}{
		"empty-batch":    {func(b *plan.Batch, _ *Facts) { b.Sequences = nil }, Refuses, "No shot"},
		"camera-missing": {func(b *plan.Batch, _ *Facts) { b.Sequences[1].Camera = "gone" }, Refuses, `"gone"`},
		"same-path": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[1].Files[0].Path = naming.MustParse("010.(frame:4).(ext)").Bind(naming.Fields{Ext: "EXR"})
		}, Refuses, "010 quay hd (all) and 020 quay hd (all)"},
		"already-sent": {func(_ *plan.Batch, f *Facts) {
			f.Taken = func(key string) string { return map[bool]string{true: "batch 7"}[strings.HasPrefix(key, "020")] }
		}, Refuses, "1 file sequences were already sent with batch 7, 020.1001.exr"},
		"format-too-small": {func(b *plan.Batch, _ *Facts) { b.Sequences[0].Files[0].Format = production.PNG8 }, Refuses, "depth"},
		"padding-too-short": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[0] = sequence("010", "(shot).(frame:2).(ext)", "98-101")
			b.FirstFrame = 1
		}, Warns, "98 and 101"},
		"path-too-long": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[0] = sequence("010", strings.Repeat("a", 190)+"/(shot).(frame:4).(ext)", "1001-1002")
		}, Warns, "bytes long"},
		"beyond-the-scene": {func(_ *plan.Batch, f *Facts) { f.LastFrame = 1047 }, Warns, "1001 to 1047"},
		"quick-settings":   {func(b *plan.Batch, _ *Facts) { b.Quality = production.Quality{Name: "Draft", Percent: 25, Samples: 2} }, Warns, "25 %"},
		"disk-too-small":   {func(_ *plan.Batch, f *Facts) { f.FreeBytes = 95e6 }, Refuses, "96 MB are needed and 95 MB"},
	} {
		b, f := good(), facts
		c.spoil(&b, &f)
		found := Check(b, f)
		if len(found) == 0 || found[0].Rule != rule || found[0].Severity != c.severity || !strings.Contains(found[0].Message, c.says) || found[0].Why == "" {
			t.Errorf("%s: got %+v", rule, found)
		}
		if Refused(found) != (c.severity == Refuses) {
			t.Errorf("%s: refused is %v", rule, Refused(found))
		}
	}
	if len(rules) != 10 {
		t.Errorf("there are %d rules and 10 tests", len(rules))
	}
}
