package store

import (
	"database/sql"
	"errors"
	"fmt"
	"time"

	"reelhouse/core/queue"
)

// Blocked frames wait: for a time or another batch with all of their batch, at a gate with their sequence, for what
// they are made from if they are of a follow-up, and for their tiles. Here is what lets them go.

// unsettled is a condition for sequences of which something is left to do. What follows one that has failed waits for a
// person, and nobody waits for it.
const unsettled = "(o.ready + o.rendering + o.checking > 0 OR o.follows = 0 AND o.gate <> 1 AND o.blocked + o.held > " +
	"0 " +
	"OR o.gate = 1 AND o.blocked + o.held > 0)"

// waitsItself is a condition for batches that wait with all of their frames.
const waitsItself = "(b.start_at <> 0 OR b.after_batch <> 0 OR b.after_sequence <> 0)"

// begun is a condition for batches of which the frames may begin, with a time as its argument.
const begun = `b.start_at <= ? AND NOT EXISTS (SELECT 1 FROM sequence o WHERE o.batch_id = b.after_batch AND ` +
	unsettled + `) AND NOT EXISTS (SELECT 1 FROM sequence o WHERE o.id = b.after_sequence AND ` + unsettled + `)`

// Begin lets those frames go that have waited long enough: for a time, or for all of a batch or sequence to be settled.
// It returns how many those are, and the next time for which anything waits, the zero time for none.
func (s *Store) Begin(at time.Time) (changed int, next time.Time, err error) {
	var waiting int
	if err := s.read.QueryRow("SELECT count(*) FROM batch b WHERE b.blocked > 0 AND (" + waitsItself + " OR EXISTS " +
		"(SELECT 1 FROM sequence u WHERE u.batch_id = b.id AND u.blocked > 0 AND (u.start_at > 0 OR u.after_batch > " +
		"0)))").
		Scan(&waiting); err != nil || waiting == 0 {
		return 0, next, err
	}
	err = s.change(func(tx *writing) error {
		var err error
		changed, err = s.unblock(tx, `id IN (SELECT q.id FROM sequence q JOIN batch b ON b.id = q.batch_id
			WHERE q.blocked > 0 AND b.blocked > 0 AND `+waitsItself+` AND `+begun+`)`, at.Unix())
		if err != nil {
			return err
		}
		n, err := s.unblock(tx, `follows > 0 AND (start_at > 0 OR after_batch > 0) AND start_at <= ?`, at.Unix())
		changed += n
		return err
	})
	if err != nil {
		return 0, next, err
	}
	var first sql.NullInt64
	err = s.read.QueryRow(`SELECT min(t) FROM (SELECT start_at AS t FROM batch WHERE blocked > 0 AND start_at > ?1
		UNION ALL SELECT start_at FROM sequence WHERE blocked > 0 AND start_at > ?1)`, at.Unix()).Scan(&first)
	if first.Valid {
		next = time.Unix(first.Int64, 0)
	}
	return changed, next, err
}

// unblock lets the blocked frames of sequences go that nothing keeps any more, but for what their batch waits for, and
// returns how many there are. where is a condition for sequences.
func (s *Store) unblock(tx *writing, where string, args ...any) (changed int, err error) {
	to, err := queue.Blocked.Next(queue.Unblocked)
	if err != nil {
		return 0, err
	}
	// Frames that have tiles wait for these.
	const plain = "blocked > 0 AND follows = 0 AND gate <> 1 AND "
	result, err := tx.Exec("UPDATE frame SET state = ? WHERE state = ? AND NOT "+inTiles+" AND sequence_id IN "+
		"(SELECT id FROM sequence WHERE "+plain+"("+where+"))", append([]any{to, queue.Blocked}, args...)...)
	if err != nil {
		return 0, err
	}
	n, err := result.RowsAffected()
	if err != nil {
		return 0, err
	}
	fresh, err := moveFresh(tx, queue.Blocked, to, plain+"("+where+")", args...)
	if err != nil {
		return 0, err
	}
	changed = int(n + fresh)
	gates, err := column[int64](tx, "SELECT id FROM sequence WHERE blocked > 0 AND gate = 1 AND ("+where+")", args...)
	if err != nil {
		return 0, err
	}
	for _, id := range gates {
		n, err := s.openGate(tx, id)
		if err != nil {
			return 0, err
		}
		changed += n
	}
	following, err := column[int64](tx, "SELECT id FROM sequence WHERE blocked > 0 AND follows > 0 AND ("+where+")",
		args...)
	if err != nil {
		return 0, err
	}
	for _, id := range following {
		n, err := s.followOn(tx, id, nil)
		if err != nil {
			return 0, err
		}
		changed += n
	}
	return changed, nil
}

