// Package store keeps the record of a house in SQLite: productions with their history, batches as they
// were sent, and the state of every frame.
//
// Changes that belong together are one transaction. There is one writer and a pool of readers.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/url"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/pressly/goose/v3"
	"modernc.org/sqlite" // the driver "sqlite"
	sqlite3 "modernc.org/sqlite/lib"

	"reelhouse/core/plan"
	"reelhouse/core/queue"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound is wrapped by the error about anything that is not in the record.
var ErrNotFound = errors.New("not found")

// A Store is an open record. Its methods may be called by many goroutines at once.
type Store struct {
	write  *sql.DB // every transaction takes the write lock at once
	read   *reader
	writer *writer

	documents *lru.Cache[documentKey, document] // of productions, as they were read
	turns     *lru.Cache[int64, turns]          // of sequences, by their numbers
	plans     *lru.Cache[int64, plan.Batch]     // of batches without their sequences, by their numbers

	mutex sync.Mutex
	specs map[int64]plan.Sequence // of sequences, by their numbers
}

const readers = 4

// keptPlans is of how many batches what was frozen is kept in memory.
const keptPlans = 500

// Open opens the record in a file, makes it if there is none, and brings its tables up to date.
func Open(file string) (*Store, error) {
	dsn := func(extra string) string {
		// What a change that fails is undone with goes to memory, not to a file of its own.
		q := "_pragma=busy_timeout(10000)&_pragma=journal_mode(WAL)&_pragma=foreign_keys(1)&_pragma=synchronous(FULL)" +
			"&_pragma=temp_store(MEMORY)" + extra
		return (&url.URL{Scheme: "file", Opaque: (&url.URL{Path: file}).EscapedPath(), RawQuery: q}).String()
	}
	write, err := sql.Open("sqlite", dsn("&_txlock=immediate"))
	if err != nil {
		return nil, fmt.Errorf("record %s: %w", file, err)
	}
	read, err := sql.Open("sqlite", dsn(""))
	if err != nil {
		write.Close()
		return nil, fmt.Errorf("record %s: %w", file, err)
	}
	read.SetMaxOpenConns(readers)
	read.SetMaxIdleConns(readers)
	documents, err := lru.New[documentKey, document](keptDocuments)
	if err != nil {
		return nil, err
	}
	order, err := lru.New[int64, turns](keptTurns)
	if err != nil {
		return nil, err
	}
	frozen, err := lru.New[int64, plan.Batch](keptPlans)
	if err != nil {
		return nil, err
	}
	pool, err := newReader(read)
	if err != nil {
		return nil, err
	}
	s := &Store{write: write, read: pool, documents: documents, turns: order, plans: frozen,
		specs: map[int64]plan.Sequence{}}
	if err := s.migrate(); err != nil {
		s.Close()
		return nil, fmt.Errorf("record %s: %w", file, err)
	}
	if s.writer, err = newWriter(write); err != nil {
		s.Close()
		return nil, fmt.Errorf("record %s: %w", file, err)
	}
	return s, nil
}

func (s *Store) migrate() error {
	provider, err := s.provider()
	if err != nil {
		return err
	}
	_, err = provider.Up(context.Background())
	return err
}

func (s *Store) provider() (*goose.Provider, error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	return goose.NewProvider(goose.DialectSQLite3, s.write, files, goose.WithSlog(slog.New(slog.DiscardHandler)))
}

// Close closes the record.
func (s *Store) Close() error {
	var err error
	if s.writer != nil {
		err = s.writer.close()
	}
	return errors.Join(err, s.read.Close(), s.write.Close())
}

// Backup writes a copy of the record, as it is at this moment, to a new file; work may go on meanwhile.
func (s *Store) Backup(file string) error {
	if _, err := s.write.Exec("VACUUM INTO ?", file); err != nil {
		return fmt.Errorf("backup to %s: %w", file, err)
	}
	return nil
}

// Marks returns a text that is another one whenever a batch was sent or any frame has gone from one state to another,
// whichever process has done it.
func (s *Store) Marks() (string, error) {
	query := "SELECT (SELECT coalesce(max(id), 0) FROM batch), (SELECT changes FROM house_status)"
	counts := make([]int64, len(states)+3)
	into := []any{&counts[0], &counts[1]}
	for i, state := range states {
		query += ", coalesce(sum(" + string(state) + "), 0)"
		into = append(into, &counts[i+2])
	}
	err := s.read.QueryRow(query + ", coalesce(sum(bytes), 0) FROM batch").
		Scan(append(into, &counts[len(states)+2])...)
	return fmt.Sprint(counts), err
}

// change runs work all or not at all, and returns when it is safely on the disk.
func (s *Store) change(work func(tx *writing) error) error { return s.writer.do(work) }

const timeFormat = time.RFC3339Nano

func now() string { return time.Now().UTC().Format(timeFormat) }

// when reads a stored time; an empty or damaged one is the zero time.
func when(text string) time.Time {
	t, _ := time.Parse(timeFormat, text)
	return t
}

// Refuses reports whether the record will never do what failed with an error, however often it is tried: what it is
// about was taken away or is not there, or it would break what the record promises.
func Refuses(err error) bool {
	var state *queue.StateError
	var constraint *sqlite.Error
	return errors.Is(err, ErrLost) || errors.Is(err, ErrNotFound) || errors.Is(err, ErrPromise) ||
		errors.As(err, &state) ||
		errors.As(err, &constraint) && constraint.Code()&0xff == sqlite3.SQLITE_CONSTRAINT
}
