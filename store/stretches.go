package store

import (
	"fmt"

	"reelhouse/core/queue"
)

// A Stretch is frames that lie beside each other, in one sequence or in several, as far as a strip of limited width
// tells them apart.
type Stretch struct {
	First, Last int // numbers of frames; of sequences their places, where a stretch is made of these
	Sequence    int64
	Name        string // of the first sequence, where a stretch is made of sequences
	Counts      queue.Counts
	Seconds     float64 // sum over good frames
	Peak        int64   // the most memory of a good frame, in bytes
}

// MeanSeconds returns what a good frame of it has taken, 0 if none is good.
func (s Stretch) MeanSeconds() float64 { return s.Seconds / float64(max(1, s.Counts[queue.Good])) }

// worst is the order in which states are told where there are several.
var worst = []queue.State{
	queue.Failed, queue.Lost, queue.Rendering, queue.Checking, queue.Held, queue.Ready, queue.Blocked, queue.Good,
	queue.Dropped,
}

// State returns the state that is told of it: what has failed before what goes on, and that before what is done.
func (s Stretch) State() queue.State {
	for _, state := range worst {
		if s.Counts[state] > 0 {
			return state
		}
	}
	return queue.Ready
}

func (s *Stretch) add(t Stretch) {
	if s.Counts == nil {
		*s = t
		return
	}
	for state, n := range t.Counts {
		s.Counts[state] += n
	}
	s.Last, s.Seconds, s.Peak = t.Last, s.Seconds+t.Seconds, max(s.Peak, t.Peak)
}

// SequenceStretches returns the rendered sequences of a batch in their order, at most so many stretches of them.
func (s *Store) SequenceStretches(batch int64, most int) ([]Stretch, error) {
	var count int
	err := s.read.QueryRow("SELECT sequences FROM batch WHERE id = ?", batch).Scan(&count)
	if err != nil || count == 0 {
		return nil, err
	}
	rows, err := s.read.Query("SELECT id, shot || ' ' || view || ' ' || size, seconds, peak, "+stateColumns+
		" FROM sequence WHERE batch_id = ? AND follows = 0 ORDER BY ordinal", batch)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := make([]Stretch, min(count, most))
	counts := make([]int, len(states))
	place := 0
	for ; rows.Next(); place++ {
		t := Stretch{First: place, Last: place}
		into := []any{&t.Sequence, &t.Name, &t.Seconds, &t.Peak}
		for i := range counts {
			into = append(into, &counts[i])
		}
		if err := rows.Scan(into...); err != nil {
			return nil, err
		}
		t.Counts = countsOf(counts)
		all[min(place, count-1)*len(all)/count].add(t)
	}
	return all, rows.Err()
}

// FrameStretches returns the frames of a sequence in the order of their numbers, at most so many stretches of them.
func (s *Store) FrameStretches(sequence int64, most int) ([]Stretch, error) {
	t, err := s.turnsOf(s.read, sequence)
	if err != nil || t.frames.Empty() {
		return nil, err
	}
	first, span := t.frames.First(), t.frames.Last()-t.frames.First()+1
	all := make([]Stretch, min(span, most))
	at := func(number int) *Stretch { return &all[(number-first)*len(all)/span] }
	fresh, err := s.freshOf(s.read, sequence)
	if err != nil {
		return nil, err
	}
	for part := range all {
		from := first + (part*span+len(all)-1)/len(all)
		to := first + ((part+1)*span+len(all)-1)/len(all) - 1
		if err := s.rowsBetween(sequence, from, to, all[part].join); err != nil {
			return nil, err
		}
	}
	for i := fresh.first; i < fresh.count(); i++ {
		n := fresh.at(i).Frame
		at(n).join(Stretch{First: n, Last: n, Sequence: sequence, Counts: queue.Counts{fresh.state: 1}})
	}
	kept := all[:0]
	for _, x := range all {
		if x.Counts != nil { // there may be none where a set has a hole
			kept = append(kept, x)
		}
	}
	return kept, nil
}

// rowsBetween sums up the frames of a sequence that have rows, from one number to another.
func (s *Store) rowsBetween(sequence int64, from, to int, join func(Stretch)) error {
	x := Stretch{Sequence: sequence}
	counts := make([]int, len(states))
	into := []any{&x.First, &x.Last, &x.Seconds, &x.Peak}
	for i := range counts {
		into = append(into, &counts[i])
	}
	if err := s.read.QueryRow(rowsBetween, sequence, from, to).Scan(into...); err != nil {
		return err
	}
	if x.Counts = countsOf(counts); x.Counts.Total() > 0 {
		join(x)
	}
	return nil
}

var rowsBetween = func() string {
	query := `SELECT coalesce(min(number), 0), coalesce(max(number), 0), total(seconds * (state = 'good')),
		coalesce(max(peak * (state = 'good')), 0)`
	for _, state := range states {
		query += fmt.Sprintf(", coalesce(sum(state = '%s'), 0)", state)
	}
	return query + " FROM frame WHERE sequence_id = ? AND number BETWEEN ? AND ?"
}()

// join adds frames that may lie between those that it has.
func (s *Stretch) join(t Stretch) {
	if s.Counts == nil {
		*s = t
		return
	}
	first, last := min(s.First, t.First), max(s.Last, t.Last)
	s.add(t)
	s.First, s.Last = first, last
}
