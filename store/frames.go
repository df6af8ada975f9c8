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
	Attempt int // at the frame or any of its tiles
	Tile    int // that it tells of, from 1; 0 for all of the frame
	Node    string
	Logged  time.Time
	Text    string
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
	rows, err := s.read.Query("SELECT attempt, tile, node, logged_at, text FROM frame_log WHERE sequence_id = ? AND number = ? ORDER BY attempt DESC", sequence, number)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var logs []Log
	for rows.Next() {
		var l Log
		var logged string
		if err := rows.Scan(&l.Attempt, &l.Tile, &l.Node, &logged, &l.Text); err != nil {
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
