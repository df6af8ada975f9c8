package store

import (
	"errors"
	"fmt"

	"reelhouse/core/queue"
)

// Archive puts a batch out of sight of which nothing is left to do, or back.
func (s *Store) Archive(scope Scope, away bool) error {
	if scope.Batch == 0 || scope.Frame != nil {
		return fmt.Errorf("%w: only batches are archived", ErrNothing)
	}
	return s.change(func(tx *writing) error {
		if _, _, err := scope.batchIn(tx); err != nil {
			return err
		}
		if !away {
			_, err := tx.Exec("UPDATE batch SET archived_at = '' WHERE id = ?", scope.Batch)
			return errors.Join(err, hasChanged(tx))
		}
		result, err := tx.Exec(
			"UPDATE batch SET archived_at = ? WHERE id = ? AND ready + rendering + checking + blocked "+
				"+ held = 0",
			now(),
			scope.Batch,
		)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return fmt.Errorf(
				"%w: something of the batch is still %s, %s or %s",
				ErrNothing,
				queue.Ready,
				queue.Rendering,
				queue.Held,
			)
		}
		return hasChanged(tx)
	})
}
