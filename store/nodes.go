package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/queue"
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
	State   NodeState
	NodeCounts
	// TrustedDone and TrustedFailed are those tasks that count no more when it is held against others.
	TrustedDone, TrustedFailed int
}

// A NodeState is what a node said of its machine when it was last heard of.
type NodeState struct {
	Load    float64 `json:"load"`              // processor time of all its cores in use, 0 to 1
	Free    int64   `json:"free"`              // bytes of memory that are free
	Disk    int64   `json:"disk"`              // bytes that are free for scratch
	Trouble string  `json:"trouble,omitempty"` // why it cannot work, "" if it can
}

// NodeCounts is what came of a node's tasks.
type NodeCounts struct {
	Done    int     `json:"done"`
	Failed  int     `json:"failed"`
	Refused int     `json:"refused"` // messages and files that were not its own, or not what they were said to be
	Seconds float64 `json:"seconds"` // of the tasks that it has done
}

const nodeColumns = "name, key, made_at, made_by, note, paused, stopped, labels, hello, joined_at, seen_at, state, " +
	"done, failed, refused, seconds, trusted_done, trusted_failed"

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
	var made, labels, joined, seen, state string
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
		&state,
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
	if state != "" {
		if err := json.Unmarshal([]byte(state), &n.State); err != nil {
			return n, err
		}
	}
	return n, json.Unmarshal([]byte(labels), &n.Labels)
}

// A NodeKey is the name of a node and the public half of its key.
type NodeKey struct{ Name, Key string }

// AddNode lets who has a key be a node of a name that no other one has.
func (s *Store) AddNode(name, key string, by Author) error { return s.AddNodes(by, NodeKey{name, key}) }

// AddNodes lets those who have keys be nodes, all of them or none.
func (s *Store) AddNodes(by Author, keys ...NodeKey) error {
	return s.change(func(tx *writing) error {
		for _, k := range keys {
			var there string
			err := tx.QueryRow("SELECT name FROM node WHERE name = ?", k.Name).Scan(&there)
			switch {
			case err == nil:
				return fmt.Errorf("%w: there is a node %s already; take its token back first, or choose another name",
					ErrTaken, there)
			case !errors.Is(err, sql.ErrNoRows):
				return err
			}
			_, err = tx.Exec(
				"INSERT INTO node (name, key, made_at, made_by) VALUES (?, ?, ?, ?)", k.Name, k.Key, now(), by.Name,
			)
			if err != nil {
				return err
			}
		}
		return hasChanged(tx)
	})
}

// Speed returns how fast a node is against the mean time of a task of all nodes: 2 is twice as fast; 0 for not known.
func Speed(n Node, all []Node) float64 {
	var sum NodeCounts
	for _, other := range all {
		sum.Done, sum.Seconds = sum.Done+other.Done, sum.Seconds+other.Seconds
	}
	if n.Done == 0 || n.Seconds <= 0 || sum.Done == 0 {
		return 0
	}
	return math.Round(100*sum.Seconds/float64(sum.Done)*float64(n.Done)/n.Seconds) / 100
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

// A NodeNote is when a node was last heard of, what it said of its machine, and what came of its tasks since this was
// noted last.
type NodeNote struct {
	Name  string
	Seen  time.Time
	State NodeState
	More  NodeCounts
}

// NodesSeen notes what was heard of nodes.
func (s *Store) NodesSeen(notes ...NodeNote) error {
	return s.change(func(tx *writing) error {
		for _, n := range notes {
			state, err := json.Marshal(n.State)
			if err != nil {
				return err
			}
			_, err = tx.Exec(
				"UPDATE node SET seen_at = ?, state = ?, done = done + ?, failed = failed + ?, refused = refused + ?, "+
					"seconds = seconds + ? WHERE name = ?",
				n.Seen.UTC().Format(timeFormat), string(state), n.More.Done, n.More.Failed, n.More.Refused,
				n.More.Seconds, n.Name,
			)
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// TasksAt returns the addresses of the tasks that nodes have, by the nodes' names: at most so many of each, the oldest
// first.
func (s *Store) TasksAt(most int) (map[string][]queue.Address, error) {
	rows, err := s.read.Query("SELECT node, sequence_id, number, tile FROM lease WHERE needs <> ? ORDER BY id",
		takesNothing)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	type task struct {
		sequence     int64
		number, tile int
	}
	tasks := map[string][]task{}
	for rows.Next() {
		var node string
		var t task
		if err := rows.Scan(&node, &t.sequence, &t.number, &t.tile); err != nil {
			return nil, err
		}
		if len(tasks[node]) < most {
			tasks[node] = append(tasks[node], t)
		}
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	sequences := map[int64]Sequence{}
	all := map[string][]queue.Address{}
	for node, of := range tasks {
		for _, t := range of {
			q, known := sequences[t.sequence]
			if !known {
				if q, err = s.Sequence(t.sequence); errors.Is(err, ErrNotFound) {
					continue // it has gone since
				} else if err != nil {
					return nil, err
				}
				sequences[t.sequence] = q
			}
			all[node] = append(all[node], q.Task(t.number, t.tile))
		}
	}
	return all, nil
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

// A Rendering is the good frames of a sequence, or follow-ups, that a node has made.
type Rendering struct {
	Sequence Sequence
	Frames   frame.Set
}

// RenderedBy returns what a node has made, the latest sequences first, at most so many; and how many more there are.
func (s *Store) RenderedBy(node string, most int) (all []Rendering, more int, err error) {
	ids, err := column[int64](s.read, "SELECT DISTINCT sequence_id FROM frame WHERE node = ? COLLATE NOCASE AND "+
		"state = 'good' ORDER BY sequence_id DESC", node)
	if err != nil {
		return nil, 0, err
	}
	more = max(0, len(ids)-most)
	for _, id := range ids[:len(ids)-more] {
		q, err := s.Sequence(id)
		if errors.Is(err, ErrNotFound) {
			continue
		} else if err != nil {
			return nil, 0, err
		}
		numbers, err := column[int](s.read, "SELECT number FROM frame WHERE sequence_id = ? AND node = ? "+
			"COLLATE NOCASE AND state = 'good' ORDER BY number", id, node)
		if err != nil {
			return nil, 0, err
		}
		all = append(all, Rendering{q, frame.SetOf(numbers)})
	}
	return all, more, nil
}
