package farm

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// inTiles makes frames of a production be rendered in tiles.
func inTiles(t raster.Tiling) func(*production.Production) {
	return func(p *production.Production) { p.Qualities[0].Tiles = t }
}

// withViewing adds pictures to look at: reduced, and stamped.
func withViewing(p *production.Production) {
	for i := range p.Outputs {
		if o := &p.Outputs[i]; o.Code == "review" {
			o.Scale, o.Stamp = raster.Reduction{Percent: 50}, stamp.Stamp{
				On:      true,
				Percent: 20,
				Opacity: 1,
				Lines:   []stamp.Line{{Place: stamp.TopLeft, Text: "(frame)"}},
			}
		}
	}
	p.Shots[0].Outputs = append(p.Shots[0].Outputs, "review")
}

// noTiles fails if files of tiles are left.
func noTiles(t *testing.T, h *house.House) {
	t.Helper()
	if left, _ := filepath.Glob(filepath.Join(tilesFolder(h), "*")); len(left) > 0 {
		t.Errorf("tiles are left: %v", left)
	}
}

// Frames that nodes share in tiles are the same files, byte by byte, as frames that are rendered whole; also those of a
// part of the picture.
func TestFramesFromTilesAreTheSameFiles(t *testing.T) {
	for name, change := range map[string]func(*production.Production){
		"whole":  func(*production.Production) {},
		"region": func(p *production.Production) { p.Region = raster.Part{Left: 10, Top: 20, Right: 75, Bottom: 90} },
	} {
		t.Run(name, func(t *testing.T) {
			want := map[string][]byte{}
			for _, tiling := range []raster.Tiling{{Columns: 1, Rows: 1}, raster.Bands(3), {Columns: 2, Rows: 2}} {
				h, b := housetest.New(t, "1001-1002", inTiles(tiling), withViewing, change)
				n, stop := start(t, h, "good")
				b = waitFor(t, n, b.ID, settled)
				stop()
				if b.Counts()[queue.Good] != 2 {
					f, _ := h.Record.Frame(b.Sequences[0].ID, 1001)
					t.Fatalf("%v tiles: counts are %v: %s", tiling, b.Counts(), f.Reason)
				}
				found := files(t, h)
				if len(found) != 4 {
					t.Errorf("%v tiles: files are %v", tiling, found)
				}
				for _, path := range found {
					data, err := os.ReadFile(filepath.Join(h.Output(), path))
					if err != nil {
						t.Fatal(err)
					}
					if tiling.Single() {
						want[path] = data
					} else if !bytes.Equal(data, want[path]) {
						t.Errorf("%v tiles: %s is another file", tiling, path)
					}
				}
				tiles, err := h.Record.Tiles(b.Sequences[0].ID, 1001)
				if count := tiling.Columns * tiling.Rows; err != nil || len(tiles) != count && count > 1 {
					t.Errorf("%v tiles: %d are known, %v", tiling, len(tiles), err)
				}
				for _, tile := range tiles {
					if tile.State != queue.Good || tile.Seconds <= 0 || tile.Bytes == 0 || tile.Node != "test" {
						t.Errorf("a tile is %+v", tile)
					}
				}
			}
		})
	}
}

func TestFramesWhoseTilesOrAssemblyFailSayWhy(t *testing.T) {
	for way, says := range map[string]string{"crash": "tile 1: renderer pretender ended badly",
		"torn": "tile 1: tile_0001.exr: it cannot be read", "nothing": "tile_0001.exr: the renderer did not write it",
		"loose": "renderer assembly ended badly"} {
		t.Run(way, func(t *testing.T) {
			h, b := housetest.New(t, "1001", inTiles(raster.Bands(2)))
			n, stop := start(t, h, way)
			waitFor(t, n, b.ID, settled)
			stop()
			f, err := h.Record.Frame(b.Sequences[0].ID, 1001)
			if err != nil || f.State != queue.Failed || !strings.Contains(f.Reason, says) {
				t.Fatalf("%+v, %v, want %q", f, err, says)
			}
			if got := files(t, h); len(got) > 0 {
				t.Errorf("files are %v", got)
			}
			// Tried again by a renderer that works, it comes out well, with the tiles that were good already.
			if _, err := h.Record.Apply(store.Scope{Production: "TEST", Batch: b.ID}, queue.Retry); err != nil {
				t.Fatal(err)
			}
			n, stop = start(t, h, "good")
			if b = waitFor(t, n, b.ID, settled); b.Counts()[queue.Good] != 1 {
				t.Errorf("counts are %v", b.Counts())
			}
			stop()
			if tiles, _ := h.Record.Tiles(b.Sequences[0].ID, 1001); way == "loose" && tiles[0].Attempts != 1 {
				t.Errorf("a good tile was rendered again: %+v", tiles[0])
			}
		})
	}
}

