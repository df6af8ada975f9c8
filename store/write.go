package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"
	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

// A writer makes every change of the record, one after the other, on a connection of its own. Changes that wait for
// their turn share a transaction, since most of what a change costs is that the disk has to be told; each of them is
// done wholly or not at all, and is answered when it is safe.
type writer struct {
	connection *sql.Conn
	statements *lru.Cache[string, *sql.Stmt]
	requests   chan request
	done       chan struct{} // is closed when the writer has ended
	lost       error         // for which the record may have given up the transaction by itself

	mutex  sync.RWMutex
	closed bool
}

// A request is a change that waits.
type request struct {
	work   func(tx *writing) error
	answer chan outcome
}

// An outcome is how a change has ended.
type outcome struct {
	err      error
	panicked any // with what work has panicked, nil if it has not
}

// A writing is what a change reads and writes with. It is valid until that ends.
type writing struct{ *writer }

const (
	mostTogether   = 128 // changes in a transaction
	keptStatements = 300
)

func newWriter(db *sql.DB) (*writer, error) {
	connection, err := db.Conn(context.Background())
	if err != nil {
		return nil, err
	}
	statements, err := lru.NewWithEvict(keptStatements, func(_ string, s *sql.Stmt) { s.Close() })
	if err != nil {
		return nil, errors.Join(err, connection.Close())
	}
	w := &writer{
		connection: connection, statements: statements, requests: make(chan request, mostTogether),
		done: make(chan struct{}),
	}
	go w.run()
	return w, nil
}

// errClosed says that the record was closed.
var errClosed = errors.New("the record is closed")

// do has a change made. What the work panics with is panicked with here.
func (w *writer) do(work func(tx *writing) error) error {
	r := request{work, make(chan outcome, 1)}
	if !w.ask(r) {
		return errClosed
	}
	o := <-r.answer
	if o.panicked != nil {
		panic(o.panicked)
	}
	return o.err
}

// ask puts a request in the row, unless the writer is closed.
func (w *writer) ask(r request) bool {
	w.mutex.RLock()
	defer w.mutex.RUnlock()
	if w.closed {
		return false
	}
	w.requests <- r
	return true
}

// close ends the writer when everything that was asked for is done.
func (w *writer) close() error {
	w.mutex.Lock()
	was := w.closed
	w.closed = true
	w.mutex.Unlock()
	if was {
		return nil
	}
	close(w.requests)
	<-w.done
	w.statements.Purge()
	return w.connection.Close()
}

func (w *writer) run() {
	defer close(w.done)
	for r := range w.requests {
		w.together(r)
	}
}

// together makes a change, and in the same transaction those that wait by then.
func (w *writer) together(first request) {
	w.lost = nil
	if _, err := w.Exec("BEGIN IMMEDIATE"); err != nil {
		first.answer <- outcome{err: err}
		return
	}
	if o := w.try(first.work); o.failed() { // of which nothing is to stay
		w.rollBack()
		first.answer <- o
		return
	}
	made := []request{first}
	for len(made) < mostTogether {
		select {
		case r, open := <-w.requests:
			if !open {
				w.commit(made)
				return
			}
			o, lost := w.within(r)
			if lost != nil { // the disk is full, or broken: the record has given up the transaction by itself
				w.rollBack()
				for _, m := range append(made, r) { // what is wrong with r by itself is not said of the others
					m.answer <- outcome{err: lost}
				}
				return
			}
			if o.failed() {
				r.answer <- o
				continue
			}
			made = append(made, r)
		default:
			w.commit(made)
			return
		}
	}
	w.commit(made)
}

func (o outcome) failed() bool { return o.err != nil || o.panicked != nil }

// try does the work of a change.
func (w *writer) try(work func(tx *writing) error) (o outcome) {
	defer func() {
		if p := recover(); p != nil {
			o.panicked = p
		}
	}()
	return outcome{err: work(&writing{w})}
}

// within makes a change in a transaction that holds others already. It returns why the transaction was lost, nil if it
// was not.
func (w *writer) within(r request) (o outcome, lost error) {
	if _, err := w.Exec("SAVEPOINT change"); err != nil {
		return o, err
	}
	o = w.try(r.work)
	if o.failed() {
		if _, err := w.Exec("ROLLBACK TO change"); err != nil {
			return o, err
		}
	}
	if _, err := w.Exec("RELEASE change"); err != nil {
		return o, err
	}
	return o, nil
}

// commit brings changes safely to the disk, and answers them.
func (w *writer) commit(made []request) {
	_, err := w.Exec("COMMIT")
	if err != nil {
		w.rollBack()
	}
	for _, r := range made {
		r.answer <- outcome{err: err}
	}
}

// rollBack ends a transaction, if there is still one.
func (w *writer) rollBack() {
	w.lost = nil
	w.Exec("ROLLBACK") // which fails where the record has done it by itself
}

// statement returns a statement that is ready to be used.
func (w *writer) statement(query string) (*sql.Stmt, error) {
	if w.lost != nil {
		return nil, w.lost
	}
	if s, known := w.statements.Get(query); known {
		return s, nil
	}
	s, err := w.connection.PrepareContext(context.Background(), query)
	if err != nil {
		return nil, fmt.Errorf("%w, in %q", err, query)
	}
	w.statements.Add(query, s)
	return s, nil
}

// Exec does what a query says.
func (w *writer) Exec(query string, args ...any) (sql.Result, error) {
	s, err := w.statement(query)
	if err != nil {
		return nil, err
	}
	result, err := s.Exec(args...)
	if givesUp(err) {
		w.lost = err
	}
	return result, err
}

// givesUp reports whether the record may end a transaction by itself for an error: without one, what came after it
// would be made by itself, and stay.
func givesUp(err error) bool {
	var fault *sqlite.Error
	if !errors.As(err, &fault) {
		return false
	}
	switch fault.Code() & 0xff {
	case sqlite3.SQLITE_FULL, sqlite3.SQLITE_IOERR, sqlite3.SQLITE_NOMEM, sqlite3.SQLITE_BUSY, sqlite3.SQLITE_INTERRUPT:
		return true
	}
	return false
}

// Query returns what a query finds.
func (w *writer) Query(query string, args ...any) (*sql.Rows, error) {
	s, err := w.statement(query)
	if err != nil {
		return nil, err
	}
	return s.Query(args...)
}

// QueryRow returns the first row that a query finds.
func (w *writer) QueryRow(query string, args ...any) *sql.Row {
	s, err := w.statement(query)
	if err != nil { // the row tells one, and the next statement this one
		return w.connection.QueryRowContext(context.Background(), "SELECT 1 WHERE 0")
	}
	return s.QueryRow(args...)
}
