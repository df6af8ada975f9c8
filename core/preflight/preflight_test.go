package preflight

import (
	"slices"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/look"
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
		Shot: shot, View: "quay", SizeCode: "hd", Camera: "cam", Frames: frame.MustParse(frames),
		Own: frame.MustParse(frames), Passes: passes, FrameBytes: 1e6,
		Size: raster.Size{Width: 1920, Height: 1080}, FullSize: raster.Size{Width: 1920, Height: 1080},
		Files: []plan.FileSequence{{
			Output: "master", Role: output.Master, Label: "all", Passes: passes, Encoding: output.EXR.Usual(),
			Pattern: pattern,
			Path:    naming.MustParse(pattern).Bind(naming.Fields{Shot: shot, Ext: "exr"}, naming.Rules{}),
		}},
	}
}

func TestRules(t *testing.T) {
	facts := Facts{Cameras: []string{"cam"}, LastFrame: 1100, FreeBytes: -1, WorkBytes: -1}
	good := func() plan.Batch {
		return plan.Batch{
			FirstFrame: 1001,
			Quality:    production.Quality{Name: "Final", Deliverable: true},
			Sequences: []plan.Sequence{
				sequence(
					"010", "(shot).(frame:4).(ext)", "1001-1048",
				), sequence("020", "(shot).(frame:4).(ext)", "1001-1048"),
			},
		}
	}
	if found := Check(good(), facts); len(found) != 0 {
		t.Errorf("a good batch has %+v", found)
	}
	tested := map[string]bool{}
	for rule, c := range map[string]struct {
		spoil    func(b *plan.Batch, f *Facts)
		severity Severity
		says     string
	}{
		"empty-batch":    {func(b *plan.Batch, _ *Facts) { b.Sequences = nil }, Refuses, "No shot"},
		"camera-missing": {func(b *plan.Batch, _ *Facts) { b.Sequences[1].Camera = "gone" }, Refuses, `"gone"`},
		"scene-opaque":   {func(_ *plan.Batch, f *Facts) { f.Unreadable = true }, Refuses, "outside renderer"},
		"renderer-cannot": {func(_ *plan.Batch, f *Facts) {
			f.Unrendered = []Unrendered{{"010 quay hd", "The renderer halyard cannot: it does not stamp pictures"}}
		}, Refuses, "does not stamp"},
		"same-path": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[1].Files[0].Path = b.Sequences[0].Files[0].Path
		}, Refuses, "010 quay hd (master all) and 020 quay hd (master all)"},
		"already-sent": {func(_ *plan.Batch, f *Facts) {
			f.Diffs = []plan.Diff{{New: frame.Of(1, 2)},
				{Changed: frame.Of(1, 2), Other: "020.1001.exr", By: []string{"batch 7"}}}
		}, Refuses, "1 of the sequences were sent already with another set-up, with batch 7; 020.1001.exr"},
		"nothing-new": {func(_ *plan.Batch, f *Facts) {
			f.Diffs = []plan.Diff{{Good: frame.Of(1, 40), By: []string{"batch 7"}},
				{Coming: frame.Of(1, 2), By: []string{"batch 7"}}}
		}, Refuses, "40 frames are in place and 2 queued"},
		"set-up-unknown": {func(_ *plan.Batch, f *Facts) {
			f.Diffs = []plan.Diff{{New: frame.Of(3, 4), Unknown: frame.Of(1, 2), By: []string{"batch 7"}}}
		}, Warns, "2 frames were sent before fingerprints were kept, with batch 7"},
		"path-occupied": {func(_ *plan.Batch, f *Facts) {
			f.Occupied = []string{"020.1001.exr", "020.1002.exr"}
		}, Refuses, "020.1001.exr exists already, and this house has no record of it, nor of one more"},
		"queue-is-busy": {func(_ *plan.Batch, f *Facts) { f.Busy = 9000 }, Warns, "2.5 h of work"},
		"data-in-few-bits": {func(b *plan.Batch, _ *Facts) {
			for i := range b.Sequences {
				b.Sequences[i].Passes, b.Sequences[i].Files[0].Passes = []pass.Code{pass.Depth}, []pass.Code{pass.Depth}
			}
			b.Sequences[0].Files[0].Encoding = output.PNG.Usual()
			b.Sequences[0].Files[0].Encoding.Depth = output.Eight
		}, Warns, "the pass depth in 8 bits"},
		"data-lossy": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[0].Files[0].Role = output.Review
			b.Sequences[0].Files[0].Encoding.Compression = output.DWAA
		}, Warns, "changes its numbers"},
		"encoded-twice": {func(b *plan.Batch, _ *Facts) { b.Sequences[0].Files[0].Encoding.Curve = "srgb" },
			Refuses, "encodes floats by srgb"},
		"look-not-in-scene": {func(b *plan.Batch, f *Facts) {
			f.Undressed = map[string][]string{b.Sequences[0].Shot: {"variant green of materials"}}
		}, Refuses, "asks for variant green of materials"},
		"depth-background-near": {func(b *plan.Batch, f *Facts) {
			b.Sequences[0].Depth.Background, f.Reach = 50, 150
		}, Warns, "counts as 50 m deep"},
		"depth-clipped": {func(b *plan.Batch, f *Facts) {
			f.Reach = 150
			b.Sequences[0].Depth.Style = pass.DepthStyle{Picture: true, Near: 1, Far: 100}
		}, Warns, "ends at 100 m"},
		"depth-unit": {func(b *plan.Batch, f *Facts) {
			f.Reach, b.Sequences[0].Depth.Background = 150_000, 1e6
		}, Warns, "which is unlikely"},
		"matte-of-clear": {func(b *plan.Batch, f *Facts) {
			b.Sequences[0].Passes = append(b.Sequences[0].Passes, pass.CryptoObject)
			b.Sequences[0].Files[0].Passes = b.Sequences[0].Passes
			f.Clear = []string{"pane"}
		}, Warns, "pane can be seen through"},
		"matte-without-hidden": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[0].Passes = append(b.Sequences[0].Passes, pass.Object)
			b.Sequences[0].Files[0].Passes = b.Sequences[0].Passes
			b.Sequences[0].Look = look.Look{Code: "dusk", Unseen: []string{"mast"}}
		}, Warns, "hides mast from the camera"},
		"texture-missing": {func(_ *plan.Batch, f *Facts) { f.Missing = []string{"a", "b", "c", "d", "e", "f"} },
			Warns, "a, b, c, d and 2 more"},
		"other-look": {func(_ *plan.Batch, f *Facts) { f.ViewLooks = map[string]string{"quay": "night"} },
			Warns, "own is night"},
		"view-without-shot": {func(_ *plan.Batch, f *Facts) { f.Unused = []string{"bow"} }, Warns,
			"No shot shows bow"},
		"still-as-range": {func(b *plan.Batch, _ *Facts) { b.Sequences[0].ShotName = "Title still" }, Warns,
			"has 48 frames"},
		"range-as-still": {func(b *plan.Batch, _ *Facts) { b.Sequences[1].Own = frame.Of(1001, 1001) }, Warns,
			"has one frame, 1001"},
		"last-frame-missing": {func(_ *plan.Batch, f *Facts) { f.LastFrame = 1049 }, Warns,
			"one before the scene's last, 1049"},
		"cut-needs-more": {func(_ *plan.Batch,
			f *Facts) {
			f.Cut = map[string]frame.Set{"010": frame.Of(1040, 1050)}
		}, Warns,
			"2 frames that are not rendered: 1049-1050"},
		"steps-left-on": {func(b *plan.Batch, _ *Facts) { b.Sequences[0].Own = b.Sequences[0].Own.Thin(2) },
			Refuses, "every 2nd frame"},
		"region-left-on": {func(b *plan.Batch,
			_ *Facts) {
			b.Region = raster.Part{Left: 25, Top: 25, Right: 75, Bottom: 75}
		}, Refuses, "25, 25, 75, 75"},
		"quick-shot": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[1].Quality = production.Quality{Code: "draft", Name: "Draft", Samples: 2}
		}, Refuses, "rendered in Draft"},
		"alpha-in-some": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[0].Look.Background = look.Background{Kind: look.Transparent}
			for i := range b.Sequences {
				b.Sequences[i].Files[0].Encoding.Alpha = output.Premultiplied
			}
		}, Warns, "background that hides everything"},
		"tiles-without-clock": {func(b *plan.Batch, _ *Facts) {
			b.Quality.Deliverable, b.Quality.Effort.Seconds, b.Quality.Tiles = false, 60, raster.Bands(4)
			b.Quality.Scale = raster.Reduction{Percent: 100}
		}, Warns, "ends a frame after 60 s"},
		"tiles-too-large": {func(b *plan.Batch, _ *Facts) {
			b.Quality.Memory, b.Sequences[0].Tiles = 0.05, raster.Bands(2)
		}, Warns, "wants no more than 0.05 GB"},
		"format-too-small": {func(b *plan.Batch, _ *Facts) { b.Sequences[0].Files[0].Encoding = output.PNG.Usual() },
			Refuses, "no layers"},
		"pass-left-out": {func(b *plan.Batch,
			_ *Facts) {
			b.Sequences[0].Passes = append(b.Sequences[0].Passes, pass.Normal)
		}, Warns,
			"takes the pass normal"},
		"lossy-master": {func(b *plan.Batch, _ *Facts) {
			b.Sequences[0].Files[0].Encoding, b.Sequences[0].Files[0].Passes = output.JPEG.Usual(),
				[]pass.Code{pass.Beauty}
			b.Sequences[0].Passes = []pass.Code{pass.Beauty}
		}, Warns, "master in JPEG"},
		"no-master": {func(b *plan.Batch, _ *Facts) { b.Sequences[0].Files[0].Role = output.Review }, Warns,
			"is a master"},
		"below-minimum": {func(b *plan.Batch,
			_ *Facts) {
			b.Standards.Floor = production.Floor{Width: 2048, Height: 1080}
		}, Warns, "2048 × 1080"},
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
			b.Sequences[0].Setup.Panorama = true
		}, Warns, "twice as wide as high"},
		"disk-too-small": {
			func(_ *plan.Batch, f *Facts) { f.FreeBytes = 95e6 }, Refuses,
			"96 MB are needed in the data folder and 95 MB",
		},
		"volume-unusable": {
			func(_ *plan.Batch, f *Facts) { f.VolumeFault = "the disk of volume nas is not connected" }, Refuses,
			"Nothing can be written: the disk of volume nas is not connected",
		},
	} {
		b, f := good(), facts
		c.spoil(&b, &f)
		found := slices.DeleteFunc(Check(b, f), func(g Finding) bool { return g.Rule != rule })
		if len(found) == 0 || found[0].Severity != c.severity || !strings.Contains(found[0].Message, c.says) ||
			found[0].Why == "" {
			t.Errorf("%s: got %+v", rule, Check(b, f))
			continue
		}
		tested[rule] = true
		if refused := StateOf(found, false) == Refused; refused != (c.severity == Refuses) {
			t.Errorf("%s: refused is %v", rule, refused)
		}
		b.Waived = []production.Waiver{{Rule: rule, Reason: "the director wants it"}}
		for _, g := range Check(b, f) {
			if g.Rule == rule && (g.Waived == "") != g.Mandatory {
				t.Errorf("%s: waived, it is %+v", rule, g)
			}
		}
	}
	for _, r := range Rules() {
		if !tested[r.Name] {
			t.Errorf("no test sees the rule %s fire", r.Name)
		}
	}
}

