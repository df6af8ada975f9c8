package store

import (
	"errors"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
	"time"

	"reelhouse/core/plan"
	"reelhouse/core/queue"
)

// Whether frames have rows of their own is seen by nobody: two records to which the same happens, one of which has a
// row for each frame at any time, tell the same of them, and give them out in the same order.
func TestFreshFramesAreFramesLikeAnyOther(t *testing.T) {
	orders := []plan.Order{plan.InOrder, plan.EndsFirst, plan.Coarse}
	for seed := range uint64(12) {
		random := rand.New(rand.NewPCG(seed, 9))
		plain, fresh := open(t), open(t)
		both := []*Store{plain, fresh}
		var batches []int64
		var sequences []Sequence
		for i, sets := range [][]string{{"1-9", "20-24,30"}, {"1-5"}, {"7", "-3-3x2"}} {
			how := Sending{Name: "b", Priority: random.IntN(2), Order: orders[random.IntN(3)],
				Held: random.IntN(4) == 0}
			if i == 1 && random.IntN(2) == 0 {
				how.AfterBatch = batches[0]
			}
			var b Batch
			for _, s := range both {
				id, err := s.Send(batch(t, i+1, sets...), how)
				must(t, err)
				b, err = s.Batch(id)
				must(t, err)
			}
			batches, sequences = append(batches, b.ID), append(sequences, b.Sequences...)
		}
		for range 40 {
			q := sequences[random.IntN(len(sequences))]
			scope := Scope{Production: "SALT", Batch: batches[random.IntN(len(batches))]}
			if random.IntN(2) == 0 {
				scope = Scope{Production: "SALT", Sequence: q.ID}
				if n := q.Spec.Frames.At(random.IntN(q.Spec.Frames.Count())); random.IntN(2) == 0 {
					scope.Frame = &n
				}
			}
			event, ends := queue.PersonsEvents()[random.IntN(4)], random.IntN(4)
			what := random.IntN(6)
			var results [2]any
			for i, s := range both {
				if s == plain {
					rowsOfAll(t, s)
				}
				results[i] = happens(t, s, what, scope, event, ends)
			}
			if results[0] != results[1] {
				t.Fatalf("seed %d: %v with rows, %v without", seed, results[0], results[1])
			}
			for _, q := range sequences {
				compareFrames(t, plain, fresh, q.ID)
			}
			if t.Failed() {
				t.Fatalf("seed %d", seed)
			}
		}
	}
}

// happens does something to a record, and tells how it ended.
func happens(t *testing.T, s *Store, what int, scope Scope, event queue.Event, ends int) any {
	switch what {
	case 0, 1:
		n, err := s.Apply(scope, event)
		if err != nil && !errors.Is(err, ErrNothing) {
			t.Fatal(err)
		}
		return n
	case 2:
		n, _, err := s.Begin(time.Now())
		must(t, err)
		return n
	case 5:
		if scope.Batch > 0 {
			must(t, s.Reorder(scope.Production, scope.Batch, plan.Orders()[ends%len(plan.Orders())]))
		}
		return nil
	}
	l, err := s.Lease("n")
	must(t, err)
	if l == nil {
		return nil
	}
	switch ends {
	case 0:
		must(t, s.GiveBack(l))
	case 1:
		must(t, s.Break(l, "it broke at 7", ""))
	case 2:
		must(t, s.Check(l))
		must(t, s.Accept(l, 1, filesOf(l, 5), ""))
	}
	return [2]int64{l.SequenceID, int64(l.Number)}
}

func compareFrames(t *testing.T, a, b *Store, sequence int64) {
	t.Helper()
	var frames [2][]Frame
	var counts [2]queue.Counts
	for i, s := range []*Store{a, b} {
		var err error
		frames[i], err = s.Frames(sequence)
		must(t, err)
		for k := range frames[i] {
			frames[i][k].Started = time.Time{}
		}
		q, err := s.Sequence(sequence)
		must(t, err)
		counts[i] = q.Counts
		sum := queue.Counts{}
		for _, f := range frames[i] {
			sum[f.State]++
			one, err := s.Frame(sequence, f.Number)
			must(t, err)
			if one.State != f.State {
				t.Errorf("frame %d is %s, and %s by itself", f.Number, f.State, one.State)
			}
		}
		if !reflect.DeepEqual(sum, q.Counts) {
			t.Errorf("sequence %d counts %v, and there are %v", sequence, q.Counts, sum)
		}
		of, err := s.Batch(q.BatchID)
		must(t, err)
		sum = queue.Counts{}
		for _, q := range of.Sequences {
			for state, n := range q.Counts {
				sum[state] += n
			}
		}
		if !reflect.DeepEqual(sum, of.Sums) {
			t.Errorf("batch %d counts %v, and there are %v", of.ID, of.Sums, sum)
		}
	}
	if !reflect.DeepEqual(frames[0], frames[1]) || !reflect.DeepEqual(counts[0], counts[1]) {
		t.Errorf("sequence %d:\n%v\n%v", sequence, frames[0], frames[1])
	}
}

// Of a long batch those sequences are shown where something is happening, then those that are not done, in their order.
func TestALongQueueShowsWhatHappens(t *testing.T) {
	s := open(t)
	b := send(t, s, 0, 1, "1-4", "1-4", "1-4", "1-4", "1-4", "1-4", "1-4")
	for i, counts := range []string{"good = 4", "ready = 4", "good = 4", "good = 3, rendering = 1", "dropped = 4",
		"good = 3, failed = 1", "held = 4"} {
		must(t, exec(s, "UPDATE sequence SET ready = 0, "+counts+" WHERE id = ?", b.Sequences[i].ID))
	}
	for most, want := range map[int][]int{2: {3, 5}, 3: {1, 3, 5}, 4: {1, 3, 5, 6}, 5: {0, 1, 3, 5, 6},
		7: {0, 1, 2, 3, 4, 5, 6}} {
		got, err := s.SequencesToShow(b.ID, most)
		must(t, err)
		var places []int
		for _, q := range got {
			places = append(places, q.Ordinal)
		}
		if !slices.Equal(places, want) {
			t.Errorf("of %d: %v are shown, want %v", most, places, want)
		}
	}
}
