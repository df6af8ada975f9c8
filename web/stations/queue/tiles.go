package queue

import (
	"fmt"
	"image"
	"slices"
	"strings"

	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/store"
	"reelhouse/web/kit"
)

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
const tileCell = kit.StripHeight

// tileMapOf draws the tiles of a frame; nil if it is rendered as a whole.
func (a *page) tileMapOf(b plan.Batch, s store.Sequence, number int) (*tileMap, error) {
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
		t.Mark = kit.Mark(t.State, 1, tileCell-2)
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
func (a *page) waiting(batch int64) (map[int64]string, error) {
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
