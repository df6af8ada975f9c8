package store

import (
	"errors"
	"fmt"
	"slices"
	"testing"
	"time"

	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
	"reelhouse/core/work"
)

// tileSum is the sum of every tile.
const tileSum = "aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa"

// sendTiles sends a batch whose frames are rendered in three tiles each.
func sendTiles(t testing.TB, s *Store, how Sending, version int, sets ...string) Batch {
	t.Helper()
	p := batch(t, version, sets...)
	for i := range p.Sequences {
		p.Sequences[i].Tiles = raster.Bands(3)
	}
	id, err := s.Send(p, how)
	must(t, err)
	b, err := s.Batch(id)
	must(t, err)
	return b
}

// name says what a lease is of: the frame, and its tile.
func name(l *Lease) string {
	if l == nil {
		return "nothing"
	}
	return fmt.Sprintf("%d.%d", l.Number, l.TileIndex())
}

// finish takes a lease to its good end.
func finish(t testing.TB, s *Store, l *Lease) {
	t.Helper()
	must(t, s.Check(l))
	if l.Tile != nil {
		must(t, s.AcceptTile(l, 2, File{Bytes: 10, SHA256: tileSum}, "log"))
		return
	}
	must(t, s.Accept(l, 1, filesOf(l, 5), "log"))
}

func stateOf(t testing.TB, s *Store, l *Lease) queue.State {
	t.Helper()
	f, err := s.Frame(l.SequenceID, l.Number)
	must(t, err)
	return f.State
}

// A frame's tiles come first, then it is put together, and only then the next frame is begun; other frames are as
// before.
func TestAFrameWaitsForItsTiles(t *testing.T) {
	s := open(t)
	sendTiles(t, s, Sending{}, 1, "1-2")
	send(t, s, -5, 2, "9")
	var got []string
	for l := lease(t, s); l != nil; l = lease(t, s) {
		got = append(got, name(l))
		if l.TileIndex() == 2 && l.Number == 1 && stateOf(t, s, l) != queue.Blocked {
			t.Errorf("with tiles left the frame is %s", stateOf(t, s, l))
		}
		if l.TileIndex() == 0 && l.Number < 9 && (len(l.Tiles) != 3 || l.Tiles[1].SHA256 != tileSum) {
			t.Errorf("it is put together from %+v", l.Tiles)
		}
		finish(t, s, l)
	}
	if want := []string{"1.1", "1.2", "1.3", "1.0", "2.1", "2.2", "2.3", "2.0", "9.0"}; !slices.Equal(got, want) {
		t.Errorf("steps are %v, want %v", got, want)
	}
	b, err := s.Batch(1)
	must(t, err)
	if q := b.Sequences[0]; q.Counts[queue.Good] != 2 || q.Seconds != 2*(3*2+1) || q.Bytes != 10 {
		t.Errorf("the sequence is %+v", q)
	}
	logs, err := s.Logs(b.Sequences[0].ID, 1)
	if err != nil || len(logs) != 4 || logs[0].Tile != 0 || logs[3].Tile != 1 {
		t.Errorf("logs are %+v, %v", logs, err)
	}
}

