package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"reelhouse/core/preset"
)

// SavePreset keeps a preset under its name; one of the same kind and name is replaced if replace is set, and
// otherwise refused with ErrTaken.
func (s *Store) SavePreset(p preset.Preset, replace bool) error {
	if err := p.Check(); err != nil {
		return err
	}
	document, err := json.Marshal(p)
	if err != nil {
		return err
	}
	return s.change(func(tx *writing) error {
		var n int
		if err := tx.QueryRow("SELECT count(*) FROM preset WHERE kind = ? AND name = ?", p.Kind,
			p.Name).Scan(&n); err != nil {
			return err
		}
		if n > 0 && !replace {
			return fmt.Errorf("there is a preset %q already; choose another name, or replace it: %w", p.Name, ErrTaken)
		}
		_, err := tx.Exec("INSERT OR REPLACE INTO preset VALUES (?, ?, ?, ?)", p.Kind, p.Name, string(document), now())
		return err
	})
}

// Presets returns the presets of a kind by name.
func (s *Store) Presets(kind preset.Kind) ([]preset.Preset, error) {
	rows, err := s.read.Query("SELECT name, document FROM preset WHERE kind = ? ORDER BY name", kind)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []preset.Preset
	for rows.Next() {
		var name, document string
		if err := rows.Scan(&name, &document); err != nil {
			return nil, err
		}
		p, err := readPreset(name, document)
		if err != nil {
			return nil, err
		}
		all = append(all, p)
	}
	return all, rows.Err()
}

// Preset returns one preset.
func (s *Store) Preset(kind preset.Kind, name string) (preset.Preset, error) {
	var document string
	err := s.read.QueryRow("SELECT name, document FROM preset WHERE kind = ? AND name = ?", kind, name).
		Scan(&name, &document)
	if errors.Is(err, sql.ErrNoRows) {
		return preset.Preset{}, fmt.Errorf("preset %q: %w", name, ErrNotFound)
	} else if err != nil {
		return preset.Preset{}, err
	}
	return readPreset(name, document)
}

func readPreset(name, document string) (preset.Preset, error) {
	var p preset.Preset
	if err := json.Unmarshal([]byte(document), &p); err != nil {
		return p, fmt.Errorf("preset %q: %w", name, err)
	}
	return p, nil
}

// DeletePreset takes a preset away; what came from it stays as it is.
func (s *Store) DeletePreset(kind preset.Kind, name string) error {
	return s.change(func(tx *writing) error {
		result, err := tx.Exec("DELETE FROM preset WHERE kind = ? AND name = ?", kind, name)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, fmt.Errorf("preset %q: %w", name, ErrNotFound))
		}
		return nil
	})
}
