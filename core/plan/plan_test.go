package plan

import (
	"encoding/json"
	"fmt"
	"math"
	"reflect"
	"slices"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

func example() production.Production {
	p := production.New("SALT", "A title")
	p.Scene = production.SceneFile{Name: "a.glb", SHA256: "00"}
	p.Views = []production.View{{Code: "quay", Camera: "cam_quay", Look: "plain"}}
	p.Shots = []production.Shot{
		{
			Code:     "010",
			View:     "quay",
			Frames:   frame.MustParse("1001-1048x2"),
			Sizes:    []string{"scope", "hd"},
			PassList: "comp",
			Outputs:  []string{"master"},
			InBatch:  true,
		},
		{
			Code:     "020",
			View:     "quay",
			Frames:   frame.MustParse("1060"),
			Sizes:    []string{"hd"},
			PassList: "minimum",
			Outputs:  []string{"master"},
			InBatch:  true,
		},
		{
			Code:     "030",
			View:     "quay",
			Frames:   frame.MustParse("1-9"),
			Sizes:    []string{"hd"},
			PassList: "comp",
			Outputs:  []string{"master"},
		},
	}
	return p
}

func build(t testing.TB, p production.Production, m Measure) Batch {
	t.Helper()
	b, err := Build(p, m)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func TestBatchHoldsEveryShotBySize(t *testing.T) {
	b := build(t, example(), Measure{})
	if got := b.Totals(); got.Shots != 2 || got.Sequences != 3 || got.Frames != 24*2+1 || got.Files != 49 {
		t.Errorf("totals are %+v", got)
	}
	rows := b.Rows()
	if len(rows) != 3 || rows[0].Width != 512 || rows[0].Height != 215 || rows[0].Count != 24 ||
		rows[0].FirstPath != "SALT/010/master/scope/v001/all/010_quay_scope_all.1001.exr" ||
		rows[0].LastPath != "SALT/010/master/scope/v001/all/010_quay_scope_all.1047.exr" {
		t.Errorf("rows are %+v", rows)
	}
	if rows[2].Pass != "beauty" || rows[2].FirstPath != rows[2].LastPath {
		t.Errorf("the still is %+v", rows[2])
	}
}

func TestOneFileAPass(t *testing.T) {
	p := example()
	p.Outputs[0].Packing = output.Files
	b := build(t, p, Measure{})
	if got := b.Totals(); got.Frames != 49 || got.Files != 24*2*4+1 {
		t.Errorf("totals are %+v", got)
	}
	if rows := b.Rows(); rows[1].Pass != "depth" ||
		rows[1].FirstPath != "SALT/010/master/scope/v001/depth/010_quay_scope_depth.1001.exr" {
		t.Errorf("second row is %+v", rows[1])
	}
}

// 4 sequences of 120 frames at 2 s a frame take 16 min.
func TestForecastRestsOnWhatWasMeasured(t *testing.T) {
	p := example()
	p.Sizes = nil
	p.Shots = p.Shots[:1]
	p.Shots[0].Frames = frame.Of(1, 120)
	p.Shots[0].Sizes = nil
	for i := range 4 {
		code := fmt.Sprint("s", i)
		p.Sizes = append(p.Sizes, raster.Named{Code: code, Size: raster.Size{Width: 1000, Height: 1000}})
		p.Shots[0].Sizes = append(p.Shots[0].Sizes, code)
	}
	p.Qualities[0].Scale, p.Qualities[0].Samples = raster.Reduction{}, 1
	p.Outputs[0].Compression = output.None
	got := build(t, p, Measure{Frames: 10, SecondsPerMegasample: 2, BytesPerModelled: 0.5}).Totals()
	if math.Abs(got.Seconds-16*60) > 1e-9 {
		t.Errorf("%v s, want 960", got.Seconds)
	}
	// beauty 4 halves, depth 1 float, normal and object 3 floats each: 36 bytes a pixel
	if want := 480 * 36e6 * 0.5; math.Abs(got.Bytes-want) > 1e-4*want { // and a header
		t.Errorf("%v bytes, want %v", got.Bytes, want)
	}
}

func TestSeveralOutputsShareOneRendering(t *testing.T) {
	p := example()
	p.Shots[0].Outputs = []string{"master", "review", "proxy"}
	p.Sizes[1].MultipleOf = 2
	b := build(t, p, Measure{})
	if got := b.Totals(); got.Frames != 49 || got.Files != 24*2*3+1 {
		t.Errorf("totals are %+v", got)
	}
	var lines []string
	for _, r := range b.Rows()[3:6] {
		lines = append(
			lines, fmt.Sprint(r.Output, " ", r.Format, " ", r.Width, "x", r.Height, " ", r.Passes, " ", r.FirstPath),
		)
	}
	want := []string{
		"master exr 480x270 [beauty depth normal object] SALT/010/master/hd/v001/all/010_quay_hd_all.1001.exr",
		"review png 480x270 [beauty] SALT/010/review/hd/v001/beauty/010_quay_hd_beauty.1001.png",
		// 135 lines rounded up to even
		"proxy jpeg 240x136 [beauty] SALT/010/proxy/hd/v001/beauty/010_quay_hd_beauty.1001.jpg",
	}
	if !slices.Equal(lines, want) {
		t.Errorf("got %q", lines)
	}
	if review := b.Sequences[0].Files[1]; !review.Stamp.On || b.Sequences[0].Files[0].Stamp.On {
		t.Error("the review is to be stamped, and the master not")
	}
	if proof := b.Prove(); proof.Method != naming.ByPattern || len(proof.Clashes) > 0 || proof.Files != 145 {
		t.Errorf("%+v", proof)
	}
}

func TestHandlesAreRenderedAndStillsHaveNone(t *testing.T) {
	p := example()
	p.Handles = 4
	b := build(t, p, Measure{})
	if s := b.Sequences[0]; s.Frames.String() != "997-1051x2" || s.Own.String() != "1001-1047x2" {
		t.Errorf("%s of %s", s.Frames, s.Own)
	}
	if s := b.Sequences[2]; s.Frames.Count() != 1 {
		t.Errorf("the still has %s", s.Frames)
	}
}

func TestAnEditsImpactIsCounted(t *testing.T) {
	before := build(t, example(), Measure{})
	if i := Compare(before, before); i.Any() {
		t.Errorf("nothing changed, but %+v", i)
	}
	for name, c := range map[string]struct {
		change func(p *production.Production)
		shots  int
		paths  int
	}{
		"a longer shot": {func(p *production.Production) { p.Shots[0].Frames = frame.MustParse("1001-1050x2") }, 1,
			2},
		"the name": {func(p *production.Production) { p.Names.Pattern = "(shot)/(size)/(frame:4).(ext)" }, 2,
			49},
		"a size":          {func(p *production.Production) { p.Sizes[0].Width = 1024 }, 1, 0},
		"the rate":        {func(p *production.Production) { p.Rate.Numerator = 25 }, 2, 0},
		"a shot left out": {func(p *production.Production) { p.Shots[1].InBatch = false }, 1, 0},
		"the quality":     {func(p *production.Production) { p.Quality = "final" }, 2, 0},
		"the title":       {func(p *production.Production) { p.Title = "Other" }, 0, 0},
	} {
		p := example()
		c.change(&p)
		if i := Compare(before, build(t, p, Measure{})); len(i.Shots) != c.shots || i.Paths != c.paths {
			t.Errorf("%s: %+v", name, i)
		}
	}
}

func TestProblemsKeepABatchFromBeingMade(t *testing.T) {
	p := example()
	p.Shots[0].View = "nowhere"
	if _, err := Build(p, Measure{}); err == nil {
		t.Error("a batch was made")
	}
}

func TestASentBatchSurvivesJSON(t *testing.T) {
	b := build(t, example(), Measure{})
	data, err := json.Marshal(b)
	if err != nil {
		t.Fatal(err)
	}
	var back Batch
	if err := json.Unmarshal(data, &back); err != nil || !reflect.DeepEqual(b, back) {
		t.Errorf("%v\n%+v\n%+v", err, b, back)
	}
}

func BenchmarkBuildMillionFrames(b *testing.B) {
	p := example()
	p.Shots = nil
	for i := range 1000 {
		p.Shots = append(
			p.Shots,
			production.Shot{
				Code:     fmt.Sprint(i),
				View:     "quay",
				Frames:   frame.Of(1, 1000),
				Sizes:    []string{"hd"},
				PassList: "comp",
				Outputs:  []string{"master"},
				InBatch:  true,
			},
		)
	}
	b.ReportAllocs()
	buf, n := []byte(nil), 0
	for b.Loop() {
		for _, s := range build(b, p, Measure{}).Sequences {
			for f := range s.Frames.All() {
				buf = s.Files[0].Path.AppendFrame(buf[:0], f)
				n++
			}
		}
	}
	b.ReportMetric(float64(n)/b.Elapsed().Seconds(), "frames/s")
}
