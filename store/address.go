package store

import (
	"database/sql"
	"errors"
	"fmt"

	"reelhouse/core/queue"
)

// Named returns what an address names: a batch, a sequence or a frame. Of a tile it is the frame.
func (s *Store) Named(a queue.Address) (scope Scope, err error) {
	err = s.read.QueryRow("SELECT production FROM batch WHERE id = ?", a.Batch).Scan(&scope.Production)
	if errors.Is(err, sql.ErrNoRows) {
		return scope, fmt.Errorf("batch %d: %w", a.Batch, ErrNotFound)
	} else if err != nil || a.Shot == "" {
		scope.Batch = a.Batch
		return scope, err
	}
	err = s.read.QueryRow("SELECT id FROM sequence WHERE shot = ? AND view = ? AND size = ? AND batch_id = ? "+
		"AND task = ?", a.Shot, a.View, a.Size, a.Batch, a.FollowUp).Scan(&scope.Sequence)
	if errors.Is(err, sql.ErrNoRows) {
		return scope, fmt.Errorf("sequence %s: %w", a.Sequence(), ErrNotFound)
	} else if err != nil {
		return scope, err
	}
	if !a.Framed { // what is done once for a sequence is one task
		spec, err := s.spec(scope.Sequence)
		if f := spec.FollowUp; err == nil && f != nil && !f.ByFrame {
			number := spec.Frames.First()
			scope.Frame = &number
		}
		return scope, err
	}
	if _, err := s.Frame(scope.Sequence, a.Frame); err != nil {
		return scope, fmt.Errorf("task %s: %w", a, ErrNotFound)
	}
	scope.Frame = &a.Frame
	return scope, nil
}

// Address returns the address of a sequence.
func (q Sequence) Address() queue.Address {
	a := queue.Address{Batch: q.BatchID, Shot: q.Spec.Shot, View: q.Spec.View, Size: q.Spec.SizeCode}
	if q.Spec.FollowUp != nil {
		a.FollowUp = q.Spec.FollowUp.Kind
	}
	return a
}

// Task returns the address of a frame of a sequence, or of a tile of that, from 1; 0 for none.
func (q Sequence) Task(number, tile int) queue.Address {
	a := q.Address()
	if q.Spec.FollowUp != nil && !q.Spec.FollowUp.ByFrame { // which is one task
		return a
	}
	a.Frame, a.Framed, a.Tile = number, true, tile
	return a
}
