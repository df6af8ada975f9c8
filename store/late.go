package store

import (
	"database/sql"
	"errors"
	"slices"

	"reelhouse/core/fingerprint"
	"reelhouse/core/queue"
	"reelhouse/core/work"
)

// TakeAgain gives a rendered frame, or a tile of one, back to the node that has lost it, under the lease that it had,
// by which the node knows it. was is that lease as it was. It is lost for good, with ErrLost, once somebody else has
// the step or has made it, or when it would come out otherwise by now, is held, or is nothing for the node any more;
// and while the house is paused.
func (s *Store) TakeAgain(was *Lease, offer Offer) (*Lease, error) {
	err := s.change(func(tx *writing) error { return takeAgain(tx, was, offer) })
	if err != nil {
		return nil, err
	}
	return s.LeaseNow(was.ID())
}

func takeAgain(tx *writing, was *Lease, offer Offer) error {
	if was.Sequence.Follows > 0 || was.Tile == nil && was.Class.Kind != work.Render {
		return ErrLost
	}
	var paused string
	if err := tx.QueryRow("SELECT paused_at FROM house_status").Scan(&paused); err != nil || paused != "" {
		return errors.Join(err, ErrLost)
	}
	var class int64
	var print fingerprint.Print
	var text string
	err := tx.QueryRow("SELECT class_id, fingerprint, renderer FROM sequence WHERE id = ?", was.SequenceID).
		Scan(&class, &print, &text)
	if errors.Is(err, sql.ErrNoRows) {
		return ErrLost
	} else if err != nil {
		return err
	}
	renderer, err := readRenderer(was.SequenceID, text)
	if err != nil {
		return err
	}
	if !print.Known() || print != was.Sequence.Fingerprint || renderer != was.Sequence.Renderer {
		return ErrLost
	}
	can, _, err := offer.ables(tx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(can, func(a able) bool { return a.id == class })
	if i < 0 {
		return ErrLost
	}
	f, err := frameIn(tx, was.SequenceID, was.Number)
	if err != nil {
		return err
	}
	tiles, err := tilesIn(tx, was.SequenceID, was.Number)
	if err != nil {
		return err
	}
	if was.Tile == nil {
		if f.State != queue.Ready || len(tiles) > 0 {
			return ErrLost
		}
	} else {
		n := was.Tile.Index
		if f.State != queue.Blocked || n > len(tiles) || tiles[n-1].Index != n || tiles[n-1].State != queue.Ready {
			return ErrLost
		}
	}
	result, err := tx.Exec("INSERT OR IGNORE INTO lease (id, sequence_id, number, tile, node, needs, deadline) "+
		"VALUES (?, ?, ?, ?, ?, ?, ?)", was.ID(), was.SequenceID, was.Number, was.TileIndex(), offer.Node,
		can[i].needs.String(), offer.deadline(can[i].needs))
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); err != nil || n == 0 { // it is still cleared away after
		return errors.Join(err, ErrLost)
	}
	if was.Tile != nil {
		return moveTile(tx, was.SequenceID, was.Number, was.Tile.Index, queue.Leased,
			func(t *Tile) { t.begin(offer.Node, was.ID()) })
	}
	return f.move(tx, queue.Leased, func(f *Frame) { f.begin(offer.Node, was.ID()) })
}
