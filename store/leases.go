package store

import (
	"database/sql"
	"errors"
	"fmt"
	"time"

	"reelhouse/core/queue"
)

// A Lease is a step in a node's hands: a frame as a whole, a tile of one, or putting one together.
type Lease struct {
	Frame
	Tile     *Tile  // the tile to render; nil for the frame itself
	Tiles    []Tile // to put the frame together from, in their order; none for a frame that is rendered as a whole
	Sequence Sequence
	Batch    Batch // without sequences
}

// Began returns when the step was taken, by which it is told from other attempts at the same.
func (l *Lease) Began() time.Time {
	if l.Tile != nil {
		return l.Tile.Started
	}
	return l.Started
}

// TileIndex returns the number of the tile, 0 for the frame itself.
func (l *Lease) TileIndex() int {
	if l.Tile != nil {
		return l.Tile.Index
	}
	return 0
}

// Tries returns how often the step was tried, this time included.
func (l *Lease) Tries() int {
	if l.Tile != nil {
		return l.Tile.Attempts
	}
	return l.Attempts
}

// A step is what a node may take next.
type step struct {
	queue.Turn
	sequence int64
	number   int
	tiles    int // that the frame is rendered in; 0 for a whole one
}

// Lease gives the step whose turn it is to a node, or returns nil if none is ready.
func (s *Store) Lease(node string) (*Lease, error) {
	var taken *step
	err := s.change(func(tx *sql.Tx) (err error) {
		taken, err = take(tx, node)
		return err
	})
	if err != nil || taken == nil {
		return nil, err
	}
	l := &Lease{}
	if l.Frame, err = s.Frame(taken.sequence, taken.number); err != nil {
		return nil, err
	}
	if l.Sequence, err = s.Sequence(taken.sequence); err != nil {
		return nil, err
	}
	if l.Batch, err = s.BatchAlone(l.Sequence.BatchID); err != nil {
		return nil, err
	}
	if taken.tiles == 0 {
		return l, nil
	}
	tiles, err := s.Tiles(taken.sequence, taken.number)
	if err != nil {
		return nil, err
	}
	if l.Tiles = tiles; taken.Tile > 0 {
		l.Tiles, l.Tile = nil, &tiles[taken.Tile-1]
	}
	return l, nil
}

// take leases the step whose turn it is. A frame in tiles is cut on its first turn, and is put together when all of them are good.
func take(tx *sql.Tx, node string) (*step, error) {
	for {
		frame, err := nextFrame(tx)
		if err != nil {
			return nil, err
		}
		tile, err := nextTile(tx)
		if err != nil {
			return nil, err
		}
		switch {
		case tile != nil && (frame == nil || tile.Compare(frame.Turn) < 0):
			return tile, moveTile(tx, tile.sequence, tile.number, tile.Tile, queue.Leased, func(t *Tile) {
				t.Attempts++
				t.Node, t.Reason, t.Started = node, "", time.Now()
			})
		case frame == nil:
			return nil, nil
		}
		if frame.tiles > 0 {
			left, err := cut(tx, frame)
			if err != nil {
				return nil, err
			}
			if left > 0 { // its tiles are among those that may be taken now
				if err := move(tx, frame.sequence, frame.number, queue.Cut, nil); err != nil {
					return nil, err
				}
				continue
			}
		}
		return frame, move(tx, frame.sequence, frame.number, queue.Leased, func(f *Frame) {
			f.Attempts++
			f.Node, f.Reason, f.Started = node, "", time.Now()
		})
	}
}

// nextFrame returns the ready frame whose turn it is, by queue.Turn; nil if there is none.
func nextFrame(tx *sql.Tx) (*step, error) {
	n := &step{}
	var inWaves bool
	err := tx.QueryRow(`SELECT q.id, q.ordinal, q.tiles, b.id, b.priority, b.in_waves FROM sequence q JOIN batch b ON b.id = q.batch_id WHERE q.ready > 0
		ORDER BY b.priority DESC, b.id, q.ordinal LIMIT 1`).Scan(&n.sequence, &n.Sequence, &n.tiles, &n.Batch, &n.Priority, &inWaves)
	if err == nil && inWaves {
		err = tx.QueryRow(`SELECT q.id, q.ordinal, q.tiles FROM sequence q WHERE q.batch_id = ? AND q.ready > 0 ORDER BY
			(SELECT f.wave FROM frame f WHERE f.sequence_id = q.id AND f.state = 'ready' ORDER BY f.wave LIMIT 1), q.ordinal LIMIT 1`, n.Batch).Scan(&n.sequence, &n.Sequence, &n.tiles)
	}
	if err == nil {
		err = tx.QueryRow("SELECT number, wave, turn FROM frame WHERE sequence_id = ? AND state = 'ready' ORDER BY wave, turn, number LIMIT 1", n.sequence).Scan(&n.number, &n.Wave, &n.Turn.Frame)
	}
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return n, err
}

