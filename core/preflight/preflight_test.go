package preflight

import (
	"reelhouse/core/look"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

func sequence(shot, pattern string, frames string) plan.Sequence {
	passes := []pass.Code{pass.Beauty, pass.Depth}
	return plan.Sequence{
		Shot: shot, View: "quay", SizeCode: "hd", Camera: "cam", Frames: frame.MustParse(frames), Passes: passes, FrameBytes: 1e6,
		Size: raster.Size{Width: 1920, Height: 1080}, FullSize: raster.Size{Width: 1920, Height: 1080},
		Files: []plan.FileSequence{{
			Output: "master", Role: output.Master, Label: "all", Passes: passes, Encoding: output.EXR.Usual(), Pattern: pattern,
			Path: naming.MustParse(pattern).Bind(naming.Fields{Shot: shot, Ext: "exr"}, naming.Rules{}),
		}},
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
		"scene-opaque":   {func(_ *plan.Batch, f *Facts) { f.Unreadable = true }, Refuses, "outside renderer"},
		"same-path": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[1].Files[0].Path = b.Sequences[0].Files[0].Path
		}, Refuses, "010 quay hd (master all) and 020 quay hd (master all)"},
		"already-sent": {func(_ *plan.Batch, f *Facts) {
			f.Taken = func(key string) string { return map[bool]string{true: "batch 7"}[strings.HasPrefix(key, "020")] }
		}, Refuses, "1 file sequences were already sent with batch 7, 020.1001.exr"},
		"format-too-small": {func(b *plan.Batch, _ *Facts) { b.Sequences[0].Files[0].Encoding = output.PNG.Usual() }, Refuses, "no layers"},
		"pass-left-out":    {func(b *plan.Batch, _ *Facts) { b.Sequences[0].Passes = append(b.Sequences[0].Passes, pass.Normal) }, Warns, "takes the pass normal"},
		"lossy-master": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[0].Files[0].Encoding, b.Sequences[0].Files[0].Passes = output.JPEG.Usual(), []pass.Code{pass.Beauty}
			b.Sequences[0].Passes = []pass.Code{pass.Beauty}
		}, Warns, "master in JPEG"},
		"no-master":     {func(b *plan.Batch, _ *Facts) { b.Sequences[0].Files[0].Role = output.Review }, Warns, "is a master"},
		"below-minimum": {func(b *plan.Batch, _ *Facts) { b.Standards.Floor = production.Floor{Width: 2048, Height: 1080} }, Warns, "2048 × 1080"},
		"alpha-lost": {func(b *plan.Batch, _ *Facts) {
			b.Standards.Background.Kind, b.Sequences[0].Files[0].Encoding.Alpha = look.Transparent, output.NoAlpha
		}, Warns, "stores no alpha"},
		"padding-too-short": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[0] = sequence("010", "(shot).(frame:2).(ext)", "98-101")
			b.FirstFrame = 1
		}, Warns, "98 and 101"},
		"not-portable": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[0] = sequence("010", strings.Repeat("a", 190)+"/(shot).(frame:4).(ext)", "1001-1002")
		}, Warns, "bytes long"},
		"beyond-the-scene": {func(_ *plan.Batch, f *Facts) { f.LastFrame = 1047 }, Warns, "1001 to 1047"},
		"quick-settings": {func(b *plan.Batch, _ *Facts) {
			b.Quality = production.Quality{Name: "Draft", Scale: raster.Reduction{Percent: 25}, Samples: 2}
		}, Warns, "25 %"},
		"light-cut-off": {func(b *plan.Batch, _ *Facts) { b.Quality.Effort.Clamp = 8 }, Warns, "may add to 8"},
		"stretched-panorama": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[0].Setup.AllAround = true
		}, Warns, "twice as wide as high"},
		"disk-too-small": {func(_ *plan.Batch, f *Facts) { f.FreeBytes = 95e6 }, Refuses, "96 MB are needed and 95 MB"},
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
	if len(rules) != 18 {
		t.Errorf("there are %d rules and 18 tests", len(rules))
	}
}

// A festival minimum of 2048 x 1080 is common practice.
func TestTheDeliveryMinimumHoldsForMasters(t *testing.T) {
	b := plan.Batch{Quality: production.Quality{Name: "Draft"}, Sequences: []plan.Sequence{sequence("010", "(shot).(frame:4).(ext)", "1-2")}}
	b.Sequences[0].Size = raster.Size{Width: 480, Height: 270} // a draft: the full size counts
	says := func() string {
		var all []string
		for _, f := range Check(b, Facts{Cameras: []string{"cam"}, LastFrame: 9, FreeBytes: -1, Taken: func(string) string { return "" }}) {
			if f.Rule == "below-minimum" {
				all = append(all, f.Message)
			}
		}
		return strings.Join(all, " ")
	}
	b.Standards.Floor = production.Floor{Width: 1920, Height: 1080, Bits: 16, Lossless: true}
	if got := says(); got != "" {
		t.Errorf("good enough, but: %s", got)
	}
	b.Quality.Full = true
	if got := says(); !strings.Contains(got, "480 × 270") {
		t.Errorf("rendered small at full quality: %q", got)
	}
	b.Sequences[0].Size = b.Sequences[0].FullSize
	b.Sequences[0].Files[0].Encoding = output.JPEG.Usual()
	if got := says(); !strings.Contains(got, "8 bits") {
		t.Errorf("8 bits for 16: %q", got)
	}
	b.Standards.Floor.Bits = 8
	if got := says(); !strings.Contains(got, "lossy") {
		t.Errorf("lossy for lossless: %q", got)
	}
}
