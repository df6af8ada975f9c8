package framefile

import (
	"slices"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

// A stamp is in its own file only, whatever comes after it, also where a file is to be reduced to the size that it has
// already.
func TestAStampStaysInItsFile(t *testing.T) {
	stamped := stamp.Stamp{
		On:      true,
		Percent: 40,
		Opacity: 1,
		Lines:   []stamp.Line{{Place: stamp.TopLeft, Text: "HELLO"}},
	}
	passes := []pass.Code{pass.Beauty}
	var f Frame
	f.Job.Rate = frame.Rate{Numerator: 24, Denominator: 1}
	f.Job.Size = raster.Size{Width: 64, Height: 48}
	files := []job.File{
		{
			Path:     "same.png",
			Encoding: output.PNG.Usual(),
			Passes:   passes,
			Size:     f.Job.Size,
			Kernel:   pixel.BoxKernel,
			Stamp:    stamped,
		},
		{Path: "stamped.png", Encoding: output.PNG.Usual(), Passes: passes, Stamp: stamped},
		{Path: "plain.png", Encoding: output.PNG.Usual(), Passes: passes},
		{Path: "last.png", Encoding: output.PNG.Usual(), Passes: passes, Stamp: stamped},
	}
	img := pixel.New(64, 48, "R", "G", "B", "A")
	for _, p := range img.Planes {
		for i := range p.Data {
			p.Data[i] = 0.5
		}
	}
	written := map[string][]byte{}
	err := f.WriteWhole(img, files, 0, Outside{Wrote: func(string, int64) {}, Create: func(path string) (File, error) {
		return &buffer{done: func(data []byte) { written[path] = data }, dropped: func() {}}, nil
	}})
	if err != nil {
		t.Fatal(err)
	}
	even := func(path string) bool {
		p, err := picture.Decode(written[path])
		if err != nil {
			t.Fatal(err)
		}
		red := p.Image.Plane("R").Data
		return !slices.ContainsFunc(red, func(v float32) bool { return v != red[0] })
	}
	if !even("plain.png") {
		t.Error("a stamp of another file is in it")
	}
	for _, path := range []string{"same.png", "stamped.png", "last.png"} {
		if even(path) {
			t.Errorf("%s has no stamp", path)
		}
	}
}
