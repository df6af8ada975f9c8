package store

import (
	"cmp"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"reelhouse/core/delivery"
	"reelhouse/core/production"
)

// A Delivery is what was handed on by a recipe, without what it holds.
type Delivery struct {
	ID         int64  `json:"id"`
	Production string `json:"production"`
	Recipe     string `json:"recipe"` // its code
	Name       string `json:"name"`   // of the recipe
	Number     int    `json:"number"` // of the recipe's, from 1 on
	// Form is what its files were put into, and Products are the names of the files that were made for it.
	Form     production.Form `json:"form,omitempty"`
	Products []string        `json:"products,omitempty"`
	Files    int             `json:"files"`
	Bytes    int64           `json:"bytes"`
	Folder   string          `json:"folder"`
	Complete bool            `json:"complete"`
	Wanted   bool            `json:"wanted"`            // the server goes on with it by itself
	Trouble  string          `json:"trouble,omitempty"` // that kept it from being complete
	By       string          `json:"by"`
	Begun    time.Time       `json:"begun"`
	Ended    time.Time       `json:"ended,omitzero"`
}

// BeginDelivery freezes what is handed on. folder says where it goes to, by its number.
func (s *Store) BeginDelivery(
	d delivery.Delivery, folder func(number int) (string, error), by Author,
) (begun Delivery, err error) {
	names := []string{}
	for _, p := range d.Products {
		names = append(names, p.Files...)
	}
	for _, a := range d.Attached {
		names = append(names, a.Name)
	}
	text, err := json.Marshal(d)
	products, failed := json.Marshal(names)
	if err := errors.Join(err, failed); err != nil {
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
		result, err := tx.Exec(`INSERT INTO delivery (production, recipe, name, form, products, number, document,
			files, bytes, folder, state, author, begun_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 'begun', ?, ?)`,
			d.Production, d.Recipe.Code, d.Recipe.Name, d.Recipe.Form, string(products), number, string(text),
			len(d.Contents()), d.Bytes(), where, by.Name, now())
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
		result, err := tx.Exec(`UPDATE delivery SET state = 'complete', wanted = 0, trouble = '', ended_at = ?
			WHERE id = ? AND state = 'begun'`, now(), id)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, fmt.Errorf("delivery %d: %w", id, ErrNotFound))
		}
		return hasChanged(tx)
	})
}

// WantDelivery says whether the server is to go on with a delivery that is not complete by itself, and what has kept it
// from being complete.
func (s *Store) WantDelivery(id int64, wanted bool, trouble string) error {
	return s.change(func(tx *writing) error {
		_, err := tx.Exec(
			"UPDATE delivery SET wanted = ?, trouble = ? WHERE id = ? AND state = 'begun'",
			wanted,
			trouble,
			id,
		)
		return errors.Join(err, hasChanged(tx))
	})
}

// WantedDeliveries returns the deliveries with which the server is to go on, the oldest first.
func (s *Store) WantedDeliveries() ([]Delivery, error) {
	all, err := s.deliveries("wanted = 1 AND state = 'begun'")
	slices.Reverse(all)
	return all, err
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
	rows, err := s.read.Query(
		`SELECT id, production, recipe, name, form, products, number, files, bytes, folder, state = 'complete', wanted,
		trouble, author, begun_at, ended_at FROM delivery WHERE `+where+" ORDER BY id DESC",
		args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := []Delivery{}
	for rows.Next() {
		var d Delivery
		var products, begun, ended string
		if err := rows.Scan(
			&d.ID, &d.Production, &d.Recipe, &d.Name, &d.Form, &products, &d.Number, &d.Files, &d.Bytes,
			&d.Folder, &d.Complete, &d.Wanted,
			&d.Trouble, &d.By, &begun, &ended,
		); err != nil {
			return nil, err
		}
		if err := json.Unmarshal([]byte(products), &d.Products); err != nil {
			return nil, fmt.Errorf("delivery %d: %w", d.ID, err)
		}
		d.Name = cmp.Or(d.Name, d.Recipe) // of one from before names were kept
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