// A node that may put frames together and render none does so.
func TestANodeOnlyPutsTogether(t *testing.T) {
	s := open(t)
	sendTiles(t, s, Sending{}, 1, "1-2")
	joiner := Offer{Node: "joiner", Takes: func(c work.Class, _ work.Use, _ map[string]int) (work.Settings, bool) {
		return work.Settings{}, c.Kind == work.Assemble
	}}
	renders := Offer{Node: "here", Takes: func(c work.Class, _ work.Use, _ map[string]int) (work.Settings, bool) {
		return work.Settings{}, c.Kind == work.Render
	}}
	for frame := range 2 {
		for tile := range 3 {
			if all, err := s.LeaseTogether(joiner); err != nil || len(all) != 0 {
				t.Fatalf("it is given %v, %v", all, err)
			}
			all, err := s.LeaseTogether(renders)
			if err != nil || len(all) != 1 || name(all[0]) != fmt.Sprint(frame+1, ".", tile+1) {
				t.Fatalf("%v, %v", all, err)
			}
			finish(t, s, all[0])
		}
		all, err := s.LeaseTogether(joiner)
		if err != nil || len(all) != 1 || name(all[0]) != fmt.Sprint(frame+1, ".0") ||
			all[0].Class.Kind != work.Assemble {
			t.Fatalf("%v, %v", all, err)
		}
		finish(t, s, all[0])
	}
	if all, err := s.LeaseTogether(renders); err != nil || len(all) != 0 {
		t.Fatalf("%v, %v", all, err)
	}
}

// Several nodes have tiles of one frame, and of the next when none is left; nobody puts a frame together before its
// last tile is good.
func TestNodesShareAFrame(t *testing.T) {
	s := open(t)
	b := sendTiles(t, s, Sending{}, 1, "1-2")
	var leases []*Lease
	for _, want := range []string{"1.1", "1.2", "1.3", "2.1"} {
		l := lease(t, s)
		if name(l) != want {
			t.Fatalf("got %s, want %s", name(l), want)
		}
		leases = append(leases, l)
	}
	finish(t, s, leases[0])
	finish(t, s, leases[2])
	under, err := s.CutFrames(b.ID)
	if err != nil || len(under) != 2 || under[0] != (CutFrame{b.Sequences[0].ID, 1, 2, 1, 1}) || under[1].Good != 0 {
		t.Errorf("under way are %+v, %v", under, err)
	}
	if l := lease(t, s); name(l) != "2.2" {
		t.Errorf("with a tile of frame 1 missing, %s comes next", name(l))
	}
	finish(t, s, leases[1])
	if l := lease(t, s); name(l) != "1.0" {
		t.Errorf("with all tiles of frame 1, %s comes next", name(l))
	}
}

func TestABrokenTileIsTriedAgainAndThenFailsItsFrame(t *testing.T) {
	s := open(t)
	b := sendTiles(t, s, Sending{}, 1, "1")
	good := lease(t, s)
	finish(t, s, good)
	other := lease(t, s) // tile 2, with another node all the while
	var l *Lease
	for range work.UsualTries {
		if l = lease(t, s); name(l) != "1.3" {
			t.Fatalf("%s is tried", name(l))
		}
		must(t, s.Break(l, "no light", "log"))
	}
	f, err := s.Frame(l.SequenceID, 1)
	must(t, err)
	if f.State != queue.Failed || f.Reason != "tile 3: no light" {
		t.Errorf("the frame is %+v", f)
	}
	if owned, err := s.Owned(other); owned || err != nil {
		t.Errorf("the other node goes on: %v", err)
	}
	if err := s.AcceptTile(other, 1, File{}, ""); !errors.Is(err, ErrLost) {
		t.Errorf("a tile of a frame that has failed: %v", err)
	}
	must(t, s.Leave(other, "left"))
	if l := lease(t, s); l != nil {
		t.Errorf("%s is rendered of a frame that has failed", name(l))
	}
	// Tried again, what was good stays.
	if _, err := s.Apply(scope(b), queue.Retry); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"1.2", "1.3", "1.0"} {
		l := lease(t, s)
		if name(l) != want || l.Tries() != 1 {
			t.Fatalf("got %s, try %d, want %s", name(l), l.Tries(), want)
		}
		finish(t, s, l)
	}
}

