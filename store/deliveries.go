package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"reelhouse/core/delivery"
)

// A Delivery is what was handed on by a recipe, without what it holds.
type Delivery struct {
	ID         int64     `json:"id"`
	Production string    `json:"production"`
	Recipe     string    `json:"recipe"` // its code
	Number     int       `json:"number"` // of the recipe's, from 1 on
	Files      int       `json:"files"`
	Bytes      int64     `json:"bytes"`
	Folder     string    `json:"folder"`
	Complete   bool      `json:"complete"`
	By         string    `json:"by"`
	Begun      time.Time `json:"begun"`
	Ended      time.Time `json:"ended,omitzero"`
}

// BeginDelivery freezes what is handed on. folder says where it goes to, by its number.
func (s *Store) BeginDelivery(
	d delivery.Delivery, folder func(number int) (string, error), by Author,
) (begun Delivery, err error) {
	text, err := json.Marshal(d)
	if err != nil {
		return begun, err
	}
	var id int64
	err = s.change(func(tx *writing) error {
		var number int
		err := tx.QueryRow(
			"SELECT coalesce(max(number), 0) + 1 FROM delivery WHERE production = ? AND recipe = ?", d.Production,
			d.Recipe.Code,
		).Scan(&number)
		if err != nil {
			return err
		}
		where, err := folder(number)
		if err != nil {
			return err
		}
		result, err := tx.Exec(`INSERT INTO delivery (production, recipe, number, document, files, bytes, folder, state,
			author, begun_at) VALUES (?, ?, ?, ?, ?, ?, ?, 'begun', ?, ?)`, d.Production, d.Recipe.Code, number,
			string(text), len(d.Files), d.Bytes(), where, by.Name, now())
		if err != nil {
			return err
		}
		id, err = result.LastInsertId()
		return errors.Join(err, hasChanged(tx))
	})
	if err != nil {
		return begun, err
	}
	return s.Delivery(id)
}

// EndDelivery notes that a delivery is complete.
func (s *Store) EndDelivery(id int64) error {
	return s.change(func(tx *writing) error {
		result, err := tx.Exec("UPDATE delivery SET state = 'complete', ended_at = ? WHERE id = ? AND state = 'begun'",
			now(), id)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, fmt.Errorf("delivery %d: %w", id, ErrNotFound))
		}
		return hasChanged(tx)
	})
}

// Delivery returns one delivery.
func (s *Store) Delivery(id int64) (Delivery, error) {
	all, err := s.deliveries("id = ?", id)
	if err == nil && len(all) == 0 {
		err = fmt.Errorf("delivery %d: %w", id, ErrNotFound)
	}
	if err != nil {
		return Delivery{}, err
	}
	return all[0], nil
}

// Deliveries returns what was handed on of a production, the newest first.
func (s *Store) Deliveries(production string) ([]Delivery, error) {
	return s.deliveries("production = ?", production)
}

func (s *Store) deliveries(where string, args ...any) ([]Delivery, error) {
	rows, err := s.read.Query(`SELECT id, production, recipe, number, files, bytes, folder, state = 'complete', author,
		begun_at, ended_at FROM delivery WHERE `+where+" ORDER BY id DESC", args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := []Delivery{}
	for rows.Next() {
		var d Delivery
		var begun, ended string
		if err := rows.Scan(
			&d.ID, &d.Production, &d.Recipe, &d.Number, &d.Files, &d.Bytes, &d.Folder, &d.Complete, &d.By, &begun,
			&ended,
		); err != nil {
			return nil, err
		}
		d.Begun, d.Ended = when(begun), when(ended)
		all = append(all, d)
	}
	return all, rows.Err()
}

// Delivered returns what a delivery holds, as it was frozen.
func (s *Store) Delivered(id int64) (d delivery.Delivery, err error) {
	var text string
	err = s.read.QueryRow("SELECT document FROM delivery WHERE id = ?", id).Scan(&text)
	if errors.Is(err, sql.ErrNoRows) {
		return d, fmt.Errorf("delivery %d: %w", id, ErrNotFound)
	} else if err != nil {
		return d, err
	}
	if err := json.Unmarshal([]byte(text), &d); err != nil {
		return d, fmt.Errorf("delivery %d: %w", id, err)
	}
	return d, nil
}
