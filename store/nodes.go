package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"
)

// A Node is a node on another machine, as the house knows it.
type Node struct {
	Name    string
	Key     string // public half of its key
	Made    time.Time
	By      string // who has made its token
	Note    string
	Paused  string   // why it takes nothing, "" if it does
	Stopped bool     // and what it has is given back
	Labels  []string // beside those that it has itself
	Hello   string   // JSON of what it said when it last joined, "" before it did
	Joined  time.Time
	Seen    time.Time // the zero time for never
	NodeCounts
	// TrustedDone and TrustedFailed are those tasks that count no more when it is held against others.
	TrustedDone, TrustedFailed int
}

// NodeCounts is what came of a node's tasks.
type NodeCounts struct {
	Done    int     `json:"done"`
	Failed  int     `json:"failed"`
	Refused int     `json:"refused"` // messages and files that were not its own, or not what they were said to be
	Seconds float64 `json:"seconds"` // of the tasks that it has done
}

const nodeColumns = "name, key, made_at, made_by, note, paused, stopped, labels, hello, joined_at, seen_at, done, " +
	"failed, " +
	"refused, seconds, trusted_done, trusted_failed"

// Nodes returns the nodes on other machines, by their names.
func (s *Store) Nodes() ([]Node, error) { return s.nodes("ORDER BY name") }

// FindNode returns a node by its name.
func (s *Store) FindNode(name string) (Node, error) { return s.oneNode("WHERE name = ?", name) }

// NodeOf returns the node that has a key.
func (s *Store) NodeOf(key string) (Node, error) { return s.oneNode("WHERE key = ?", key) }

func (s *Store) oneNode(where, value string) (Node, error) {
	all, err := s.nodes(where, value)
	if err == nil && len(all) == 0 {
		err = fmt.Errorf("there is no such node: %w", ErrNotFound)
	}
	if err != nil {
		return Node{}, err
	}
	return all[0], nil
}

func (s *Store) nodes(where string, args ...any) ([]Node, error) {
	rows, err := s.read.Query("SELECT "+nodeColumns+" FROM node "+where, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Node
	for rows.Next() {
		n, err := scanNode(rows)
		if err != nil {
			return nil, err
		}
		all = append(all, n)
	}
	return all, rows.Err()
}

func scanNode(rows *sql.Rows) (n Node, err error) {
	var made, labels, joined, seen string
	err = rows.Scan(
		&n.Name,
		&n.Key,
		&made,
		&n.By,
		&n.Note,
		&n.Paused,
		&n.Stopped,
		&labels,
		&n.Hello,
		&joined,
		&seen,
		&n.Done,
		&n.Failed,
		&n.Refused,
		&n.Seconds,
		&n.TrustedDone,
		&n.TrustedFailed,
	)
	if err != nil {
		return n, err
	}
	n.Made, n.Joined, n.Seen = when(made), when(joined), when(seen)
	return n, json.Unmarshal([]byte(labels), &n.Labels)
}

// AddNode lets who has a key be a node of a name that no other one has.
func (s *Store) AddNode(name, key string, by Author) error {
	return s.change(func(tx *writing) error {
		var there string
		err := tx.QueryRow("SELECT name FROM node WHERE name = ?", name).Scan(&there)
		switch {
		case err == nil:
			return fmt.Errorf("%w: there is a node %s already; take its token back first, or choose another name",
				ErrTaken, there)
		case !errors.Is(err, sql.ErrNoRows):
			return err
		}
		_, err = tx.Exec(
			"INSERT INTO node (name, key, made_at, made_by) VALUES (?, ?, ?, ?)",
			name,
			key,
			now(),
			by.Name,
		)
		return errors.Join(err, hasChanged(tx))
	})
}

// RemoveNode takes the token of a node back. What it has rendered stays.
func (s *Store) RemoveNode(name string) error {
	return s.changeNode("DELETE FROM node WHERE name = ?", name)
}

// SetNode changes what people say of a node: whether and why it is paused, a note, labels. When it is resumed, it is
// held against others by what it does from then on.
func (s *Store) SetNode(n Node) error {
	if n.Labels == nil {
		n.Labels = []string{}
	}
	labels, err := json.Marshal(n.Labels)
	if err != nil {
		return err
	}
	return s.changeNode(
		"UPDATE node SET trusted_done = CASE WHEN paused <> '' AND ?2 = '' THEN done ELSE trusted_done END, "+
			"trusted_failed = CASE WHEN paused <> '' AND ?2 = '' THEN failed ELSE trusted_failed END, "+
			"note = ?1, paused = ?2, labels = ?3, stopped = ?4 WHERE name = ?5",
		n.Note, n.Paused, string(labels), n.Stopped && n.Paused != "", n.Name)
}

// NodeJoined notes that a node has joined, and what it said.
func (s *Store) NodeJoined(name, hello string) error {
	return s.changeNode("UPDATE node SET hello = ?1, joined_at = ?2, seen_at = ?2 WHERE name = ?3", hello, now(), name)
}

// NodeSeen notes when a node was last heard of, and what came of its tasks since this was noted last.
func (s *Store) NodeSeen(name string, at time.Time, more NodeCounts) error {
	return s.change(func(tx *writing) error {
		_, err := tx.Exec(
			"UPDATE node SET seen_at = ?, done = done + ?, failed = failed + ?, refused = refused + ?, seconds = "+
				"seconds + ? WHERE name = ?",
			at.UTC().Format(timeFormat), more.Done, more.Failed, more.Refused, more.Seconds, name)
		return err
	})
}

func (s *Store) changeNode(query string, args ...any) error {
	return s.change(func(tx *writing) error {
		result, err := tx.Exec(query, args...)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, fmt.Errorf("there is no such node: %w", ErrNotFound))
		}
		return hasChanged(tx)
	})
}
