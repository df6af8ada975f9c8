package plan

import (
	"image"
	"testing"

	"reelhouse/core/fingerprint"
	"reelhouse/core/frame"
	"reelhouse/core/pass"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// sized returns a production of one shot in one size, at full quality.
func sized(width, height int, frames string) production.Production {
	p := example()
	p.Sizes = append(p.Sizes, raster.Named{Code: "big", Name: "Big", Size: raster.Size{Width: width, Height: height}})
	p.Shots = p.Shots[:1]
	p.Shots[0].Frames, p.Shots[0].Sizes, p.Shots[0].PassList = frame.MustParse(frames), []string{"big"}, "minimum"
	p.Quality = "final"
	return p
}

// Common practice for one big picture: about 8 bands at 4K, 20 at 8K and over. Frames of a range keep nodes busy as
// they are, until one takes too much memory.
func TestTilesBySize(t *testing.T) {
	for _, c := range []struct {
		width, height int
		frames        string
		want          int // bands
	}{
		{3838, 2160, "1001", 0}, {4096, 1716, "1001", 8}, {2160, 3840, "1001", 8}, {7680, 4320, "1001", 20},
		{16384, 9216, "1001", 20}, {4096, 1716, "1001-1048", 0},
		// 16 bytes of beauty and half as much again: 24 bytes a pixel, of which 2 GB hold 83 million.
		{16384, 9216, "1001-1048", 2}, {16384, 5000, "1001-1048", 0},
	} {
		b := build(t, sized(c.width, c.height, c.frames), Measure{})
		s := b.Sequences[0]
		if got := b.TileCount(s); got != c.want || s.Tiled() != (c.want > 0) {
			t.Errorf("%d × %d, %s: %v, want %d bands", c.width, c.height, c.frames, s.Tiles, c.want)
		}
	}
}

func TestTilesByMemory(t *testing.T) {
	p := sized(4000, 2000, "1001-1048")
	p.Qualities[1].Memory = 0.1
	s := func() (Batch, Sequence) {
		b := build(t, p, Measure{})
		return b, b.Sequences[0]
	}
	b, q := s()
	if q.Tiles != raster.Bands(2) { // 192 MB in all
		t.Errorf("beauty is rendered in %v", q.Tiles)
	}
	if got := b.Memory(q); got != 96e6 {
		t.Errorf("a band takes %v bytes", got)
	}
	if got := b.TileBytes(q); got != 16*8e6 {
		t.Errorf("the tiles of a frame take %v bytes", got)
	}
	p.PassLists[0].Passes = []pass.Code{pass.Beauty, pass.Denoised}
	p.Shots[0].PassList = p.PassLists[0].Code
	if _, q = s(); q.Tiles != raster.Bands(22) { // (32 + 144) × 1.5 × 8 million = 2.1 GB
		t.Errorf("with a denoiser it is rendered in %v", q.Tiles)
	}
	p.Region = raster.Part{Right: 50, Bottom: 50}
	if b, q = s(); q.Tiles != raster.Bands(6) {
		t.Errorf("a quarter is rendered in %v", q.Tiles)
	}
	if last, ok := b.Tile(q, 6); !ok || last.Max != image.Pt(2000, 1000) {
		t.Errorf("the last tile of a quarter is %v", last)
	}
	for _, n := range []int{0, 7} {
		if _, ok := b.Tile(q, n); ok {
			t.Errorf("there is a tile %d", n)
		}
	}
}

// Own tiles of a cell come before those of the quality, and these before what size and memory ask for; a time limit is
// for all of a picture at once.
func TestTilesThatAreSet(t *testing.T) {
	p := sized(4000, 2000, "1001")
	tiles := func() raster.Tiling { return build(t, p, Measure{}).Sequences[0].Tiles }
	p.Qualities[1].Tiles = raster.Tiling{Columns: 3, Rows: 3}
	b := build(t, p, Measure{})
	// 3 × 3 tiles at 32 samples are 288 partial pictures.
	if got := b.TileCount(b.Sequences[0]) * 32; got != 288 {
		t.Errorf("there are %d partial pictures", got)
	}
	p.Shots[0].SetTiles("quay", "big", raster.Bands(1))
	if got := tiles(); got != raster.Bands(1) {
		t.Errorf("the shot's own tiles are %v", got)
	}
	p.Shots[0].SetTiles("quay", "big", raster.Tiling{})
	p.Qualities[1].Effort.Seconds = 60
	if b := build(t, p, Measure{}); b.Sequences[0].Tiled() || !b.Untiled(b.Sequences[0]) {
		t.Errorf("by the clock it is rendered in %v", b.Sequences[0].Tiles)
	}
	p.Qualities[1].Effort.Seconds, p.Qualities[1].Tiles = 0, raster.Tiling{}
	if got := tiles(); got != raster.Bands(8) {
		t.Errorf("left to itself it is rendered in %v", got)
	}
}

// Tiles change no file: frames that are in place stay good with others. A trial of one frame is cut as a single picture
// is, unless tiles were set.
func TestTilesAreNoOtherSetUp(t *testing.T) {
	p := sized(4096, 1716, "1001-1048")
	before := build(t, p, Measure{})
	p.Qualities[1].Memory = 0.05
	p.Shots[0].SetTiles("quay", "big", raster.Tiling{Columns: 2, Rows: 5})
	now := build(t, p, Measure{})
	var renderer fingerprint.Renderer
	sent := Earlier{
		ID:    1,
		Name:  "before",
		Print: before.Fingerprint(before.Sequences[0], renderer),
		Good:  frame.MustParse("1001-1048"),
	}
	if n := now.Against(by(renderer), func(string) []Earlier { return []Earlier{sent} })[0]; !n.New.Empty() ||
		!n.Changed.Empty() {
		t.Errorf("with other tiles there are new frames %v and changed ones %v", n.New, n.Changed)
	}
	if impact := Compare(before, now); impact.Any() {
		t.Errorf("other tiles change %+v", impact)
	}
	if got := before.Try(FirstFrames, 1).Sequences[0].Tiles; got != raster.Bands(8) {
		t.Errorf("a trial of one frame is rendered in %v", got)
	}
	if got := now.Try(FirstFrames, 1).Sequences[0].Tiles; got != (raster.Tiling{Columns: 2, Rows: 5}) {
		t.Errorf("a trial is rendered in %v", got)
	}
}
