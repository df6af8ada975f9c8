package store

import (
	"cmp"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"time"

	"reelhouse/core/queue"
	"reelhouse/core/work"
)

// A Lease is a step in a node's hands: a frame as a whole, a tile of one, or putting one together.
type Lease struct {
	Frame
	Tile     *Tile  // the tile to render; nil for the frame itself
	Tiles    []Tile // to put the frame together from, in their order; none for a frame that is rendered as a whole
	Sequence Sequence
	Source   Sequence      // whose files the sequence is made from, if that is a follow-up
	Batch    Batch         // without sequences
	Class    work.Class    // of what is to be done
	Needs    work.Settings // of it
	Made     *Made         // what it is made from, if it is of a follow-up; the node says so before it ends
	Spent    Spent         // what its attempt has taken; the node says so before it ends
}

// Spent is what a step has taken.
type Spent struct {
	Processor float64 // seconds of processor time
	Peak      int64   // the most memory of a process, in bytes
}

// ID returns the number of the lease, which no other one ever has. What is done in its name counts only while the step
// has it.
func (l *Lease) ID() int64 {
	if l.Tile != nil {
		return l.Tile.Lease
	}
	return l.Frame.Lease
}

// Began returns when the step was leased.
func (l *Lease) Began() time.Time {
	if l.Tile != nil {
		return l.Tile.Started
	}
	return l.Frame.Started
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
	frame    Frame // as it is
	tiles    int   // that it is rendered in; 0 for a whole one
	class    work.Class
	needs    work.Settings
}

// Lease gives the step whose turn it is to a node, or returns nil if none is ready. Batches whose numbers are in except
// are passed over.
func (s *Store) Lease(node string, except ...int64) (*Lease, error) {
	all, err := s.LeaseTogether(Offer{Node: node, Except: except})
	if len(all) == 0 {
		return nil, err
	}
	return all[0], err
}

// LeaseTogether gives the step whose turn it is to a node that can take it, or none. If what it needs says that a
// process is given several frames, those that follow it in its sequence come with it. Steps that were taken and whose
// frozen set-up cannot be read are given back.
func (s *Store) LeaseTogether(offer Offer) ([]*Lease, error) {
	var all []*Lease
	err := s.change(func(tx *writing) (err error) {
		all, err = s.take(tx, offer)
		return err
	})
	if err != nil || len(all) == 0 {
		return nil, err
	}
	first := all[0]
	var batch Batch
	sequence, source, err := s.withSource(first.SequenceID)
	if err == nil {
		batch, err = s.BatchAlone(sequence.BatchID)
	}
	if err == nil {
		for _, l := range all {
			l.Sequence, l.Source, l.Batch = sequence, source, batch
		}
		return all, nil
	}
	err = fmt.Errorf("frame %d of sequence %d: %w", first.Number, first.SequenceID, err)
	for _, l := range all {
		err = errors.Join(err, s.GiveBack(l), s.Forget(l.ID()))
	}
	return nil, err
}

// withSource returns a sequence, and the one that it follows, if it does.
func (s *Store) withSource(id int64) (sequence, source Sequence, err error) {
	sequence, err = s.Sequence(id)
	if err == nil && sequence.Follows > 0 {
		source, err = s.Sequence(sequence.Follows)
	}
	return sequence, source, err
}

