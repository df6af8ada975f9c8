package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"reelhouse/core/fingerprint"
	"reelhouse/core/frame"
	"reelhouse/core/job"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/work"
)

// A FollowUp is what is to be made from the files of each sequence of a batch that is sent.
type FollowUp struct {
	plan.FollowUp
	Start      time.Time // not before; the zero time for as soon as its inputs are good
	AfterBatch int64     // nor before nothing of that batch is left to do; 0 for none
	Held       bool      // until a person releases it
}

// FollowUps returns the kinds of follow-ups that the house has, as its server has said them; none before it first did.
func (s *Store) FollowUps() ([]work.Following, error) {
	texts, err := column[string](s.read, "SELECT document FROM offered_follow_up ORDER BY kind")
	if err != nil {
		return nil, err
	}
	all := make([]work.Following, len(texts))
	for i, text := range texts {
		if err := json.Unmarshal([]byte(text), &all[i]); err != nil {
			return nil, fmt.Errorf("kind of follow-up %d: %w", i+1, err)
		}
	}
	return all, nil
}

// SetFollowUps notes which kinds of follow-ups the house has. What was made by another version of a program than it has
// now is out of date. It returns how many frames of follow-ups that are.
func (s *Store) SetFollowUps(all []work.Following) (outdated int, err error) {
	err = s.change(func(tx *writing) error {
		if _, err := tx.Exec("DELETE FROM offered_follow_up"); err != nil {
			return err
		}
		for _, f := range all {
			text, err := json.Marshal(f)
			if err != nil {
				return err
			}
			if _, err := tx.Exec("INSERT INTO offered_follow_up VALUES (?, ?)", f.Kind, string(text)); err != nil {
				return err
			}
			n, err := outdateBy(tx, f)
			if err != nil {
				return err
			}
			outdated += n
		}
		return nil
	})
	return outdated, err
}

// outdateBy marks what was made by another program, or version, than a kind has now.
func outdateBy(tx *writing, f work.Following) (int, error) {
	program, err := json.Marshal(f.Program)
	if err != nil {
		return 0, err
	}
	result, err := tx.Exec(`UPDATE frame SET reason = ? WHERE state = 'good' AND reason = ''
		AND sequence_id IN (SELECT id FROM sequence WHERE follows > 0 AND class_id IN (SELECT id FROM
			class WHERE kind = ?))
		AND EXISTS (SELECT 1 FROM made_from m WHERE m.sequence_id = frame.sequence_id AND m.number = frame.number
			AND m.program <> ?)`,
		OutOfDate+"its program has another version now", f.Kind, string(program))
	if err != nil {
		return 0, err
	}
	n, err := result.RowsAffected()
	return int(n), err
}

// OutOfDate begins the reason of a good frame of a follow-up that would be made from other files now, or by another
// version of its program.
const OutOfDate = "out of date: "

// checkFollowUps says why a follow-up can be made from no sequence of a batch, nil if each can from one.
func checkFollowUps(b plan.Batch, how Sending) error {
	for _, f := range how.FollowUps {
		if !f.Pictures() {
			continue
		}
		var none error
		for _, of := range b.Sequences {
			var lacking *plan.LackingError
			if _, none = f.Sequence(b, 0, of); !errors.As(none, &lacking) {
				break
			}
		}
		if none != nil {
			return fmt.Errorf("follow-up %s: %w", f.Kind, none)
		}
	}
	return nil
}

// sendFollowUps puts follow-ups of a sequence into the queue.
func sendFollowUps(tx *writing, batch, source int64, b plan.Batch, ordinal int, how Sending) error {
	of := b.Sequences[ordinal]
	ids := map[string]int64{"": source}
	for i, f := range how.FollowUps {
		spec, err := f.Sequence(b, batch, of)
		var lacking *plan.LackingError
		if errors.As(err, &lacking) {
			continue // it is made of the others; see checkFollowUps
		} else if err != nil {
			return err
		}
		state := queue.Blocked
		if f.Held || how.Held {
			state = queue.Held
		}
		class := work.Class{Kind: work.Kind(f.Work())}
		// What follows comes before further frames of the batch: what is begun is finished wholly.
		place := (ordinal-len(b.Sequences))*len(how.FollowUps) + i
		id, err := insertFollowUp(tx, batch, place, ids[f.Follows], spec, state, class, f)
		if err != nil {
			return err
		}
		ids[f.Kind] = id
	}
	return nil
}

