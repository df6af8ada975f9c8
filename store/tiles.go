package store

import (
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"time"

	"reelhouse/core/queue"
)

// A Tile is a part of a frame that is rendered as a step of its own.
type Tile struct {
	Index    int // from 1, row by row from the top
	State    queue.State
	Attempts int
	Node     string
	Started  time.Time
	Seconds  float64
	Bytes    int64 // of its file
	SHA256   string
	// Processor and Peak are what it has taken: seconds of processor time, and the most bytes of memory.
	Processor float64
	Peak      int64
	Reason    string // why it failed, or what went wrong at the last attempt
	Lease     int64  // number of the lease that has it, or made it good; 0 for none
}

// heldBy reports whether the lease still has the tile.
func (t Tile) heldBy(l *Lease) bool { return t.State.Busy() && t.Lease == l.Tile.Lease }

// begin notes that a node tries the tile once more, under a lease.
func (t *Tile) begin(node string, lease int64) {
	t.Attempts++
	t.Node, t.Reason, t.Started, t.Lease = node, "", time.Now(), lease
}

const tileColumns = "tile, state, attempts, node, started_at, seconds, bytes, sha256, reason, lease, processor, peak"

func scanTile(row interface{ Scan(...any) error }) (Tile, error) {
	var t Tile
	var started string
	err := row.Scan(
		&t.Index, &t.State, &t.Attempts, &t.Node, &started, &t.Seconds, &t.Bytes, &t.SHA256, &t.Reason, &t.Lease,
		&t.Processor, &t.Peak,
	)
	t.Started = when(started)
	return t, err
}

func tileIn(q queryer, sequence int64, number, index int) (Tile, error) {
	t, err := scanTile(
		q.QueryRow(
			"SELECT "+tileColumns+" FROM tile WHERE sequence_id = ? AND number = ? AND tile = ?", sequence, number,
			index,
		),
	)
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("tile %d of frame %d of sequence %d: %w", index, number, sequence, ErrNotFound)
	}
	return t, err
}

// moveTile takes a tile through one transition; change may alter what else is kept of it.
func moveTile(tx *writing, sequence int64, number, index int, event queue.Event, change func(t *Tile)) error {
	t, err := tileIn(tx, sequence, number, index)
	if err != nil {
		return err
	}
	if t.State, err = t.State.Next(event); err != nil {
		return fmt.Errorf("tile %d of frame %d: %w", index, number, err)
	}
	if change != nil {
		change(&t)
	}
	if !t.State.Busy() && t.State != queue.Good {
		t.Lease = 0
	}
	_, err = tx.Exec(
		`UPDATE tile SET state = ?, attempts = ?, node = ?, started_at = ?, seconds = ?, bytes = ?, sha256 = ?,
			reason = ?, lease = ?, processor = ?, peak = ?
		WHERE sequence_id = ? AND number = ? AND tile = ?`,
		t.State,
		t.Attempts,
		t.Node,
		t.Started.UTC().Format(timeFormat),
		t.Seconds,
		t.Bytes,
		t.SHA256,
		t.Reason,
		t.Lease,
		t.Processor,
		t.Peak,
		sequence,
		number,
		index,
	)
	return err
}

func vanishTile(tx *writing, sequence int64, number, index int) error {
	return moveTile(tx, sequence, number, index, queue.Vanished, func(t *Tile) { t.Attempts-- })
}

// cut makes the tiles of a frame, as far as they are not there, and gives those another chance that have failed. It
// returns how many are not good.
func cut(tx *writing, frame *step) (left int, err error) {
	for i := range frame.tiles {
		if _, err := tx.Exec("INSERT OR IGNORE INTO tile (sequence_id, number, tile, state) VALUES (?, ?, ?, ?)",
			frame.sequence, frame.number, i+1, queue.Ready); err != nil {
			return 0, err
		}
	}
	retried, err := queue.Failed.Next(queue.Retry)
	if err != nil {
		return 0, err
	}
	if _, err := tx.Exec("UPDATE tile SET state = ?, attempts = 0, reason = '' WHERE sequence_id = ? AND number = ? "+
		"AND state = ?", retried, frame.sequence, frame.number, queue.Failed); err != nil {
		return 0, err
	}
	return tilesLeft(tx, frame.sequence, frame.number)
}

// tilesLeft returns how many tiles of a frame are not good.
func tilesLeft(tx *writing, sequence int64, number int) (n int, err error) {
	err = tx.QueryRow("SELECT count(*) FROM tile WHERE sequence_id = ? AND number = ? AND state <> ?", sequence, number,
		queue.Good).
		Scan(&n)
	return n, err
}

