package plan

import (
	"image"
	"math"
	"slices"

	"reelhouse/core/pass"
	"reelhouse/core/raster"
)

// What a pixel takes while it is rendered, in bytes. The numbers were measured with the built-in renderer.
const (
	bytesPerChannel = 4
	bytesToDenoise  = 144 // what a denoiser looks at
	spare           = 1.5 // for what is under way, and what was not yet cleared away, as a factor
)

// pixelBytes returns how many bytes a pixel of the passes takes while it is rendered.
func pixelBytes(passes []pass.Code) float64 {
	sum := float64(channelBytes(passes))
	if slices.Contains(passes, pass.Denoised) {
		sum += bytesToDenoise
	}
	return sum * spare
}

// channelBytes returns how many bytes the values of a pixel take as floats.
func channelBytes(passes []pass.Code) int {
	n := 0
	for _, code := range passes {
		if p, err := pass.Find(code); err == nil {
			n += bytesPerChannel * len(p.Channels)
		}
	}
	return n
}

// Area returns the pixels of a sequence that are rendered.
func (b Batch) Area(s Sequence) image.Rectangle {
	if part := b.RegionOf(s); !part.Empty() {
		return part
	}
	return image.Rect(0, 0, s.Size.Width, s.Size.Height)
}

// Memory returns about how many bytes a frame of a sequence takes while it is rendered, or the largest of its tiles,
// beside the scene.
func (b Batch) Memory(s Sequence) float64 {
	largest := b.Area(s)
	if s.Tiled() {
		largest, _ = b.Tile(s, b.TileCount(s)) // none is larger than the last
	}
	return pixelBytes(s.Passes) * float64(largest.Dx()*largest.Dy())
}

// Untiled reports whether frames of a sequence are rendered whole only because of a time limit, which is for all of a
// picture at once.
func (b Batch) Untiled(s Sequence) bool {
	q := b.QualityOf(s)
	return q.Effort.Seconds > 0 && (!q.Tiles.Single() || b.needed(s) > 1)
}

// Recommended returns the tiles that the frames of a sequence should be rendered in: bands, as many as keep one below
// the memory of the quality, and for a single large picture as many as let several nodes work on it. The zero value
// stands for a whole frame.
func (b Batch) Recommended(s Sequence) raster.Tiling {
	bands := b.needed(s)
	if bands <= 1 || b.QualityOf(s).Effort.Seconds > 0 { // a time limit is for all of a picture at once
		return raster.Tiling{}
	}
	return raster.Bands(bands)
}

// needed returns how many bands the memory, and the size of a single picture, ask for.
func (b Batch) needed(s Sequence) int {
	area := b.Area(s)
	bands := int(math.Ceil(pixelBytes(s.Passes) * float64(area.Dx()*area.Dy()) / float64(b.QualityOf(s).MemoryBytes())))
	if s.Frames.Count() == 1 {
		bands = max(bands, raster.StillBands(raster.Size{Width: area.Dx(), Height: area.Dy()}))
	}
	return min(bands, raster.MostTiles, area.Dy())
}

// tiling returns the tiles of a sequence: those that were set for it, or for its quality, or the recommended ones.
func (b Batch) tiling(s Sequence, own raster.Tiling) raster.Tiling {
	q := b.QualityOf(s)
	switch {
	case q.Effort.Seconds > 0:
		return raster.Tiling{}
	case own != (raster.Tiling{}):
		return own
	case q.Tiles != (raster.Tiling{}):
		return q.Tiles
	}
	return b.Recommended(s)
}

// Tiled reports whether frames of the sequence are rendered in tiles, as steps of their own, and put together
// afterwards.
func (s Sequence) Tiled() bool { return !s.Tiles.Single() }

// TileCount returns how many tiles a frame of a sequence is rendered in, 0 if it is rendered as a whole.
func (b Batch) TileCount(s Sequence) int {
	if !s.Tiled() {
		return 0
	}
	return s.Tiles.Count(b.Area(s))
}

// TilesOf returns the tiles of a frame, row by row from the top; none for a frame that is rendered as a whole.
func (b Batch) TilesOf(s Sequence) []image.Rectangle {
	if !s.Tiled() {
		return nil
	}
	return slices.Concat(s.Tiles.Tiles(b.Area(s))...)
}

// Tile returns one of the tiles of a frame, counted from 1; false if there is none.
func (b Batch) Tile(s Sequence, number int) (image.Rectangle, bool) {
	tiles := b.TilesOf(s)
	if number < 1 || number > len(tiles) {
		return image.Rectangle{}, false
	}
	return tiles[number-1], true
}

// TileBytes returns how many bytes the tiles of one frame may take on the disk until it is put together, 0 if there are
// none.
func (b Batch) TileBytes(s Sequence) float64 {
	if !s.Tiled() {
		return 0
	}
	area := b.Area(s)
	return float64(channelBytes(s.Passes)) * float64(area.Dx()*area.Dy())
}
