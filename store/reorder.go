package store

import (
	"fmt"
	"slices"

	"reelhouse/core/plan"
)

// MostReordered is how many frames a batch may have whose order is changed: each of them gets its row for that.
const MostReordered = 100_000

// FrameOrder returns in which order the frames of a batch come.
func (s *Store) FrameOrder(batch int64) (order plan.Order, err error) {
	found, err := column[plan.Order](s.read, "SELECT frame_order FROM batch WHERE id = ?", batch)
	if err == nil && len(found) == 0 {
		err = fmt.Errorf("batch %d: %w", batch, ErrNotFound)
	}
	if err != nil {
		return "", err
	}
	return found[0], nil
}

// Reorder lets the frames of a batch of a production come in another order. What nodes have is finished first.
func (s *Store) Reorder(production string, batch int64, order plan.Order) error {
	if !slices.Contains(plan.Orders(), order) {
		return fmt.Errorf("%w: there is no order %q of frames; there are ends, coarse and, for in order, nothing",
			ErrNotPersons, string(order))
	}
	return s.change(func(tx *writing) error {
		if _, _, err := (Scope{Production: production, Batch: batch}).batchIn(tx); err != nil {
			return err
		}
		var all int
		err := tx.QueryRow("SELECT blocked + ready + rendering + checking + good + lost + failed + held + dropped "+
			"FROM batch WHERE id = ?", batch).Scan(&all)
		if err != nil {
			return err
		}
		if all > MostReordered {
			return fmt.Errorf("%w: the batch has %d frames; the order of %d and fewer is changed", ErrNothing, all,
				MostReordered)
		}
		ids, err := column[int64](tx, "SELECT id FROM sequence WHERE batch_id = ? ORDER BY ordinal", batch)
		if err != nil {
			return err
		}
		for _, id := range ids { // which frames are fresh follows from the order that they had
			if err := s.rowsFor(tx, id, -1); err != nil {
				return err
			}
		}
		_, err = tx.Exec(
			"UPDATE batch SET frame_order = ?, in_waves = ? WHERE id = ?",
			order,
			order != plan.InOrder,
			batch,
		)
		if err != nil {
			return err
		}
		for _, id := range ids {
			if err := s.reorder(tx, id); err != nil {
				return err
			}
		}
		return hasChanged(tx)
	})
}

// reorder gives the frames of a sequence their turns anew.
func (s *Store) reorder(tx *writing, sequence int64) error {
	t, err := s.readTurns(tx, sequence)
	if err != nil {
		return err
	}
	for i := range t.count() {
		turn := t.at(i)
		_, err := tx.Exec("UPDATE frame SET wave = ?, turn = ? WHERE sequence_id = ? AND number = ?", turn.Wave, i,
			sequence, turn.Frame)
		if err != nil {
			return err
		}
	}
	return nil
}
