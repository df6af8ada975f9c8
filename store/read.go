package store

import (
	"database/sql"
	"fmt"

	lru "github.com/hashicorp/golang-lru/v2"
)

// A reader reads the record on a pool of connections, with statements that were made ready before.
type reader struct {
	db         *sql.DB
	statements *lru.Cache[string, *sql.Stmt]
}

func newReader(db *sql.DB) (*reader, error) {
	statements, err := lru.NewWithEvict(keptStatements, func(_ string, s *sql.Stmt) { s.Close() })
	return &reader{db, statements}, err
}

func (r *reader) statement(query string) (*sql.Stmt, error) {
	if s, known := r.statements.Get(query); known {
		return s, nil
	}
	s, err := r.db.Prepare(query)
	if err != nil {
		return nil, fmt.Errorf("%w, in %q", err, query)
	}
	if before, known, _ := r.statements.PeekOrAdd(query, s); known { // somebody else was quicker
		return before, s.Close()
	}
	return s, nil
}

// Query returns what a query finds.
func (r *reader) Query(query string, args ...any) (*sql.Rows, error) {
	s, err := r.statement(query)
	if err != nil {
		return nil, err
	}
	return s.Query(args...)
}

// QueryRow returns the first row that a query finds.
func (r *reader) QueryRow(query string, args ...any) *sql.Row {
	s, err := r.statement(query)
	if err != nil { // which the row tells
		return r.db.QueryRow(query, args...)
	}
	return s.QueryRow(args...)
}

// Close ends the connections.
func (r *reader) Close() error {
	r.statements.Purge()
	return r.db.Close()
}
