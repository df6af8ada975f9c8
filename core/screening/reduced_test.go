package screening

import (
	"bytes"
	"math"
	"testing"

	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

// Bands of a picture that is shown smaller have the pixels of its file, or means of them, and only the planes that are
// asked for.
func TestBandsHaveThePixelsOfTheFile(t *testing.T) {
	size := raster.Size{Width: 701, Height: 2*linesAtOnce + 9}
	img := pixel.New(size.Width, size.Height, "R", "G", "B", "A", "depth.Z")
	for i := range img.Planes[0].Data {
		img.Planes[0].Data[i] = float32(i%size.Width) + 1000*float32(i/size.Width)
	}
	var b bytes.Buffer
	encoding := output.EXR.Usual()
	encoding.Depth = output.Float
	if err := picture.Encode(&b, encoding, img, []pass.Code{pass.Beauty, pass.Depth}, picture.Header{}); err != nil {
		t.Fatal(err)
	}
	f, err := picture.Open(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	passes := []pass.Code{pass.Beauty, pass.Depth}
	for _, r := range []Reduction{{1, 0, 5}, {1, 3, size.Height}, {2, 1, 40}, {4, 0, size.Height / 4}} {
		got, err := Reduced(t.Context(), f, passes, pass.DepthStyle{}, r, "R", "G", "B", "A")
		if err != nil || got.Width != size.Width/r.By || got.Height != r.To-r.From || len(got.Planes) != 4 {
			t.Fatalf("%+v: %+v, %v", r, got, err)
		}
		middle := float32(r.By-1) / 2 // of the pixels that are taken together
		for _, y := range []int{0, got.Height / 2, got.Height - 1} {
			for x := range got.Width {
				want := float32(x*r.By) + middle + 1000*(float32((y+r.From)*r.By)+middle)
				if v := got.Plane("R").Data[y*got.Width+x]; math.Abs(float64(v-want)) > 0.01 {
					t.Fatalf("%+v: %d, %d is %v, want %v", r, x, y, v, want)
				}
			}
		}
	}
}
