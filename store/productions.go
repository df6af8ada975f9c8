package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/difference"
	"reelhouse/core/production"
)

// A Revision is a production's document at one point of its history.
type Revision struct {
	production.Production
	Number  int
	Summary string
	Undo    string // summary of what undo would take back, "" for nothing
	Redo    string // summary of what redo would bring back, "" for nothing
}

// ErrTaken is wrapped by the error about a code that another production has.
var ErrTaken = errors.New("taken")

// keptRevisions is how many steps can be undone.
const keptRevisions = 200

// Create keeps a new production.
func (s *Store) Create(p production.Production) error {
	if err := p.TooLong(); err != nil {
		return err
	}
	document, err := json.Marshal(p)
	if err != nil {
		return err
	}
	return s.change(func(tx *sql.Tx) error {
		var n int
		if err := tx.QueryRow("SELECT count(*) FROM production WHERE code = ?", p.Code).Scan(&n); err != nil {
			return err
		}
		if n > 0 {
			return fmt.Errorf("a production with the code %s exists already; choose another: %w", p.Code, ErrTaken)
		}
		result, err := tx.Exec("INSERT INTO production (code, head, last) VALUES (?, 1, 1)", p.Code)
		if err != nil {
			return err
		}
		id, err := result.LastInsertId()
		if err != nil {
			return err
		}
		_, err = tx.Exec("INSERT INTO revision VALUES (?, 1, ?, 'made', ?)", id, string(document), now())
		return err
	})
}

// Codes returns the codes of all productions.
func (s *Store) Codes() ([]string, error) {
	rows, err := s.read.Query("SELECT code FROM production ORDER BY code")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var codes []string
	for rows.Next() {
		var code string
		if err := rows.Scan(&code); err != nil {
			return nil, err
		}
		codes = append(codes, code)
	}
	return codes, rows.Err()
}

type queryer interface {
	QueryRow(query string, args ...any) *sql.Row
}

// Production returns the current revision of a production.
func (s *Store) Production(code string) (Revision, error) { return load(s.read, code) }

func load(q queryer, code string) (Revision, error) {
	var r Revision
	var document string
	var id int64
	err := q.QueryRow(`SELECT p.id, r.number, r.summary, r.document FROM production p
		JOIN revision r ON r.production_id = p.id AND r.number = p.head WHERE p.code = ?`, code).Scan(&id, &r.Number, &r.Summary, &document)
	if errors.Is(err, sql.ErrNoRows) {
		return r, fmt.Errorf("production %s: %w", code, ErrNotFound)
	} else if err != nil {
		return r, err
	}
	if err := json.Unmarshal([]byte(document), &r.Production); err != nil {
		return r, fmt.Errorf("production %s, revision %d: %w", code, r.Number, err)
	}
	var before int
	if err := q.QueryRow("SELECT count(*) FROM revision WHERE production_id = ? AND number < ?", id, r.Number).Scan(&before); err != nil {
		return r, err
	}
	if before > 0 {
		r.Undo = r.Summary
	}
	err = q.QueryRow("SELECT summary FROM revision WHERE production_id = ? AND number > ? ORDER BY number LIMIT 1", id, r.Number).Scan(&r.Redo)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return r, err
	}
	return r, nil
}

// A Conflict is the error about an edit of something that was changed by somebody else since it was seen.
type Conflict struct {
	Elsewhere string              // what was done last, in words
	Changes   []difference.Change // by others, of what the edit concerns; empty if what was seen is no longer known
}

func (c *Conflict) Error() string {
	if len(c.Changes) == 0 {
		return "the production was changed elsewhere since this page was loaded (" + c.Elsewhere + ")"
	}
	value := string(c.Changes[0].Is)
	if value == "" {
		return "this was taken away elsewhere in the meantime"
	}
	if len(value) > 60 {
		return "this was changed elsewhere in the meantime (" + c.Elsewhere + ")"
	}
	return "this was changed elsewhere in the meantime, to " + strings.Trim(value, `"`)
}

// Any stands for an edit that is made whatever was changed in the meantime.
const Any = 0

