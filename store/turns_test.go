package store

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/queue"
)

// However batches, waves and frames are mixed, the record hands out in the order of queue.Turn.
func TestTheRecordKeepsTheOrderOfTurns(t *testing.T) {
	for seed := range uint64(8) {
		random := rand.New(rand.NewPCG(seed, 1))
		s := open(t)
		for range 3 {
			send(t, s, random.IntN(3), 1, "1-4", "1-3", "7")
		}
		_, err := s.write.Exec("UPDATE batch SET in_waves = 1")
		must(t, err)
		rowsOfAll(t, s)
		rows, err := s.write.Query("SELECT sequence_id, number FROM frame")
		must(t, err)
		var frames [][2]int64
		for rows.Next() {
			var f [2]int64
			must(t, rows.Scan(&f[0], &f[1]))
			frames = append(frames, f)
		}
		must(t, rows.Err())
		for _, f := range frames {
			_, err := s.write.Exec("UPDATE frame SET wave = ?, turn = ? WHERE sequence_id = ? AND number = ?",
				random.IntN(3), random.IntN(9), f[0], f[1])
			must(t, err)
		}
		var turns []queue.Turn
		for l := lease(t, s); l != nil; l = lease(t, s) {
			turn := queue.Turn{Priority: l.Batch.Priority, Batch: l.Batch.ID, Sequence: l.Sequence.Ordinal}
			must(t, s.read.QueryRow("SELECT wave, turn FROM frame WHERE sequence_id = ? AND number = ?",
				l.SequenceID, l.Number).Scan(&turn.Wave, &turn.Frame))
			turns = append(turns, turn)
		}
		if len(turns) != 24 || !slices.IsSortedFunc(turns, queue.Turn.Compare) {
			t.Errorf("seed %d: %d turns, in the order %v", seed, len(turns), turns)
		}
	}
}

// Whether there is something to do is asked for by each node after each change, so nothing is looked through for it
// that grows with what was done already.
func TestNothingIsLookedThroughForTheNextStep(t *testing.T) {
	s := open(t)
	for what, query := range map[string]string{
		"frame to put together": nextCompleteQuery(""), "frame to cut": nextUncutQuery(""),
		"tile": nextTileQuery("", "1, 2"),
	} {
		rows, err := s.read.Query("EXPLAIN QUERY PLAN " + query)
		must(t, err)
		for rows.Next() {
			var id, parent, unused int
			var step string
			must(t, rows.Scan(&id, &parent, &unused, &step))
			if strings.HasPrefix(step, "SCAN") && step != "SCAN b USING INDEX batch_ready" {
				t.Errorf("%s: %s", what, step)
			}
		}
		must(t, rows.Err())
	}
}
