package screening

import (
	"bytes"
	"testing"

	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/plan"
	"reelhouse/core/raster"
)

// A picture that is too large for the screen is shown as means, and as single values where a mean would be none of the
// scene's.
func TestLargePicturesAreShownSmaller(t *testing.T) {
	size := raster.Size{Width: 2*longestShown + 2, Height: 3*64*3 + 1}
	if shrunk(size) != 3 || shrunk(raster.Size{Width: longestShown, Height: 9}) != 1 ||
		shownSize(size) != (raster.Size{Width: 2731, Height: 3 * 64}) {
		t.Fatalf("%v is shown as %v", size, shownSize(size))
	}
	passes := []pass.Code{pass.Beauty, pass.Depth}
	img := pixel.New(size.Width, size.Height, "R", "G", "B", "A", "depth.Z")
	for i := range img.Planes[0].Data {
		x, y := i%size.Width, i/size.Width
		img.Planes[0].Data[i], img.Planes[3].Data[i] = float32(y/3), 1
		img.Planes[4].Data[i] = float32(x % 3 * 10)
	}
	var b bytes.Buffer
	if err := picture.Encode(&b, output.EXR.Usual(), img, passes, picture.Header{}); err != nil {
		t.Fatal(err)
	}
	f, err := picture.Open(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	got, err := shown(t.Context(), f, plan.FileSequence{Size: size, Passes: passes}, pass.DepthStyle{})
	if err != nil || got.Width != shownSize(size).Width || got.Height != shownSize(size).Height {
		t.Fatalf("%+v, %v", got, err)
	}
	for y := range got.Height - 1 { // the last line has a part of one more
		if v := got.Plane("R").Data[y*got.Width+7]; v != float32(y) {
			t.Errorf("line %d is %v", y, v)
		}
	}
	for x := range got.Width {
		if v := got.Plane("depth.Z").Data[x]; v != 0 && v != 10 && v != 20 {
			t.Fatalf("depth %d is %v, which the picture has nowhere", x, v)
		}
	}
}
