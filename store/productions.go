package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

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
		result, err := tx.Exec("INSERT INTO production (code, head) VALUES (?, 1)", p.Code)
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
	err = q.QueryRow("SELECT summary FROM revision WHERE production_id = ? AND number = ?", id, r.Number+1).Scan(&r.Redo)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return r, err
	}
	return r, nil
}

// Edit changes a production: change is given the current document and may alter it. If it returns an
// error, or alters nothing, nothing is kept. summary says in words what is changed. Steps that were undone
// are forgotten.
func (s *Store) Edit(code, summary string, change func(p *production.Production) error) (Revision, error) {
	var after Revision
	err := s.change(func(tx *sql.Tx) error {
		r, err := load(tx, code)
		if err != nil {
			return err
		}
		before, err := json.Marshal(r.Production)
		if err != nil {
			return err
		}
		if err := change(&r.Production); err != nil {
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

func keep(tx *sql.Tx, code, newCode string, number int, document, summary string) error {
	var id int64
	if err := tx.QueryRow("SELECT id FROM production WHERE code = ?", code).Scan(&id); err != nil {
		return err
	}
	for _, step := range []struct {
		query string
		args  []any
	}{
		{"DELETE FROM revision WHERE production_id = ? AND (number > ? OR number <= ?)", []any{id, number, number - keptRevisions}},
		{"INSERT INTO revision VALUES (?, ?, ?, ?, ?)", []any{id, number + 1, document, summary, now()}},
		{"UPDATE production SET head = ?, code = ? WHERE id = ?", []any{number + 1, newCode, id}},
	} {
		if _, err := tx.Exec(step.query, step.args...); err != nil {
			return err
		}
	}
	return nil
}

// Step undoes (-1) or redoes (+1) one edit, if there is one.
func (s *Store) Step(code string, by int) (Revision, error) {
	var after Revision
	err := s.change(func(tx *sql.Tx) error {
		r, err := load(tx, code)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(`UPDATE production SET head = head + ? WHERE code = ? AND EXISTS
			(SELECT 1 FROM revision r WHERE r.production_id = production.id AND r.number = production.head + ?)`, by, code, by); err != nil {
			return err
		}
		after, err = load(tx, r.Production.Code)
		return err
	})
	return after, err
}