// Holding, releasing and dropping a frame is for its tiles, too; those that are good stay so.
func TestWhatAPersonDoesHoldsForTiles(t *testing.T) {
	s := open(t)
	b := sendTiles(t, s, Sending{}, 1, "1")
	act := func(e queue.Event) {
		t.Helper()
		_, err := s.Apply(scope(b), e)
		must(t, err)
	}
	finish(t, s, lease(t, s))
	second := lease(t, s)
	act(queue.Hold)
	if l := lease(t, s); l != nil {
		t.Errorf("%s is rendered of a frame that is held", name(l))
	}
	if err := s.Check(second); !errors.Is(err, ErrLost) {
		t.Errorf("a tile of a frame that is held: %v", err)
	}
	act(queue.Release)
	if l := lease(t, s); name(l) != "1.3" {
		t.Errorf("after the release %s comes next", name(l))
	}
	must(t, s.Leave(second, "left"))
	if l := lease(t, s); name(l) != "1.2" {
		t.Errorf("the tile that was taken away: %s", name(l))
	}
	act(queue.Drop)
	must(t, s.ForgetTiles(second.SequenceID, 1, func() error { return nil }))
	must(t, s.Leave(second, "left once more"))
	act(queue.Retry)
	if l := lease(t, s); name(l) != "1.1" {
		t.Errorf("dropped, cleared away and tried again, %s comes first", name(l))
	}
}

// A server that dies loses no tile that was good, and repeats what was under way.
func TestTilesUnderWayAreTakenUpAgain(t *testing.T) {
	s := open(t)
	b := sendTiles(t, s, Sending{}, 1, "1")
	finish(t, s, lease(t, s))
	lost := lease(t, s)
	must(t, s.Check(lost))
	if found, err := s.Recover(); err != nil || len(found) != 0 {
		t.Errorf("%+v, %v", found, err)
	}
	for _, want := range []string{"1.2", "1.3", "1.0"} {
		l := lease(t, s)
		if name(l) != want || l.Tries() != 1 {
			t.Fatalf("got %s, try %d, want %s", name(l), l.Tries(), want)
		}
		if want != "1.0" {
			finish(t, s, l)
			continue
		}
		// The files of two tiles have gone meanwhile.
		must(t, s.LoseTiles(l, []int{1, 3}, "log"))
	}
	for _, want := range []string{"1.1", "1.3", "1.0"} {
		l := lease(t, s)
		if name(l) != want || l.Tries() != 1 {
			t.Fatalf("got %s, try %d, want %s", name(l), l.Tries(), want)
		}
		finish(t, s, l)
	}
	if b, _ := s.Batch(b.ID); b.Counts()[queue.Good] != 1 {
		t.Errorf("counts are %v", b.Counts())
	}
}

// A batch that waited, and whose frames wait for their tiles now, is not begun a second time.
func TestBeginningLeavesFramesThatWaitForTiles(t *testing.T) {
	s := open(t)
	soon := time.Now().Add(time.Hour)
	sendTiles(t, s, Sending{Waiting: Waiting{Start: soon}, Order: plan.EndsFirst}, 1, "1-3")
	if n, _, err := s.Begin(soon.Add(time.Second)); err != nil || n != 3 {
		t.Fatalf("%d frames begin, %v", n, err)
	}
	l := lease(t, s)
	if n, _, err := s.Begin(soon.Add(time.Second)); err != nil || n != 0 || stateOf(t, s, l) != queue.Blocked {
		t.Errorf("%d frames begin again, %v; the frame is %s", n, err, stateOf(t, s, l))
	}
	var got []string
	for ; l != nil; l = lease(t, s) {
		got = append(got, name(l))
		finish(t, s, l)
	}
	if got[3] != "1.0" || got[4] != "2.1" || len(got) != 12 {
		t.Errorf("steps are %v", got)
	}
}

func BenchmarkLeaseTiles(b *testing.B) {
	s := open(b)
	sendTiles(b, s, Sending{}, 1, "1-100000")
	b.ReportAllocs()
	steps := 0
	for b.Loop() {
		finish(b, s, lease(b, s))
		steps++
	}
	b.ReportMetric(float64(steps)/b.Elapsed().Seconds(), "steps/s")
}
