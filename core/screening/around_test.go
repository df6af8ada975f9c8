package screening

import (
	"bytes"
	"image"
	"testing"

	"reelhouse/core/inspect"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// Small pictures have the shape in which a frame is seen: 100 × 100 pixels, twice as wide as high, are 240 × 120.
func TestSmallPicturesHaveTheShapeThatIsSeen(t *testing.T) {
	for _, c := range []struct {
		aspect float64
		place  *inspect.Window
		want   image.Point
	}{
		{1, nil, image.Pt(240, 240)}, {2, nil, image.Pt(240, 120)}, {0.5, nil, image.Pt(120, 240)},
		{2, &inspect.Window{X: 50, Y: 50, Width: 1, Height: 1}, image.Pt(240, 120)},
	} {
		var b bytes.Buffer
		err := picture.Encode(&b, output.EXR.Usual(), pixel.New(100, 100, "R", "G", "B", "A"), []pass.Code{pass.Beauty},
			picture.Header{PixelAspect: c.aspect})
		if err != nil {
			t.Fatal(err)
		}
		f, err := picture.Open(b.Bytes())
		if err != nil {
			t.Fatal(err)
		}
		small, err := Around(f, c.place, Plain(1, 1))
		if err != nil || small.Rect.Size() != c.want {
			t.Errorf("%+v: %v, %v", c, small.Rect, err)
		}
	}
}
