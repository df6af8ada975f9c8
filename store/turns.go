package store

import (
	"database/sql"
	"errors"
	"slices"
	"strings"
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

// nextFrame returns the ready frame whose turn it is, by queue.Turn, of those whose classes can be taken; nil if there
// is none. tiled says that frames in tiles are among them.
func (s *Store) nextFrame(tx *writing, except []int64, can []able, tiled bool) (*step, error) {
	batches, err := readyBatches(tx, except)
	if err != nil {
		return nil, err
	}
	for _, b := range batches {
		n, bare, err := nextSequence(tx, b, can, tiled)
		if err != nil {
			return nil, err
		}
		if n == nil {
			continue
		}
		if bare {
			if err := s.rowsFor(tx, n.sequence, rowsAhead); err != nil {
				return nil, err
			}
		}
		return n, n.next(tx)
	}
	return nil, nil
}

// next finds the ready frame of the step's sequence whose turn it is.
func (n *step) next(tx *writing) (err error) {
	n.frame, err = scanFrame(behind{tx.QueryRow(nextOfSequence, n.sequence), []any{&n.Wave, &n.Turn.Frame}})
	n.number = n.frame.Number
	return err
}

// behind scans columns that stand behind those of a frame.
type behind struct {
	row  *sql.Row
	last []any
}

func (b behind) Scan(into ...any) error { return b.row.Scan(append(into, b.last...)...) }

var nextOfSequence = `SELECT ` + frameColumns + `, f.wave, f.turn FROM frame f
	WHERE f.sequence_id = ? AND f.state = 'ready' ORDER BY ` + turnOf(waveTurn, frameTurn) + `, f.number LIMIT 1`

// rowsAhead is how many rows of fresh frames are made at a time.
const rowsAhead = 8

// A readyBatch is one with frames that are ready.
type readyBatch struct {
	id       int64
	priority int
	inWaves  bool
}

// readyBatches returns the batches that have frames that are ready, in the order of their turns.
func readyBatches(tx *writing, except []int64) ([]readyBatch, error) {
	others, args := without(except)
	rows, err := tx.Query("SELECT b.id, b.priority, b.in_waves FROM batch b WHERE b.ready > 0"+others+" ORDER BY "+
		turnOf(batchTurn), args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []readyBatch
	for rows.Next() {
		var b readyBatch
		if err := rows.Scan(&b.id, &b.priority, &b.inWaves); err != nil {
			return nil, err
		}
		all = append(all, b)
	}
	return all, rows.Err()
}

// nextSequence returns the sequence of a batch whose turn it is, of those whose classes can be taken, nil if there is
// none; and whether none of its ready frames has a row yet.
func nextSequence(tx *writing, b readyBatch, can []able, tiled bool) (best *step, bare bool, err error) {
	wave, order := "0", turnOf(sequenceTurn) // which the index has
	if b.inWaves {
		wave, order = waveOfNext, "wave, "+order
	}
	tiles := ""
	if !tiled {
		tiles = " AND q.tiles = 0"
	}
	query := `SELECT q.id, q.ordinal, q.tiles, q.fresh = q.ready AND q.fresh_state = 'ready', ` + wave + ` AS wave
		FROM sequence q WHERE q.batch_id = ? AND q.class_id = ? AND q.ready > 0` + tiles + ` ORDER BY ` + order +
		` LIMIT 1`
	for _, c := range can {
		n := &step{class: c.Class, needs: c.needs}
		n.Priority, n.Batch = b.priority, b.id
		var isBare bool
		err := tx.QueryRow(query, b.id, c.id).Scan(&n.sequence, &n.Sequence, &n.tiles, &isBare, &n.Wave)
		if errors.Is(err, sql.ErrNoRows) {
			continue
		} else if err != nil {
			return nil, false, err
		}
		if best == nil || n.Compare(best.Turn) < 0 {
			best, bare = n, isBare
		}
	}
	return best, bare, nil
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
	return s.rowsFor(tx, sequence, rowsAhead)
}

// nextComplete returns the ready frame whose turn it is of those whose tiles are all good, whoever may render them; nil
// if there is none.
func nextComplete(tx *writing, except []int64) (*step, error) {
	n := &step{}
	others, args := without(except)
	var number int
	err := tx.QueryRow(nextCompleteQuery(others), args...).
		Scan(&n.Priority, &n.Batch, &n.Wave, &n.Sequence, &n.Turn.Frame, &n.sequence, &number, &n.tiles, &n.class.Kind,
			&n.class.Renderer, &n.class.Override)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	n.number = number
	n.frame, err = frameIn(tx, n.sequence, number)
	return n, err
}

// nextCompleteQuery has the order of its joins written down: left to itself, SQLite looks at each frame there is.
func nextCompleteQuery(others string) string {
	return `SELECT b.priority, b.id, f.wave, q.ordinal, f.turn, f.sequence_id, f.number, q.tiles,
			c.kind, c.renderer, c.needs
		FROM batch b CROSS JOIN sequence q ON q.batch_id = b.id CROSS JOIN frame f ON f.sequence_id = q.id
			CROSS JOIN class c ON c.id = q.class_id
		WHERE b.ready > 0 AND q.tiles > 0 AND q.ready > 0 AND f.state = 'ready'` + others + `
			AND ` + complete + `
		ORDER BY ` + turnOf(batchTurn, waveTurn, sequenceTurn, frameTurn) + ` LIMIT 1`
}

// complete says of a frame that its tiles are all good.
const complete = `EXISTS (SELECT 1 FROM tile t WHERE t.sequence_id = f.sequence_id AND t.number = f.number)
	AND NOT EXISTS (SELECT 1 FROM tile t WHERE t.sequence_id = f.sequence_id AND t.number = f.number
		AND t.state <> 'good')`

func nextUncutQuery(others string) string {
	return `SELECT b.priority, b.id, q.ordinal, q.id, q.tiles, q.class_id
		FROM batch b CROSS JOIN sequence q ON q.batch_id = b.id
		WHERE b.ready > 0 AND q.tiles > 0 AND q.ready > 0` + others + `
		ORDER BY ` + turnOf(batchTurn, sequenceTurn)
}

// nextUncut returns a ready frame that is rendered in tiles of which some are not good, of the classes that can be
// taken: the first of the first such sequence. It is nil if there is none.
func (s *Store) nextUncut(tx *writing, except []int64, can []able) (*step, error) {
	others, args := without(except)
	rows, err := tx.Query(nextUncutQuery(others), args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []*step
	for rows.Next() {
		n := &step{}
		var class int64
		if err := rows.Scan(&n.Priority, &n.Batch, &n.Sequence, &n.sequence, &n.tiles, &class); err != nil {
			return nil, err
		}
		if i := slices.IndexFunc(can, func(c able) bool { return c.id == class }); i >= 0 {
			n.class, n.needs = can[i].Class, can[i].needs
			all = append(all, n)
		}
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return nil, err
	}
	for _, n := range all {
		for range 2 { // the second time among those that get their rows now
			n.frame, err = scanFrame(behind{tx.QueryRow(`SELECT `+frameColumns+`, f.wave, f.turn FROM frame f
				WHERE f.sequence_id = ? AND f.state = 'ready' AND NOT (`+complete+`)
				ORDER BY `+turnOf(waveTurn, frameTurn)+`, f.number LIMIT 1`, n.sequence),
				[]any{&n.Wave, &n.Turn.Frame}})
			if err == nil {
				n.number = n.frame.Number
				return n, nil
			}
			if !errors.Is(err, sql.ErrNoRows) {
				return nil, err
			}
			if err := s.rowsFor(tx, n.sequence, rowsAhead); err != nil {
				return nil, err
			}
		}
	}
	return nil, nil
}

func nextTileQuery(others, classes string) string {
	return `SELECT b.priority, b.id, f.wave, q.ordinal, f.turn, t.tile, t.sequence_id, t.number, q.tiles, q.class_id
		FROM tile t CROSS JOIN frame f ON f.sequence_id = t.sequence_id AND f.number = t.number
			CROSS JOIN sequence q ON q.id = t.sequence_id CROSS JOIN batch b ON b.id = q.batch_id
		WHERE t.state = 'ready' AND f.state = 'blocked'` + others + ` AND q.class_id IN (` + classes + `)
		ORDER BY ` + turnOf(batchTurn, waveTurn, sequenceTurn, frameTurn, tileTurn) + ` LIMIT 1`
}

// nextTile returns the ready tile whose turn it is, by queue.Turn; nil if there is none.
func nextTile(tx *writing, except []int64, can []able) (*step, error) {
	n := &step{}
	others, args := without(except)
	of := ""
	for _, c := range can {
		of, args = of+", ?", append(args, c.id)
	}
	if of == "" {
		return nil, nil
	}
	var class int64
	err := tx.QueryRow(nextTileQuery(others, of[2:]), args...).
		Scan(&n.Priority, &n.Batch, &n.Wave, &n.Sequence, &n.Turn.Frame, &n.Tile, &n.sequence, &n.number, &n.tiles,
			&class)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if i := slices.IndexFunc(can, func(c able) bool { return c.id == class }); i >= 0 {
		n.class, n.needs = can[i].Class, can[i].needs
	}
	return n, err
}