// take leases the step whose turn it is, and what comes with it. A frame in tiles is split on its first turn, and is
// put together when all of them are good.
func (s *Store) take(tx *writing, offer Offer) ([]*Lease, error) {
	var paused string
	var tiles bool // may be taken
	err := tx.QueryRow("SELECT paused_at, EXISTS (SELECT 1 FROM tile WHERE state = 'ready') FROM house_status").
		Scan(&paused, &tiles)
	if err != nil || paused != "" {
		return nil, err
	}
	can, assembles, err := offer.ables(tx)
	if err != nil {
		return nil, err
	}
	for {
		frame, err := s.nextFrame(tx, offer.Except, can, assembles != nil)
		if err != nil {
			return nil, err
		}
		if assembles == nil { // a node may render tiles of what it cannot put together
			uncut, err := s.nextUncut(tx, offer.Except, can)
			if err != nil {
				return nil, err
			}
			if uncut != nil && (frame == nil || uncut.Compare(frame.Turn) < 0) {
				frame = uncut
			}
		}
		var tile *step
		if tiles {
			if tile, err = nextTile(tx, offer.Except, can); err != nil {
				return nil, err
			}
		}
		complete := frame == nil && tile == nil && assembles != nil // a node may put together what it cannot render
		if complete {
			if frame, err = nextComplete(tx, offer.Except); err != nil {
				return nil, err
			}
		}
		switch {
		case tile != nil && (frame == nil || tile.Compare(frame.Turn) < 0):
			l, err := takeTile(tx, tile, offer)
			return []*Lease{l}, err
		case frame == nil:
			return nil, nil
		}
		if err := s.takesWhole(tx, frame); err != nil {
			return nil, err
		}
		if frame.tiles == 0 {
			if complete {
				return nil, nil
			}
			return s.takeFrames(tx, frame, offer)
		}
		left, err := cut(tx, frame)
		if err != nil {
			return nil, err
		}
		if left == 0 {
			frame.class.Kind, frame.needs = work.Assemble, *assembles
			l, err := takeFrame(tx, frame, offer, frame.needs.String())
			return []*Lease{l}, err
		}
		// Its tiles are among those that may be taken now.
		if err := move(tx, frame.sequence, frame.number, queue.Cut, nil); err != nil {
			return nil, err
		}
		tiles = true
	}
}

func takeTile(tx *writing, tile *step, offer Offer) (*Lease, error) {
	id, err := newLease(tx, tile, tile.Tile, offer, tile.needs.String())
	if err != nil {
		return nil, err
	}
	err = moveTile(tx, tile.sequence, tile.number, tile.Tile, queue.Leased,
		func(t *Tile) { t.begin(offer.Node, id) })
	if err != nil {
		return nil, err
	}
	t, err := tileIn(tx, tile.sequence, tile.number, tile.Tile)
	if err != nil {
		return nil, err
	}
	f, err := frameIn(tx, tile.sequence, tile.number)
	return &Lease{Frame: f, Tile: &t, Class: tile.class, Needs: tile.needs}, err
}

// takesNothing stands for what a lease takes whose process has ended, or is that of another lease.
const takesNothing = "-"

// takeFrames leases a frame, and as many of those that come next in its sequence as one process is given. Frames that
// were tried before are rendered by themselves: one that breaks takes nobody along twice.
func (s *Store) takeFrames(tx *writing, first *step, offer Offer) ([]*Lease, error) {
	l, err := takeFrame(tx, first, offer, first.needs.String())
	if err != nil {
		return nil, err
	}
	all := []*Lease{l}
	for len(all) < first.needs.FramesAtOnce() && l.Attempts == 1 && first.class.Kind == work.Render {
		next := *first
		if err := s.rowsForNext(tx, first.sequence); err != nil {
			return nil, err
		}
		err := next.next(tx)
		if errors.Is(err, sql.ErrNoRows) || err == nil && (next.Wave != first.Wave || next.frame.Attempts > 0) {
			break
		} else if err != nil {
			return nil, err
		}
		l, err := takeFrame(tx, &next, offer, takesNothing)
		if err != nil {
			return nil, err
		}
		all = append(all, l)
	}
	return all, nil
}

// takesWhole lets a frame that is taken over from an earlier sequence be so as a whole, whatever the others are
// rendered in.
func (s *Store) takesWhole(tx *writing, frame *step) error {
	if frame.tiles == 0 {
		return nil
	}
	spec, err := s.spec(frame.sequence)
	if errors.Is(err, sql.ErrNoRows) { // it is sent by a change that shares the transaction
		spec, err = readSpec(tx, frame.sequence)
	}
	if err != nil {
		return err
	}
	if _, taken := spec.TakenAt(frame.number); taken {
		frame.tiles = 0
	}
	return nil
}

func takeFrame(tx *writing, frame *step, offer Offer, needs string) (*Lease, error) {
	id, err := newLease(tx, frame, 0, offer, needs)
	if err != nil {
		return nil, err
	}
	l := &Lease{Frame: frame.frame, Class: frame.class, Needs: frame.needs}
	err = l.Frame.move(tx, queue.Leased, func(f *Frame) { f.begin(offer.Node, id) })
	if err != nil {
		return nil, err
	}
	if frame.tiles > 0 {
		l.Tiles, err = tilesIn(tx, frame.sequence, frame.number)
	}
	return l, err
}