// own does work in a transaction if the step is still in the hands of the lease's attempt; otherwise a
// person has taken it away meanwhile, and ErrLost is returned.
func (s *Store) own(l *Lease, work func(tx *sql.Tx) error) error {
	return s.change(func(tx *sql.Tx) error {
		f, err := frameIn(tx, l.SequenceID, l.Number)
		if err != nil {
			return err
		}
		if l.Tile == nil {
			if !f.State.Busy() || !f.Started.Equal(l.Started) {
				return ErrLost
			}
			return work(tx)
		}
		t, err := tileIn(tx, l.SequenceID, l.Number, l.Tile.Index)
		if err != nil && !errors.Is(err, ErrNotFound) {
			return err
		}
		if f.State != queue.Blocked || !t.heldBy(l) {
			return ErrLost
		}
		return work(tx)
	})
}

// ErrLost says that a step was taken out of a node's hands.
var ErrLost = errors.New("the frame was taken away from the node")

// Owned reports whether a step is still the lease's.
func (s *Store) Owned(l *Lease) (bool, error) {
	f, err := s.Frame(l.SequenceID, l.Number)
	if err != nil || l.Tile == nil {
		return f.State.Busy() && f.Started.Equal(l.Started), err
	}
	t, err := tileIn(s.read, l.SequenceID, l.Number, l.Tile.Index)
	if errors.Is(err, ErrNotFound) {
		return false, nil
	}
	return f.State == queue.Blocked && t.heldBy(l), err
}

// move takes the lease's step through one transition.
func (l *Lease) move(tx *sql.Tx, event queue.Event) error {
	if l.Tile != nil {
		return moveTile(tx, l.SequenceID, l.Number, l.Tile.Index, event, nil)
	}
	return move(tx, l.SequenceID, l.Number, event, nil)
}

// Check says that a leased step is rendered and being judged.
func (s *Store) Check(l *Lease) error {
	return s.own(l, func(tx *sql.Tx) error { return l.move(tx, queue.Rendered) })
}

// Accept makes a leased frame good, with its files.
func (s *Store) Accept(l *Lease, seconds float64, files []File, log string) error {
	for _, t := range l.Tiles {
		seconds += t.Seconds
	}
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

// Break says that a leased step went wrong, and why. It will be tried again or has failed; with a tile its frame fails.
func (s *Store) Break(l *Lease, reason, log string) error {
	return s.own(l, func(tx *sql.Tx) error {
		if l.Tile == nil {
			if err := move(tx, l.SequenceID, l.Number, queue.Broken, func(f *Frame) { f.Reason = reason }); err != nil {
				return err
			}
			return keepLog(tx, l, log)
		}
		if err := moveTile(tx, l.SequenceID, l.Number, l.Tile.Index, queue.Broken, func(t *Tile) { t.Reason = reason }); err != nil {
			return err
		}
		if t, err := tileIn(tx, l.SequenceID, l.Number, l.Tile.Index); err != nil {
			return err
		} else if t.State == queue.Failed {
			if err := move(tx, l.SequenceID, l.Number, queue.Stuck, func(f *Frame) { f.Reason = fmt.Sprintf("tile %d: %s", t.Index, reason) }); err != nil {
				return err
			}
		}
		return keepLog(tx, l, log)
	})
}

// GiveBack returns a leased step that was not finished for no fault of its own; the attempt does not count.
func (s *Store) GiveBack(l *Lease) error {
	return s.own(l, func(tx *sql.Tx) error { return l.vanish(tx) })
}

func (l *Lease) vanish(tx *sql.Tx) error {
	if l.Tile != nil {
		return vanishTile(tx, l.SequenceID, l.Number, l.Tile.Index)
	}
	return vanish(tx, l.SequenceID, l.Number)
}

func vanish(tx *sql.Tx, sequence int64, number int) error {
	return move(tx, sequence, number, queue.Vanished, func(f *Frame) { f.Attempts-- })
}

// Leave ends a step that a person has taken away, and keeps what was said during the attempt.
func (s *Store) Leave(l *Lease, log string) error {
	return s.change(func(tx *sql.Tx) error {
		if l.Tile != nil {
			t, err := tileIn(tx, l.SequenceID, l.Number, l.Tile.Index)
			switch {
			case errors.Is(err, ErrNotFound): // dropped, and cleared away
			case err != nil:
				return err
			case t.heldBy(l):
				if err := l.vanish(tx); err != nil {
					return err
				}
			}
		}
		return keepLog(tx, l, log)
	})
}

func keepLog(tx *sql.Tx, l *Lease, log string) error {
	_, err := tx.Exec(`INSERT INTO frame_log (sequence_id, number, attempt, node, logged_at, text, tile) SELECT ?1, ?2, coalesce(max(attempt), 0) + 1, ?3, ?4, ?5, ?6 FROM frame_log
		WHERE sequence_id = ?1 AND number = ?2`, l.SequenceID, l.Number, l.NodeName(), now(), log, l.TileIndex())
	return err
}

// NodeName returns the name of the node that has the step.
func (l *Lease) NodeName() string {
	if l.Tile != nil {
		return l.Tile.Node
	}
	return l.Frame.Node
}

// Recover makes every step ready that a server was busy with when it died, and returns the frames that were being rendered or put together.
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
		return recoverTiles(tx)
	})
	return found, err
}
