package store

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/queue"
	"reelhouse/core/review"
)

const verdictColumns = `v.id, v.sequence_id, v.frames, v.kind, v.note, v.marks, v.marked, v.author, v.given_at,
	v.taken_by, v.taken_at, v.answered`

// verdicts returns verdicts in the order in which they were given.
func verdicts(q queryer, where string, args ...any) ([]review.Verdict, error) {
	rows, err := q.Query("SELECT "+verdictColumns+" FROM verdict v "+where+" ORDER BY v.id", args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []review.Verdict
	for rows.Next() {
		var v review.Verdict
		var frames, marks, given, taken string
		err := rows.Scan(&v.ID, &v.Sequence, &frames, &v.Kind, &v.Note, &marks, &v.Marked, &v.By, &given, &v.TakenBy,
			&taken, &v.Answered)
		if err != nil {
			return nil, err
		}
		var unread error
		v.Frames, unread = frame.Parse(frames)
		v.Marks, err = review.ParseMarks(marks)
		if err = errors.Join(unread, err); err != nil {
			return nil, fmt.Errorf("verdict %d: %w", v.ID, err)
		}
		v.Given, v.Taken = when(given), when(taken)
		all = append(all, v)
	}
	return all, rows.Err()
}

// Verdicts returns what was decided of a sequence, in the order in which it was.
func (s *Store) Verdicts(sequence int64) ([]review.Verdict, error) {
	return verdicts(s.read, "WHERE v.sequence_id = ?", sequence)
}

// VerdictsOf returns what was decided in a production, by the sequences' numbers; open asks for those alone of
// sequences of which a retake is not made yet, or a question stands.
func (s *Store) VerdictsOf(production string, open bool) (map[int64][]review.Verdict, error) {
	where := `JOIN sequence q ON q.id = v.sequence_id JOIN batch b ON b.id = q.batch_id
		WHERE b.production = ? COLLATE NOCASE`
	if open {
		where += ` AND v.sequence_id IN (SELECT sequence_id FROM verdict WHERE kind IN ('retake', 'question')
			AND taken_at = '' AND answered = 0)`
	}
	all, err := verdicts(s.read, where, production)
	if err != nil {
		return nil, err
	}
	by := map[int64][]review.Verdict{}
	for _, v := range all {
		by[v.Sequence] = append(by[v.Sequence], v)
	}
	return by, nil
}

// Decide keeps a verdict on frames of a sequence of a production, and returns its number. All of the frames must be
// good, and none of them approved unless that is the verdict; a retake must not be on its way already.
func (s *Store) Decide(production string, v review.Verdict, by Author) (id int64, err error) {
	q, err := s.Sequence(v.Sequence)
	if err != nil {
		return 0, err
	}
	spec := q.Spec
	if spec.FollowUp != nil && spec.FollowUp.Pictures() {
		return 0, fmt.Errorf("%w: a verdict is on what was rendered, and this was made of it; decide on sequence %d",
			ErrNothing, q.Follows)
	}
	if len(spec.Files) == 0 || spec.FollowUp != nil {
		return 0, fmt.Errorf("sequence %d: %w", v.Sequence, ErrNotFound)
	}
	if err := v.Check(spec.Files[0].Size.Width, spec.Files[0].Size.Height); err != nil {
		return 0, fmt.Errorf("%w: %w", ErrNothing, err)
	}
	if gone := v.Frames.Minus(spec.Frames); !gone.Empty() {
		return 0, fmt.Errorf("%w: %s has no frames %s", ErrNothing, spec.Title(), gone)
	}
	if len(v.Marks) == 0 {
		v.Marked = 0
	}
	err = s.change(func(tx *writing) error {
		if _, _, err := (Scope{Production: production, Sequence: v.Sequence}).batchIn(tx); err != nil {
			return err
		}
		good, err := goodIn(tx, v.Sequence)
		if err != nil {
			return err
		}
		if missing := v.Frames.Minus(good); !missing.Empty() {
			return fmt.Errorf("%w: frames %s are not good, so that nothing can be said of them", ErrNothing, missing)
		}
		before, err := verdicts(tx, "WHERE v.sequence_id = ?", v.Sequence)
		if err != nil {
			return err
		}
		if err := v.Protected(before); err != nil {
			return fmt.Errorf("%w: %w", ErrNothing, err)
		}
		result, err := tx.Exec(`INSERT INTO verdict (sequence_id, frames, kind, note, marks, marked, author, author_key,
			given_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`, v.Sequence, v.Frames.String(), v.Kind,
			strings.TrimSpace(v.Note), v.Marks.Text(), v.Marked, by.Name, by.Key, now())
		if err != nil {
			return err
		}
		if id, err = result.LastInsertId(); err != nil {
			return err
		}
		return hasChanged(tx)
	})
	return id, err
}

// goodIn returns the frames of a sequence that are good.
func goodIn(q queryer, sequence int64) (frame.Set, error) {
	numbers, err := column[int](q, "SELECT number FROM frame WHERE sequence_id = ? AND state = ? ORDER BY number",
		sequence, string(queue.Good))
	return frame.SetOf(numbers), err
}

// GoodIn returns the frames of a sequence that are good.
func (s *Store) GoodIn(sequence int64) (frame.Set, error) { return goodIn(s.read, sequence) }

// TakeBack takes a verdict of a production back. One that was answered, or was taken back already, stays as it is.
func (s *Store) TakeBack(production string, id int64, by Author) (v review.Verdict, err error) {
	err = s.change(func(tx *writing) error {
		all, err := verdicts(tx, `JOIN sequence q ON q.id = v.sequence_id JOIN batch b ON b.id = q.batch_id
			WHERE b.production = ? COLLATE NOCASE AND v.id = ?`, production, id)
		if err != nil {
			return err
		}
		if len(all) == 0 {
			return fmt.Errorf("verdict %d of production %s: %w", id, production, ErrNotFound)
		}
		switch v = all[0]; {
		case v.Answered != 0:
			return fmt.Errorf("%w: batch %d makes the frames again already", ErrNothing, v.Answered)
		case !v.Stands():
			return fmt.Errorf("%w: %s has taken it back already", ErrNothing, review.Name(v.TakenBy))
		}
		v.TakenBy, v.Taken = by.Name, time.Now().UTC()
		if _, err := tx.Exec("UPDATE verdict SET taken_by = ?, taken_at = ? WHERE id = ?", by.Name,
			v.Taken.Format(timeFormat), id); err != nil {
			return err
		}
		return hasChanged(tx)
	})
	return v, err
}

// answer notes that a batch makes the frames of retakes again. If one of them does not stand any more, nothing is done.
func answer(tx *writing, batch int64, retakes []int64) error {
	for _, id := range retakes {
		result, err := tx.Exec(`UPDATE verdict SET answered = ? WHERE id = ? AND taken_at = '' AND answered = 0
			AND kind = 'retake'`, batch, id)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, fmt.Errorf(
				"%w: a retake was taken back, or sent, since it was looked at; look again", ErrNothing,
			))
		}
	}
	return nil
}

// Approver returns who has approved a frame, false if nobody has.
func (s *Store) Approver(sequence int64, number int) (by string, approved bool, err error) {
	all, err := s.Verdicts(sequence)
	if err != nil {
		return "", false, err
	}
	for _, v := range review.Standing(all) {
		if v.Kind == review.Approved && v.Frames.Contains(number) {
			return review.Name(v.By), true, nil
		}
	}
	return "", false, nil
}

// Renderings returns the sequences of a production that show a shot from a view in a size, the newest first.
func (s *Store) Renderings(production, shot, view, size string) ([]Sequence, error) {
	ids, err := column[int64](s.read, `SELECT q.id FROM sequence q JOIN batch b ON b.id = q.batch_id
		WHERE q.shot = ? AND q.view = ? AND q.size = ? AND q.follows = 0 AND b.production = ? COLLATE NOCASE
		ORDER BY q.id DESC`, shot, view, size, production)
	if err != nil {
		return nil, err
	}
	var all []Sequence
	for _, id := range ids {
		q, err := s.Sequence(id)
		if err != nil {
			return nil, err
		}
		all = append(all, q)
	}
	return all, nil
}
