package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"reelhouse/core/difference"
	"reelhouse/core/production"
)

// wholeEvery is how many revisions there are to a whole document, so that none is far away from one.
const wholeEvery = 64

// An Entry is a revision in the history, without its document.
type Entry struct {
	Number   int
	Summary  string
	Command  string
	Author   Author
	Saved    time.Time
	Concerns int  // the revision that it undoes or does again, 0 for none
	Undoes   bool // that revision
	Undone   bool // by a later one
}

const entryColumns = `h.number, h.summary, h.command, h.author, h.author_key, h.saved_at, h.concerns, h.undoes,
	coalesce((SELECT u.undoes FROM history u WHERE u.production_id = h.production_id AND u.concerns = h.number
		ORDER BY u.number DESC LIMIT 1), 0)`

func scanEntry(row interface{ Scan(...any) error }) (Entry, error) {
	var e Entry
	var saved string
	err := row.Scan(
		&e.Number, &e.Summary, &e.Command, &e.Author.Name, &e.Author.Key, &saved, &e.Concerns, &e.Undoes, &e.Undone,
	)
	e.Saved = when(saved)
	return e, err
}

// History returns at most so many entries of a production's history, the latest first, beginning before a number; 0 for
// the last one.
func (s *Store) History(code string, before, most int) ([]Entry, error) {
	rows, err := s.read.Query(`SELECT `+entryColumns+` FROM history h JOIN production p ON p.id = h.production_id
		WHERE p.code = ? AND (?2 = 0 OR h.number < ?2) ORDER BY h.number DESC LIMIT ?3`, code, before, most)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Entry
	for rows.Next() {
		e, err := scanEntry(rows)
		if err != nil {
			return nil, err
		}
		all = append(all, e)
	}
	return all, rows.Err()
}

// At returns a production as it was at a revision.
func (s *Store) At(code string, number int) (production.Production, error) {
	var id int64
	err := s.read.QueryRow("SELECT id FROM production WHERE code = ?", code).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return production.Production{}, fmt.Errorf("production %s: %w", code, ErrNotFound)
	} else if err != nil {
		return production.Production{}, err
	}
	return s.at(s.read, id, number)
}

func (s *Store) at(q queryer, id int64, number int) (production.Production, error) {
	place := documentKey{id, number}
	if d, ok := s.documents.Get(place); ok {
		return d.production, nil
	}
	text, err := textAt(q, id, number)
	if err != nil {
		return production.Production{}, err
	}
	var p production.Production
	if err := json.Unmarshal(text, &p); err != nil {
		return p, fmt.Errorf("revision %d: %w", number, err)
	}
	s.documents.Add(place, document{p, string(text), false})
	return p, nil
}