// closeGate lets all frames of a sequence wait that was just sent, but for its first, middle and last one.
func (s *Store) closeGate(tx *writing, id int64, state queue.State) error {
	if _, err := tx.Exec("UPDATE sequence SET gate = 1 WHERE id = ?", id); err != nil {
		return err
	}
	t, err := s.turnsOf(tx, id)
	if err != nil {
		return err
	}
	if err := s.rowsFor(tx, id, t.frames.Ends().Count()); err != nil || state != queue.Ready {
		return err
	}
	_, err = moveFresh(tx, queue.Ready, queue.Blocked, "id = ?", id)
	return err
}

// openGate lets frames of a sequence go that waits at a gate: its first, middle and last one, and all others when these
// are good, or were left out.
func (s *Store) openGate(tx *writing, id int64) (changed int, err error) {
	t, err := s.turnsOf(tx, id)
	if err != nil {
		return 0, err
	}
	passed := true
	for n := range t.frames.Ends().All() {
		f, err := frameIn(tx, id, n)
		if err != nil {
			return changed, err
		}
		passed = passed && (f.State == queue.Good || f.State == queue.Dropped)
		if f.State != queue.Blocked || inSeveralTiles(tx, id, n) {
			continue
		}
		if err := f.move(tx, queue.Unblocked, nil); err != nil {
			return changed, err
		}
		changed++
	}
	if !passed {
		return changed, nil
	}
	return s.throughGate(tx, id)
}

func inSeveralTiles(tx *writing, id int64, number int) bool {
	var n int
	err := tx.QueryRow("SELECT count(*) FROM tile WHERE sequence_id = ? AND number = ?", id, number).Scan(&n)
	return err != nil || n > 0
}

// throughGate opens the gate of a sequence for good.
func (s *Store) throughGate(tx *writing, id int64) (int, error) {
	if _, err := tx.Exec("UPDATE sequence SET gate = 2 WHERE id = ? AND gate = 1", id); err != nil {
		return 0, err
	}
	return s.unblock(tx, "id = ?", id)
}

// openGates lets all frames go of the scope's sequences that wait at a gate, whatever has become of their first ones,
// since a person says so; waits says that their batch waits. It returns how many frames were behind gates.
func (s *Store) openGates(tx *writing, scope Scope, waits bool) (frames int, err error) {
	where, args := scope.sequences()
	ids, err := column[int64](tx, "SELECT id FROM sequence WHERE gate = 1 AND "+where, args...)
	if err != nil {
		return 0, err
	}
	for _, id := range ids {
		var behind int
		if err := tx.QueryRow("SELECT blocked FROM sequence WHERE id = ?", id).Scan(&behind); err != nil {
			return 0, err
		}
		if frames += behind; !waits { // otherwise the rest is Begin's
			_, err = s.throughGate(tx, id)
		} else {
			_, err = tx.Exec("UPDATE sequence SET gate = 2 WHERE id = ?", id)
		}
		if err != nil {
			return 0, err
		}
	}
	return frames, nil
}

