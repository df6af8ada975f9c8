package store

import (
	"cmp"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"reelhouse/core/work"
)

// Sequences that need the same are of one class, so that it is found out once for all of them whether a node can take
// their tasks.

// An Offer is what a node can take now.
type Offer struct {
	Node   string
	Except []int64 // batches that are passed over
	// Takes says whether the node can take a task of a class, and what that needs; used is what is in use of the node,
	// and licences what is in use in the house. Nil for any.
	Takes func(class work.Class, used work.Use, licences map[string]int) (work.Settings, bool)
	// Timeout is how long a task may take that says nothing of its own; 0 for any time.
	Timeout time.Duration
}

// deadlineSlack is for how long beyond its time-out a lease is left to its node, which ends it by itself.
const deadlineSlack = 5 * time.Minute

// deadline returns the Unix time after which a task is given back, 0 for none.
func (o Offer) deadline(needs work.Settings) int64 {
	most := cmp.Or(needs.Timeout, o.Timeout)
	if most == 0 {
		return 0
	}
	return time.Now().Add(most + deadlineSlack).Unix()
}

// A class is one with its number.
type class struct {
	id int64
	work.Class
}

// classes returns all classes that the queue has had.
func classes(q queryer) ([]class, error) {
	rows, err := q.Query("SELECT id, kind, renderer, needs FROM class ORDER BY id")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []class
	for rows.Next() {
		var c class
		if err := rows.Scan(&c.id, &c.Kind, &c.Renderer, &c.Override); err != nil {
			return nil, err
		}
		all = append(all, c)
	}
	return all, rows.Err()
}

// classOf returns the number of a class, which is made if it is new.
func classOf(tx *writing, c work.Class) (id int64, err error) {
	err = tx.QueryRow("SELECT id FROM class WHERE kind = ? AND renderer = ? AND needs = ?", c.Kind, c.Renderer,
		c.Override).Scan(&id)
	if !errors.Is(err, sql.ErrNoRows) {
		return id, err
	}
	result, err := tx.Exec("INSERT INTO class (kind, renderer, needs) VALUES (?, ?, ?)", c.Kind, c.Renderer, c.Override)
	if err != nil {
		return 0, err
	}
	return result.LastInsertId()
}

// inUse returns what the tasks that nodes have take, by the nodes' names. A task of several frames counts once. One
// that a person has taken away counts until its process has ended: only then its licence is free.
func inUse(q queryer) (map[string]*work.Use, error) {
	rows, err := q.Query("SELECT node, needs FROM lease WHERE needs <> ?", takesNothing)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	used := map[string]*work.Use{}
	for rows.Next() {
		var node string
		var needs work.Override
		if err := rows.Scan(&node, &needs); err != nil {
			return nil, err
		}
		if used[node] == nil {
			used[node] = &work.Use{}
		}
		used[node].Add(needs.On(work.Settings{}))
	}
	return used, rows.Err()
}

// usedBy returns what a node's tasks take, and what all take of licences, as inUse has them: thousands of nodes have
// few needs that differ.
func usedBy(tx *writing, node string) (mine work.Use, licences map[string]int, err error) {
	err = eachNeeds(tx, func(needs work.Settings, _ int) { mine.Add(needs) },
		"SELECT needs, 1 FROM lease WHERE node = ? AND needs <> ?", node, takesNothing)
	if err != nil {
		return mine, nil, err
	}
	licences = map[string]int{}
	return mine, licences, eachNeeds(tx, func(needs work.Settings, tasks int) {
		for name, n := range needs.Licences {
			licences[name] += n * tasks
		}
	}, "SELECT needs, count(*) FROM lease WHERE needs <> ? GROUP BY needs", takesNothing)
}

// eachNeeds calls each with what tasks need, and with how many there are.
func eachNeeds(tx *writing, each func(needs work.Settings, tasks int), query string, args ...any) error {
	rows, err := tx.Query(query, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var needs work.Override
		var tasks int
		if err := rows.Scan(&needs, &tasks); err != nil {
			return err
		}
		each(needs.On(work.Settings{}), tasks)
	}
	return rows.Err()
}

// Ended says that the process of leases has ended, though something may lie about of them: they take nothing any more.
func (s *Store) Ended(ids ...int64) error {
	return s.change(func(tx *writing) error {
		for _, id := range ids {
			if _, err := tx.Exec("UPDATE lease SET needs = ? WHERE id = ?", takesNothing, id); err != nil {
				return err
			}
		}
		return nil
	})
}