// AcceptTile makes a leased tile good, with its file. With the last one its frame may be put together.
func (s *Store) AcceptTile(l *Lease, seconds float64, file File, log string) error {
	return s.own(l, func(tx *writing, f *Frame) error {
		err := moveTile(
			tx,
			l.SequenceID,
			l.Number,
			l.Tile.Index,
			queue.Accepted,
			func(t *Tile) {
				t.Seconds, t.Bytes, t.SHA256 = seconds, file.Bytes, file.SHA256
				t.Processor, t.Peak = l.Spent.Processor, l.Spent.Peak
			},
		)
		if err != nil {
			return err
		}
		left, err := tilesLeft(tx, l.SequenceID, l.Number)
		if err != nil {
			return err
		}
		if left == 0 {
			if err := f.move(tx, queue.Unblocked, nil); err != nil {
				return err
			}
		}
		return errors.Join(wentWell(tx, l), keepLog(tx, l, log), forget(tx, l.ID()))
	})
}

// LoseTiles gives a frame that was to be put together back, since files of some of its tiles are not there any more:
// these are rendered again. Nothing was written yet, and the lease is forgotten.
func (s *Store) LoseTiles(l *Lease, indices []int, log string) error {
	return s.own(l, func(tx *writing, f *Frame) error {
		for _, i := range indices {
			if _, err := tx.Exec("DELETE FROM tile WHERE sequence_id = ? AND number = ? AND tile = ?", l.SequenceID,
				l.Number, i); err != nil {
				return err
			}
		}
		if err := s.vanishLease(tx, l); err != nil {
			return err
		}
		return errors.Join(keepLog(tx, l, log), forget(tx, l.ID()))
	})
}

// ForgetTiles forgets the tiles of a frame that was dropped. Before that their files are set aside by the work given,
// while nobody can take the frame up again: somebody may have by now, and then nothing is done.
func (s *Store) ForgetTiles(sequence int64, number int, aside func() error) error {
	return s.change(func(tx *writing) error {
		f, err := frameIn(tx, sequence, number)
		if err != nil || f.State != queue.Dropped {
			return err
		}
		if err := aside(); err != nil {
			return err
		}
		_, err = tx.Exec("DELETE FROM tile WHERE sequence_id = ? AND number = ?", sequence, number)
		return err
	})
}

// recoverTiles makes the tiles ready that a server was busy with when it died.
func recoverTiles(tx *writing, kept []int64) error {
	rows, err := tx.Query(
		"SELECT sequence_id, number, tile, lease FROM tile WHERE state IN (?, ?)", queue.Rendering, queue.Checking,
	)
	if err != nil {
		return err
	}
	defer rows.Close()
	var found []step
	for rows.Next() {
		var n step
		var lease int64
		if err := rows.Scan(&n.sequence, &n.number, &n.Tile, &lease); err != nil {
			return err
		}
		if !slices.Contains(kept, lease) {
			found = append(found, n)
		}
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return err
	}
	for _, n := range found {
		if err := vanishTile(tx, n.sequence, n.number, n.Tile); err != nil {
			return err
		}
	}
	return nil
}

// Tiles returns the tiles of a frame in their order; none before its first turn, or if it is rendered as a whole.
func (s *Store) Tiles(sequence int64, number int) ([]Tile, error) {
	return tilesIn(s.read, sequence, number)
}

func tilesIn(q interface {
	Query(query string, args ...any) (*sql.Rows, error)
}, sequence int64, number int) ([]Tile, error) {
	rows, err := q.Query(
		"SELECT "+tileColumns+" FROM tile WHERE sequence_id = ? AND number = ? ORDER BY tile", sequence, number,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var tiles []Tile
	for rows.Next() {
		t, err := scanTile(rows)
		if err != nil {
			return nil, err
		}
		tiles = append(tiles, t)
	}
	return tiles, rows.Err()
}

// A CutFrame is a frame whose tiles are under way.
type CutFrame struct {
	SequenceID            int64
	Number                int
	Good, Rendering, Left int // tiles
}

// CutFrames returns the frames of a batch that wait for their tiles.
func (s *Store) CutFrames(batch int64) ([]CutFrame, error) {
	rows, err := s.read.Query(
		`SELECT t.sequence_id, t.number, sum(t.state = 'good'), sum(t.state IN ('rendering', 'checking')),
			sum(t.state <> 'good')
		FROM sequence q JOIN frame f ON f.sequence_id = q.id AND f.state = 'blocked'
			JOIN tile t ON t.sequence_id = f.sequence_id AND t.number = f.number
		WHERE q.batch_id = ? AND q.tiles > 0 AND q.blocked > 0 GROUP BY t.sequence_id, t.number ORDER BY t.sequence_id,
			t.number`,
		batch,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []CutFrame
	for rows.Next() {
		var c CutFrame
		if err := rows.Scan(&c.SequenceID, &c.Number, &c.Good, &c.Rendering, &c.Left); err != nil {
			return nil, err
		}
		all = append(all, c)
	}
	return all, rows.Err()
}
