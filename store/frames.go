package store

import (
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"time"

	"reelhouse/core/queue"
)

// A Frame is one frame of a sent sequence.
type Frame struct {
	SequenceID int64
	Number     int
	State      queue.State
	Attempts   int
	Node       string
	Started    time.Time
	Seconds    float64
	Bytes      int64
	Reason     string // why it failed, or what went wrong at the last attempt
}

// A File is one file of a good frame.
type File struct {
	Path   string // relative to the output folder
	Bytes  int64
	SHA256 string
}

// A Log is what a renderer said during one attempt.
type Log struct {
	Attempt int
	Node    string
	Logged  time.Time
	Text    string
}

// A Lease is a frame in a node's hands.
type Lease struct {
	Frame
	Sequence Sequence
	Batch    Batch // without sequences
}

// Lease gives the frame whose turn it is to a node, or returns nil if none is ready.
func (s *Store) Lease(node string) (*Lease, error) {
	var sequence, batch int64
	var number int
	var inWaves bool
	err := s.change(func(tx *sql.Tx) error {
		// The order is queue.Turn's.
		err := tx.QueryRow(`SELECT q.id, b.id, b.in_waves FROM sequence q JOIN batch b ON b.id = q.batch_id WHERE q.ready > 0
			ORDER BY b.priority DESC, b.id, q.ordinal LIMIT 1`).Scan(&sequence, &batch, &inWaves)
		if err == nil && inWaves {
			err = tx.QueryRow(`SELECT q.id FROM sequence q WHERE q.batch_id = ? AND q.ready > 0 ORDER BY
				(SELECT f.wave FROM frame f WHERE f.sequence_id = q.id AND f.state = 'ready' ORDER BY f.wave LIMIT 1), q.ordinal LIMIT 1`, batch).Scan(&sequence)
		}
		if err != nil {
			return err
		}
		if err := tx.QueryRow("SELECT number FROM frame WHERE sequence_id = ? AND state = 'ready' ORDER BY wave, turn, number LIMIT 1", sequence).Scan(&number); err != nil {
			return err
		}
		return move(tx, sequence, number, queue.Leased, func(f *Frame) {
			f.Attempts++
			f.Node, f.Reason, f.Started = node, "", time.Now()
		})
	})
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	l := &Lease{}
	if l.Frame, err = s.Frame(sequence, number); err != nil {
		return nil, err
	}
	if l.Sequence, err = s.Sequence(sequence); err != nil {
		return nil, err
	}
	if l.Batch, err = s.Batch(l.Sequence.BatchID); err != nil {
		return nil, err
	}
	return l, nil
}

// busy finds the frames that nodes have, without looking at the others.
const busy = `WHERE sequence_id IN (SELECT id FROM sequence WHERE rendering + checking > 0) AND state IN ('rendering', 'checking')`

const frameColumns = "sequence_id, number, state, attempts, node, started_at, seconds, bytes, reason"

func scanFrame(row interface{ Scan(...any) error }) (Frame, error) {
	var f Frame
	var started string
	err := row.Scan(&f.SequenceID, &f.Number, &f.State, &f.Attempts, &f.Node, &started, &f.Seconds, &f.Bytes, &f.Reason)
	f.Started = when(started)
	return f, err
}

func frameIn(q queryer, sequence int64, number int) (Frame, error) {
	f, err := scanFrame(q.QueryRow("SELECT "+frameColumns+" FROM frame WHERE sequence_id = ? AND number = ?", sequence, number))
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("frame %d of sequence %d: %w", number, sequence, ErrNotFound)
	}
	return f, err
}

// Frame returns one frame.
func (s *Store) Frame(sequence int64, number int) (Frame, error) {
	return frameIn(s.read, sequence, number)
}

// move takes a frame through one transition; change may alter what else is kept of it.
func move(tx *sql.Tx, sequence int64, number int, event queue.Event, change func(f *Frame)) error {
	f, err := frameIn(tx, sequence, number)
	if err != nil {
		return err
	}
	if f.State, err = f.State.Next(event, f.Attempts); err != nil {
		return fmt.Errorf("frame %d: %w", number, err)
	}
	if change != nil {
		change(&f)
	}
	_, err = tx.Exec("UPDATE frame SET state = ?, attempts = ?, node = ?, started_at = ?, seconds = ?, bytes = ?, reason = ? WHERE sequence_id = ? AND number = ?",
		f.State, f.Attempts, f.Node, f.Started.UTC().Format(timeFormat), f.Seconds, f.Bytes, f.Reason, sequence, number)
	return err
}

