package store

import (
	"database/sql"
	"errors"
	"fmt"
	"strings"

	"reelhouse/core/queue"
)

// A Scope says which frames a person means. Exactly one of Batch and Sequence is set; Frame narrows a sequence down to
// one frame.
type Scope struct {
	Production      string // whose they are; others are not found
	Batch, Sequence int64
	Frame           *int
}

// where returns a condition that holds for the frames of the scope, and its arguments.
func (c Scope) where() (string, []any) {
	switch {
	case c.Frame != nil:
		return "sequence_id = ? AND number = ?", []any{c.Sequence, *c.Frame}
	case c.Sequence != 0:
		return "sequence_id = ?", []any{c.Sequence}
	}
	return "sequence_id IN (SELECT id FROM sequence WHERE batch_id = ?)", []any{c.Batch}
}

// sequences returns a condition that holds for the sequences of the scope, and its arguments.
func (c Scope) sequences() (string, []any) {
	if c.Sequence != 0 {
		return "id = ?", []any{c.Sequence}
	}
	return "batch_id = ?", []any{c.Batch}
}

// batchIn returns the batch that the scope is of, which must be one of its production, and whether it has to wait
// before its frames are rendered. Begin looks whether it still has to.
func (c Scope) batchIn(tx *writing) (id int64, waits bool, err error) {
	columns := "b.id, b.start_at <> 0 OR b.after_batch <> 0 OR b.after_sequence <> 0"
	query, arg, what := "SELECT "+columns+" FROM batch b WHERE b.production = ? COLLATE NOCASE AND b.id = ?", c.Batch,
		"batch"
	if c.Sequence != 0 {
		what, arg = "sequence", c.Sequence
		query = "SELECT " + columns + " FROM sequence q JOIN batch b ON b.id = q.batch_id WHERE b.production = ? " +
			"COLLATE NOCASE AND q.id = ?"
	}
	err = tx.QueryRow(query, c.Production, arg).Scan(&id, &waits)
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("%s %d of production %s: %w", what, arg, c.Production, ErrNotFound)
	}
	return id, waits, err
}

// inTiles is a condition that holds for frames that have tiles: they were begun, and do not wait again.
const inTiles = `EXISTS (SELECT 1 FROM tile t WHERE t.sequence_id = frame.sequence_id AND t.number = frame.number)`

// ofWaiting is a condition for frames of sequences that wait by themselves: at a gate, or for what they follow.
const ofWaiting = `EXISTS (SELECT 1 FROM sequence q WHERE q.id = frame.sequence_id AND (q.gate = 1 OR q.follows > 0))`

// ErrNotPersons is wrapped by the error about an event that no person may ask for.
var ErrNotPersons = errors.New("this cannot be asked for")

// Apply does what a person asks for to every frame of the scope that allows it, in one transaction, and returns how
// many there were. If there are none, the error says why. Only the events of queue.PersonsEvents can be asked for.
// Where nothing is held, a release opens gates; a retry makes follow-ups again that are out of date.
func (s *Store) Apply(scope Scope, event queue.Event) (int, error) {
	if !event.Persons() {
		return 0, fmt.Errorf("%q: %w; there are hold, release, retry and drop", event, ErrNotPersons)
	}
	changed := int64(0)
	err := s.change(func(tx *writing) error {
		batch, waits, err := scope.batchIn(tx)
		if err != nil {
			return err
		}
		if changed, err = s.apply(tx, scope, event, waits); err != nil {
			return err
		}
		if event == queue.Release && changed == 0 && scope.Frame == nil {
			n, err := s.openGates(tx, scope, waits)
			if err != nil {
				return err
			}
			changed += int64(n)
		}
		if event == queue.Retry { // which is how what is out of date is made again
			n, err := makeAgain(tx, scope, false)
			if err != nil {
				return err
			}
			changed += int64(n)
		}
		if err := s.wereMoved(tx, scope); err != nil || event != queue.Release && event != queue.Retry {
			return err
		}
		_, err = tx.Exec("UPDATE batch SET alike = '', in_a_row = 0, trouble = '' WHERE id = ?", batch)
		return err
	})
	if err == nil && changed == 0 {
		err = fmt.Errorf("%w: %s works for frames that are %s, and there are none here", ErrNothing, event,
			join(event.From()))
	}
	return int(changed), err
}

