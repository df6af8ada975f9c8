package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"reelhouse/core/plan"
	"reelhouse/core/queue"
)

// A Batch is one that was sent. Plan is frozen; its Sequences stand in Sequences here.
type Batch struct {
	ID        int64
	Name      string
	Priority  int
	Sent      time.Time
	Plan      plan.Batch
	Sequences []Sequence
}

// A Sequence is one sequence of a sent batch.
type Sequence struct {
	ID      int64
	BatchID int64
	Ordinal int
	Spec    plan.Sequence
	Counts  queue.Counts
	Seconds float64 // sum over good frames
	Bytes   int64
}

// Counts adds up the sequences.
func (b Batch) Counts() queue.Counts {
	sum := queue.Counts{}
	for _, s := range b.Sequences {
		for state, n := range s.Counts {
			sum[state] += n
		}
	}
	return sum
}

// MeanSeconds returns how long a good frame of the batch took, 0 if there is none.
func (b Batch) MeanSeconds() float64 {
	seconds, good := 0.0, 0
	for _, s := range b.Sequences {
		seconds += s.Seconds
		good += s.Counts[queue.Good]
	}
	return seconds / float64(max(1, good))
}

// Bytes returns the size of the batch's good files.
func (b Batch) Bytes() int64 {
	var n int64
	for _, s := range b.Sequences {
		n += s.Bytes
	}
	return n
}

// Send puts a batch into the queue, all of it or nothing. It refuses paths that an earlier batch has.
func (s *Store) Send(b plan.Batch, name string, priority int) (int64, error) {
	var id int64
	err := s.change(func(tx *sql.Tx) error {
		frozen := b
		frozen.Sequences = nil
		document, err := json.Marshal(frozen)
		if err != nil {
			return err
		}
		result, err := tx.Exec("INSERT INTO batch (production, name, priority, sent_at, plan) VALUES (?, ?, ?, ?, ?)", b.Production, name, priority, now(), string(document))
		if err != nil {
			return err
		}
		if id, err = result.LastInsertId(); err != nil {
			return err
		}
		insert, err := tx.Prepare("INSERT INTO frame (sequence_id, number, state) VALUES (?, ?, 'ready')")
		if err != nil {
			return err
		}
		defer insert.Close()
		for i, sequence := range b.Sequences {
			if err := sendSequence(tx, insert, id, i, sequence, b); err != nil {
				return fmt.Errorf("sequence %s: %w", sequence.Title(), err)
			}
		}
		return nil
	})
	return id, err
}

func sendSequence(tx *sql.Tx, insert *sql.Stmt, batch int64, ordinal int, sequence plan.Sequence, b plan.Batch) error {
	spec, err := json.Marshal(sequence)
	if err != nil {
		return err
	}
	result, err := tx.Exec("INSERT INTO sequence (batch_id, ordinal, spec, megasamples, modelled, ready) VALUES (?, ?, ?, ?, ?, ?)",
		batch, ordinal, string(spec), sequence.Megasamples(b.QualityOf(sequence)), sequence.Modelled(), sequence.Frames.Count())
	if err != nil {
		return err
	}
	id, err := result.LastInsertId()
	if err != nil {
		return err
	}
	for _, f := range sequence.Files {
		if by, err := taken(tx, f.Path.Key()); err != nil {
			return err
		} else if by != "" {
			return fmt.Errorf("%s was already sent with batch %s", f.Path, by)
		}
		if _, err := tx.Exec("INSERT INTO path VALUES (?, ?)", f.Path.Key(), batch); err != nil {
			return err
		}
	}
	for n := range sequence.Frames.All() {
		if _, err := insert.Exec(id, n); err != nil {
			return err
		}
	}
	return nil
}

// Taken returns the name of the batch that was sent with a path, by its key, or "".
func (s *Store) Taken(key string) (string, error) { return taken(s.read, key) }

func taken(q queryer, key string) (string, error) {
	var name string
	err := q.QueryRow("SELECT b.name FROM path p JOIN batch b ON b.id = p.batch_id WHERE p.key = ?", key).Scan(&name)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return name, err
}

