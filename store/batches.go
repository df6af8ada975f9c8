package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"reelhouse/core/fingerprint"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/work"
)

// A Batch is one that was sent. Plan is frozen; its Sequences stand in Sequences here, without follow-ups.
type Batch struct {
	ID       int64
	Name     string
	Priority int
	Sent     time.Time
	Trouble  string // for which its frames were held, "" for none
	Waiting
	Plan      plan.Batch
	Sequences []Sequence // where they were asked for
	// Of all its sequences, how many these are, and over their good frames.
	Sums    queue.Counts
	Parts   int
	Seconds float64 // without follow-ups
	Bytes   int64
	// FollowUps is how many tasks of follow-ups are among the frames that Sums counts.
	FollowUps int
	Followed  int       // how many of these are good
	Archived  time.Time // since when it is out of sight; the zero time if it is not
}

// Waiting is what a batch says of itself, and what it waits for before its first frame.
type Waiting struct {
	Note          string
	Start         time.Time // not before; the zero time for at once
	AfterBatch    int64     // until nothing of that batch is left to do; 0 for none
	AfterSequence int64     // likewise of a sequence
}

// Waits reports whether there is anything to wait for.
func (w Waiting) Waits() bool { return !w.Start.IsZero() || w.AfterBatch != 0 || w.AfterSequence != 0 }

// Sending is how a batch is put into the queue.
type Sending struct {
	Name     string
	Priority int
	Order    plan.Order
	Held     bool // until a person releases it
	// Seen is the number of the newest batch that was known when the plan was made, 0 for none: the plan leaves out
	// what that and older ones have sent. A newer one is a reason not to send. Nil stands for any.
	Seen *int64
	// Renderer is who usually renders here, which counts for fingerprints; Others are the sequences, by their places,
	// that another renderer of the house renders.
	Renderer fingerprint.Renderer
	Others   map[int]fingerprint.Renderer
	// Needs are what all of its tasks need, beside what is usual.
	Needs work.Override
	// FollowUps are made from each of its sequences, in an order in which each comes after what it follows.
	FollowUps []FollowUp
	// Gate lets the first, middle and last frame of each sequence come first, and the others only when these are good.
	Gate bool
	// Answers are the retakes, by their numbers, of which the batch makes the frames again.
	Answers []int64
	Waiting
}

// ErrNewer says that another batch was sent after a plan was made.
var ErrNewer = errors.New("another batch was sent meanwhile; read the sheet again, and send then")

// LastBatch returns the number of the newest batch, 0 for none.
func (s *Store) LastBatch() (int64, error) { return lastBatch(s.read) }

func lastBatch(q queryer) (id int64, err error) {
	err = q.QueryRow("SELECT coalesce(max(id), 0) FROM batch").Scan(&id)
	return id, err
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
	// Processor is the processor time of its good frames, in seconds, and Peak the most memory of one, in bytes.
	Processor float64
	Peak      int64
	// Follows is the sequence whose files a follow-up is made from, 0 for one that is rendered.
	Follows int64
	// Start and AfterBatch are what a follow-up waits for beside its inputs; the zero values for nothing.
	Start      time.Time
	AfterBatch int64
	// AtGate says that it waits until its first, middle and last frame are good.
	AtGate bool
	// Fingerprint is what a frame's follows from; unknown if it was sent before there were any.
	Fingerprint fingerprint.Print
	// Renderer is who that was taken with.
	Renderer fingerprint.Renderer
}

// states are those that a sequence counts, in the order of its columns.
var states = []queue.State{
	queue.Blocked, queue.Ready, queue.Rendering, queue.Checking, queue.Good, queue.Lost, queue.Failed, queue.Held,
	queue.Dropped,
}

// stateColumns are the columns of states.
const stateColumns = "blocked, ready, rendering, checking, good, lost, failed, held, dropped"

// countsOf names the values of stateColumns.
func countsOf(counts []int) queue.Counts {
	c := queue.Counts{}
	for i, state := range states {
		if counts[i] > 0 {
			c[state] = counts[i]
		}
	}
	return c
}

// Finished reports whether all of its frames are good or dropped.
func (b Batch) Finished() bool { return b.Sums[queue.Good]+b.Sums[queue.Dropped] == b.Sums.Total() }

// Away reports whether it was archived, and nothing has been asked of it since.
func (b Batch) Away() bool { return !b.Archived.IsZero() && b.Sums.Left()+b.Sums[queue.Held] == 0 }

// Counts returns how many frames of all sequences are in each state.
func (b Batch) Counts() queue.Counts { return b.Sums }

