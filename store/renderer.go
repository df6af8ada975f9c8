package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"reelhouse/core/fingerprint"
	"reelhouse/core/work"
)

// Renderer returns what the house renders with; false before it first did.
func (s *Store) Renderer() (r fingerprint.Renderer, known bool, err error) {
	var text string
	err = s.read.QueryRow("SELECT document FROM renderer").Scan(&text)
	if errors.Is(err, sql.ErrNoRows) {
		return r, false, nil
	} else if err != nil {
		return r, false, err
	}
	err = json.Unmarshal([]byte(text), &r)
	return r, err == nil, err
}

// SetRenderer notes what the house usually renders with. What is still to be rendered by it is rendered by that: a
// sequence of which nothing is good gets the fingerprint that it has with it; of one that is begun it is not known any
// more. It returns how many there are of these.
func (s *Store) SetRenderer(r fingerprint.Renderer) (mixed int, err error) {
	text, err := json.Marshal(r)
	if err != nil {
		return 0, err
	}
	was, known, err := s.Renderer()
	if err != nil || known && was == r {
		return 0, err
	}
	return s.renderedBy("", r, func(tx *writing) error {
		if _, err := tx.Exec("DELETE FROM renderer"); err != nil {
			return err
		}
		_, err := tx.Exec("INSERT INTO renderer VALUES (?)", string(text))
		return err
	})
}

// Offered returns the renderers that the house has beside the usual one, by their names.
func (s *Store) Offered() ([]work.Renderer, error) {
	texts, err := column[string](s.read, "SELECT document FROM offered ORDER BY name")
	if err != nil {
		return nil, err
	}
	all := make([]work.Renderer, len(texts))
	for i, text := range texts {
		if err := json.Unmarshal([]byte(text), &all[i]); err != nil {
			return nil, fmt.Errorf("renderer %d: %w", i+1, err)
		}
	}
	return all, nil
}

// SetOffered notes which renderers the house has beside the usual one. What is still to be rendered by one that has
// another version now is taken like that of SetRenderer. Tasks for a renderer that is not among them wait.
func (s *Store) SetOffered(all []work.Renderer) (mixed int, err error) {
	before, err := s.Offered()
	if err != nil {
		return 0, err
	}
	for _, r := range all {
		same := slices.ContainsFunc(before, func(b work.Renderer) bool { return b.Renderer == r.Renderer })
		if same {
			continue
		}
		n, err := s.renderedBy(r.Name, r.Renderer, func(*writing) error { return nil })
		if mixed += n; err != nil {
			return mixed, err
		}
	}
	return mixed, s.change(func(tx *writing) error {
		if _, err := tx.Exec("DELETE FROM offered"); err != nil {
			return err
		}
		for _, r := range all {
			text, err := json.Marshal(r)
			if err != nil {
				return err
			}
			if _, err := tx.Exec("INSERT INTO offered VALUES (?, ?)", r.Name, string(text)); err != nil {
				return err
			}
		}
		return nil
	})
}

// renderedBy takes the fingerprints of what is still to be rendered by a renderer anew; name is that of its class. In
// the same change something else is noted.
func (s *Store) renderedBy(name string, r fingerprint.Renderer, note func(tx *writing) error) (mixed int, err error) {
	text, err := json.Marshal(r)
	if err != nil {
		return 0, err
	}
	rows, err := s.read.Query(`SELECT id, good + lost, fingerprint FROM sequence
		WHERE renderer <> ? AND blocked + ready + rendering + checking + failed + held + dropped + lost > 0
			AND follows = 0 AND class_id IN (SELECT id FROM class WHERE renderer = ?)`, string(text), name)
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	prints := map[int64]fingerprint.Print{}
	var begun []int64
	for rows.Next() {
		var id int64
		var good int
		var print fingerprint.Print
		if err := rows.Scan(&id, &good, &print); err != nil {
			return 0, err
		}
		if good == 0 {
			prints[id] = ""
		} else if print.Known() {
			begun = append(begun, id)
		}
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return 0, err
	}
	for id := range prints {
		q, err := s.Sequence(id)
		if err != nil {
			return 0, err
		}
		b, err := s.BatchAlone(q.BatchID)
		if err != nil {
			return 0, err
		}
		prints[id] = b.Plan.Fingerprint(q.Spec, r)
	}
	return len(begun), s.change(func(tx *writing) error {
		for id, print := range prints {
			if _, err := tx.Exec("UPDATE sequence SET fingerprint = ?, renderer = ? WHERE id = ?", print, string(text),
				id); err != nil {
				return err
			}
		}
		for _, id := range begun {
			if _, err := tx.Exec("UPDATE sequence SET fingerprint = '', renderer = '' WHERE id = ?", id); err != nil {
				return err
			}
		}
		return note(tx)
	})
}

// Print returns the fingerprint of a frame, "" if it is not known. One that was taken over has that with which it was
// rendered.
func (q Sequence) Print(number int) fingerprint.Print {
	if t, taken := q.Spec.TakenAt(number); taken {
		return t.Print.Frame(number, q.Spec.Label(number))
	}
	return q.Fingerprint.Frame(number, q.Spec.Label(number))
}

// readRenderer reads with which renderer a sequence's fingerprint was taken.
func readRenderer(id int64, text string) (r fingerprint.Renderer, err error) {
	if text == "" {
		return r, nil
	}
	if err = json.Unmarshal([]byte(text), &r); err != nil {
		err = fmt.Errorf("renderer of sequence %d: %w", id, err)
	}
	return r, err
}
