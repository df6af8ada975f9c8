package trace

import (
	"bytes"
	"context"
	"io"
	"slices"
	"strings"
	"testing"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/job"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

func TestAJobIsPerformedAsTheContractSays(t *testing.T) {
	var file bytes.Buffer
	if err := room().Write(&file); err != nil {
		t.Fatal(err)
	}
	stamped := stamp.Stamp{On: true, Percent: 20, Opacity: 1, Lines: []stamp.Line{{Place: stamp.TopLeft, Text: "(rendertime)"}}}
	j := job.Job{
		Version: job.Version, Scene: "room.glb", View: job.View{Name: "v", Camera: "cam", Look: look.Plain()}, Rate: frame.Rate{Numerator: 24, Denominator: 1}, FirstFrame: 1001,
		Size: raster.Size{Width: 40, Height: 30}, Passes: everything, Samples: 1, Filter: pixel.Box, DepthBackground: 500,
		Frames: []job.Frame{
			{Number: 1001, Files: []job.File{{Path: "a.exr", Encoding: output.EXR.Usual(), Passes: everything}, {Path: "a.png", Encoding: output.PNG.Usual(), Passes: []pass.Code{pass.Beauty}, Size: raster.Size{Width: 20, Height: 15}, Kernel: pixel.Mitchell, Stamp: stamped}}},
			{Number: 1013, Files: []job.File{{Path: "b.exr", Encoding: output.EXR.Usual(), Passes: []pass.Code{pass.Depth}}, {Path: "c.exr", Encoding: output.EXR.Usual(), Passes: []pass.Code{pass.Depth}, Size: raster.Size{Width: 20, Height: 15}, Kernel: pixel.BoxKernel}}},
		},
		Facts: []job.Fact{{Name: "shot", Value: "010"}},
	}
	wrote := map[string][]byte{}
	var said []string
	outside := Outside{
		Open:  func(string) (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(file.Bytes())), nil },
		Write: func(path string, data []byte) error { wrote[path] = data; return nil },
		Now:   func() time.Time { return time.Time{} },
		Say: func(m job.Message) {
			if m.Event != job.Progress {
				said = append(said, string(m.Event)+" "+m.Path)
			}
		},
	}
	if err := Perform(context.Background(), j, outside); err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(said, ","); got != "started ,wrote a.exr,wrote a.png,started ,wrote b.exr,wrote c.exr,finished " {
		t.Errorf("it said %s", got)
	}
	first, err := picture.Decode(wrote["a.exr"])
	if err != nil {
		t.Fatal(err)
	}
	facts := map[string]string{}
	for _, f := range first.Facts {
		facts[f.Name] = f.Value
	}
	if facts["frame"] != "1001" || facts["framesPerSecond"] != "24/1" || facts["shot"] != "010" {
		t.Errorf("the header says %v", facts)
	}
	small, err := picture.Decode(wrote["a.png"])
	if err != nil || small.Image.Width != 20 || small.Image.Height != 15 {
		t.Errorf("the reduced picture is %+v, %v", small, err)
	}
	whole, err := picture.Decode(wrote["b.exr"])
	if err != nil {
		t.Fatal(err)
	}
	reduced, err := picture.Decode(wrote["c.exr"])
	if err != nil {
		t.Fatal(err)
	}
	for i, v := range reduced.Image.Plane("depth.Z").Data {
		if !slices.Contains(whole.Image.Plane("depth.Z").Data, v) {
			t.Fatalf("pixel %d of the reduced depth is %v m, which the whole one has nowhere", i, v)
		}
	}
	again := map[string][]byte{}
	outside.Write = func(path string, data []byte) error { again[path] = data; return nil }
	if err := Perform(context.Background(), j, outside); err != nil {
		t.Fatal(err)
	}
	for path, data := range wrote {
		if !bytes.Equal(again[path], data) {
			t.Errorf("%s came out with other bytes the second time", path)
		}
	}
	outside.Write = func(path string, _ []byte) error { return io.ErrShortWrite }
	if err := Perform(context.Background(), j, outside); err == nil || !strings.Contains(err.Error(), "frame 1001") {
		t.Errorf("a file that cannot be written: %v", err)
	}
}
