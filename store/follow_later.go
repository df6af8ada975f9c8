package store

import (
	"fmt"

	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/work"
)

// AddFollowUp lets something be made from the files of rendered sequences of a batch that was sent before, or of one
// sequence, which may be a grade or a matte. Sequences that have a follow-up of that kind already are passed over. It
// returns how many have it now that had not.
func (s *Store) AddFollowUp(scope Scope, f FollowUp) (added int, err error) {
	if scope.Frame != nil {
		return 0, fmt.Errorf("%w: a follow-up is of a sequence, or of all of a batch", ErrNothing)
	}
	err = s.change(func(tx *writing) error {
		batch, _, err := scope.batchIn(tx)
		if err != nil {
			return err
		}
		b, err := s.planOf(batch)
		if err != nil {
			return err
		}
		where, args := scope.sequences()
		ids, err := column[int64](tx, `SELECT id FROM sequence q WHERE (follows = 0 OR id = ? AND class_id IN
			(SELECT id FROM class WHERE kind IN (?, ?))) AND NOT EXISTS (SELECT 1
			FROM sequence u WHERE u.follows > 0 AND u.follows = q.id AND u.task = ?) AND `+where,
			append([]any{scope.Sequence, work.Matte, work.Grade, f.Kind}, args...)...)
		if err != nil {
			return err
		}
		for _, id := range ids {
			if err := s.addFollowUp(tx, b, batch, id, f); err != nil {
				return err
			}
		}
		added = len(ids)
		return hasChanged(tx)
	})
	if err == nil && added == 0 {
		err = fmt.Errorf("%w: all that is rendered here has that follow-up", ErrNothing)
	}
	return added, err
}

// addFollowUp puts a follow-up of a sequence into the queue, before all that is there of its batch.
func (s *Store) addFollowUp(tx *writing, b plan.Batch, batch, source int64, f FollowUp) error {
	of, err := s.spec(source)
	if err != nil {
		return err
	}
	follows := source
	if f.Follows != "" {
		above, err := column[int64](
			tx,
			"SELECT id FROM sequence WHERE follows > 0 AND follows = ? AND task = ?",
			source,
			f.Follows,
		)
		if err != nil {
			return err
		}
		if len(above) == 0 {
			return fmt.Errorf(
				"%w: %s follows %s, which %s/%s/%s does not have",
				ErrNothing,
				f.Kind,
				f.Follows,
				of.Shot,
				of.View,
				of.SizeCode,
			)
		}
		follows = above[0]
	}
	spec, err := f.Sequence(b, batch, of)
	if err != nil {
		return err
	}
	place, err := placeBefore(tx, batch)
	if err != nil {
		return err
	}
	state := queue.Blocked
	if f.Held {
		state = queue.Held
	}
	id, err := insertFollowUp(tx, batch, place, follows, spec, state, work.Class{Kind: work.Kind(f.Work())}, f)
	if err != nil || f.Held {
		return err
	}
	_, err = s.followOn(tx, id, nil)
	return err
}

// placeBefore returns a place before all that a batch has.
func placeBefore(tx *writing, batch int64) (place int, err error) {
	err = tx.QueryRow("SELECT min(ordinal, 0) - 1 FROM (SELECT min(ordinal) AS ordinal FROM sequence WHERE batch_id "+
		"= ?)",
		batch).
		Scan(&place)
	return place, err
}

// FollowUpOf returns the follow-up of a kind that a sequence has; false if it has none.
func (s *Store) FollowUpOf(sequence int64, kind work.Kind) (q Sequence, has bool, err error) {
	all, err := s.sequences("WHERE follows > 0 AND follows = ? AND task = ?", sequence, string(kind))
	if err != nil || len(all) == 0 {
		return Sequence{}, false, err
	}
	return all[0], true, nil
}

// SequencesIn returns the rendered sequences of a scope.
func (s *Store) SequencesIn(scope Scope) ([]Sequence, error) {
	where, args := scope.sequences()
	all, err := s.sequences("WHERE follows = 0 AND batch_id IN (SELECT id FROM batch WHERE production = ? COLLATE "+
		"NOCASE) AND "+where, append([]any{scope.Production}, args...)...)
	if err == nil && len(all) == 0 {
		err = fmt.Errorf("nothing that was rendered for production %s: %w", scope.Production, ErrNotFound)
	}
	return all, err
}

// PicturesMade returns the mattes and grades that were made of rendered sequences of a production, in the order in
// which they were asked for.
func (s *Store) PicturesMade(production string) ([]Sequence, error) {
	return s.sequences(
		"WHERE follows > 0 AND class_id IN (SELECT id FROM class WHERE kind IN (?, ?)) AND batch_id IN (SELECT "+
			"id FROM batch WHERE production = ? COLLATE NOCASE)",
		work.Matte,
		work.Grade,
		production,
	)
}