// followOn lets frames of a follow-up go of which the inputs are good: one, or all for a nil number. What has nothing
// left to be made from, since it was left out, is left out, too.
func (s *Store) followOn(tx *writing, id int64, number *int) (changed int, err error) {
	var source, startAt, afterBatch int64
	var byFrame bool
	var all, good, dropped int
	var kind string
	err = tx.QueryRow(`SELECT u.follows, u.start_at, u.after_batch, u.by_frame, u.task,
			q.blocked + q.ready + q.rendering +
			q.checking + q.good + q.lost + q.failed + q.held + q.dropped, q.good, q.dropped
		FROM sequence u JOIN sequence q ON q.id = u.follows WHERE u.id = ?`, id).
		Scan(&source, &startAt, &afterBatch, &byFrame, &kind, &all, &good, &dropped)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil
	} else if err != nil || startAt > time.Now().Unix() {
		return 0, err
	}
	if afterBatch > 0 {
		var left int
		err := tx.QueryRow("SELECT count(*) FROM sequence o WHERE o.batch_id = ? AND "+unsettled, afterBatch).
			Scan(&left)
		if err != nil || left > 0 {
			return 0, err
		}
	}
	if !byFrame {
		if good+dropped < all {
			return 0, nil
		}
		event := queue.Unblocked
		if good == 0 {
			event = queue.Drop
		}
		return s.moveBlocked(tx, id, event, func(int) bool { return true })
	}
	if number != nil {
		var state queue.State
		err := tx.QueryRow("SELECT state FROM frame WHERE sequence_id = ? AND number = ?", source, *number).Scan(&state)
		if errors.Is(err, sql.ErrNoRows) || err == nil && state != queue.Good {
			return 0, nil
		} else if err != nil {
			return 0, err
		}
		return s.moveBlocked(tx, id, queue.Unblocked, func(n int) bool { return n == *number })
	}
	for event, state := range map[queue.Event]queue.State{queue.Unblocked: queue.Good, queue.Drop: queue.Dropped} {
		numbers, err := column[int](tx, "SELECT number FROM frame WHERE sequence_id = ? AND state = ?", source, state)
		if err != nil {
			return changed, err
		}
		if state == queue.Dropped && dropped > len(numbers) { // all that are left, which have no rows
			fresh, err := s.freshFrames(tx, source)
			if err != nil {
				return changed, err
			}
			for _, f := range fresh {
				numbers = append(numbers, f.Number)
			}
		}
		those := map[int]bool{}
		for _, n := range numbers {
			those[n] = true
		}
		n, err := s.moveBlocked(tx, id, event, func(n int) bool { return those[n] })
		if err != nil {
			return changed, err
		}
		changed += n
	}
	return changed, nil
}

// moveBlocked takes blocked frames of a follow-up through an event, and returns how many there are.
func (s *Store) moveBlocked(tx *writing, id int64, event queue.Event, those func(number int) bool) (int, error) {
	f, err := s.freshOf(tx, id)
	if err != nil {
		return 0, err
	}
	last := -1 // of the fresh ones, by its turn
	if f.left() > 0 && f.state == queue.Blocked {
		for i := f.first; i < f.count(); i++ {
			if those(f.at(i).Frame) {
				last = i
			}
		}
	}
	if last >= 0 {
		if err := s.rowsFor(tx, id, last-f.first+1); err != nil {
			return 0, err
		}
	}
	blocked, err := frames(tx, "WHERE sequence_id = ? AND state = 'blocked'", id)
	if err != nil {
		return 0, err
	}
	changed := 0
	for _, b := range blocked {
		if !those(b.Number) {
			continue
		}
		if err := b.move(tx, event, nil); err != nil {
			return changed, err
		}
		changed++
	}
	return changed, nil
}

// cameOut does what follows from a frame having become good: a gate may open, and follow-ups may begin, or are out of
// date.
func (s *Store) cameOut(tx *writing, sequence int64, number int) error {
	var gate, followers int
	err := tx.QueryRow("SELECT q.gate, (SELECT count(*) FROM sequence u WHERE u.follows = q.id AND u.follows > 0) "+
		"FROM sequence q WHERE q.id = ?", sequence).Scan(&gate, &followers)
	if err != nil {
		return err
	}
	if gate == 1 {
		if _, err := s.openGate(tx, sequence); err != nil {
			return err
		}
	}
	if followers == 0 {
		return nil
	}
	all, err := followersOf(tx, sequence)
	if err != nil {
		return err
	}
	for _, f := range all {
		if err := s.outdate(tx, f, number); err != nil {
			return err
		}
		if _, err := s.followOn(tx, f.id, &number); err != nil {
			return err
		}
	}
	return nil
}

// wentMissing lets follow-ups wait again that have not begun, and of which a frame is lost that they are made from.
func (s *Store) wentMissing(tx *writing, sequence int64, number int) error {
	to, err := queue.Ready.Next(queue.Waits)
	if err != nil {
		return err
	}
	_, err = tx.Exec(`UPDATE frame SET state = ? WHERE state = 'ready' AND sequence_id IN (SELECT id FROM sequence u
		WHERE u.follows = ? AND u.follows > 0 AND u.ready > 0 AND (u.by_frame = 0 OR frame.number = ?))`, to, sequence,
		number)
	return err
}

