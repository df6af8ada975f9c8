package store

import (
	"encoding/json"
	"errors"
	"fmt"

	"reelhouse/core/review"
)

// A KeptReference is a reference of a production.
type KeptReference struct {
	ID int64
	review.Reference
}

// AddReference notes a picture that frames of a production are held against. One that is there already stays as it is.
func (s *Store) AddReference(production string, r review.Reference, by Author) (id int64, err error) {
	text, err := json.Marshal(r)
	if err != nil {
		return 0, err
	}
	err = s.change(func(tx *writing) error {
		all, err := references(tx, production)
		if err != nil {
			return err
		}
		for _, there := range all {
			if there.Reference == r {
				id = there.ID
				return nil
			}
		}
		result, err := tx.Exec("INSERT INTO reference (production, document, author, added_at) VALUES (?, ?, ?, ?)",
			production, string(text), by.Name, now())
		if err != nil {
			return err
		}
		id, err = result.LastInsertId()
		return errors.Join(err, hasChanged(tx))
	})
	return id, err
}

// References returns the pictures that frames of a production are held against, in the order in which they came.
func (s *Store) References(production string) ([]KeptReference, error) {
	return references(s.read, production)
}

func references(q queryer, production string) ([]KeptReference, error) {
	rows, err := q.Query("SELECT id, document FROM reference WHERE production = ? ORDER BY id", production)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []KeptReference
	for rows.Next() {
		var r KeptReference
		var text string
		if err := rows.Scan(&r.ID, &text); err != nil {
			return nil, err
		}
		if err := json.Unmarshal([]byte(text), &r.Reference); err != nil {
			return nil, fmt.Errorf("reference %d: %w", r.ID, err)
		}
		all = append(all, r)
	}
	return all, rows.Err()
}

// RemoveReference lets a production be without a reference. Its file stays.
func (s *Store) RemoveReference(production string, id int64) error {
	return s.change(func(tx *writing) error {
		result, err := tx.Exec("DELETE FROM reference WHERE production = ? AND id = ?", production, id)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, fmt.Errorf("reference %d of production %s: %w", id, production, ErrNotFound))
		}
		return hasChanged(tx)
	})
}
