package store

import (
	"cmp"
	"database/sql"
	"slices"
	"strings"

	"reelhouse/core/queue"
)

// A Failure is frames of a batch that have failed, or are lost, for the same kind of reason.
type Failure struct {
	Kind      string // of reasons, by queue.Kind
	Reason    string // of the first of them
	Lost      bool   // they are lost, and have not failed
	Sequences int
	Frames    []Frame // in the order of their sequences
}

// Failures returns what has failed in a batch by its reasons, those of the most frames first.
func (s *Store) Failures(batch int64) ([]Failure, error) {
	all, err := failuresOf(s.read, batch)
	return all, err
}

func failuresOf(q queryer, batch int64) ([]Failure, error) {
	failed, err := frames(q, `WHERE sequence_id IN (SELECT id FROM sequence WHERE batch_id = ? AND failed + lost > 0)
		AND state IN ('failed', 'lost')`, batch)
	if err != nil {
		return nil, err
	}
	var all []Failure
	for _, f := range failed {
		kind, lost := queue.Kind(f.Reason), f.State == queue.Lost
		i := slices.IndexFunc(all, func(g Failure) bool { return g.Kind == kind && g.Lost == lost })
		if i < 0 {
			i, all = len(all), append(all, Failure{Kind: kind, Reason: f.Reason, Lost: lost})
		}
		g := &all[i]
		if n := len(g.Frames); n == 0 || g.Frames[n-1].SequenceID != f.SequenceID {
			g.Sequences++
		}
		g.Frames = append(g.Frames, f)
	}
	slices.SortStableFunc(all, func(a, b Failure) int { return cmp.Compare(len(b.Frames), len(a.Frames)) })
	return all, nil
}

// ApplyToFailures does what a person asks for to all frames of a batch that have failed, or are lost, for a kind of
// reason, and returns how many there were.
func (s *Store) ApplyToFailures(
	production string,
	batch int64,
	kind string,
	event queue.Event,
) (changed int, err error) {
	if !event.Persons() {
		return 0, ErrNotPersons
	}
	err = s.change(func(tx *writing) error {
		_, waits, err := (Scope{Production: production, Batch: batch}).batchIn(tx)
		if err != nil {
			return err
		}
		all, err := failuresOf(tx, batch)
		if err != nil {
			return err
		}
		for _, g := range all {
			if strings.TrimSpace(g.Kind) != strings.TrimSpace(kind) {
				continue
			}
			for _, f := range g.Frames {
				scope := Scope{Production: production, Sequence: f.SequenceID, Frame: &f.Number}
				n, err := s.apply(tx, scope, event, waits)
				if err != nil {
					return err
				}
				changed += int(n)
				if err := s.wereMoved(tx, scope); err != nil {
					return err
				}
			}
		}
		if changed == 0 {
			return sql.ErrNoRows
		}
		_, err = tx.Exec("UPDATE batch SET alike = '', in_a_row = 0, trouble = '' WHERE id = ?", batch)
		return err
	})
	if err == sql.ErrNoRows {
		return 0, ErrNothing
	}
	return changed, err
}