func TestATileThatBreaksOnceIsTriedAgain(t *testing.T) {
	h, b := housetest.New(t, "1001", inTiles(raster.Bands(2)))
	n, stop := start(t, h, "crash:"+filepath.Join(t.TempDir(), "crashed"))
	b = waitFor(t, n, b.ID, settled)
	stop()
	tiles, err := h.Record.Tiles(b.Sequences[0].ID, 1001)
	if err != nil || b.Counts()[queue.Good] != 1 || tiles[0].Attempts+tiles[1].Attempts != 3 {
		t.Errorf("counts are %v, tiles %+v, %v", b.Counts(), tiles, err)
	}
}

// onlyTiles returns a house with a frame whose tiles are all good, and which is to be put together.
func onlyTiles(t *testing.T, bands int) (*house.House, store.Batch) {
	t.Helper()
	h, b := housetest.New(t, "1001", inTiles(raster.Bands(bands)))
	n, stop := start(t, h, "loose")
	waitFor(t, n, b.ID, settled)
	stop()
	if _, err := h.Record.Apply(store.Scope{Production: "TEST", Batch: b.ID}, queue.Retry); err != nil {
		t.Fatal(err)
	}
	return h, b
}

// A server that died leaves half a tile, and good ones of which a file has gone since: what is missing is rendered, and
// nothing else.
func TestAFrameInTilesIsTakenUpAgain(t *testing.T) {
	h, b := onlyTiles(t, 3)
	folder := tileFolder(h, b.Sequences[0].ID, 1001)
	half := filepath.Join(folder, ".tile_0002.exr"+house.PartMark+"x")
	if err := errors.Join(os.Remove(filepath.Join(folder, "tile_0002.exr")), os.WriteFile(half, []byte("half"), 0o644),
		os.WriteFile(filepath.Join(folder, "tile_0003.exr"), []byte("damaged"), 0o644)); err != nil {
		t.Fatal(err)
	}
	n, stop := start(t, h, "good")
	if b = waitFor(t, n, b.ID, settled); b.Counts()[queue.Good] != 1 {
		t.Fatalf("counts are %v", b.Counts())
	}
	stop()
	rendered := 0
	logs, err := h.Record.Logs(b.Sequences[0].ID, 1001)
	for _, l := range logs {
		if l.Tile == 1 {
			rendered++
		}
	}
	if err != nil || rendered != 1 || !strings.Contains(logs[3].Text, "tile 2 is not there any more") {
		t.Errorf("tile 1 was rendered %d times; %v; %+v", rendered, err, logs)
	}
	_, stop = start(t, h, "good")
	stop()
	noTiles(t, h)
}

// A server that dies while it puts a frame together does so again, from the same tiles; half a file is cleared away.
func TestAFrameIsPutTogetherAgain(t *testing.T) {
	h, b := onlyTiles(t, 2)
	l, parts := leased(t, h)
	if len(l.Tiles) != 2 || l.Tile != nil {
		t.Fatalf("the lease is of %+v, from %+v", l.Tile, l.Tiles)
	}
	if err := os.WriteFile(parts[0].temp, []byte("half"), 0o644); err != nil {
		t.Fatal(err)
	}
	n, stop := start(t, h, "good")
	b = waitFor(t, n, b.ID, settled)
	stop()
	tiles, err := h.Record.Tiles(b.Sequences[0].ID, 1001)
	if err != nil || b.Counts()[queue.Good] != 1 || tiles[0].Attempts != 1 || tiles[1].Attempts != 1 {
		t.Errorf("counts are %v, tiles %+v, %v", b.Counts(), tiles, err)
	}
	if got := files(t, h); len(got) != 1 {
		t.Errorf("files are %v", got)
	}
}

func TestADroppedFrameLeavesNoTiles(t *testing.T) {
	h, b := housetest.New(t, "1001", inTiles(raster.Bands(2)))
	n, stop := start(t, h, "hang")
	waitFor(t, n, b.ID, func(queue.Counts) bool { return n.Progress(b.Sequences[0].ID, 1001, 1) == 0.25 })
	if _, err := h.Record.Apply(store.Scope{Production: "TEST", Batch: b.ID}, queue.Drop); err != nil {
		t.Fatal(err)
	}
	n.Hub.Changed()
	waitFor(t, n, b.ID, func(c queue.Counts) bool {
		logs, err := h.Record.Logs(b.Sequences[0].ID, 1001)
		tiles, _ := h.Record.Tiles(b.Sequences[0].ID, 1001)
		return err == nil && len(logs) == 1 && len(tiles) == 0 && c[queue.Dropped] == 1
	})
	stop()
	noTiles(t, h)
}