func insertFollowUp(
	tx *writing, batch int64, ordinal int, follows int64, spec plan.Sequence, state queue.State, class work.Class,
	how FollowUp,
) (id int64, err error) {
	text, err := json.Marshal(spec)
	if err != nil {
		return 0, err
	}
	classID, err := classOf(tx, class)
	if err != nil {
		return 0, err
	}
	start := int64(0)
	if !how.Start.IsZero() {
		start = how.Start.Unix()
	}
	frames := spec.Frames.Count()
	result, err := tx.Exec(
		`INSERT INTO sequence (batch_id, ordinal, shot, view, size, frames, megasamples, modelled, tiles,
			promised, fingerprint, renderer, class_id, fresh, fresh_state, follows, task, by_frame, start_at,
			after_batch, `+string(state)+`) VALUES (?, ?, ?, ?, ?, ?, 0, 0, 0, ?, '', '', ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		batch,
		ordinal,
		spec.Shot,
		spec.View,
		spec.SizeCode,
		spec.Frames.String(),
		len(spec.Files),
		classID,
		frames,
		state,
		follows,
		spec.FollowUp.Kind,
		spec.FollowUp.ByFrame,
		start,
		how.AfterBatch,
		frames,
	)
	if err != nil {
		return 0, err
	}
	if id, err = result.LastInsertId(); err != nil {
		return 0, err
	}
	_, err = tx.Exec("INSERT INTO frozen_sequence VALUES (?, ?)", id, string(text))
	return id, err
}

// FollowUpsOf returns the follow-ups of a batch, in the order of what they follow.
func (s *Store) FollowUpsOf(batch int64) ([]Sequence, error) {
	return s.sequences("WHERE follows > 0 AND batch_id = ?", batch)
}

// Followed returns the sequence whose files a follow-up is made from.
func (s *Store) Followed(q Sequence) (Sequence, error) { return s.Sequence(q.Follows) }

// InputsOf returns the files that a frame of a follow-up is made from, as they are recorded, in the order of their
// frames: those of the frame, or of all frames that are good.
func (s *Store) InputsOf(q Sequence, number int) ([]job.Input, error) {
	return inputsOf(s.read, q.ID, number)
}

func inputsOf(q queryer, followUp int64, number int) ([]job.Input, error) {
	rows, err := q.Query(`SELECT i.number, i.path, i.bytes, i.sha256 FROM sequence u
			JOIN frame f ON f.sequence_id = u.follows AND f.state = 'good' AND (u.by_frame = 0 OR f.number = ?)
			JOIN file i ON i.sequence_id = f.sequence_id AND i.number = f.number
		WHERE u.id = ? ORDER BY i.number, i.path`, number, followUp)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []job.Input
	for rows.Next() {
		var in job.Input
		if err := rows.Scan(&in.Frame, &in.Name, &in.Bytes, &in.SHA256); err != nil {
			return nil, err
		}
		all = append(all, in)
	}
	return all, rows.Err()
}

// OrderOf returns the order for a frame of a follow-up, without the paths of this machine.
func (s *Store) OrderOf(b Batch, q Sequence, number int) (job.FollowUp, error) {
	inputs, err := s.InputsOf(q, number)
	return orderOf(b.Plan, b.ID, q.Spec, inputs), err
}

func orderOf(b plan.Batch, id int64, spec plan.Sequence, inputs []job.Input) job.FollowUp {
	order := job.FollowUp{
		Version: job.Version, Kind: spec.FollowUp.Kind, Parameters: spec.FollowUp.Parameters, Inputs: inputs,
		Matte: spec.FollowUp.Matte, Grade: spec.FollowUp.Grade,
		About: job.About{
			Production: b.Production, Batch: id, Shot: spec.Shot, View: spec.View, Size: spec.SizeCode,
			Version: b.VersionOf(spec), Rate: b.Rate,
		},
	}
	var numbers []int
	for i, in := range inputs {
		if i == 0 || inputs[i-1].Frame != in.Frame {
			numbers = append(numbers, in.Frame)
		}
	}
	order.About.Frames = frame.SetOf(numbers)
	for _, extension := range spec.FollowUp.Extensions {
		order.Outputs = append(order.Outputs, job.Output{Extension: extension})
	}
	return order
}

// MadeFrom returns the fingerprint of a frame of a follow-up as it was made, "" if it was not.
func (s *Store) MadeFrom(sequence int64, number int) (fingerprint.Print, error) {
	var inputs fingerprint.Print
	var text string
	err := s.read.QueryRow("SELECT inputs, program FROM made_from WHERE sequence_id = ? AND number = ?", sequence,
		number).Scan(&inputs, &text)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	} else if err != nil {
		return "", err
	}
	var program fingerprint.Renderer
	if err := json.Unmarshal([]byte(text), &program); err != nil {
		return "", err
	}
	return inputs.MadeBy(program), nil
}

// keepMade notes what a frame of a follow-up was made from.
func keepMade(tx *writing, l *Lease) error {
	if l.Made == nil {
		return nil
	}
	program, err := json.Marshal(l.Made.Program)
	if err != nil {
		return err
	}
	_, err = tx.Exec("INSERT OR REPLACE INTO made_from VALUES (?, ?, ?, ?)", l.SequenceID, l.Number, l.Made.Inputs,
		string(program))
	return err
}

// Made is what a frame of a follow-up is made from, and by whom.
type Made struct {
	Inputs  fingerprint.Print
	Program fingerprint.Renderer
}

// A follower is a follow-up of a sequence.
type follower struct {
	id      int64
	byFrame bool
}

func followersOf(tx *writing, sequence int64) ([]follower, error) {
	rows, err := tx.Query("SELECT id, by_frame FROM sequence WHERE follows = ? AND follows > 0", sequence)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []follower
	for rows.Next() {
		var f follower
		if err := rows.Scan(&f.id, &f.byFrame); err != nil {
			return nil, err
		}
		all = append(all, f)
	}
	return all, rows.Err()
}

// outdate marks the frames of a follow-up as out of date that would be made from other files, now that a frame of what
// it follows has come out.
func (s *Store) outdate(tx *writing, f follower, number int) error {
	where, args := "sequence_id = ? AND state = 'good' AND reason = ''", []any{f.id}
	if f.byFrame {
		where, args = where+" AND number = ?", append(args, number)
	}
	where += " AND sequence_id IN (SELECT id FROM sequence WHERE task <> 'repeat')"
	good, err := frames(tx, "WHERE "+where, args...)
	if err != nil || len(good) == 0 {
		return err
	}
	for _, g := range good {
		print, err := s.inputPrint(tx, f.id, g.Number)
		if err != nil {
			return err
		}
		_, err = tx.Exec(`UPDATE frame SET reason = ? WHERE sequence_id = ? AND number = ? AND EXISTS (SELECT 1
			FROM made_from m WHERE m.sequence_id = frame.sequence_id AND m.number = frame.number AND m.inputs <> ?)`,
			fmt.Sprintf("%sframe %d was made again since, and came out otherwise", OutOfDate, number), f.id, g.Number,
			print)
		if err != nil {
			return err
		}
	}
	return nil
}

// overtaken marks a frame of a follow-up as out of date of which an input was lost, or made again, while it was made.
func (s *Store) overtaken(tx *writing, l *Lease) error {
	now, err := s.inputPrint(tx, l.SequenceID, l.Number)
	if err != nil || now == l.Made.Inputs {
		return err
	}
	_, err = tx.Exec("UPDATE frame SET reason = ? WHERE sequence_id = ? AND number = ?",
		OutOfDate+"an input has changed while it was made", l.SequenceID, l.Number)
	return err
}

// inputPrint returns the fingerprint of what a frame of a follow-up would be made from now.
func (s *Store) inputPrint(tx *writing, followUp int64, number int) (fingerprint.Print, error) {
	inputs, err := inputsOf(tx, followUp, number)
	if err != nil {
		return "", err
	}
	spec, err := s.spec(followUp)
	if err != nil {
		return "", err
	}
	var batch int64
	if err := tx.QueryRow("SELECT batch_id FROM sequence WHERE id = ?", followUp).Scan(&batch); err != nil {
		return "", err
	}
	b, err := s.planOf(batch)
	return fingerprint.OfInputs(orderOf(b, batch, spec, inputs)), err
}

// MakeAgain lets good frames of follow-ups be made once more: all that are out of date, or, of a scope of one frame or
// if everything is asked for, those that are not, too. It returns how many there are.
func (s *Store) MakeAgain(scope Scope, everything bool) (changed int, err error) {
	err = s.change(func(tx *writing) error {
		if _, _, err := scope.batchIn(tx); err != nil {
			return err
		}
		if changed, err = makeAgain(tx, scope, everything || scope.Frame != nil); err != nil {
			return err
		}
		return waitAgain(tx, scope)
	})
	if err == nil && changed == 0 {
		err = fmt.Errorf("%w: no follow-up here is out of date", ErrNothing)
	}
	return changed, err
}

func makeAgain(tx *writing, scope Scope, everything bool) (int, error) {
	where, of := scope.where()
	if !everything {
		where += " AND reason <> ''"
	}
	to, err := queue.Good.Next(queue.Outdone)
	if err != nil {
		return 0, err
	}
	result, err := tx.Exec(
		"UPDATE frame SET state = ?, attempts = 0, reason = '', lease = 0 WHERE state = 'good' AND "+
			"sequence_id IN (SELECT id FROM sequence WHERE follows > 0) AND "+where,
		append([]any{to}, of...)...)
	if err != nil {
		return 0, err
	}
	n, err := result.RowsAffected()
	return int(n), err
}

// Repeat lets good frames of a rendered sequence be rendered once more, to see that the same comes out: the files that
// are there stay, whatever that is. Of frames of which that was asked for before it is done again. It returns how many
// there are.
func (s *Store) Repeat(sequence int64, numbers frame.Set) (changed int, err error) {
	q, err := s.Sequence(sequence)
	if err != nil {
		return 0, err
	}
	if q.Follows != 0 {
		return 0, fmt.Errorf("sequence %d is a follow-up, and not rendered", sequence)
	}
	b, err := s.BatchAlone(q.BatchID)
	if err != nil {
		return 0, err
	}
	class, err := s.ClassOf(sequence)
	if err != nil {
		return 0, err
	}
	class.Kind = work.Repeat
	err = s.change(func(tx *writing) error {
		good, err := column[int](
			tx,
			"SELECT number FROM frame WHERE state = 'good' AND sequence_id = ? ORDER BY number",
			sequence,
		)
		if err != nil {
			return err
		}
		rendered := q.Spec.Rendered() // what was taken over was rendered as another version
		good = slices.DeleteFunc(good, func(n int) bool { return !numbers.Contains(n) || !rendered.Contains(n) })
		if len(good) == 0 {
			return fmt.Errorf(
				"%w: only good frames that were rendered here are rendered again to be compared, and there are none",
				ErrNothing,
			)
		}
		id, err := s.repeatOf(tx, b, q, class)
		if err != nil {
			return err
		}
		changed, err = s.repeatFrames(tx, id, good)
		return err
	})
	return changed, err
}

// repeatOf returns the follow-up that repeats a sequence, which is made if there is none.
func (s *Store) repeatOf(tx *writing, b Batch, q Sequence, class work.Class) (id int64, err error) {
	err = tx.QueryRow("SELECT id FROM sequence WHERE follows = ? AND task = ?", q.ID, work.Repeat).Scan(&id)
	if !errors.Is(err, sql.ErrNoRows) {
		return id, err
	}
	follow := plan.FollowUp{Kind: string(work.Repeat), ByFrame: true, Extensions: []string{"json"}}
	spec, err := follow.Sequence(b.Plan, b.ID, q.Spec)
	if err != nil {
		return 0, err
	}
	// None of its frames is fresh: those that are asked for get rows, and it has no others.
	spec.Frames, spec.Own = frame.Set{}, frame.Set{}
	place, err := placeBefore(tx, b.ID)
	if err != nil {
		return 0, err
	}
	return insertFollowUp(tx, b.ID, place, q.ID, spec, queue.Blocked, class, FollowUp{})
}

// repeatFrames lets frames of a repetition begin.
func (s *Store) repeatFrames(tx *writing, id int64, numbers []int) (changed int, err error) {
	var text string
	if err := tx.QueryRow("SELECT frames FROM sequence WHERE id = ?", id).Scan(&text); err != nil {
		return 0, err
	}
	var known frame.Set
	if text != "" {
		if known, err = frame.Parse(text); err != nil {
			return 0, err
		}
	}
	var added []int
	for _, n := range numbers {
		if known.Contains(n) {
			result, err := tx.Exec(`UPDATE frame SET state = 'ready', attempts = 0, reason = '', lease = 0
				WHERE sequence_id = ? AND number = ? AND state IN ('good', 'failed', 'lost', 'held', 'dropped')`, id, n)
			if err != nil {
				return 0, err
			}
			again, err := result.RowsAffected()
			if err != nil {
				return 0, err
			}
			changed += int(again)
			continue
		}
		if _, err := tx.Exec("INSERT INTO frame (sequence_id, number, state, wave, turn) VALUES (?, ?, 'ready', 0, ?)",
			id, n, n); err != nil {
			return 0, err
		}
		added = append(added, n)
	}
	if len(added) > 0 {
		if known, err = frame.Union(known, frame.SetOf(added)); err != nil {
			return 0, err
		}
		_, err = tx.Exec(
			"UPDATE sequence SET frames = ?, ready = ready + ? WHERE id = ?",
			known.String(),
			len(added),
			id,
		)
		if err == nil {
			_, err = tx.Exec(
				"UPDATE batch SET follow_ups = follow_ups + ? WHERE id = (SELECT batch_id FROM sequence "+
					"WHERE id = ?)",
				len(added),
				id,
			)
		}
	}
	return changed + len(added), errors.Join(err, hasChanged(tx))
}