// own does work in a transaction if the frame is still in the hands of the lease's attempt; otherwise a
// person has taken it away meanwhile, and ErrLost is returned.
func (s *Store) own(l *Lease, work func(tx *sql.Tx) error) error {
	return s.change(func(tx *sql.Tx) error {
		f, err := frameIn(tx, l.SequenceID, l.Number)
		if err != nil {
			return err
		}
		if !f.State.Busy() || !f.Started.Equal(l.Started) {
			return ErrLost
		}
		return work(tx)
	})
}

// ErrLost says that a frame was taken out of a node's hands.
var ErrLost = errors.New("the frame was taken away from the node")

// Check says that a leased frame is rendered and being judged.
func (s *Store) Check(l *Lease) error {
	return s.own(l, func(tx *sql.Tx) error { return move(tx, l.SequenceID, l.Number, queue.Rendered, nil) })
}

// Accept makes a leased frame good, with its files.
func (s *Store) Accept(l *Lease, seconds float64, files []File, log string) error {
	return s.own(l, func(tx *sql.Tx) error {
		var bytes int64
		for _, f := range files {
			bytes += f.Bytes
			if _, err := tx.Exec("INSERT OR REPLACE INTO file VALUES (?, ?, ?, ?, ?)", l.SequenceID, l.Number, f.Path, f.Bytes, f.SHA256); err != nil {
				return err
			}
		}
		if err := move(tx, l.SequenceID, l.Number, queue.Accepted, func(f *Frame) { f.Seconds, f.Bytes = seconds, bytes }); err != nil {
			return err
		}
		if _, err := tx.Exec("UPDATE sequence SET seconds = seconds + ?, bytes = bytes + ? WHERE id = ?", seconds, bytes, l.SequenceID); err != nil {
			return err
		}
		return keepLog(tx, l, log)
	})
}

// Break says that a leased frame went wrong, and why. It will be tried again or has failed.
func (s *Store) Break(l *Lease, reason, log string) error {
	return s.own(l, func(tx *sql.Tx) error {
		if err := move(tx, l.SequenceID, l.Number, queue.Broken, func(f *Frame) { f.Reason = reason }); err != nil {
			return err
		}
		return keepLog(tx, l, log)
	})
}

// GiveBack returns a leased frame that was not finished for no fault of its own; the attempt does not count.
func (s *Store) GiveBack(l *Lease) error {
	return s.own(l, func(tx *sql.Tx) error { return vanish(tx, l.SequenceID, l.Number) })
}

func vanish(tx *sql.Tx, sequence int64, number int) error {
	return move(tx, sequence, number, queue.Vanished, func(f *Frame) { f.Attempts-- })
}

// KeepLog keeps what was said during an attempt that a person ended.
func (s *Store) KeepLog(l *Lease, log string) error {
	return s.change(func(tx *sql.Tx) error { return keepLog(tx, l, log) })
}

func keepLog(tx *sql.Tx, l *Lease, log string) error {
	_, err := tx.Exec(`INSERT INTO frame_log SELECT ?1, ?2, coalesce(max(attempt), 0) + 1, ?3, ?4, ?5 FROM frame_log
		WHERE sequence_id = ?1 AND number = ?2`, l.SequenceID, l.Number, l.Node, now(), log)
	return err
}

// Recover makes every frame ready that a server was busy with when it died, and returns them.
func (s *Store) Recover() ([]Frame, error) {
	var found []Frame
	err := s.change(func(tx *sql.Tx) error {
		var err error
		if found, err = frames(tx, busy); err != nil {
			return err
		}
		for _, f := range found {
			if err := vanish(tx, f.SequenceID, f.Number); err != nil {
				return err
			}
		}
		return nil
	})
	return found, err
}

