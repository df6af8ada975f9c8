package screening

import (
	"math"
	"strings"
	"testing"

	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// Worked by hand: of 2 x 2 pixels one differs by 0.25 in green, one by a number that is none.
func TestDifferencesAreThoseOfValues(t *testing.T) {
	a, b := pixel.New(2, 2, "R", "G", "B"), pixel.New(2, 2, "R", "G", "B")
	for _, img := range []*pixel.Image{a, b} {
		for _, p := range img.Planes {
			for i := range p.Data {
				p.Data[i] = 0.5
			}
		}
	}
	b.Planes[1].Data[3] = 0.75
	shown, c, err := Difference(a, b, pass.Beauty, pass.Beauty, 4)
	if err != nil {
		t.Fatal(err)
	}
	want := Compared{Pixels: 4, Differ: 1, Greatest: 0.25, Channel: "G", X: 1, Y: 1, Mean: 0.25 / 12}
	if c != want {
		t.Errorf("%+v", c)
	}
	if shown.Pix[0] != 0 || shown.Pix[12] != 0 || shown.Pix[13] != 255 || shown.Pix[14] != 0 || shown.Pix[15] != 255 {
		t.Errorf("%v", shown.Pix)
	}
	if words := c.Words(4); !strings.Contains(words, "25 % of the pixels differ, most G at 1, 1 by 0.25") {
		t.Error(words)
	}
	a.Planes[0].Data[0], b.Planes[0].Data[0] = float32(math.NaN()), float32(math.NaN())
	a.Planes[2].Data[1] = float32(math.NaN())
	_, c, err = Difference(a, b, pass.Beauty, pass.Beauty, 1)
	if err != nil || c.Differ != 2 || !math.IsInf(c.Greatest, 1) || c.X != 1 || c.Y != 0 {
		t.Errorf("%+v, %v", c, err)
	}
	_, c, err = Difference(a, a, pass.Beauty, pass.Beauty, 1)
	if err != nil || c.Words(1) != "no value differs" {
		t.Errorf("%+v, %v", c, err)
	}
}

func TestAPictureOfAnotherSizeIsResized(t *testing.T) {
	a, b := pixel.New(2, 1, "R", "G", "B"), pixel.New(4, 2, "R", "G", "B")
	for i := range b.Planes[0].Data {
		b.Planes[0].Data[i] = 0.5
	}
	_, c, err := Difference(a, b, pass.Beauty, pass.Beauty, 1)
	if err != nil || !c.Resized || c.Greatest != 0.5 || c.Differ != 2 {
		t.Errorf("%+v, %v", c, err)
	}
}

func TestWhatCannotBeComparedIsRefused(t *testing.T) {
	a := pixel.New(1, 1, "R", "G", "B", "depth.Z")
	for _, gain := range []float64{0, -1, math.NaN(), math.Inf(1)} {
		if _, _, err := Difference(a, a, pass.Beauty, pass.Beauty, gain); err == nil {
			t.Errorf("gain %g", gain)
		}
	}
	if _, _, err := Difference(a, a, pass.Beauty, pass.Depth, 1); err == nil {
		t.Error("light and distances")
	}
	if _, _, err := Difference(a, a, pass.Normal, pass.Normal, 1); err == nil {
		t.Error("a pass that is not there")
	}
}
