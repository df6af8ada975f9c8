package web

import (
	"fmt"
	"image"
	"slices"
	"strings"

	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
	"reelhouse/store"
)

// tilesOf says how many tiles there are.
func tilesOf(t raster.Tiling) string {
	if t.Columns <= 1 {
		return plural(max(1, t.Rows), "band", "bands")
	}
	return fmt.Sprintf("%d × %d tiles", t.Columns, t.Rows)
}

// A cutting is how the frames of a sequence are shared out.
type cutting struct {
	Own     raster.Tiling // that was set for the sequence
	Usual   string        // what it is without that
	Tiles   string        // "" for whole frames
	Largest raster.Size   // of the tiles, or of the whole
	Memory  float64       // bytes that this takes while it is rendered
	Wait    float64       // bytes of the disk that the tiles of a frame take until it is put together
	Clock   bool          // a time limit keeps the frames whole
}

func cuttingOf(b plan.Batch, s plan.Sequence, shot production.Shot) cutting {
	largest, q := b.Area(s), b.QualityOf(s)
	if s.Tiled() {
		largest, _ = b.Tile(s, b.TileCount(s))
	}
	c := cutting{
		Own: shot.TilesOf(
			s.View, s.SizeCode,
		), Usual: "whole", Largest: raster.Size{Width: largest.Dx(), Height: largest.Dy()},
		Memory: b.Memory(s), Wait: b.TileBytes(s), Clock: q.Effort.Seconds > 0,
	}
	if s.Tiled() {
		c.Tiles = tilesOf(s.Tiles)
	}
	if usual := b.Recommended(s); q.Tiles != (raster.Tiling{}) {
		c.Usual = tilesOf(q.Tiles)
	} else if !usual.Single() {
		c.Usual = tilesOf(usual)
	}
	return c
}

// A tileMap is the tiles of a frame where they lie in the picture.
type tileMap struct {
	Width, Height int // of what is rendered
	Tiles         []shownTile
	Good          int
}

type shownTile struct {
	store.Tile
	Place   image.Rectangle
	X, Y    int // in the map
	Percent int // that is rendered, while it is
	Mark    string
}

// Describe says where a tile lies, and how it stands.
func (t shownTile) Describe() string {
	return fmt.Sprintf("tile %d: %s", t.Index, t.State)
}

// tileCell is the edge of the square that a state is drawn in, before it is stretched to the tile.
const tileCell = stripHeight

// tileMapOf draws the tiles of a frame; nil if it is rendered as a whole.
func (a *app) tileMapOf(b plan.Batch, s store.Sequence, number int) (*tileMap, error) {
	places := b.TilesOf(s.Spec)
	if len(places) == 0 {
		return nil, nil
	}
	known, err := a.House.Record.Tiles(s.ID, number)
	if err != nil {
		return nil, err
	}
	area := b.Area(s.Spec)
	m := &tileMap{Width: area.Dx(), Height: area.Dy()}
	for i, place := range places {
		t := shownTile{Tile: store.Tile{Index: i + 1, State: queue.Ready}, Place: place}
		if k := slices.IndexFunc(known, func(k store.Tile) bool { return k.Index == i+1 }); k >= 0 {
			t.Tile = known[k]
		}
		t.X, t.Y = t.Place.Min.X-area.Min.X, t.Place.Min.Y-area.Min.Y
		t.Mark = mark(t.State, 1, tileCell-2)
		if t.State == queue.Good {
			m.Good++
		}
		if t.State == queue.Rendering {
			t.Percent = int(100 * a.Node.Progress(s.ID, number, i+1))
		}
		m.Tiles = append(m.Tiles, t)
	}
	return m, nil
}

// waiting says which frames wait for their tiles, and how far these are, by sequence.
func (a *app) waiting(batch int64) (map[int64]string, error) {
	frames, err := a.House.Record.CutFrames(batch)
	if err != nil {
		return nil, err
	}
	text := map[int64][]string{}
	for _, f := range frames {
		t := fmt.Sprintf("frame %d waits for its tiles: %d of %d good", f.Number, f.Good, f.Good+f.Left)
		if f.Rendering > 0 {
			t += fmt.Sprintf(", %d being rendered", f.Rendering)
		}
		text[f.SequenceID] = append(text[f.SequenceID], t)
	}
	all := map[int64]string{}
	for id, t := range text {
		if len(t) > mostWaiting {
			t = append(t[:mostWaiting:mostWaiting], fmt.Sprintf("and %d frames more", len(t)-mostWaiting))
		}
		all[id] = strings.Join(t, "; ")
	}
	return all, nil
}

// mostWaiting is how many frames of a sequence are told of one by one.
const mostWaiting = 3
