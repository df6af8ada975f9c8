package raster

import (
	"image"
	"testing"
)

func TestPartsOfPictures(t *testing.T) {
	for _, c := range []struct {
		text string
		want image.Rectangle
		bad  bool
	}{
		{"", image.Rectangle{}, false},
		{"0, 0, 100, 100", image.Rectangle{}, false},
		{"25%, 50%, 75%, 100%", image.Rect(25, 30, 75, 60), false},
		{"33 33 34 34", image.Rect(33, 19, 34, 21), false}, // every pixel that is touched
		{"50, 0, 40, 100", image.Rectangle{}, true},
		{"0, 0, 101, 100", image.Rectangle{}, true},
		{"1, 2, 3", image.Rectangle{}, true},
		{"a, 0, 1, 1", image.Rectangle{}, true},
	} {
		p, err := ParsePart(c.text)
		if (err != nil) != c.bad {
			t.Errorf("%q: %v", c.text, err)
			continue
		}
		if got := p.Of(Size{100, 60}); err == nil && got != c.want {
			t.Errorf("%q is %v, not %v", c.text, got, c.want)
		}
		if again, err := ParsePart(p.String()); !c.bad && (err != nil || again.Of(Size{100, 60}) != c.want) {
			t.Errorf("%q does not come back: %v, %v", c.text, again, err)
		}
	}
}