// Edit changes a production: change is given the current document and may alter it. If it returns an
// error, or alters nothing, nothing is kept. summary says in words what is changed. Steps that were undone
// are forgotten.
//
// seen is the number of the revision that the editor had before them, or Any. If others have changed
// something else since, both edits hold; if they have changed the same, the error is a *Conflict.
func (s *Store) Edit(code, summary string, seen int, change func(p *production.Production) error) (Revision, error) {
	var after Revision
	err := s.change(func(tx *sql.Tx) error {
		r, err := load(tx, code)
		if err != nil {
			return err
		}
		if seen != Any && seen != r.Number {
			if err := meets(tx, r, seen, change); err != nil {
				return err
			}
		}
		before, err := json.Marshal(r.Production)
		if err != nil {
			return err
		}
		long := r.Production.TooLong() // of a document from before texts were bounded
		if err := change(&r.Production); err != nil {
			return err
		}
		if err := r.Production.TooLong(); err != nil && long == nil {
			return err
		}
		document, err := json.Marshal(r.Production)
		if err != nil {
			return err
		}
		if string(document) != string(before) {
			if err := keep(tx, code, r.Production.Code, r.Number, string(document), summary); err != nil {
				return err
			}
		}
		after, err = load(tx, r.Production.Code)
		return err
	})
	return after, err
}

// meets returns a *Conflict if an edit, made on the revision that was seen, would change what was changed
// since then.
func meets(q queryer, now Revision, seen int, change func(p *production.Production) error) error {
	var document string
	err := q.QueryRow("SELECT r.document FROM revision r JOIN production p ON p.id = r.production_id WHERE p.code = ? AND r.number = ?", now.Code, seen).Scan(&document)
	if errors.Is(err, sql.ErrNoRows) {
		return &Conflict{Elsewhere: now.Summary}
	} else if err != nil {
		return err
	}
	var base, mine production.Production
	for _, p := range []*production.Production{&base, &mine} {
		if err := json.Unmarshal([]byte(document), p); err != nil {
			return fmt.Errorf("production %s, revision %d: %w", now.Code, seen, err)
		}
	}
	if change(&mine) != nil {
		return nil // what is wrong with it will be said of the document as it is now
	}
	elsewhere, err := difference.Between(base, now.Production)
	if err != nil {
		return err
	}
	here, err := difference.Between(base, mine)
	if err != nil {
		return err
	}
	c := &Conflict{Elsewhere: now.Summary}
	for _, e := range elsewhere {
		if slices.ContainsFunc(here, func(h difference.Change) bool { return e.Meets(h) && !e.Same(h) }) {
			c.Changes = append(c.Changes, e)
		}
	}
	if len(c.Changes) > 0 {
		return c
	}
	return nil
}

func keep(tx *sql.Tx, code, newCode string, number int, document, summary string) error {
	var id int64
	if err := tx.QueryRow("SELECT id FROM production WHERE code = ?", code).Scan(&id); err != nil {
		return err
	}
	for _, step := range []struct {
		query string
		args  []any
	}{
		{"DELETE FROM revision WHERE production_id = ? AND number > ?", []any{id, number}},
		{`DELETE FROM revision WHERE production_id = ?1 AND number <=
			(SELECT number FROM revision WHERE production_id = ?1 ORDER BY number DESC LIMIT 1 OFFSET ?2)`, []any{id, keptRevisions}},
		{"UPDATE production SET last = last + 1, head = last + 1, code = ? WHERE id = ?", []any{newCode, id}},
		{"INSERT INTO revision SELECT id, head, ?, ?, ? FROM production WHERE id = ?", []any{document, strings.ToValidUTF8(summary[:min(len(summary), production.MostText)], ""), now(), id}},
	} {
		if _, err := tx.Exec(step.query, step.args...); err != nil {
			return err
		}
	}
	return nil
}

// Step undoes (-1) or redoes (+1) one edit, if there is one. If seen is not Any and not the current
// revision, nothing is done and the error is a *Conflict.
func (s *Store) Step(code string, seen, by int) (Revision, error) {
	var after Revision
	err := s.change(func(tx *sql.Tx) error {
		r, err := load(tx, code)
		if err != nil {
			return err
		}
		if seen != Any && seen != r.Number {
			return &Conflict{Elsewhere: r.Summary}
		}
		next := "(SELECT max(number) FROM revision r WHERE r.production_id = production.id AND r.number < head)"
		if by > 0 {
			next = "(SELECT min(number) FROM revision r WHERE r.production_id = production.id AND r.number > head)"
		}
		if _, err := tx.Exec("UPDATE production SET head = coalesce("+next+", head) WHERE code = ?", code); err != nil {
			return err
		}
		var now string // an edit of the code is a step too
		if err := tx.QueryRow("SELECT json_extract(r.document, '$.code') FROM production p JOIN revision r ON r.production_id = p.id AND r.number = p.head WHERE p.code = ?", code).Scan(&now); err != nil {
			return err
		}
		if _, err := tx.Exec("UPDATE production SET code = ? WHERE code = ?", now, code); err != nil {
			return err
		}
		after, err = load(tx, now)
		return err
	})
	return after, err
}
