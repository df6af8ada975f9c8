package web

import (
	"fmt"
	"net/url"
	"strings"
	"testing"

	"reelhouse/core/preflight"
	"reelhouse/core/raster"
	"reelhouse/house"
	"reelhouse/store"
)

func TestTilesAreSetOnTheSheet(t *testing.T) {
	s := newSite(t)
	s.edits("production", "field", "next-version")
	const paths = "/p/TEST/batch/paths?shot=010&view=v&size=hd"
	_, body := s.get(paths)
	s.says(body, "As a whole, which takes about", `placeholder="whole"`)
	body = s.edits("cell", "of", "010", "field", "tiles", "set.view", "v", "set.size", "hd", "value", "2 x 3")
	s.says(body, "3 of them in", "18 tiles")
	if q := draft(t, s).Sequences[0]; q.Tiles != (raster.Tiling{Columns: 2, Rows: 3}) {
		t.Errorf("the tiles are %v", q.Tiles)
	}
	_, body = s.get(paths)
	s.says(body, "2 × 3 tiles of 20 × 8 px at most", `value="2 x 3"`)
	if _, body := s.get("/p/TEST/batch/rows?from=0"); !strings.Contains(body, "2 × 3 tiles") {
		t.Errorf("the row is\n%s", body)
	}
	body = s.edits("cell", "of", "010", "field", "tiles", "set.view", "v", "set.size", "hd", "value", "lots")
	s.says(body, `id="tiles-wrong"`, "neither columns")
	s.edits("quality", "of", "draft", "field", "tiles", "value", "4")
	s.edits("cell", "of", "010", "field", "tiles", "set.view", "v", "set.size", "hd", "value", "")
	_, body = s.get(paths)
	s.says(body, "4 bands of", `placeholder="4 bands"`)
	body = s.edits("quality", "of", "draft", "field", "memory", "value", "0.01")
	s.says(body, "0.01 GB for a tile are outside")
	s.edits("quality", "of", "draft", "field", "memory", "value", "8")
	s.edits("quality", "of", "draft", "field", "timeLimit", "value", "60")
	if q, _ := s.production().FindQuality("draft"); q.Memory != 8 {
		t.Errorf("the memory is %v", q.Memory)
	}
	_, body = s.get(paths)
	s.says(body, "Whole, since its quality ends a frame by the clock", "disabled")
	body = s.edits(preflight.TilesByNeed.CommandName())
	if q, _ := s.production().FindQuality("draft"); q.Tiles != (raster.Tiling{}) ||
		strings.Contains(body, `data-rule="tiles-without-clock"`) {
		t.Errorf("the tiles are still %v", q.Tiles)
	}
}

func TestTheQueueShowsTiles(t *testing.T) {
	s := newSite(t)
	s.edits("production", "field", "next-version")
	s.edits("cell", "of", "010", "field", "tiles", "set.view", "v", "set.size", "hd", "value", "2 x 2")
	id, err := s.house.SendDraft(s.production().Production, house.Sending{Sending: store.Sending{Priority: 9}})
	if err != nil {
		t.Fatal(err)
	}
	b, err := s.house.Record.Batch(id)
	if err != nil {
		t.Fatal(err)
	}
	side := fmt.Sprintf("/p/TEST/frame/%d/1001", b.Sequences[0].ID)
	_, body := s.get(side)
	s.says(body, "0 of 4 good; the frame is put together when all are", `data-tile="4" data-state="ready"`)
	first, err := s.house.Record.Lease("there")
	if err != nil || first.TileIndex() != 1 {
		t.Fatalf("%+v, %v", first, err)
	}
	second, err := s.house.Record.Lease("there")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.house.Record.Check(first); err != nil {
		t.Fatal(err)
	}
	if err := s.house.Record.AcceptTile(first, 75, store.File{Bytes: 9, SHA256: strings.Repeat("ab", 32)},
		"it went well"); err != nil {
		t.Fatal(err)
	}
	if err := s.house.Record.Break(second, "the lamp is out", "log"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.house.Record.Lease("there"); err != nil {
		t.Fatal(err)
	}
	_, body = s.get(side)
	s.says(
		body, "1 of 4 good", `data-tile="1" data-state="good"`, `data-tile="2" data-state="rendering"`,
		`data-tile="3" data-state="ready"`, "1 min 15 s", "attempt 1, tile 1, on there", "it went well",
		"htmx:sseMessage",
	)
	_, body = s.get("/p/TEST/queue")
	s.says(body, "frame 1001 waits for its tiles: 1 of 4 good, 1 being rendered")
	// A frame whose tiles are under way can be held as any other.
	s.post("/p/TEST/act", url.Values{"sequence": {fmt.Sprint(b.Sequences[0].ID)}, "frame": {"1001"}, "event": {"hold"}})
	if f, _ := s.house.Record.Frame(b.Sequences[0].ID, 1001); f.State != "held" {
		t.Errorf("the frame is %s", f.State)
	}
}