// newLease notes that a node has a step, under a number that no lease has had.
func newLease(tx *writing, of *step, tile int, offer Offer, needs string) (id int64, err error) {
	result, err := tx.Exec(
		"INSERT INTO lease (sequence_id, number, tile, node, needs, deadline) VALUES (?, ?, ?, ?, ?, ?)",
		of.sequence,
		of.number,
		tile,
		offer.Node,
		needs,
		offer.deadline(of.needs),
	)
	if err != nil {
		return 0, err
	}
	return result.LastInsertId()
}

// Overdue returns the leases of which the deadline has passed.
func (s *Store) Overdue(at time.Time) ([]*Lease, error) {
	var n int
	err := s.read.QueryRow("SELECT count(*) FROM lease WHERE deadline > 0 AND deadline <= ?", at.Unix()).Scan(&n)
	if err != nil || n == 0 {
		return nil, err
	}
	return s.leases("WHERE deadline > 0 AND deadline <= ?", at.Unix())
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
func (s *Store) OpenLeases() ([]*Lease, error) { return s.leases("") }

func (s *Store) leases(where string, args ...any) ([]*Lease, error) {
	rows, err := s.read.Query("SELECT id, sequence_id, number, tile, node FROM lease "+where+" ORDER BY id", args...)
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
		if l.Sequence, l.Source, err = s.withSource(l.SequenceID); err != nil {
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
	if l.Tile == nil {
		return s.change(func(tx *writing) error { return l.step(tx, queue.Rendering, queue.Rendered, "") })
	}
	return s.own(l, func(tx *writing, _ *Frame) error {
		return moveTile(tx, l.SequenceID, l.Number, l.Tile.Index, queue.Rendered, nil)
	})
}

// step takes the lease's frame through one transition without reading it first, as nodes do most; also and its values
// say what else is kept of it. It fails if the frame is not the lease's any more, or is in another state.
func (l *Lease) step(tx *writing, from queue.State, event queue.Event, also string, values ...any) error {
	to, err := from.Next(event)
	if err != nil {
		return err
	}
	args := append([]any{to}, values...)
	result, err := tx.Exec(
		"UPDATE frame SET state = ?"+also+" WHERE sequence_id = ? AND number = ? AND lease = ? AND state = ?",
		append(args, l.SequenceID, l.Number, l.Frame.Lease, from)...,
	)
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); n == 1 || err != nil {
		return err
	}
	f, err := frameIn(tx, l.SequenceID, l.Number)
	if err == nil && f.heldBy(l) {
		_, err = f.State.Next(event)
	}
	return cmp.Or(err, ErrLost)
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
		l.Spent.Processor, l.Spent.Peak = l.Spent.Processor+t.Processor, max(l.Spent.Peak, t.Peak)
	}
	var bytes int64
	for _, f := range files {
		bytes += f.Bytes
	}
	return s.change(func(tx *writing) error {
		if err := keepFiles(tx, l, files); err != nil {
			return err
		}
		err := l.step(tx, queue.Checking, queue.Accepted, ", seconds = ?, bytes = ?, processor = ?, peak = ?", seconds,
			bytes, l.Spent.Processor, l.Spent.Peak)
		if err != nil {
			return err
		}
		if err := errors.Join(wentWell(tx, l), keepLog(tx, l, log), keepMade(tx, l), forget(tx, l.ID())); err != nil {
			return err
		}
		if l.Made != nil && l.Class.Kind != work.Repeat {
			if err := s.overtaken(tx, l); err != nil {
				return err
			}
		}
		return s.cameOut(tx, l.SequenceID, l.Number)
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
		if err := s.stillFollows(tx, l.SequenceID, l.Number); err != nil {
			return err
		}
		return errors.Join(wentWrong(tx, l, reason), keepLog(tx, l, log))
	})
}

