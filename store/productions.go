package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"reelhouse/core/difference"
	"reelhouse/core/production"
)

// A Revision is a production's document at one point of its history. What it holds is shared by all who have read it:
// it is changed in a Copy.
type Revision struct {
	production.Production
	ID      int64 // of the production, whatever its code is
	Number  int
	Summary string // what was changed, in words
	Author  Author
	Saved   time.Time
}

// An Author is who has changed something. The zero value is somebody unknown.
type Author struct {
	Name string // for people
	Key  string // tells authors of one name apart
}

// ErrTaken is wrapped by the error about a code that another production has, or a name that another node has.
var ErrTaken = errors.New("taken")

// Create keeps a new production.
func (s *Store) Create(p production.Production, by Author) error {
	if err := p.TooLong(); err != nil {
		return err
	}
	document, err := json.Marshal(p)
	if err != nil {
		return err
	}
	whole, err := pack(document)
	if err != nil {
		return err
	}
	return s.change(func(tx *writing) error {
		var n int
		if err := tx.QueryRow("SELECT count(*) FROM production WHERE code = ?", p.Code).Scan(&n); err != nil {
			return err
		}
		if n > 0 {
			return fmt.Errorf("a production with the code %s exists already; choose another: %w", p.Code, ErrTaken)
		}
		result, err := tx.Exec(
			"INSERT INTO production (code, head, last, document) VALUES (?, 1, 1, ?)", p.Code, string(document),
		)
		if err != nil {
			return err
		}
		id, err := result.LastInsertId()
		if err != nil {
			return err
		}
		_, err = tx.Exec(`INSERT INTO history (production_id, number, document, summary, author, author_key, saved_at)
			VALUES (?, 1, ?, 'created', ?, ?, ?)`, id, whole, by.Name, by.Key, now())
		return err
	})
}

// Codes returns the codes of all productions.
func (s *Store) Codes() ([]string, error) {
	return column[string](s.read, "SELECT code FROM production ORDER BY code")
}

// Production returns a production as it is now.
func (s *Store) Production(code string) (Revision, error) {
	h, err := s.head(s.read, code)
	return h.Revision, err
}

// A head is the revision of a production that counts, with its text.
type head struct {
	Revision
	text string
	ours bool // it is written as this version writes it
}

type queryer interface {
	QueryRow(query string, args ...any) *sql.Row
	Query(query string, args ...any) (*sql.Rows, error)
}

