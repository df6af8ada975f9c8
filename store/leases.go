package store

import (
	"database/sql"
	"errors"
	"fmt"
	"slices"
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

// ID returns the number of the lease, which no other one ever has. What is done in its name counts only while the step
// has it.
func (l *Lease) ID() int64 {
	if l.Tile != nil {
		return l.Tile.Lease
	}
	return l.Frame.Lease
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

// Lease gives the step whose turn it is to a node, or returns nil if none is ready. Batches whose numbers are in except
// are passed over. A step that was taken and whose frozen set-up cannot be read is given back.
func (s *Store) Lease(node string, except ...int64) (*Lease, error) {
	var l *Lease
	err := s.change(func(tx *writing) (err error) {
		l, err = s.take(tx, node, except)
		return err
	})
	if err != nil || l == nil {
		return nil, err
	}
	if l.Sequence, err = s.Sequence(l.SequenceID); err == nil {
		l.Batch, err = s.BatchAlone(l.Sequence.BatchID)
	}
	if err != nil {
		err = fmt.Errorf("frame %d of sequence %d: %w", l.Number, l.SequenceID, err)
		return nil, errors.Join(err, s.GiveBack(l), s.Forget(l.ID()))
	}
	return l, nil
}

// take leases the step whose turn it is. A frame in tiles is cut on its first turn, and is put together when all of
// them are good.
func (s *Store) take(tx *writing, node string, except []int64) (*Lease, error) {
	for {
		frame, err := s.nextFrame(tx, except)
		if err != nil {
			return nil, err
		}
		tile, err := nextTile(tx, except)
		if err != nil {
			return nil, err
		}
		switch {
		case tile != nil && (frame == nil || tile.Compare(frame.Turn) < 0):
			return takeTile(tx, tile, node)
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
		return takeFrame(tx, frame, node)
	}
}

func takeTile(tx *writing, tile *step, node string) (*Lease, error) {
	id, err := newLease(tx, tile, tile.Tile, node)
	if err != nil {
		return nil, err
	}
	err = moveTile(tx, tile.sequence, tile.number, tile.Tile, queue.Leased, func(t *Tile) {
		t.Attempts++
		t.Node, t.Reason, t.Started, t.Lease = node, "", time.Now(), id
	})
	if err != nil {
		return nil, err
	}
	t, err := tileIn(tx, tile.sequence, tile.number, tile.Tile)
	if err != nil {
		return nil, err
	}
	f, err := frameIn(tx, tile.sequence, tile.number)
	return &Lease{Frame: f, Tile: &t}, err
}

func takeFrame(tx *writing, frame *step, node string) (*Lease, error) {
	id, err := newLease(tx, frame, 0, node)
	if err != nil {
		return nil, err
	}
	l := &Lease{}
	if l.Frame, err = frameIn(tx, frame.sequence, frame.number); err != nil {
		return nil, err
	}
	err = l.Frame.move(tx, queue.Leased, func(f *Frame) {
		f.Attempts++
		f.Node, f.Reason, f.Started, f.Lease = node, "", time.Now(), id
	})
	if err != nil {
		return nil, err
	}
	if frame.tiles > 0 {
		l.Tiles, err = tilesIn(tx, frame.sequence, frame.number)
	}
	return l, err
}

// newLease notes that a node has a step, under a number that no lease has had.
func newLease(tx *writing, of *step, tile int, node string) (id int64, err error) {
	result, err := tx.Exec("INSERT INTO lease (sequence_id, number, tile, node) VALUES (?, ?, ?, ?)", of.sequence,
		of.number, tile, node)
	if err != nil {
		return 0, err
	}
	return result.LastInsertId()
}

// Forget says that nothing lies about any more that was written in the name of leases, which have ended. Until then
// OpenLeases tells of them.
func (s *Store) Forget(ids ...int64) error {
	if len(ids) == 0 {
		return nil
	}
	return s.change(func(tx *writing) error { return forget(tx, ids...) })
}

func forget(tx *writing, ids ...int64) error {
	for _, id := range ids {
		if _, err := tx.Exec("DELETE FROM lease WHERE id = ?", id); err != nil {
			return err
		}
	}
	return nil
}

// OpenLeases returns the leases that were not forgotten, without their batches: those of steps that nodes have, and
// those that may have left files behind.
func (s *Store) OpenLeases() ([]*Lease, error) {
	rows, err := s.read.Query("SELECT id, sequence_id, number, tile, node FROM lease ORDER BY id")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []*Lease
	for rows.Next() {
		l := &Lease{}
		var id int64
		var tile int
		if err := rows.Scan(&id, &l.SequenceID, &l.Number, &tile, &l.Node); err != nil {
			return nil, err
		}
		if l.Frame.Lease = id; tile > 0 {
			l.Tile = &Tile{Index: tile, Lease: id, Node: l.Node}
		}
		all = append(all, l)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return nil, err
	}
	for _, l := range all {
		if l.Sequence, err = s.Sequence(l.SequenceID); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// own does work in a transaction if the step is still in the hands of the lease's attempt; otherwise a
// person has taken it away meanwhile, and ErrLost is returned.
// The work is given the frame as it is.
func (s *Store) own(l *Lease, work func(tx *writing, f *Frame) error) error {
	return s.change(func(tx *writing) error {
		f, err := frameIn(tx, l.SequenceID, l.Number)
		if err != nil {
			return err
		}
		if l.Tile == nil {
			if !f.heldBy(l) {
				return ErrLost
			}
			return work(tx, &f)
		}
		t, err := tileIn(tx, l.SequenceID, l.Number, l.Tile.Index)
		if err != nil && !errors.Is(err, ErrNotFound) {
			return err
		}
		if f.State != queue.Blocked || !t.heldBy(l) {
			return ErrLost
		}
		return work(tx, &f)
	})
}

// ErrLost says that a step was taken out of a node's hands.
var ErrLost = errors.New("the frame was taken away from the node")

// Owned reports whether a step is still the lease's.
func (s *Store) Owned(l *Lease) (bool, error) {
	f, err := s.Frame(l.SequenceID, l.Number)
	if err != nil || l.Tile == nil {
		return f.heldBy(l), err
	}
	t, err := tileIn(s.read, l.SequenceID, l.Number, l.Tile.Index)
	if errors.Is(err, ErrNotFound) {
		return false, nil
	}
	return f.State == queue.Blocked && t.heldBy(l), err
}

// Check says that a leased step is rendered and being judged.
func (s *Store) Check(l *Lease) error {
	return s.own(l, func(tx *writing, f *Frame) error {
		if l.Tile == nil {
			return f.move(tx, queue.Rendered, nil)
		}
		return moveTile(tx, l.SequenceID, l.Number, l.Tile.Index, queue.Rendered, nil)
	})
}

// Keep records files of a leased frame that are in place though not all of them are, so that they are not rendered
// again.
func (s *Store) Keep(l *Lease, files []File) error {
	return s.own(l, func(tx *writing, _ *Frame) error { return keepFiles(tx, l, files) })
}

func keepFiles(tx *writing, l *Lease, files []File) error {
	for _, f := range files {
		_, err := tx.Exec(
			"INSERT OR REPLACE INTO file (sequence_id, number, path, bytes, sha256, lease) VALUES (?, ?, ?, ?, ?, ?)",
			l.SequenceID, l.Number, f.Path, f.Bytes, f.SHA256, l.ID(),
		)
		if err != nil {
			return err
		}
	}
	return nil
}

// Accept makes a leased frame good, with its files: exactly those that were promised of it. The lease is forgotten.
func (s *Store) Accept(l *Lease, seconds float64, files []File, log string) error {
	if err := l.promised(files); err != nil {
		return err
	}
	for _, t := range l.Tiles {
		seconds += t.Seconds
	}
	return s.own(l, func(tx *writing, f *Frame) error {
		if err := keepFiles(tx, l, files); err != nil {
			return err
		}
		var bytes int64
		for _, f := range files {
			bytes += f.Bytes
		}
		if err := f.move(tx, queue.Accepted, func(f *Frame) { f.Seconds, f.Bytes = seconds, bytes }); err != nil {
			return err
		}
		return errors.Join(wentWell(tx, l), keepLog(tx, l, log), forget(tx, l.ID()))
	})
}

// ErrPromise is wrapped by the error about a frame that is called good with other files than were promised.
var ErrPromise = errors.New("the files are not those that were promised")

// promised holds files against those that the lease's frame has.
func (l *Lease) promised(files []File) error {
	var want, got []string
	for _, f := range l.Sequence.Spec.Files {
		want = append(want, f.Path.Frame(l.Number))
	}
	for _, f := range files {
		got = append(got, f.Path)
	}
	slices.Sort(want)
	slices.Sort(got)
	if !slices.Equal(want, got) {
		return fmt.Errorf("frame %d: %w: %q instead of %q", l.Number, ErrPromise, got, want)
	}
	return nil
}

// Break says that a leased step went wrong, and why. It will be tried again or has failed; with a tile its frame fails.
// If as many attempts of the batch have ended alike as queue.AlikeInARow says, what is left of it is held with that
// reason.
func (s *Store) Break(l *Lease, reason, log string) error {
	return s.own(l, func(tx *writing, f *Frame) error {
		if err := l.breakStep(tx, reason); err != nil {
			return err
		}
		return errors.Join(wentWrong(tx, l, reason), keepLog(tx, l, log))
	})
}

func (l *Lease) breakStep(tx *writing, reason string) error {
	if l.Tile == nil {
		return move(tx, l.SequenceID, l.Number, queue.Broken, func(f *Frame) { f.Reason = reason })
	}
	if err := moveTile(tx, l.SequenceID, l.Number, l.Tile.Index, queue.Broken,
		func(t *Tile) { t.Reason = reason }); err != nil {
		return err
	}
	t, err := tileIn(tx, l.SequenceID, l.Number, l.Tile.Index)
	if err != nil || t.State != queue.Failed {
		return err
	}
	return move(
		tx,
		l.SequenceID,
		l.Number,
		queue.Stuck,
		func(f *Frame) { f.Reason = fmt.Sprintf("tile %d: %s", t.Index, reason) },
	)
}

// Refuse says that a leased frame cannot become good however often it is tried, and why.
func (s *Store) Refuse(l *Lease, reason, log string) error {
	return s.own(l, func(tx *writing, f *Frame) error {
		if err := f.move(tx, queue.Refused, func(f *Frame) { f.Reason = reason }); err != nil {
			return err
		}
		return keepLog(tx, l, log)
	})
}

// GiveBack returns a leased step that was not finished for no fault of its own; the attempt does not count.
func (s *Store) GiveBack(l *Lease) error {
	return s.own(l, func(tx *writing, _ *Frame) error { return l.vanish(tx) })
}

func (l *Lease) vanish(tx *writing) error {
	if l.Tile != nil {
		return vanishTile(tx, l.SequenceID, l.Number, l.Tile.Index)
	}
	return vanish(tx, l.SequenceID, l.Number)
}

func vanish(tx *writing, sequence int64, number int) error {
	return move(tx, sequence, number, queue.Vanished, func(f *Frame) { f.Attempts-- })
}

// Leave ends a step that a person has taken away, and keeps what was said during the attempt.
func (s *Store) Leave(l *Lease, log string) error {
	return s.change(func(tx *writing) error {
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

func keepLog(tx *writing, l *Lease, log string) error {
	_, err := tx.Exec(`INSERT INTO frame_log (sequence_id, number, attempt, node, logged_at, text, tile)
		SELECT ?1, ?2, coalesce(max(attempt), 0) + 1, ?3, ?4, ?5, ?6 FROM frame_log
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

// Recover makes every step ready that a server was busy with when it died, and returns the frames that were being
// rendered or put together. Of leases that are named nothing lies about any more.
func (s *Store) Recover(cleared ...int64) ([]Frame, error) {
	var found []Frame
	err := s.change(func(tx *writing) error {
		var err error
		if found, err = frames(tx, busy); err != nil {
			return err
		}
		for _, f := range found {
			if err := vanish(tx, f.SequenceID, f.Number); err != nil {
				return err
			}
		}
		return errors.Join(recoverTiles(tx), forget(tx, cleared...))
	})
	return found, err
}

// Leased returns every step that is in a node's hands, without its frozen set-up.
func (s *Store) Leased(node string) ([]*Lease, error) {
	frames, err := frames(s.read, busy+" AND node = ?", node)
	if err != nil {
		return nil, err
	}
	var all []*Lease
	for _, f := range frames {
		all = append(all, &Lease{Frame: f})
	}
	rows, err := s.read.Query(
		"SELECT sequence_id, number, "+tileColumns+" FROM tile WHERE state IN (?, ?) AND node = ?", queue.Rendering,
		queue.Checking, node,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		l := &Lease{Tile: &Tile{}}
		if *l.Tile, err = scanTile(ahead{rows, []any{&l.SequenceID, &l.Number}}); err != nil {
			return nil, err
		}
		all = append(all, l)
	}
	return all, rows.Err()
}

// ahead scans columns that stand before those of a tile.
type ahead struct {
	rows  *sql.Rows
	first []any
}

func (a ahead) Scan(into ...any) error { return a.rows.Scan(append(a.first, into...)...) }