// apply takes the frames of a scope through a person's event; waits says that what is taken up has to wait.
func (s *Store) apply(tx *writing, scope Scope, event queue.Event, waits bool) (changed int64, err error) {
	if scope.Frame != nil { // which is treated apart from the others from now on
		if err := s.rowsOf(tx, scope.Sequence, *scope.Frame); err != nil {
			return 0, err
		}
	}
	reset := ""
	if event == queue.Retry {
		reset = ", attempts = 0, reason = ''"
	}
	where, of := scope.where()
	var moves []any
	next, from := "CASE state", ""
	sequences, those := scope.sequences()
	type move struct{ from, to, waiting queue.State }
	var fresh []move
	for _, state := range event.From() {
		to, err := state.Next(event)
		if err != nil {
			return 0, err
		}
		begun := to
		waiting, err := state.Next(queue.Waits)
		if err != nil || event == queue.Drop || event == queue.Hold {
			waiting = to
		}
		if waits {
			to = waiting
		}
		next += " WHEN ? THEN "
		moves = append(moves, state)
		switch {
		case begun != to:
			next, moves = next+"CASE WHEN "+inTiles+" THEN ? ELSE ? END", append(moves, begun, to)
		case waiting != to: // by itself, until it is known what it waits for
			next, moves = next+"CASE WHEN "+ofWaiting+" AND NOT "+inTiles+" THEN ? ELSE ? END",
				append(moves, waiting, to)
		default:
			next, moves = next+"?", append(moves, to)
		}
		from += ", ?"
		fresh = append(fresh, move{state, to, waiting})
	}
	for _, state := range event.From() {
		moves = append(moves, state)
	}
	result, err := tx.Exec(
		"UPDATE frame SET state = "+next+" END, lease = 0"+reset+" WHERE state IN ("+from[2:]+") AND "+
			where,
		append(moves, of...)...)
	if err == nil {
		changed, err = result.RowsAffected()
	}
	if err != nil || scope.Frame != nil {
		return changed, err
	}
	for _, m := range fresh {
		const itself = "(gate = 1 OR follows > 0) AND "
		n, err := moveFresh(tx, m.from, m.waiting, itself+sequences, those...)
		if err != nil {
			return changed, err
		}
		k, err := moveFresh(tx, m.from, m.to, "NOT "+itself+sequences, those...)
		if err != nil {
			return changed, err
		}
		changed += n + k
	}
	return changed, nil
}

// ErrNothing is wrapped by the error about an action that no frame allows.
var ErrNothing = errors.New("nothing was changed")

func join(states []queue.State) string {
	var words []string
	for _, s := range states {
		words = append(words, string(s))
	}
	return strings.Join(words, ", ")
}

// wentWell notes that an attempt of a lease's batch ended well.
func wentWell(tx *writing, l *Lease) error {
	_, err := tx.Exec(`UPDATE batch SET alike = '', in_a_row = 0
		WHERE id = (SELECT batch_id FROM sequence WHERE id = ?) AND in_a_row > 0`, l.SequenceID)
	return err
}

// wentWrong notes how an attempt of a lease's batch ended. When too many have ended alike, what is left of the batch is
// held.
func wentWrong(tx *writing, l *Lease, reason string) error {
	kind := queue.Kind(reason)
	var batch int64
	var times int
	err := tx.QueryRow(`UPDATE batch SET in_a_row = CASE WHEN alike = ?1 THEN in_a_row + 1 ELSE 1 END, alike = ?1
		WHERE id = (SELECT batch_id FROM sequence WHERE id = ?2) RETURNING id, in_a_row`, kind,
		l.SequenceID).Scan(&batch, &times)
	if err != nil || times < queue.AlikeInARow {
		return err
	}
	where, of := Scope{Batch: batch}.where()
	result, err := tx.Exec("UPDATE frame SET state = ?, lease = 0 WHERE state IN (?, ?) AND "+where,
		append([]any{queue.Held, queue.Blocked, queue.Ready}, of...)...)
	if err != nil {
		return err
	}
	held, err := result.RowsAffected()
	if err != nil {
		return err
	}
	for _, state := range []queue.State{queue.Blocked, queue.Ready} {
		n, err := moveFresh(tx, state, queue.Held, "batch_id = ?", batch)
		if err != nil {
			return err
		}
		held += n
	}
	if held == 0 {
		return nil
	}
	trouble := fmt.Sprintf("%d attempts in a row ended alike: %s", times, reason)
	_, err = tx.Exec("UPDATE batch SET alike = '', in_a_row = 0, trouble = ? WHERE id = ?", trouble, batch)
	return err
}