func TestWhatIsQuickIsRefusedUntilItIsSaidTwice(t *testing.T) {
	b := plan.Batch{
		FirstFrame: 1,
		Quality:    production.Quality{Name: "Final", Deliverable: true},
		Sequences:  []plan.Sequence{sequence("010", "(shot).(frame:4).(ext)", "1-9")},
	}
	b.Region = raster.Part{Right: 50, Bottom: 50}
	found := Check(b, Facts{Cameras: []string{"cam"}, LastFrame: 100, FreeBytes: -1, WorkBytes: -1})
	if StateOf(found, false) != Refused || StateOf(found, true) != Warned {
		t.Errorf("once: %s, twice: %s", StateOf(found, false), StateOf(found, true))
	}
	if StateOf(nil, false) != Clean {
		t.Error("nothing found is not clean")
	}
}

// A festival minimum of 2048 x 1080 is common practice.
func TestTheDeliveryMinimumHoldsForMasters(t *testing.T) {
	b := plan.Batch{
		Quality:   production.Quality{Name: "Draft"},
		Sequences: []plan.Sequence{sequence("010", "(shot).(frame:4).(ext)", "1-2")},
	}
	b.Sequences[0].Size = raster.Size{Width: 480, Height: 270} // a draft: the full size counts
	says := func() string {
		var all []string
		for _, f := range Check(b, Facts{Cameras: []string{"cam"}, LastFrame: 9, FreeBytes: -1, WorkBytes: -1}) {
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
	b.Quality.Deliverable = true
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
