package store

import "time"

// Pause lets no node take a task until Resume; what nodes have goes on. It does nothing while the house is paused.
func (s *Store) Pause() error {
	return s.change(func(tx *writing) error {
		_, err := tx.Exec("UPDATE house_status SET paused_at = ?, changes = changes + 1 WHERE paused_at = ''", now())
		return err
	})
}

// Resume lets nodes take tasks again.
func (s *Store) Resume() error {
	return s.change(func(tx *writing) error {
		_, err := tx.Exec("UPDATE house_status SET paused_at = '', changes = changes + 1 WHERE paused_at <> ''")
		return err
	})
}

// Paused returns since when no task is taken, the zero time if tasks are.
func (s *Store) Paused() (time.Time, error) { return pausedSince(s.read) }

func pausedSince(q queryer) (time.Time, error) {
	var text string
	err := q.QueryRow("SELECT paused_at FROM house_status").Scan(&text)
	return when(text), err
}

// hasChanged notes that something has changed that no counter shows, so that a server hears of it.
func hasChanged(tx *writing) error {
	_, err := tx.Exec("UPDATE house_status SET changes = changes + 1")
	return err
}
