package trace

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"maps"
	"runtime"
	"slices"
	"testing"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/job"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
	"reelhouse/core/stamp"
)

// golden are the sums of the files of golden orders, by processor and Version. Where they change, Version has to: what
// is in place would otherwise be taken for the same as what comes out now.
var golden = map[string]map[int]string{
	"amd64": {1: "e833516f60735aee76ece07e", 2: "5ac7618b1b05d8611a6f9e26"},
}

// goldenFormats are those whose bytes are held. A format that is added joins them with the next version.
var goldenFormats = []output.Format{
	output.EXR, output.PNG, output.JPEG, output.TIFF, output.TGA, output.DPX, output.HDR, output.BMP,
}

// goldenOrder asks for every pass and every kind of file, under a look with sun, haze and a lens that is open.
func goldenOrder() job.Job {
	night := look.Plain()
	night.Haze.Metres = 80
	j := job.Job{
		Version: job.Version, Scene: "room.glb", View: job.View{Name: "v", Camera: "cam", Look: night},
		Rate: frame.Rate{Numerator: 24, Denominator: 1}, FirstFrame: 1001, Size: raster.Size{Width: 24, Height: 16},
		Passes: everything, Samples: 4, Filter: pixel.Gaussian, Effort: sampling.Effort{Noise: 0.05},
		DepthBackground: 500,
		Facts:           []job.Fact{{Name: "shot", Value: "010"}},
	}
	f := job.Frame{Number: 1001, Files: []job.File{{Path: "all.exr", Encoding: output.EXR.Usual(), Passes: everything}}}
	for _, format := range goldenFormats {
		file := job.File{Path: "beauty." + format.Ext(), Encoding: format.Usual(), Passes: []pass.Code{pass.Beauty}}
		if !file.Encoding.Floating() {
			file.Size, file.Kernel, file.Stamp = raster.Size{Width: 20, Height: 12}, pixel.Mitchell, stamp.Usual()
		}
		f.Files = append(f.Files, file)
	}
	j.Frames = []job.Frame{f}
	return j
}

func TestTheVersionIsAnotherOneWhenFilesAre(t *testing.T) {
	known, ok := golden[runtime.GOARCH]
	if !ok {
		t.Logf("no files are kept for %s", runtime.GOARCH)
		return
	}
	var scene bytes.Buffer
	if err := room().Write(&scene); err != nil {
		t.Fatal(err)
	}
	wrote := map[string][]byte{}
	err := Perform(context.Background(), goldenOrder(), Outside{
		Open:   func(string) (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(scene.Bytes())), nil },
		Create: kept(wrote), Now: func() time.Time { return time.Time{} }, Say: func(job.Message) {},
	})
	if err != nil {
		t.Fatal(err)
	}
	sum := sha256.New()
	for _, path := range slices.Sorted(maps.Keys(wrote)) {
		sum.Write([]byte(path))
		sum.Write(wrote[path])
	}
	if got := hex.EncodeToString(sum.Sum(nil)[:12]); got != known[Version] {
		t.Errorf(
			"version %d makes files with the sum %s, not %s: if that is meant, raise Version and keep the sum here",
			Version, got, known[Version],
		)
	}
	if len(wrote) != 1+len(goldenFormats) {
		t.Errorf("%d files were written", len(wrote))
	}
}