// Frames returns how many frames it renders.
func (b Batch) Frames() int { return b.Sums.Total() - b.FollowUps }

// GoodFrames returns how many frames that it renders are good.
func (b Batch) GoodFrames() int { return b.Sums[queue.Good] - b.Followed }

// MeanSeconds returns how long a good frame of the batch took, 0 if there is none.
func (b Batch) MeanSeconds() float64 { return b.Seconds / float64(max(1, b.GoodFrames())) }

// Send puts a batch into the queue, all of it or nothing.
func (s *Store) Send(b plan.Batch, how Sending) (int64, error) {
	prints := make([]fingerprint.Print, len(b.Sequences))
	for i, sequence := range b.Sequences {
		r, _ := how.renderer(i)
		prints[i] = b.Fingerprint(sequence, r)
	}
	if err := checkFollowUps(b, how); err != nil {
		return 0, err
	}
	var id int64
	err := s.change(func(tx *writing) error {
		frozen := b
		frozen.Sequences = nil
		document, err := json.Marshal(frozen)
		if err != nil {
			return err
		}
		if last, err := lastBatch(tx); err != nil {
			return err
		} else if how.Seen != nil && last != *how.Seen {
			return ErrNewer
		}
		if err := checkWaiting(tx, how.Waiting); err != nil {
			return err
		}
		for _, f := range how.FollowUps {
			if err := checkWaiting(tx, Waiting{AfterBatch: f.AfterBatch}); err != nil {
				return fmt.Errorf("follow-up %s: %w", f.Kind, err)
			}
		}
		start := int64(0)
		if !how.Start.IsZero() {
			start = how.Start.Unix()
		}
		result, err := tx.Exec(
			"INSERT INTO batch (production, name, priority, sent_at, note, in_waves, start_at, after_batch, "+
				"after_sequence, volume, frame_order) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
			b.Production, how.Name, how.Priority, now(), how.Note, how.Order != plan.InOrder, start,
			how.AfterBatch, how.AfterSequence, b.Volume, how.Order,
		)
		if err != nil {
			return err
		}
		if id, err = result.LastInsertId(); err != nil {
			return err
		}
		if _, err := tx.Exec("INSERT INTO frozen_batch VALUES (?, ?)", id, string(document)); err != nil {
			return err
		}
		state := queue.Ready
		switch {
		case how.Held:
			state = queue.Held
		case how.Waits():
			state = queue.Blocked
		}
		for i := range b.Sequences {
			sequence, err := s.sendSequence(tx, id, i, b, state, prints[i], how)
			if err == nil {
				err = sendFollowUps(tx, id, sequence, b, i, how)
			}
			if err != nil {
				return fmt.Errorf("sequence %s: %w", b.Sequences[i].Title(), err)
			}
		}
		return answer(tx, id, how.Answers)
	})
	return id, err
}

// checkWaiting says why something cannot be waited for, or nil.
func checkWaiting(tx *writing, w Waiting) error {
	for _, other := range []struct {
		what, table string
		id          int64
	}{{"batch", "batch", w.AfterBatch}, {"sequence", "sequence", w.AfterSequence}} {
		var n int
		if other.id == 0 {
			continue
		}
		if err := tx.QueryRow("SELECT count(*) FROM "+other.table+" WHERE id = ?", other.id).Scan(&n); err != nil {
			return err
		}
		if n == 0 {
			return fmt.Errorf("%s %d, which is to be waited for: %w", other.what, other.id, ErrNotFound)
		}
	}
	return nil
}

// renderer returns who renders the sequence of a place, and the renderer of its class.
func (how Sending) renderer(ordinal int) (r fingerprint.Renderer, class string) {
	if r, other := how.Others[ordinal]; other {
		return r, r.Name
	}
	return how.Renderer, ""
}

