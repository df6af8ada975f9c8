package store

import (
	"database/sql"
	"errors"
	"strings"

	"reelhouse/core/queue"
)

// Whose turn it is says queue.Turn. Here its parts are columns, in the same order; a frame is found by its batch, its
// wave and its sequence one after the other, since counters and indexes answer each at once. A test holds this against
// queue.Turn.

// A turnPart is the columns of a part of queue.Turn.
type turnPart string

const (
	batchTurn    turnPart = "b.priority DESC, b.id"
	waveTurn     turnPart = "f.wave"
	sequenceTurn turnPart = "q.ordinal"
	frameTurn    turnPart = "f.turn"
	tileTurn     turnPart = "t.tile"
)

// turnOf returns the columns of parts of a turn, for ORDER BY.
func turnOf(parts ...turnPart) string {
	columns := make([]string, len(parts))
	for i, p := range parts {
		columns[i] = string(p)
	}
	return strings.Join(columns, ", ")
}

// without returns a condition that leaves batches out, and its arguments.
func without(except []int64) (string, []any) {
	if len(except) == 0 {
		return "", nil
	}
	args := make([]any, len(except))
	for i, id := range except {
		args[i] = id
	}
	return " AND b.id NOT IN (?" + strings.Repeat(", ?", len(args)-1) + ")", args
}

// nextFrame returns the ready frame whose turn it is, by queue.Turn; nil if there is none.
func (s *Store) nextFrame(tx *writing, except []int64) (*step, error) {
	n := &step{}
	var inWaves bool
	var fresh int
	var state queue.State
	others, args := without(except)
	err := tx.QueryRow(`SELECT b.id, b.priority, b.in_waves FROM batch b WHERE b.ready > 0`+others+` ORDER BY `+
		turnOf(batchTurn)+` LIMIT 1`, args...).Scan(&n.Batch, &n.Priority, &inWaves)
	if err == nil {
		wave := ""
		if inWaves {
			wave = waveOfNext + ", "
		}
		err = tx.QueryRow(`SELECT q.id, q.ordinal, q.tiles, q.fresh, q.fresh_state FROM sequence q
			WHERE q.batch_id = ? AND q.ready > 0 ORDER BY `+wave+turnOf(sequenceTurn)+` LIMIT 1`, n.Batch).
			Scan(&n.sequence, &n.Sequence, &n.tiles, &fresh, &state)
	}
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	if fresh > 0 && state == queue.Ready {
		if err := s.rowsForNext(tx, n.sequence); err != nil {
			return nil, err
		}
	}
	err = tx.QueryRow(`SELECT f.number, f.wave, f.turn FROM frame f WHERE f.sequence_id = ? AND f.state = 'ready'
		ORDER BY `+turnOf(waveTurn, frameTurn)+`, f.number LIMIT 1`, n.sequence).
		Scan(&n.number, &n.Wave, &n.Turn.Frame)
	return n, err
}

// waveOfNext is the wave of a sequence's next ready frame.
const waveOfNext = `min(
	coalesce((SELECT f.wave FROM frame f WHERE f.sequence_id = q.id AND f.state = 'ready' ORDER BY f.wave LIMIT 1),
		1000000),
	CASE WHEN q.fresh > 0 AND q.fresh_state = 'ready' THEN q.fresh_wave ELSE 1000000 END)`

// rowsForNext makes a row of the next fresh frame of a sequence, if no other one that is ready comes before it.
func (s *Store) rowsForNext(tx *writing, sequence int64) error {
	var earlier int
	err := tx.QueryRow("SELECT EXISTS (SELECT 1 FROM frame WHERE sequence_id = ? AND state = 'ready')",
		sequence).Scan(&earlier)
	if err != nil || earlier > 0 { // fresh ones are the last by their turns
		return err
	}
	return s.rowsFor(tx, sequence, 1)
}

// nextTile returns the ready tile whose turn it is, by queue.Turn; nil if there is none.
func nextTile(tx *writing, except []int64) (*step, error) {
	n := &step{}
	others, args := without(except)
	err := tx.QueryRow(`SELECT b.priority, b.id, f.wave, q.ordinal, f.turn, t.tile, t.sequence_id, t.number, q.tiles
		FROM tile t JOIN frame f ON f.sequence_id = t.sequence_id AND f.number = t.number
			JOIN sequence q ON q.id = t.sequence_id JOIN batch b ON b.id = q.batch_id
		WHERE t.state = 'ready' AND f.state = 'blocked'`+others+`
		ORDER BY `+turnOf(batchTurn, waveTurn, sequenceTurn, frameTurn, tileTurn)+` LIMIT 1`, args...).
		Scan(&n.Priority, &n.Batch, &n.Wave, &n.Sequence, &n.Turn.Frame, &n.Tile, &n.sequence, &n.number, &n.tiles)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return n, err
}