// Batches returns the batches of a production, newest first; "" stands for all productions.
func (s *Store) Batches(production string) ([]Batch, error) {
	return s.batches("WHERE ? IN ('', production)", production)
}

// Batch returns one batch.
func (s *Store) Batch(id int64) (Batch, error) {
	found, err := s.batches("WHERE id = ?", id)
	if err == nil && len(found) == 0 {
		err = fmt.Errorf("batch %d: %w", id, ErrNotFound)
	}
	if err != nil {
		return Batch{}, err
	}
	return found[0], nil
}

func (s *Store) batches(where string, arg any) ([]Batch, error) {
	rows, err := s.read.Query("SELECT id, name, priority, sent_at, plan FROM batch "+where+" ORDER BY id DESC", arg)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var batches []Batch
	for rows.Next() {
		var b Batch
		var sent, document string
		if err := rows.Scan(&b.ID, &b.Name, &b.Priority, &sent, &document); err != nil {
			return nil, err
		}
		b.Sent = when(sent)
		if err := json.Unmarshal([]byte(document), &b.Plan); err != nil {
			return nil, fmt.Errorf("batch %d: %w", b.ID, err)
		}
		batches = append(batches, b)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	for i := range batches {
		if batches[i].Sequences, err = s.sequences("WHERE batch_id = ?", batches[i].ID); err != nil {
			return nil, err
		}
	}
	return batches, nil
}

// Sequence returns one sequence.
func (s *Store) Sequence(id int64) (Sequence, error) {
	found, err := s.sequences("WHERE id = ?", id)
	if err == nil && len(found) == 0 {
		err = fmt.Errorf("sequence %d: %w", id, ErrNotFound)
	}
	if err != nil {
		return Sequence{}, err
	}
	return found[0], nil
}

func (s *Store) sequences(where string, arg any) ([]Sequence, error) {
	rows, err := s.read.Query(`SELECT id, batch_id, ordinal, spec, seconds, bytes,
		blocked, ready, rendering, checking, good, failed, held, dropped FROM sequence `+where+" ORDER BY ordinal", arg)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var sequences []Sequence
	states := []queue.State{queue.Blocked, queue.Ready, queue.Rendering, queue.Checking, queue.Good, queue.Failed, queue.Held, queue.Dropped}
	for rows.Next() {
		q := Sequence{Counts: queue.Counts{}}
		var spec string
		counts := make([]int, len(states))
		into := []any{&q.ID, &q.BatchID, &q.Ordinal, &spec, &q.Seconds, &q.Bytes}
		for i := range counts {
			into = append(into, &counts[i])
		}
		if err := rows.Scan(into...); err != nil {
			return nil, err
		}
		for i, state := range states {
			if counts[i] > 0 {
				q.Counts[state] = counts[i]
			}
		}
		if err := json.Unmarshal([]byte(spec), &q.Spec); err != nil {
			return nil, fmt.Errorf("sequence %d: %w", q.ID, err)
		}
		sequences = append(sequences, q)
	}
	return sequences, rows.Err()
}

// SetPriority changes a batch's place in the queue.
func (s *Store) SetPriority(batch int64, priority int) error {
	return s.change(func(tx *sql.Tx) error {
		result, err := tx.Exec("UPDATE batch SET priority = ? WHERE id = ?", priority, batch)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, fmt.Errorf("batch %d: %w", batch, ErrNotFound))
		}
		return nil
	})
}

// Measure returns what the good frames of a production have cost.
func (s *Store) Measure(production string) (plan.Measure, error) {
	var m plan.Measure
	var seconds, samples, bytes, modelled float64
	err := s.read.QueryRow(`SELECT coalesce(sum(q.good), 0), coalesce(sum(q.seconds), 0), coalesce(sum(q.good * q.megasamples), 0),
		coalesce(sum(q.bytes), 0), coalesce(sum(q.good * q.modelled), 0)
		FROM sequence q JOIN batch b ON b.id = q.batch_id WHERE b.production = ?`, production).Scan(&m.Frames, &seconds, &samples, &bytes, &modelled)
	if err != nil || m.Frames == 0 {
		return plan.Measure{}, err
	}
	m.SecondsPerMegasample, m.BytesPerModelled = seconds/samples, bytes/modelled
	return m, nil
}