func (l *Lease) breakStep(tx *writing, reason string) error {
	event := queue.Broken
	if l.Tries() >= l.Needs.MostTries() {
		event = queue.GivenUp
	}
	if l.Tile == nil {
		return move(tx, l.SequenceID, l.Number, event, func(f *Frame) { f.Reason = reason })
	}
	if err := moveTile(tx, l.SequenceID, l.Number, l.Tile.Index, event,
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
	return s.own(l, func(tx *writing, _ *Frame) error { return s.vanishLease(tx, l) })
}

// WaitAgain returns a leased frame of a follow-up to those that wait, since one of its inputs is not there as it was.
func (s *Store) WaitAgain(l *Lease, log string) error {
	return s.own(l, func(tx *writing, f *Frame) error {
		if err := f.move(tx, queue.Waits, func(f *Frame) { f.Attempts-- }); err != nil {
			return err
		}
		// They may have been made again while this was found out.
		_, err := s.followOn(tx, l.SequenceID, &l.Number)
		return errors.Join(err, keepLog(tx, l, log))
	})
}

func (s *Store) vanishLease(tx *writing, l *Lease) error {
	if l.Tile != nil {
		return vanishTile(tx, l.SequenceID, l.Number, l.Tile.Index)
	}
	return s.vanish(tx, l.SequenceID, l.Number)
}

func (s *Store) vanish(tx *writing, sequence int64, number int) error {
	err := move(tx, sequence, number, queue.Vanished, func(f *Frame) { f.Attempts-- })
	if err != nil {
		return err
	}
	return s.stillFollows(tx, sequence, number)
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
				if err := s.vanishLease(tx, l); err != nil {
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
func (s *Store) Recover(cleared ...int64) ([]Frame, error) { return s.RecoverBut(nil, cleared...) }

// RecoverBut is Recover where some leases stay, since nodes on other machines go on with them.
func (s *Store) RecoverBut(kept []int64, cleared ...int64) (found []Frame, err error) {
	err = s.change(func(tx *writing) error {
		all, err := frames(tx, busy)
		if err != nil {
			return err
		}
		found = slices.DeleteFunc(all, func(f Frame) bool { return slices.Contains(kept, f.Lease) })
		for _, f := range found {
			if err := s.vanish(tx, f.SequenceID, f.Number); err != nil {
				return err
			}
		}
		if err := recoverTiles(tx, kept); err != nil {
			return err
		}
		ids, err := column[int64](tx, "SELECT id FROM lease WHERE needs <> ?", takesNothing)
		for _, id := range ids {
			if !slices.Contains(kept, id) {
				_, failed := tx.Exec("UPDATE lease SET needs = ? WHERE id = ?", takesNothing, id)
				err = errors.Join(err, failed)
			}
		}
		return errors.Join(err, forget(tx, cleared...))
	})
	return found, err
}

// LeaseNow returns a lease that a step still has, as it was leased, but for what it needs.
func (s *Store) LeaseNow(id int64) (*Lease, error) {
	all, err := s.leases("WHERE id = ?", id)
	if err != nil || len(all) == 0 {
		return nil, cmp.Or(err, ErrLost)
	}
	l, index := all[0], all[0].TileIndex()
	f, err := s.Frame(l.SequenceID, l.Number)
	if err != nil {
		return nil, err
	}
	l.Frame = f
	if err := s.read.QueryRow("SELECT kind, renderer, needs FROM class WHERE id = (SELECT class_id FROM sequence "+
		"WHERE id = ?)", l.SequenceID).Scan(&l.Class.Kind, &l.Class.Renderer, &l.Class.Override); err != nil {
		return nil, err
	}
	tiles, err := tilesIn(s.read, l.SequenceID, l.Number)
	if err != nil {
		return nil, err
	}
	if index > 0 {
		i := slices.IndexFunc(tiles, func(t Tile) bool { return t.Index == index })
		if i < 0 {
			return nil, ErrLost
		}
		l.Tile = &tiles[i]
	} else if len(tiles) > 0 {
		l.Tiles, l.Class.Kind = tiles, work.Assemble
	}
	if l.ID() != id {
		return nil, ErrLost
	}
	if owned, err := s.Owned(l); err != nil || !owned {
		return nil, cmp.Or(err, ErrLost)
	}
	l.Batch, err = s.BatchAlone(l.Sequence.BatchID)
	return l, err
}

// Hands returns the nodes in whose hands steps are, by the leases.
func (s *Store) Hands() (map[int64]string, error) {
	rows, err := s.read.Query(
		"SELECT lease, node FROM frame "+busy+" UNION ALL SELECT t.lease, t.node FROM tile t JOIN frame f ON "+
			"f.sequence_id = t.sequence_id AND f.number = t.number WHERE t.state IN (?, ?) AND f.state = ?",
		queue.Rendering, queue.Checking, queue.Blocked,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := map[int64]string{}
	for rows.Next() {
		var lease int64
		var node string
		if err := rows.Scan(&lease, &node); err != nil {
			return nil, err
		}
		all[lease] = node
	}
	return all, rows.Err()
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