// column reads the only column that a query gives.
func column[T any](q queryer, query string, args ...any) ([]T, error) {
	rows, err := q.Query(query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []T
	for rows.Next() {
		var value T
		if err := rows.Scan(&value); err != nil {
			return nil, err
		}
		all = append(all, value)
	}
	return all, rows.Err()
}

// head reads the revision that counts. Documents that were read before are not read again.
func (s *Store) head(q queryer, code string) (head, error) {
	var h head
	var saved string
	err := q.QueryRow(`SELECT p.id, h.number, h.summary, h.author, h.author_key, h.saved_at FROM production p
		JOIN history h ON h.production_id = p.id AND h.number = p.head WHERE p.code = ?`, code).
		Scan(&h.ID, &h.Number, &h.Summary, &h.Author.Name, &h.Author.Key, &saved)
	if errors.Is(err, sql.ErrNoRows) {
		return h, fmt.Errorf("production %s: %w", code, ErrNotFound)
	} else if err != nil {
		return h, err
	}
	h.Saved = when(saved)
	place := documentKey{h.ID, h.Number}
	if d, ok := s.documents.Get(place); ok {
		h.Production, h.text, h.ours = d.production, d.text, d.ours
		return h, nil
	}
	var number int
	if err := q.QueryRow("SELECT head, document FROM production WHERE id = ?", h.ID).Scan(&number,
		&h.text); err != nil {
		return h, err
	}
	if number != h.Number { // it was changed between the two readings
		return s.head(q, code)
	}
	if err := json.Unmarshal([]byte(h.text), &h.Production); err != nil {
		return h, fmt.Errorf("production %s, revision %d: %w", code, h.Number, err)
	}
	s.documents.Add(place, document{h.Production, h.text, false})
	return h, nil
}

// A document is one that was read.
type document struct {
	production production.Production
	text       string
	ours       bool // it is written as this version writes it
}

// keptDocuments is how many documents are held in memory.
const keptDocuments = 8

// documentKey is where a document stands in the history.
type documentKey struct {
	production int64
	number     int
}

// A Conflict is the error about an edit of something that was changed by somebody else since it was seen.
type Conflict struct {
	Elsewhere string              // what was done last, in words
	By        Author              // who has done it
	Changes   []difference.Change // by others, of what the edit concerns; empty if what was seen is no longer known
}

func (c *Conflict) Error() string {
	if len(c.Changes) == 0 {
		return "the production was changed elsewhere since this page was loaded (" + c.Elsewhere + ")"
	}
	value := string(c.Changes[0].Is)
	if value == "" {
		return "this was taken away elsewhere in the meantime"
	}
	if len(value) > 60 {
		return "this was changed elsewhere in the meantime (" + c.Elsewhere + ")"
	}
	return "this was changed elsewhere in the meantime, to " + strings.Trim(value, `"`)
}

// Any stands for an edit that is made whatever was changed in the meantime.
const Any = 0

// Making is how a change is kept.
type Making struct {
	Summary string // in words, what is changed
	Command string // name of the command, "" for none
	By      Author
	// Seen is the number of the revision that the editor had before them, or Any. If others have changed something else
	// since, both edits hold; if they have changed the same, the error is a *Conflict.
	Seen int

	concerns int // the revision that is undone or done again
	undoes   bool
}

// Edit changes a production: change is given a copy of the current document and may alter it. If it returns an error,
// or alters nothing, nothing is kept. It is called again if somebody else was faster.
func (s *Store) Edit(code string, how Making, change func(p *production.Production) error) (Revision, error) {
	for {
		after, err := s.edit(code, how, change)
		if !errors.Is(err, errMoved) {
			return after, err
		}
	}
}

// errMoved is the error about a document that is no longer the last one.
var errMoved = errors.New("somebody else was faster")

// edit works everything out beside the record, and then keeps it if the document is still the last one.
func (s *Store) edit(code string, how Making, change func(p *production.Production) error) (Revision, error) {
	h, err := s.head(s.read, code)
	if err != nil {
		return Revision{}, err
	}
	if how.Seen != Any && how.Seen != h.Number {
		if err := s.conflicts(h, how.Seen, change); err != nil {
			return Revision{}, err
		}
	}
	after := h.Production.Copy()
	if err := change(&after); err != nil {
		return Revision{}, err
	}
	if err := after.TooLong(); err != nil &&
		h.Production.TooLong() == nil { // old documents are from before texts were bounded
		return Revision{}, err
	}
	text, err := json.Marshal(after)
	if err != nil {
		return Revision{}, err
	}
	if string(text) == h.text || !h.ours && how.concerns == 0 && sameDocument(h.Production, text) {
		return h.Revision, nil
	}
	r := Revision{Production: after, ID: h.ID, Summary: bounded(how.Summary), Author: how.By}
	if err := s.keep(h, &r, string(text), how); err != nil {
		return Revision{}, err
	}
	s.documents.Add(documentKey{h.ID, r.Number}, document{after, string(text), true})
	return r, nil
}

// sameDocument reports whether a document is written as a text. Old documents are written otherwise than they were
// read.
func sameDocument(p production.Production, text []byte) bool {
	again, err := json.Marshal(p)
	return err == nil && string(again) == string(text)
}

// bounded cuts a summary to what is kept of it.
func bounded(summary string) string {
	return strings.ToValidUTF8(summary[:min(len(summary), production.MostText)], "")
}

// conflicts returns a *Conflict if an edit, made on the revision that was seen, would change what was changed since
// then.
func (s *Store) conflicts(now head, seen int, change func(p *production.Production) error) error {
	base, err := s.at(s.read, now.ID, seen)
	if errors.Is(err, ErrNotFound) {
		return &Conflict{Elsewhere: now.Summary, By: now.Author}
	} else if err != nil {
		return err
	}
	mine := base.Copy()
	if change(&mine) != nil {
		return nil // what is wrong with it will be said of the document as it is now
	}
	here, err := difference.Between(base, mine)
	if err != nil {
		return err
	}
	return s.conflictsWith(now, base, here)
}

// conflictsWith returns a *Conflict if changes concern what was changed between an older document and the current one.
func (s *Store) conflictsWith(now head, base production.Production, changes []difference.Change) error {
	elsewhere, err := difference.Between(base, now.Production)
	if err != nil {
		return err
	}
	c := &Conflict{Elsewhere: now.Summary, By: now.Author}
	for _, e := range elsewhere {
		if slices.ContainsFunc(changes, func(h difference.Change) bool { return e.Meets(h) && !e.Same(h) }) {
			c.Changes = append(c.Changes, e)
		}
	}
	if len(c.Changes) > 0 {
		return c
	}
	return nil
}

// keep adds a revision to the history, if the one that it was made from is still the last one.
func (s *Store) keep(from head, r *Revision, text string, how Making) error {
	delta, err := differ([]byte(from.text), []byte(text))
	if err != nil {
		return err
	}
	var whole []byte
	if (from.Number+1)%wholeEvery == 0 || len(delta) > len(text)/4 {
		if whole, err = pack([]byte(text)); err != nil {
			return err
		}
		delta = nil
	}
	return s.change(func(tx *writing) error {
		result, err := tx.Exec(
			"UPDATE production SET last = last + 1, head = last + 1, code = ?, document = ? WHERE id = ? AND head = ?",
			r.Code, text, from.ID, from.Number,
		)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, errMoved)
		}
		if err := tx.QueryRow("SELECT head FROM production WHERE id = ?", from.ID).Scan(&r.Number); err != nil {
			return err
		}
		saved := now()
		r.Saved = when(saved)
		_, err = tx.Exec(
			`INSERT INTO history (production_id, number, document, difference, summary, command, author, author_key,
			concerns, undoes, saved_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			from.ID,
			r.Number,
			whole,
			delta,
			r.Summary,
			how.Command,
			how.By.Name,
			how.By.Key,
			how.concerns,
			how.undoes,
			saved,
		)
		return err
	})
}
