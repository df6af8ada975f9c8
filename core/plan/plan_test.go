package plan

import (
	"encoding/json"
	"fmt"
	"math"
	"reflect"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

func example() production.Production {
	p := production.New("SALT", "A title")
	p.Scene = production.SceneFile{Name: "a.glb", SHA256: "00"}
	p.Views = []production.View{{Code: "quay", Camera: "cam_quay", Look: "plain"}}
	p.Shots = []production.Shot{
		{Code: "010", View: "quay", Frames: frame.MustParse("1001-1048x2"), Sizes: []string{"scope", "hd"}, PassList: "comp", InBatch: true},
		{Code: "020", View: "quay", Frames: frame.MustParse("1060"), Sizes: []string{"hd"}, PassList: "minimum", InBatch: true},
		{Code: "030", View: "quay", Frames: frame.MustParse("1-9"), Sizes: []string{"hd"}, PassList: "comp"},
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
		rows[0].FirstPath != "SALT/010/scope/v001/all/010_quay_scope_all.1001.exr" || rows[0].LastPath != "SALT/010/scope/v001/all/010_quay_scope_all.1047.exr" {
		t.Errorf("rows are %+v", rows)
	}
	if rows[2].Pass != "beauty" || rows[2].FirstPath != rows[2].LastPath {
		t.Errorf("the still is %+v", rows[2])
	}
}

func TestOneFileAPass(t *testing.T) {
	p := example()
	p.Output.Packing = production.Files
	b := build(t, p, Measure{})
	if got := b.Totals(); got.Frames != 49 || got.Files != 24*2*4+1 {
		t.Errorf("totals are %+v", got)
	}
	if rows := b.Rows(); rows[1].Pass != "depth" || rows[1].FirstPath != "SALT/010/scope/v001/depth/010_quay_scope_depth.1001.exr" {
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
	p.Qualities[0].Percent, p.Qualities[0].Samples = 100, 1
	got := build(t, p, Measure{Frames: 10, SecondsPerMegasample: 2, BytesPerUncompressed: 0.5}).Totals()
	if math.Abs(got.Seconds-16*60) > 1e-9 {
		t.Errorf("%v s, want 960", got.Seconds)
	}
	// beauty 4 halves, depth 1 float, normal and object 3 floats each: 36 bytes a pixel
	if want := 480 * 36e6 * 0.5; got.Bytes != want {
		t.Errorf("%v bytes, want %v", got.Bytes, want)
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
		p.Shots = append(p.Shots, production.Shot{Code: fmt.Sprint(i), View: "quay", Frames: frame.Of(1, 1000), Sizes: []string{"hd"}, PassList: "comp", InBatch: true})
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