// sendSequence puts a sequence into the queue. All of its frames are fresh, and the first ones have the first wave.
func (s *Store) sendSequence(
	tx *writing, batch int64, ordinal int, b plan.Batch, state queue.State, print fingerprint.Print, how Sending,
) (id int64, err error) {
	sequence := b.Sequences[ordinal]
	r, class := how.renderer(ordinal)
	renderer, err := json.Marshal(r)
	if err != nil {
		return 0, err
	}
	classID, err := classOf(tx, work.Class{Kind: work.Render, Renderer: class, Override: how.Needs})
	if err != nil {
		return 0, err
	}
	spec, err := json.Marshal(sequence)
	if err != nil {
		return 0, err
	}
	frames := sequence.Frames.Count()
	result, err := tx.Exec(
		`INSERT INTO sequence (batch_id, ordinal, shot, view, size, frames, megasamples, modelled, tiles, promised,
			fingerprint, renderer, class_id, forecast, fresh, fresh_state, `+string(state)+`)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		batch,
		ordinal,
		sequence.Shot,
		sequence.View,
		sequence.SizeCode,
		sequence.Frames.String(),
		b.Samples(sequence)*sequence.RenderedShare(),
		b.Modelled(sequence),
		b.TileCount(sequence),
		len(sequence.Files),
		print,
		string(renderer),
		classID,
		sequence.FrameSeconds,
		frames,
		state,
		frames,
	)
	if err != nil {
		return 0, err
	}
	id, err = result.LastInsertId()
	if err != nil {
		return 0, err
	}
	if _, err := tx.Exec("INSERT INTO frozen_sequence VALUES (?, ?)", id, string(spec)); err != nil {
		return 0, err
	}
	for _, f := range sequence.Files {
		if _, err := tx.Exec("INSERT INTO sent_path VALUES (?, ?)", f.Path.Key(), id); err != nil {
			return 0, err
		}
	}
	if how.Gate {
		err = s.closeGate(tx, id, state)
	}
	return id, err
}

// keysAtOnce is how many paths are looked for in one query.
const keysAtOnce = 500

// SentUnder returns the numbers of the sequences that were sent with paths, by the paths' keys; keys that were never
// sent are left out.
func (s *Store) SentUnder(keys []string) (map[string][]int64, error) {
	found := map[string][]int64{}
	for chunk := range slices.Chunk(keys, keysAtOnce) {
		args := make([]any, len(chunk))
		for i, key := range chunk {
			args[i] = key
		}
		rows, err := s.read.Query(
			"SELECT key, sequence_id FROM sent_path WHERE key IN (?"+strings.Repeat(
				", ?", len(chunk)-1,
			)+") ORDER BY sequence_id",
			args...)
		if err != nil {
			return nil, err
		}
		for rows.Next() {
			var key string
			var id int64
			if err := rows.Scan(&key, &id); err != nil {
				rows.Close()
				return nil, err
			}
			found[key] = append(found[key], id)
		}
		if err := errors.Join(rows.Err(), rows.Close()); err != nil {
			return nil, err
		}
	}
	return found, nil
}

// MostPriority is how high, or low, a priority may be.
const MostPriority = 100

// Queued returns the batches of all productions in the order of their turns, without their sequences: those that are
// not finished, or all. A batch is finished when all of its frames are good or dropped.
func (s *Store) Queued(finished bool) ([]Batch, error) {
	where := "WHERE ? AND blocked + ready + rendering + checking + lost + failed + held > 0"
	if finished {
		where = "WHERE ?"
	}
	all, err := s.batchesAlone(where, true)
	slices.SortFunc(all, func(a, b Batch) int {
		return queue.Turn{Priority: a.Priority, Batch: a.ID}.Compare(queue.Turn{Priority: b.Priority, Batch: b.ID})
	})
	return all, err
}

// BatchesAt returns the batches that a node is at.
func (s *Store) BatchesAt(node string) (map[int64]bool, error) {
	ids, err := column[int64](
		s.read,
		"SELECT DISTINCT q.batch_id FROM sequence q JOIN lease l ON l.sequence_id = q.id "+
			"WHERE l.node = ?",
		node,
	)
	all := map[int64]bool{}
	for _, id := range ids {
		all[id] = true
	}
	return all, err
}

// SequencesToShow returns at most so many sequences of a batch, in their order: those where something is happening or
// went wrong before those that are not done, and these before the others.
func (s *Store) SequencesToShow(batch int64, most int) ([]Sequence, error) {
	return s.sequences(`WHERE id IN (SELECT id FROM sequence WHERE batch_id = ? AND follows = 0 ORDER BY CASE
			WHEN failed + lost + rendering + checking > 0 THEN 0
			WHEN blocked + ready + held > 0 THEN 1 ELSE 2 END, ordinal LIMIT ?)`, batch, most)
}

// ofSource is a condition for follow-ups of a batch, and of one sequence, or of that follow-up alone; 0 for all.
const ofSource = "batch_id = ?1 AND follows > 0 AND (?2 = 0 OR follows = ?2 OR id = ?2)"

// FollowUpsToShow returns at most so many follow-ups of a batch, or of one of its sequences, in the order of
// SequencesToShow.
func (s *Store) FollowUpsToShow(batch int64, most int, of int64) ([]Sequence, error) {
	return s.sequences(`WHERE id IN (SELECT id FROM sequence WHERE `+ofSource+` ORDER BY CASE
			WHEN failed + lost + rendering + checking > 0 THEN 0
			WHEN blocked + ready + held > 0 THEN 1 ELSE 2 END, ordinal LIMIT ?3)`, batch, of, most)
}

// CountFollowUps returns how many follow-ups there are in a batch, or of one of its sequences.
func (s *Store) CountFollowUps(batch, of int64) (n int, err error) {
	err = s.read.QueryRow("SELECT count(*) FROM sequence WHERE "+ofSource, batch, of).Scan(&n)
	return n, err
}

// BatchesOfKind returns the batches that have tasks of a kind of work; render stands for what is rendered.
func (s *Store) BatchesOfKind(kind string) (map[int64]bool, error) {
	if kind == string(work.Render) {
		kind = ""
	}
	ids, err := column[int64](s.read, "SELECT DISTINCT batch_id FROM sequence WHERE task = ?", kind)
	all := map[int64]bool{}
	for _, id := range ids {
		all[id] = true
	}
	return all, err
}

// Kinds returns the kinds of follow-ups that any batch has.
func (s *Store) Kinds() ([]string, error) {
	return column[string](s.read, "SELECT DISTINCT task FROM sequence WHERE follows > 0 ORDER BY 1")
}

// NewestGood returns the newest sequence of a shot's view in a production that has good frames, false if there is none.
func (s *Store) NewestGood(production, shot, view string) (id int64, known bool, err error) {
	err = s.read.QueryRow(`SELECT q.id FROM sequence q JOIN batch b ON b.id = q.batch_id
		WHERE q.shot = ? AND q.view = ? AND q.good > 0 AND q.follows = 0
			AND b.production = ? COLLATE NOCASE ORDER BY b.id DESC, q.ordinal
		LIMIT 1`, shot, view, production).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, false, nil
	}
	return id, err == nil, err
}

// Backlog returns the seconds of work that the queue has, frames one after the other, as they were planned.
func (s *Store) Backlog() (seconds float64, err error) {
	err = s.read.QueryRow(`SELECT coalesce(sum((q.blocked + q.ready + q.rendering + q.checking) * q.forecast), 0)
		FROM batch b JOIN sequence q ON q.batch_id = b.id WHERE b.blocked + b.ready + b.rendering + b.checking > 0`).
		Scan(&seconds)
	return seconds, err
}

// ofProduction is a condition for the batches of a production, which is its argument; "" stands for all.
func ofProduction(code string) string {
	if code == "" {
		return "WHERE ? = ''"
	}
	return "WHERE production = ? COLLATE NOCASE"
}

// BatchesAlone returns the batches of a production without their sequences, newest first; "" stands for all
// productions.
func (s *Store) BatchesAlone(production string) ([]Batch, error) {
	return s.batchesAlone(ofProduction(production), production)
}

// Batches returns the batches of a production, newest first; "" stands for all productions.
func (s *Store) Batches(production string) ([]Batch, error) {
	return s.batches(ofProduction(production), production)
}

// Batch returns one batch.
func (s *Store) Batch(id int64) (Batch, error) {
	b, err := s.BatchAlone(id)
	if err == nil {
		b.Sequences, err = s.sequences("WHERE follows = 0 AND batch_id = ?", id)
	}
	return b, err
}

// BatchAlone returns one batch without its sequences, of which there may be thousands.
func (s *Store) BatchAlone(id int64) (Batch, error) {
	found, err := s.batchesAlone("WHERE id = ?", id)
	if err == nil && len(found) == 0 {
		err = fmt.Errorf("batch %d: %w", id, ErrNotFound)
	}
	if err != nil {
		return Batch{}, err
	}
	return found[0], nil
}

func (s *Store) batches(where string, arg any) ([]Batch, error) {
	batches, err := s.batchesAlone(where, arg)
	if err != nil {
		return nil, err
	}
	for i := range batches {
		if batches[i].Sequences, err = s.sequences("WHERE follows = 0 AND batch_id = ?", batches[i].ID); err != nil {
			return nil, err
		}
	}
	return batches, nil
}

func (s *Store) batchesAlone(where string, arg any) ([]Batch, error) {
	rows, err := s.read.Query(
		"SELECT id, name, priority, sent_at, note, start_at, after_batch, after_sequence, trouble, sequences, "+
			"seconds, bytes, follow_ups, followed, archived_at, "+stateColumns+" FROM batch "+where+" ORDER BY id DESC",
		arg,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var batches []Batch
	for rows.Next() {
		var b Batch
		var sent, archived string
		var start int64
		counts := make([]int, len(states))
		into := []any{&b.ID, &b.Name, &b.Priority, &sent, &b.Note, &start, &b.AfterBatch, &b.AfterSequence,
			&b.Trouble, &b.Parts, &b.Seconds, &b.Bytes, &b.FollowUps, &b.Followed, &archived}
		for i := range counts {
			into = append(into, &counts[i])
		}
		if err := rows.Scan(into...); err != nil {
			return nil, err
		}
		b.Sums = countsOf(counts)
		b.Sent, b.Archived = when(sent), when(archived)
		if start != 0 {
			b.Start = time.Unix(start, 0).UTC()
		}
		batches = append(batches, b)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return nil, err
	}
	for i := range batches {
		if batches[i].Plan, err = s.planOf(batches[i].ID); err != nil {
			return nil, err
		}
	}
	return batches, nil
}

// planOf returns what was frozen of a batch, without its sequences. It is read from the record once, and shared.
func (s *Store) planOf(batch int64) (b plan.Batch, err error) {
	if b, known := s.plans.Get(batch); known {
		return b, nil
	}
	var text string
	if err := s.read.QueryRow("SELECT plan FROM frozen_batch WHERE batch_id = ?", batch).Scan(&text); err != nil {
		return b, fmt.Errorf("batch %d: %w", batch, err)
	}
	if err := json.Unmarshal([]byte(text), &b); err != nil {
		return b, fmt.Errorf("batch %d: %w", batch, err)
	}
	s.plans.Add(batch, b)
	return b, nil
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

// sequences returns sequences in order. What is frozen of them is read from the record once, and shared: nobody changes
// it.
func (s *Store) sequences(where string, args ...any) ([]Sequence, error) {
	rows, err := s.read.Query(
		"SELECT id, batch_id, ordinal, seconds, bytes, processor, peak, fingerprint, renderer, follows, start_at, "+
			"after_batch, gate = 1, "+stateColumns+
			" FROM sequence "+where+" ORDER BY ordinal",
		args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var sequences []Sequence
	for rows.Next() {
		var q Sequence
		counts := make([]int, len(states))
		var renderer string
		var start int64
		into := []any{
			&q.ID,
			&q.BatchID,
			&q.Ordinal,
			&q.Seconds,
			&q.Bytes,
			&q.Processor,
			&q.Peak,
			&q.Fingerprint,
			&renderer,
			&q.Follows,
			&start,
			&q.AfterBatch,
			&q.AtGate,
		}
		for i := range counts {
			into = append(into, &counts[i])
		}
		if err := rows.Scan(into...); err != nil {
			return nil, err
		}
		if q.Renderer, err = readRenderer(q.ID, renderer); err != nil {
			return nil, err
		}
		if start != 0 {
			q.Start = time.Unix(start, 0).UTC()
		}
		q.Counts = countsOf(counts)
		sequences = append(sequences, q)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return nil, err
	}
	for i := range sequences {
		if sequences[i].Spec, err = s.spec(sequences[i].ID); err != nil {
			return nil, err
		}
	}
	return sequences, nil
}

// mostSpecs is how many sequences are kept in memory as they were sent: those of two long films.
const mostSpecs = 20_000

// spec returns a sequence as it was sent.
func (s *Store) spec(id int64) (plan.Sequence, error) {
	s.mutex.Lock()
	kept, known := s.specs[id]
	s.mutex.Unlock()
	if known {
		return kept, nil
	}
	kept, err := readSpec(s.read, id)
	if err != nil {
		return kept, err
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if len(s.specs) >= mostSpecs {
		clear(s.specs)
	}
	s.specs[id] = kept
	return kept, nil
}

func readSpec(q queryer, id int64) (spec plan.Sequence, err error) {
	var text string
	err = q.QueryRow("SELECT spec FROM frozen_sequence WHERE sequence_id = ?", id).Scan(&text)
	if err == nil {
		err = json.Unmarshal([]byte(text), &spec)
	}
	if err != nil {
		err = fmt.Errorf("sequence %d: %w", id, err)
	}
	return spec, err
}

// SetPriority changes a batch's place in the queue.
func (s *Store) SetPriority(batch int64, priority int) error {
	return s.change(func(tx *writing) error {
		result, err := tx.Exec("UPDATE batch SET priority = ? WHERE id = ?", priority, batch)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, fmt.Errorf("batch %d: %w", batch, ErrNotFound))
		}
		return hasChanged(tx)
	})
}