// waitAgain lets follow-ups in a scope, and those of its sequences, wait again that have not begun, and of which frames
// that they are made from are not there, or made once more. None of them is fresh: those that may begin have rows.
func waitAgain(tx *writing, scope Scope) error {
	to, err := queue.Ready.Next(queue.Waits)
	if err != nil {
		return err
	}
	where, of := scope.sequences()
	_, err = tx.Exec(`UPDATE frame SET state = ? WHERE state = 'ready' AND sequence_id IN (SELECT u.id FROM sequence u
			WHERE u.follows > 0 AND u.ready > 0 AND EXISTS (SELECT 1 FROM sequence s
				WHERE s.id IN (u.id, u.follows) AND s.`+where+`))
		AND EXISTS (SELECT 1 FROM sequence u JOIN sequence q ON q.id = u.follows WHERE u.id = frame.sequence_id
			AND (u.by_frame = 0 AND q.blocked + q.ready + q.rendering + q.checking + q.lost + q.failed + q.held > 0
				OR u.by_frame = 1 AND NOT EXISTS (SELECT 1 FROM frame i WHERE i.sequence_id = q.id
					AND i.number = frame.number AND i.state = 'good')))`, append([]any{to}, of...)...)
	return err
}

// stillFollows lets a frame of a follow-up that was given back wait if what it is made from was lost meanwhile.
func (s *Store) stillFollows(tx *writing, sequence int64, number int) error {
	result, err := tx.Exec(`UPDATE frame SET state = 'blocked' WHERE sequence_id = ? AND number = ? AND state = 'ready'
		AND EXISTS (SELECT 1 FROM sequence u WHERE u.id = frame.sequence_id AND u.follows > 0)`, sequence, number)
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); err != nil || n == 0 {
		return err
	}
	_, err = s.followOn(tx, sequence, &number)
	return err
}

// wereMoved does what follows from what a person has done to frames of a scope: gates may open, and follow-ups may
// begin, wait again, or are left out with what they follow.
func (s *Store) wereMoved(tx *writing, scope Scope) error {
	if err := waitAgain(tx, scope); err != nil {
		return err
	}
	where, args := scope.sequences()
	const waiting = "batch_id IN (SELECT b.id FROM batch b WHERE NOT " + waitsItself + ") AND (gate = 1 OR follows > 0)"
	if _, err := s.unblock(tx, waiting+" AND "+where, args...); err != nil {
		return err
	}
	if scope.Sequence == 0 { // what follows is in the batch itself
		return nil
	}
	_, err := s.unblock(tx, "follows = ?", scope.Sequence)
	return err
}

// Left returns how many tasks of a batch are left that are done without anybody's doing: none if what is left waits
// at a gate, or for files that will not come.
func (s *Store) Left(b Batch) (int, error) {
	left := b.Sums.Left()
	if left == 0 || left > b.Sums[queue.Blocked] || b.Waits() {
		return left, nil
	}
	moves, err := s.Moves(b.ID)
	if err != nil || !moves {
		return 0, err
	}
	return left, nil
}

// Moves reports whether anything of a batch goes on without anybody's doing: what waits at a gate, or for files that
// will not come, does not.
func (s *Store) Moves(batch int64) (moves bool, err error) {
	err = s.read.QueryRow(`SELECT b.ready + b.rendering + b.checking > 0 OR b.blocked > 0 AND (`+waitsItself+`
			OR EXISTS (SELECT 1 FROM tile t JOIN sequence q ON q.id = t.sequence_id WHERE q.batch_id = b.id
				AND t.state IN ('ready', 'rendering', 'checking'))
			OR EXISTS (SELECT 1 FROM sequence u JOIN sequence q ON q.id = u.follows WHERE u.batch_id = b.id
				AND u.blocked > 0 AND (u.start_at > 0 OR u.after_batch > 0) AND q.good > 0
				AND q.lost + q.failed + q.held + q.blocked = 0))
		FROM batch b WHERE b.id = ?`, batch).Scan(&moves)
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("batch %d: %w", batch, ErrNotFound)
	}
	return moves, err
}
