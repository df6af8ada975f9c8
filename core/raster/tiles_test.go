package raster

import (
	"image"
	"testing"
)

// However a picture is cut, each pixel lies in one tile, and tiles come in rows from the top.
func TestTilesCoverEachPixelOnce(t *testing.T) {
	of := image.Rect(5, 7, 105, 60)
	for _, tiling := range []Tiling{{}, {1, 1}, {3, 3}, {7, 2}, Bands(53), {200, 100}} {
		covered := map[image.Point]int{}
		bottom := of.Min.Y
		for _, row := range tiling.Tiles(of) {
			for _, tile := range row {
				if tile.Min.Y != bottom || tile.Empty() {
					t.Errorf("%v: tile %v does not follow", tiling, tile)
				}
				for y := tile.Min.Y; y < tile.Max.Y; y++ {
					for x := tile.Min.X; x < tile.Max.X; x++ {
						covered[image.Pt(x, y)]++
					}
				}
			}
			bottom = row[0].Max.Y
		}
		if len(covered) != of.Dx()*of.Dy() || bottom != of.Max.Y {
			t.Errorf("%v covers %d pixels", tiling, len(covered))
		}
		for p, n := range covered {
			if n != 1 {
				t.Fatalf("%v covers %v %d times", tiling, p, n)
			}
		}
	}
}

func TestTilingsAreReadAndRecommended(t *testing.T) {
	for text, want := range map[string]Tiling{"": {}, "4": {1, 4}, "3 x 2": {3, 2}, "3×2": {3, 2}, "2x5": {2, 5}} {
		got, err := ParseTiling(text)
		if err != nil || got != want {
			t.Errorf("%q is %v, %v", text, got, err)
		}
		if back, err := ParseTiling(got.String()); err != nil || back != want {
			t.Errorf("%v comes back as %v, %v", got, back, err)
		}
	}
	for _, text := range []string{"x", "0", "3 x 0", "3 x 2 x 1x", "-1", "999", "1.5", "40 x 30"} {
		if got, err := ParseTiling(text); err == nil {
			t.Errorf("%q was read as %v", text, got)
		}
	}
	for size, want := range map[Size]int{{Width: 2048, Height: 858}: 1, {Width: 16384, Height: 9216}: 9,
		{Width: 4096, Height: 4096}: 1, {Width: 4096, Height: 4097}: 2} {
		if got := (Tiling{}).For(size); got != Bands(want) || got.Single() != (want == 1) {
			t.Errorf("%v is cut into %v, want %d bands", size, got, want)
		}
	}
	if own := (Tiling{2, 2}).For(Size{Width: 9, Height: 9}); own != (Tiling{2, 2}) {
		t.Errorf("its own tiling became %v", own)
	}
}

func FuzzParseTiling(f *testing.F) {
	f.Add("3 x 2")
	f.Add("7")
	f.Fuzz(func(t *testing.T, text string) {
		if got, err := ParseTiling(text); err == nil && got.Check() != nil {
			t.Errorf("%q was read as %v", text, got)
		}
	})
}
