package store

import (
	"database/sql"
	"errors"
	"fmt"
	"slices"
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
	Processor  float64 // seconds of processor time
	Peak       int64   // the most memory that it took, in bytes
	Reason     string  // why it failed or was lost, or what went wrong at the last attempt
	Lease      int64   // number of the lease that has it, or made it good; 0 for none
}

// heldBy reports whether the lease still has the frame.
func (f Frame) heldBy(l *Lease) bool { return f.State.Busy() && f.Lease == l.Frame.Lease }

// begin notes that a node tries the frame once more, under a lease.
func (f *Frame) begin(node string, lease int64) {
	f.Attempts++
	f.Node, f.Reason, f.Started, f.Lease = node, "", time.Now(), lease
}

// A File is one file of a frame that is in place, as it was when it was judged.
type File struct {
	Path   string // relative to the output folder
	Bytes  int64
	SHA256 string
	Fault  string // what is wrong with it now, "" for nothing that is known
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
const busy = `WHERE sequence_id IN (SELECT id FROM sequence WHERE rendering + checking > 0) AND state IN ('rendering',
	'checking')`

const frameColumns = "sequence_id, number, state, attempts, node, started_at, seconds, bytes, reason, lease, " +
	"processor, " +
	"peak"

func scanFrame(row interface{ Scan(...any) error }) (Frame, error) {
	var f Frame
	var started string
	err := row.Scan(
		&f.SequenceID, &f.Number, &f.State, &f.Attempts, &f.Node, &started, &f.Seconds, &f.Bytes, &f.Reason, &f.Lease,
		&f.Processor, &f.Peak,
	)
	f.Started = when(started)
	return f, err
}

func frameIn(q queryer, sequence int64, number int) (Frame, error) {
	f, err := scanFrame(
		q.QueryRow("SELECT "+frameColumns+" FROM frame WHERE sequence_id = ? AND number = ?", sequence, number),
	)
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("frame %d of sequence %d: %w", number, sequence, ErrNotFound)
	}
	return f, err
}

// Frame returns one frame.
func (s *Store) Frame(sequence int64, number int) (Frame, error) {
	f, err := frameIn(s.read, sequence, number)
	if !errors.Is(err, ErrNotFound) {
		return f, err
	}
	fresh, failed := s.freshFrames(s.read, sequence)
	if failed != nil {
		return f, failed
	}
	if i := slices.IndexFunc(fresh, func(f Frame) bool { return f.Number == number }); i >= 0 {
		return fresh[i], nil
	}
	return frameIn(s.read, sequence, number) // it may have got its row meanwhile
}

// move takes a frame through one transition; change may alter what else is kept of it.
func move(tx *writing, sequence int64, number int, event queue.Event, change func(f *Frame)) error {
	f, err := frameIn(tx, sequence, number)
	if err != nil {
		return err
	}
	return f.move(tx, event, change)
}

// move takes the frame, as it was read in the same change, through one transition.
func (f *Frame) move(tx *writing, event queue.Event, change func(f *Frame)) (err error) {
	if f.State, err = f.State.Next(event); err != nil {
		return fmt.Errorf("frame %d: %w", f.Number, err)
	}
	if change != nil {
		change(f)
	}
	if !f.State.Busy() && f.State != queue.Good && f.State != queue.Lost {
		f.Lease = 0
	}
	_, err = tx.Exec(
		`UPDATE frame SET state = ?, attempts = ?, node = ?, started_at = ?, seconds = ?, bytes = ?, reason = ?,
			lease = ?, processor = ?, peak = ?
		WHERE sequence_id = ? AND number = ?`,
		f.State,
		f.Attempts,
		f.Node,
		f.Started.UTC().Format(timeFormat),
		f.Seconds,
		f.Bytes,
		f.Reason,
		f.Lease,
		f.Processor,
		f.Peak,
		f.SequenceID,
		f.Number,
	)
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

// SomeGood returns at most so many of a sequence's good frames, spread evenly over them as they came, in the order of
// their numbers. good is how many there are.
func (s *Store) SomeGood(sequence int64, good, most int) ([]int, error) {
	var numbers []int
	n := min(good, most)
	for i := range n {
		found, err := column[int](s.read, `SELECT number FROM frame WHERE sequence_id = ? AND state = 'good'
			ORDER BY wave, turn, number LIMIT 1 OFFSET ?`, sequence, i*good/n)
		if err != nil {
			return nil, err
		}
		numbers = append(numbers, found...)
	}
	slices.Sort(numbers)
	return slices.Compact(numbers), nil
}

// Frames returns every frame of a sequence in order.
func (s *Store) Frames(sequence int64) ([]Frame, error) {
	for { // a frame that gets its row meanwhile would be missed, or be there twice
		fresh, err := s.freshFrames(s.read, sequence)
		if err != nil {
			return nil, err
		}
		known, err := frames(s.read, "WHERE sequence_id = ?", sequence)
		if err != nil {
			return nil, err
		}
		t, err := s.turnsOf(s.read, sequence)
		if err != nil {
			return nil, err
		}
		if len(known)+len(fresh) == t.count() {
			all := append(known, fresh...)
			byNumber(all)
			return all, nil
		}
	}
}

// Busy returns every frame that a node has.
func (s *Store) Busy() ([]Frame, error) {
	return frames(s.read, busy)
}

// Files returns the files of a frame that are recorded: all of them if it is good.
func (s *Store) Files(sequence int64, number int) ([]File, error) {
	rows, err := s.read.Query(
		"SELECT path, bytes, sha256, fault FROM file WHERE sequence_id = ? AND number = ? ORDER BY path", sequence,
		number,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var files []File
	for rows.Next() {
		var f File
		if err := rows.Scan(&f.Path, &f.Bytes, &f.SHA256, &f.Fault); err != nil {
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
	rows, err := s.read.Query(
		"SELECT attempt, tile, node, logged_at, text FROM frame_log WHERE sequence_id = ? AND number = ? ORDER BY "+
			"attempt DESC",
		sequence, number,
	)
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

// GoodBySequence returns how many frames are good of each sequence that is rendered; those without any are left out.
func (s *Store) GoodBySequence() (map[int64]int, error) {
	rows, err := s.read.Query("SELECT id, good FROM sequence WHERE follows = 0 AND good > 0")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := map[int64]int{}
	for rows.Next() {
		var id int64
		var good int
		if err := rows.Scan(&id, &good); err != nil {
			return nil, err
		}
		all[id] = good
	}
	return all, rows.Err()
}