func frames(q interface {
	Query(query string, args ...any) (*sql.Rows, error)
}, where string, args ...any) ([]Frame, error) {
	rows, err := q.Query("SELECT "+frameColumns+" FROM frame "+where+" ORDER BY sequence_id, number", args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var found []Frame
	for rows.Next() {
		f, err := scanFrame(rows)
		if err != nil {
			return nil, err
		}
		found = append(found, f)
	}
	return found, rows.Err()
}

// Frames returns every frame of a sequence in order.
func (s *Store) Frames(sequence int64) ([]Frame, error) {
	return frames(s.read, "WHERE sequence_id = ?", sequence)
}

// Busy returns every frame that a node has.
func (s *Store) Busy() ([]Frame, error) {
	return frames(s.read, busy)
}

// Files returns the files of a good frame.
func (s *Store) Files(sequence int64, number int) ([]File, error) {
	rows, err := s.read.Query("SELECT path, bytes, sha256 FROM file WHERE sequence_id = ? AND number = ? ORDER BY path", sequence, number)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var files []File
	for rows.Next() {
		var f File
		if err := rows.Scan(&f.Path, &f.Bytes, &f.SHA256); err != nil {
			return nil, err
		}
		files = append(files, f)
	}
	return files, rows.Err()
}

// FileSizes returns the bytes of all good files of a sequence, by their paths.
func (s *Store) FileSizes(sequence int64) (map[string]int64, error) {
	rows, err := s.read.Query("SELECT path, bytes FROM file WHERE sequence_id = ?", sequence)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	sizes := map[string]int64{}
	for rows.Next() {
		var path string
		var bytes int64
		if err := rows.Scan(&path, &bytes); err != nil {
			return nil, err
		}
		sizes[path] = bytes
	}
	return sizes, rows.Err()
}

// Logs returns what was said during each attempt at a frame, the last one first.
func (s *Store) Logs(sequence int64, number int) ([]Log, error) {
	rows, err := s.read.Query("SELECT attempt, node, logged_at, text FROM frame_log WHERE sequence_id = ? AND number = ? ORDER BY attempt DESC", sequence, number)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var logs []Log
	for rows.Next() {
		var l Log
		var logged string
		if err := rows.Scan(&l.Attempt, &l.Node, &logged, &l.Text); err != nil {
			return nil, err
		}
		l.Logged = when(logged)
		logs = append(logs, l)
	}
	return logs, rows.Err()
}

// A Scope says which frames a person means. Exactly one of Batch and Sequence is set; Frame narrows a
// sequence down to one frame.
type Scope struct {
	Batch, Sequence int64
	Frame           *int
}

// Apply does what a person asks for to every frame of the scope that allows it, in one transaction, and
// returns how many there were. If there are none, the error says why.
func (s *Store) Apply(scope Scope, event queue.Event) (int, error) {
	from := event.From()
	if len(from) == 0 {
		return 0, fmt.Errorf("%q is not something that can be asked for", event)
	}
	var args []any
	next := "CASE state"
	for _, state := range from {
		to, _ := state.Next(event, 0)
		next += " WHEN ? THEN ?"
		args = append(args, state, to)
	}
	reset := ""
	if event == queue.Retry {
		reset = ", attempts = 0, reason = ''"
	}
	query := "UPDATE frame SET state = " + next + " END" + reset + " WHERE state IN (?" + strings.Repeat(", ?", len(from)-1) + ")"
	for _, state := range from {
		args = append(args, state)
	}
	switch {
	case scope.Frame != nil:
		query, args = query+" AND sequence_id = ? AND number = ?", append(args, scope.Sequence, *scope.Frame)
	case scope.Sequence != 0:
		query, args = query+" AND sequence_id = ?", append(args, scope.Sequence)
	default:
		query, args = query+" AND sequence_id IN (SELECT id FROM sequence WHERE batch_id = ?)", append(args, scope.Batch)
	}
	changed := int64(0)
	err := s.change(func(tx *sql.Tx) error {
		result, err := tx.Exec(query, args...)
		if err != nil {
			return err
		}
		changed, err = result.RowsAffected()
		return err
	})
	if err == nil && changed == 0 {
		err = fmt.Errorf("%w: %s works for frames that are %s, and there are none here", ErrNothing, event, join(from))
	}
	return int(changed), err
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
