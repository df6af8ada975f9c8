package store

import (
	"errors"
	"fmt"
	"sync"
	"testing"

	"reelhouse/core/queue"
)

// Changes that share a transaction are made each by itself: one that fails, or panics, takes nobody along, and nothing
// of it stays.
func TestChangesThatShareATransactionAreApart(t *testing.T) {
	s := open(t)
	wrong := errors.New("wrong")
	const all = 400
	insert := func(tx *writing, i int) error {
		_, err := tx.Exec("INSERT INTO preset VALUES ('k', ?, '', '')", fmt.Sprint(i))
		return err
	}
	var group sync.WaitGroup
	for i := range all {
		group.Go(func() {
			defer func() {
				if p := recover(); (p != nil) != (i%10 == 3) {
					t.Errorf("change %d panicked with %v", i, p)
				}
			}()
			err := s.change(func(tx *writing) error {
				if err := insert(tx, i); err != nil {
					return err
				}
				switch i % 10 {
				case 3:
					panic("at the disco")
				case 5:
					return wrong
				case 7: // an error of the record's own
					return insert(tx, i)
				}
				return nil
			})
			if failed := i%10 == 5 || i%10 == 7; (err != nil) != failed || i%10 == 5 && err != wrong {
				t.Errorf("change %d: %v", i, err)
			}
		})
	}
	group.Wait()
	names, err := column[string](s.read, "SELECT name FROM preset")
	if err != nil || len(names) != all*7/10 {
		t.Errorf("%d of %d are there, %v", len(names), all*7/10, err)
	}
}

// A change that is asked for after the record was closed is refused, and closing twice does no harm.
func TestAClosedRecordRefusesChanges(t *testing.T) {
	s := open(t)
	must(t, s.Close())
	if err := s.SetPriority(1, 2); !errors.Is(err, errClosed) {
		t.Errorf("got %v", err)
	}
	s.Close()
}

// BenchmarkStateChanges counts how many state changes a second are safe on the disk when 32 slots ask for them.
func BenchmarkStateChanges(b *testing.B) {
	s := open(b)
	sets := make([]string, 800)
	for i := range sets {
		sets[i] = "1001-1104"
	}
	send(b, s, 0, 1, sets...)
	const slots, changesOfAFrame = 32, 3 // leased, checking, good
	work := make(chan struct{})
	var group sync.WaitGroup
	for range slots {
		group.Go(func() {
			for range work {
				l, err := s.Lease("n")
				if err == nil {
					err = errors.Join(s.Check(l), s.Accept(l, 1, filesOf(l, 5), "log"))
				}
				if err != nil {
					b.Error(err)
				}
			}
		})
	}
	frames := 0
	for b.Loop() {
		work <- struct{}{}
		frames++
	}
	close(work)
	group.Wait()
	b.ReportMetric(float64(changesOfAFrame*frames)/b.Elapsed().Seconds(), "changes/s")
}

// BenchmarkFilm sends, holds, releases and drops a batch of 832 000 frames in 8000 sequences.
func BenchmarkFilm(b *testing.B) {
	sets := make([]string, 8000)
	for i := range sets {
		sets[i] = "1001-1104"
	}
	film := batch(b, 1, sets...)
	s := open(b)
	took := map[string]float64{}
	for b.Loop() {
		began := b.Elapsed()
		step := func(name string, err error) {
			b.Helper()
			if err != nil {
				b.Fatal(name, err)
			}
			took[name] += (b.Elapsed() - began).Seconds()
			began = b.Elapsed()
		}
		id, err := s.Send(film, Sending{Name: "film"})
		step("send", err)
		for _, event := range []string{"hold", "release", "drop"} {
			_, err := s.Apply(Scope{Production: "SALT", Batch: id}, queue.Event(event))
			step(event, err)
		}
	}
	for name, seconds := range took {
		b.ReportMetric(seconds/float64(b.N), "s/"+name)
	}
}
