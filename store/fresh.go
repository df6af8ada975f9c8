package store

import (
	"database/sql"
	"errors"
	"fmt"
	"slices"

	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
)

// Frames that nothing has happened to yet are fresh. They have no rows in the record: the sequence says how many there
// are and in which state, and which ones follows from its set of frames and the order of its batch: they are the last
// ones by their turns. What a person asks for of all of them is done once a sequence. A frame gets its row when a node
// takes it; when one of them is to be treated apart, all of its sequence do.

// turns are the frames of a sequence in the order in which they come.
type turns struct {
	frames frame.Set
	list   []plan.Turn // nil where they come in the order of their numbers
	grows  bool        // frames may be added
	order  plan.Order  // of the batch
}

func (t turns) count() int { return t.frames.Count() }

func (t turns) at(i int) plan.Turn {
	if t.list == nil {
		return plan.Turn{Frame: t.frames.At(i)}
	}
	return t.list[i]
}

// keptTurns is of how many sequences the order of frames is kept in memory.
const keptTurns = 256

// turnsOf returns the turns of a sequence. What was sent is read from what is kept, and remembered; by a change that
// shares a transaction with the sending, from there.
func (s *Store) turnsOf(q queryer, sequence int64) (turns, error) {
	if t, known := s.turns.Get(sequence); known {
		var order plan.Order // which a person may have changed
		err := q.QueryRow("SELECT b.frame_order FROM sequence q JOIN batch b ON b.id = q.batch_id WHERE q.id = ?",
			sequence).Scan(&order)
		if err != nil || order == t.order {
			return t, err
		}
	}
	t, err := s.readTurns(s.read, sequence)
	switch {
	case err == nil && !t.grows:
		s.turns.Add(sequence, t)
	case errors.Is(err, ErrNotFound) && q != queryer(s.read):
		return s.readTurns(q, sequence)
	}
	return t, err
}

func (s *Store) readTurns(q queryer, sequence int64) (t turns, err error) {
	var frames string
	var gated bool
	err = q.QueryRow("SELECT q.frames, b.frame_order, q.gate > 0, q.task = 'repeat' FROM sequence q "+
		"JOIN batch b ON b.id = q.batch_id WHERE q.id = ?", sequence).Scan(&frames, &t.order, &gated, &t.grows)
	if errors.Is(err, sql.ErrNoRows) {
		return t, fmt.Errorf("sequence %d: %w", sequence, ErrNotFound)
	} else if err != nil {
		return t, fmt.Errorf("sequence %d: %w", sequence, err)
	}
	if t.grows && frames == "" {
		return t, nil
	}
	if t.frames, err = frame.Parse(frames); err != nil {
		return t, fmt.Errorf("sequence %d: %w", sequence, err)
	}
	if t.order != plan.InOrder || gated {
		t.list = t.order.Turns(t.frames)
	}
	if gated { // its first, middle and last frame come before all others
		ends := t.frames.Ends()
		slices.SortStableFunc(
			t.list,
			func(a, b plan.Turn) int { return compareBool(ends.Contains(b.Frame), ends.Contains(a.Frame)) },
		)
		first := t.list[:ends.Count()]
		slices.SortFunc(first, func(a, b plan.Turn) int { return a.Frame - b.Frame })
		for i := range first {
			first[i].Wave = 0
		}
	}
	return t, nil
}

// fresh are the fresh frames of a sequence: those of its turns from first on.
type fresh struct {
	turns
	first int
	state queue.State
}

func (f fresh) left() int { return f.count() - f.first }

// freshOf returns the fresh frames of a sequence.
func (s *Store) freshOf(q queryer, sequence int64) (f fresh, err error) {
	var n int
	err = q.QueryRow("SELECT fresh, fresh_state FROM sequence WHERE id = ?", sequence).Scan(&n, &f.state)
	if errors.Is(err, sql.ErrNoRows) {
		return f, fmt.Errorf("sequence %d: %w", sequence, ErrNotFound)
	} else if err != nil || n == 0 {
		return f, err
	}
	f.turns, err = s.turnsOf(q, sequence)
	f.first = f.count() - n
	return f, err
}

// rowsFor makes rows of so many fresh frames of a sequence that come first, of all of them for a negative number.
func (s *Store) rowsFor(tx *writing, sequence int64, count int) error {
	f, err := s.freshOf(tx, sequence)
	if err != nil || f.left() == 0 {
		return err
	}
	if count < 0 || count > f.left() {
		count = f.left()
	}
	for i := f.first; i < f.first+count; i++ {
		t := f.at(i)
		if _, err := tx.Exec("INSERT INTO frame (sequence_id, number, state, wave, turn) VALUES (?, ?, ?, ?, ?)",
			sequence, t.Frame, f.state, t.Wave, i); err != nil {
			return err
		}
	}
	wave := 0
	if count < f.left() {
		wave = f.at(f.first + count).Wave
	}
	_, err = tx.Exec("UPDATE sequence SET fresh = fresh - ?, fresh_wave = ? WHERE id = ?", count, wave, sequence)
	return err
}

// rowsOf makes rows of the fresh frames of a sequence if a frame is one of them.
func (s *Store) rowsOf(tx *writing, sequence int64, number int) error {
	if _, err := frameIn(tx, sequence, number); !errors.Is(err, ErrNotFound) {
		return err
	}
	return s.rowsFor(tx, sequence, -1)
}

// freshFrames returns the fresh frames of a sequence.
func (s *Store) freshFrames(q queryer, sequence int64) ([]Frame, error) {
	f, err := s.freshOf(q, sequence)
	if err != nil {
		return nil, err
	}
	all := make([]Frame, 0, f.left())
	for i := f.first; i < f.count(); i++ {
		all = append(all, Frame{SequenceID: sequence, Number: f.at(i).Frame, State: f.state})
	}
	return all, nil
}

// moveFresh takes the fresh frames of sequences from one state to another, and returns how many those are. where is a
// condition for sequences.
func moveFresh(tx *writing, from, to queue.State, where string, args ...any) (changed int64, err error) {
	if from == to {
		return 0, nil
	}
	condition := " WHERE fresh > 0 AND fresh_state = ? AND " + where
	args = append([]any{from}, args...)
	if err := tx.QueryRow("SELECT coalesce(sum(fresh), 0) FROM sequence"+condition,
		args...).Scan(&changed); err != nil ||
		changed == 0 {
		return 0, err
	}
	_, err = tx.Exec(fmt.Sprintf("UPDATE sequence SET %[1]s = %[1]s - fresh, %[2]s = %[2]s + fresh, fresh_state = "+
		"?%[3]s",
		from, to, condition), append([]any{to}, args...)...)
	return changed, err
}

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

// byNumber sorts frames by their numbers.
func byNumber(frames []Frame) {
	slices.SortFunc(frames, func(a, b Frame) int { return a.Number - b.Number })
}
