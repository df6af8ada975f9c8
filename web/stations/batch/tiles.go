package batch

import (
	"fmt"

	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/web/kit"
)

// tilesOf says how many tiles there are.
func tilesOf(t raster.Tiling) string {
	if t.Columns <= 1 {
		return kit.Plural(max(1, t.Rows), "band", "bands")
	}
	return fmt.Sprintf("%d × %d tiles", t.Columns, t.Rows)
}

// splitting is how the frames of a sequence are split into tiles.
type splitting struct {
	Field   kit.Field
	Tiles   string      // "" for whole frames
	Largest raster.Size // of the tiles, or of the whole
	Memory  float64     // bytes that this takes while it is rendered
	Wait    float64     // bytes of the disk that the tiles of a frame take until it is put together
	Clock   bool        // a time limit keeps the frames whole
}

// splitOf says how the frames of a sequence are split.
func splitOf(v *kit.View, s plan.Sequence, shot production.Shot) splitting {
	b := v.Draft.Batch
	largest, q := b.Area(s), b.QualityOf(s)
	if s.Tiled() {
		largest, _ = b.Tile(s, b.TileCount(s))
	}
	c := splitting{
		Largest: raster.Size{Width: largest.Dx(), Height: largest.Dy()},
		Memory:  b.Memory(s), Wait: b.TileBytes(s), Clock: q.Effort.Seconds > 0,
	}
	usual := "whole"
	if s.Tiled() {
		c.Tiles = tilesOf(s.Tiles)
	}
	if recommended := b.Recommended(s); q.Tiles != (raster.Tiling{}) {
		usual = tilesOf(q.Tiles)
	} else if !recommended.Single() {
		usual = tilesOf(recommended)
	}
	c.Field = v.Part("cell", s.Shot).
		Field("tiles", "Tiles of a frame: columns x rows, bands, or nothing for what size and memory ask for",
			shot.TilesOf(s.View, s.SizeCode).String()).
		Telling("set.view", s.View).Telling("set.size", s.SizeCode).Telling("station", string(key)).
		Styled("mono w-24!", 0).Or(usual)
	c.Field.ID, c.Field.Locked = "tiles", c.Clock
	return c
}