// InUse returns what the tasks that nodes have take, by the nodes' names.
func (s *Store) InUse() (map[string]*work.Use, error) { return inUse(s.read) }

// LicencesOf adds up what is in use of licences.
func LicencesOf(used map[string]*work.Use) map[string]int {
	sum := map[string]int{}
	for _, u := range used {
		for name, n := range u.Licences {
			sum[name] += n
		}
	}
	return sum
}

// An able class is one whose tasks a node can take now.
type able struct {
	class
	needs work.Settings
}

// ables returns the classes whose tasks can be taken, and whether frames can be put together.
func (o Offer) ables(tx *writing) (all []able, assembles *work.Settings, err error) {
	known, err := classes(tx)
	if err != nil {
		return nil, nil, err
	}
	if o.Takes == nil {
		for _, c := range known {
			all = append(all, able{class: c})
		}
		return all, &work.Settings{}, nil
	}
	mine, licences, err := usedBy(tx, o.Node)
	if err != nil {
		return nil, nil, err
	}
	for _, c := range known {
		if needs, ok := o.Takes(c.Class, mine, licences); ok {
			all = append(all, able{c, needs})
		}
	}
	if needs, ok := o.Takes(work.Class{Kind: work.Assemble}, mine, licences); ok {
		assembles = &needs
	}
	return all, assembles, nil
}

// SetNeeds says what tasks of the scope's sequences need, beside what is usual; those that nodes have keep what they
// took. add says that what was said before of other settings stays. It returns how many sequences there are.
func (s *Store) SetNeeds(scope Scope, needs work.Override, add bool) (changed int, err error) {
	if scope.Frame != nil {
		return 0, fmt.Errorf("%w: needs are those of a sequence, or of a batch", ErrNothing)
	}
	where, args := scope.sequences()
	err = s.change(func(tx *writing) error {
		if _, _, err := scope.batchIn(tx); err != nil {
			return err
		}
		known, err := classes(tx)
		if err != nil {
			return err
		}
		for _, c := range known {
			next := c.Class
			if next.Override = needs; add {
				next.Override = c.Override.And(needs)
			}
			to, err := classOf(tx, next)
			if err != nil {
				return err
			}
			result, err := tx.Exec("UPDATE sequence SET class_id = ? WHERE class_id = ? AND "+where,
				append([]any{-to, c.id}, args...)...)
			if err != nil {
				return err
			}
			n, err := result.RowsAffected()
			if err != nil {
				return err
			}
			changed += int(n)
		}
		_, err = tx.Exec("UPDATE sequence SET class_id = -class_id WHERE class_id < 0 AND "+where, args...)
		return errors.Join(err, hasChanged(tx))
	})
	return changed, err
}

// ReadyClasses returns the classes of a batch's tasks that may be taken.
func (s *Store) ReadyClasses(batch int64) ([]work.Class, error) {
	rows, err := s.read.Query(`SELECT c.kind, c.renderer, c.needs FROM class c WHERE EXISTS (SELECT 1 FROM sequence q
		WHERE q.batch_id = ? AND q.class_id = c.id AND q.ready > 0) ORDER BY c.id`, batch)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []work.Class
	for rows.Next() {
		var c work.Class
		if err := rows.Scan(&c.Kind, &c.Renderer, &c.Override); err != nil {
			return nil, err
		}
		all = append(all, c)
	}
	return all, rows.Err()
}

// Overrides returns what people say of what tasks of a batch need, each once.
func (s *Store) Overrides(batch int64) ([]work.Override, error) {
	return column[work.Override](s.read, "SELECT DISTINCT c.needs FROM class c WHERE EXISTS (SELECT 1 FROM sequence q "+
		"WHERE q.batch_id = ? AND q.class_id = c.id) ORDER BY c.needs", batch)
}

// ClassOf returns the class of a sequence.
func (s *Store) ClassOf(sequence int64) (c work.Class, err error) {
	err = s.read.QueryRow("SELECT c.kind, c.renderer, c.needs FROM sequence q JOIN class c ON c.id = q.class_id "+
		"WHERE q.id = ?", sequence).Scan(&c.Kind, &c.Renderer, &c.Override)
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("sequence %d: %w", sequence, ErrNotFound)
	}
	return c, err
}