// textAt returns the document of a revision: the last whole one up to there, with all differences since.
func textAt(q queryer, id int64, number int) ([]byte, error) {
	rows, err := q.Query(
		`SELECT number, document, difference FROM history WHERE production_id = ?1 AND number <= ?2 AND number >=
		(SELECT max(number) FROM history WHERE production_id = ?1 AND number <= ?2 AND document IS NOT NULL)
			ORDER BY number`,
		id,
		number,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var text []byte
	last := 0
	for rows.Next() {
		var whole, delta []byte
		if err := rows.Scan(&last, &whole, &delta); err != nil {
			return nil, err
		}
		if whole != nil {
			text, err = unpack(whole)
		} else {
			text, err = patch(text, delta)
		}
		if err != nil {
			return nil, fmt.Errorf("revision %d: %w", last, err)
		}
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	if last != number {
		return nil, fmt.Errorf("revision %d: %w", number, ErrNotFound)
	}
	return text, nil
}

// Steps are the edits that somebody could undo and do again; nil for none.
type Steps struct {
	Undo, Redo *Entry
}

// Steps returns what an author could undo: their own last edit, or else the last one of anybody; and what they could do
// again: their own edit that was undone last, as long as they have edited nothing since.
func (s *Store) Steps(code string, by Author) (Steps, error) {
	var id int64
	if err := s.read.QueryRow("SELECT id FROM production WHERE code = ?", code).Scan(&id); err != nil {
		return Steps{}, err
	}
	one := func(where string, args ...any) (*Entry, error) {
		e, err := scanEntry(
			s.read.QueryRow("SELECT "+entryColumns+" FROM history h WHERE h.production_id = ?1 AND "+where+
				" ORDER BY h.number DESC LIMIT 1", append([]any{id}, args...)...),
		)
		if errors.Is(err, sql.ErrNoRows) {
			return nil, nil
		}
		return &e, err
	}
	// The first revision is nothing that could be undone.
	const edits = `h.number > (SELECT min(number) FROM history WHERE production_id = ?1) AND h.concerns = 0`
	const undone = `coalesce((SELECT u.undoes FROM history u WHERE u.production_id = h.production_id
		AND u.concerns = h.number
		ORDER BY u.number DESC LIMIT 1), 0)`
	var steps Steps
	var err error
	if steps.Undo, err = one(edits+" AND h.author_key = ?2 AND NOT "+undone, by.Key); err != nil {
		return steps, err
	}
	if steps.Undo == nil {
		if steps.Undo, err = one(edits + " AND NOT " + undone); err != nil {
			return steps, err
		}
	}
	// What this author has undone, with nothing of their own after it.
	last, err := one("h.author_key = ?2", by.Key)
	if err != nil || last == nil || last.Concerns == 0 {
		return steps, err
	}
	steps.Redo, err = one(
		`h.number = (SELECT u.concerns FROM history u WHERE u.production_id = ?1 AND u.author_key = ?2 AND u.undoes
		AND u.number = (SELECT max(l.number) FROM history l WHERE l.production_id = ?1 AND l.concerns = u.concerns)
		ORDER BY u.number DESC LIMIT 1)`,
		by.Key,
	)
	return steps, err
}

// Undo takes back one edit, and Redo makes it again. What others have changed of the same since then is a *Conflict.
func (s *Store) Undo(code string, number int, by Author) (Revision, error) {
	return s.step(code, number, by, true)
}

// Redo makes an edit again that was undone.
func (s *Store) Redo(code string, number int, by Author) (Revision, error) {
	return s.step(code, number, by, false)
}

func (s *Store) step(code string, number int, by Author, undo bool) (Revision, error) {
	h, err := s.head(s.read, code)
	if err != nil {
		return Revision{}, err
	}
	e, err := scanEntry(
		s.read.QueryRow(
			"SELECT "+entryColumns+" FROM history h WHERE h.production_id = ? AND h.number = ?", h.ID, number,
		),
	)
	if errors.Is(err, sql.ErrNoRows) || err == nil && (e.Concerns != 0 || e.Undone == undo) {
		return h.Revision, nil // there is nothing of it to be done any more
	} else if err != nil {
		return Revision{}, err
	}
	var before int
	if err := s.read.QueryRow("SELECT coalesce(max(number), 0) FROM history WHERE production_id = ? AND number < ?",
		h.ID, number).Scan(&before); err != nil ||
		before == 0 {
		return h.Revision, err
	}
	from, to, word := number, before, "undo: "
	if !undo {
		from, to, word = before, number, "redo: "
	}
	was, err := s.at(s.read, h.ID, from)
	if err != nil {
		return Revision{}, err
	}
	is, err := s.at(s.read, h.ID, to)
	if err != nil {
		return Revision{}, err
	}
	how := Making{Summary: word + e.Summary, Command: e.Command, By: by, Seen: h.Number, concerns: number, undoes: undo}
	if sameProduction(h.Production, was) { // nothing else was changed since
		how.Seen = Any
		return s.Edit(code, how, func(p *production.Production) error {
			if !sameProduction(*p, was) {
				return errMoved // somebody has, just now
			}
			*p = is.Copy()
			return nil
		})
	}
	changes, err := difference.Between(was, is)
	if err != nil {
		return Revision{}, err
	}
	if err := s.conflictsWith(h, was, changes); err != nil {
		return Revision{}, err
	}
	return s.Edit(code, how, func(p *production.Production) error { return difference.Apply(p, changes...) })
}

// sameProduction reports whether two documents are written alike.
func sameProduction(a, b production.Production) bool {
	one, errOne := json.Marshal(a)
	two, errTwo := json.Marshal(b)
	return errOne == nil && errTwo == nil && string(one) == string(two)
}
