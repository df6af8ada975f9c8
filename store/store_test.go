package store

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/work"
)

func open(t testing.TB) *Store {
	t.Helper()
	s, err := Open(filepath.Join(t.TempDir(), "with space & more", "..", "record.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

// batch returns a batch of one sequence a set of frames.
func batch(t testing.TB, version int, sets ...string) plan.Batch {
	t.Helper()
	p := production.New("SALT", "A title")
	p.Scene, p.Version = production.SceneFile{Name: "a.glb", SHA256: "00"}, version
	p.Views = []production.View{{Code: "quay", Camera: "cam_quay", Look: "plain"}}
	for i, set := range sets {
		p.Shots = append(
			p.Shots,
			production.Shot{
				Code:     fmt.Sprint(i),
				View:     "quay",
				Frames:   frame.MustParse(set),
				Sizes:    []string{"hd"},
				PassList: "minimum",
				Outputs:  []string{"master"},
				InBatch:  true,
			},
		)
	}
	b, err := plan.Build(p, plan.Measure{})
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func send(t testing.TB, s *Store, priority, version int, sets ...string) Batch {
	t.Helper()
	id, err := s.Send(batch(t, version, sets...), Sending{Name: fmt.Sprint("v", version), Priority: priority})
	if err != nil {
		t.Fatal(err)
	}
	b, err := s.Batch(id)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func lease(t testing.TB, s *Store) *Lease {
	t.Helper()
	l, err := s.Lease("here")
	if err != nil {
		t.Fatal(err)
	}
	return l
}

// filesOf returns the files that were promised of a leased frame, the first of some bytes.
func filesOf(l *Lease, bytes int64) []File {
	var files []File
	for _, f := range l.Sequence.Spec.Files {
		files = append(
			files, File{Path: f.Path.Frame(l.Number), Bytes: max(1, bytes), SHA256: strings.Repeat("ab", 32)},
		)
		bytes = 1
	}
	return files
}

// scope is everything of a batch.
func scope(b Batch) Scope { return Scope{Production: "SALT", Batch: b.ID} }

func must(t testing.TB, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// The record hands frames out in the order of queue.Turn.
func TestLeasesComeByPriorityThenAge(t *testing.T) {
	s := open(t)
	first := send(t, s, 0, 1, "3-4", "1-2")
	urgent := send(t, s, 5, 2, "9")
	var got []queue.Turn
	for l := lease(t, s); l != nil; l = lease(t, s) {
		got = append(
			got,
			queue.Turn{Priority: l.Batch.Priority, Batch: l.Batch.ID, Sequence: l.Sequence.Ordinal, Frame: l.Number},
		)
	}
	if len(got) != 5 || !slices.IsSortedFunc(got, queue.Turn.Compare) || got[0].Batch != urgent.ID {
		t.Errorf("order is %v", got)
	}
	b, err := s.Batch(first.ID)
	must(t, err)
	if c := b.Counts(); c[queue.Rendering] != 4 || c.Total() != 4 {
		t.Errorf("counts are %v", c)
	}
}

func TestAFrameBecomesGoodWithItsFiles(t *testing.T) {
	s := open(t)
	send(t, s, 0, 1, "7")
	l := lease(t, s)
	must(t, s.Check(l))
	must(t, s.Accept(l, 2.5, filesOf(l, 100), "all well"))
	f, err := s.Frame(l.SequenceID, 7)
	if err != nil || f.State != queue.Good || f.Seconds != 2.5 || f.Bytes != 100 {
		t.Errorf("%+v, %v", f, err)
	}
	files, _ := s.Files(l.SequenceID, 7)
	logs, _ := s.Logs(l.SequenceID, 7)
	if len(files) != 1 || files[0].SHA256 != strings.Repeat("ab", 32) || len(logs) != 1 || logs[0].Text != "all well" {
		t.Errorf("files %v, logs %v", files, logs)
	}
	m, err := s.Measure("SALT")
	if samples := 1920.0 / 4 * 270 * 4 / 1e6; err != nil || m.Frames != 1 || m.SecondsPerMegasample != 2.5/samples ||
		m.Views["quay"].Frames != 1 ||
		!(m.Least < m.SecondsPerMegasample && m.SecondsPerMegasample < m.Most) {
		t.Errorf("measured %+v, %v", m, err)
	}
	if err := s.Accept(l, 1, filesOf(l, 0), ""); !errors.Is(err, ErrLost) {
		t.Errorf("accepted twice: %v", err)
	}
}

func TestABrokenFrameFailsAfterTwoMoreTries(t *testing.T) {
	s := open(t)
	b := send(t, s, 0, 1, "7")
	for range work.UsualTries {
		must(t, s.Break(lease(t, s), "it broke", "log"))
	}
	id := b.Sequences[0].ID
	f, _ := s.Frame(id, 7)
	if f.State != queue.Failed || f.Reason != "it broke" || lease(t, s) != nil {
		t.Fatalf("%+v", f)
	}
	if _, err := s.Apply(Scope{Production: "SALT", Sequence: id}, queue.Retry); err != nil {
		t.Fatal(err)
	}
	must(t, s.Break(lease(t, s), "again", "log"))
	if f, _ := s.Frame(id, 7); f.State != queue.Ready {
		t.Errorf("after a person's retry it has new tries: %+v", f)
	}
	if logs, _ := s.Logs(id, 7); len(logs) != 4 {
		t.Errorf("%d logs are kept, want 4", len(logs))
	}
}

func TestPeopleHoldReleaseAndDrop(t *testing.T) {
	s := open(t)
	b := send(t, s, 0, 1, "1-4", "5-6")
	l := lease(t, s)
	one := l.Number + 1
	apply := func(to Scope, e queue.Event, want int) {
		t.Helper()
		if n, err := s.Apply(to, e); n != want || (err != nil) != (want == 0) {
			t.Errorf("%s: %d frames, %v, want %d", e, n, err, want)
		}
	}
	apply(Scope{Production: "SALT", Sequence: l.SequenceID, Frame: &one}, queue.Hold, 1)
	apply(scope(b), queue.Hold, 5) // the leased one too
	if err := s.Accept(l, 1, filesOf(l, 0), ""); !errors.Is(err, ErrLost) {
		t.Errorf("a held frame was accepted: %v", err)
	}
	apply(scope(b), queue.Hold, 0)
	apply(Scope{Production: "SALT", Sequence: b.Sequences[1].ID}, queue.Release, 2)
	apply(scope(b), queue.Drop, 6)
	apply(scope(b), queue.Event("explode"), 0)
	apply(scope(b), queue.Retry, 6)
	now, err := s.Batch(b.ID)
	if c := now.Counts(); err != nil || c[queue.Ready] != 6 || c.Total() != 6 {
		t.Errorf("counts are %v, %v", c, err)
	}
}

func TestAnOldLeaseCannotTouchANewOne(t *testing.T) {
	s := open(t)
	b := send(t, s, 0, 1, "1")
	old := lease(t, s)
	if _, err := s.Apply(scope(b), queue.Drop); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Apply(scope(b), queue.Retry); err != nil {
		t.Fatal(err)
	}
	fresh := lease(t, s)
	if err := s.Break(old, "late", ""); !errors.Is(err, ErrLost) {
		t.Errorf("the old lease broke the new one: %v", err)
	}
	must(t, s.Check(fresh))
}

func TestRecoverMakesBusyFramesReadyWithoutCountingTheTry(t *testing.T) {
	s := open(t)
	send(t, s, 0, 1, "1-3")
	a, b := lease(t, s), lease(t, s)
	must(t, s.Check(b))
	found, err := s.Recover()
	if err != nil || len(found) != 2 || found[0].Number != a.Number || found[1].Number != b.Number {
		t.Fatalf("%v, %v", found, err)
	}
	if l := lease(t, s); l.Number != a.Number || l.Attempts != 1 {
		t.Errorf("next is %+v", l.Frame)
	}
}

func TestAPlanThatDoesNotKnowTheNewestBatchIsNotSent(t *testing.T) {
	s := open(t)
	seen, err := s.LastBatch()
	must(t, err)
	b := send(t, s, 0, 1, "1-3")
	if _, err := s.Send(batch(t, 1, "1-3"), Sending{Name: "again", Seen: &seen}); !errors.Is(err, ErrNewer) {
		t.Errorf("the same paths were sent twice: %v", err)
	}
	if b, _ := s.Batches("SALT"); len(b) != 1 {
		t.Errorf("%d batches are kept; the refused one left something", len(b))
	}
	seen = b.ID
	if _, err := s.Send(batch(t, 1, "4-6"), Sending{Name: "further frames", Seen: &seen}); err != nil {
		t.Error(err)
	}
	path := b.Sequences[0].Spec.Files[0].Path.Key()
	if found, err := s.SentUnder([]string{path, "never"}); err != nil || len(found) != 1 || len(found[path]) != 2 {
		t.Errorf("sent under the path: %v, %v", found, err)
	}
}

func TestBatchesWaitForATimeForOthersAndForPeople(t *testing.T) {
	s := open(t)
	first := send(t, s, 0, 1, "1-2", "1")
	at := time.Date(2026, 11, 25, 19, 0, 0, 0, time.UTC)
	sendAs := func(version int, how Sending) Batch {
		t.Helper()
		id, err := s.Send(batch(t, version, "1-2"), how)
		must(t, err)
		b, err := s.Batch(id)
		must(t, err)
		return b
	}
	begin := func(when time.Time, want int, next time.Time) {
		t.Helper()
		if n, soonest, err := s.Begin(when); err != nil || n != want || !soonest.Equal(next) {
			t.Errorf("%d frames began, next at %v, %v; want %d and %v", n, soonest, err, want, next)
		}
	}
	timed := sendAs(2, Sending{Name: "timed", Waiting: Waiting{Note: "after hours", Start: at}})
	if timed.Note != "after hours" || !timed.Start.Equal(at) || timed.Counts()[queue.Blocked] != 2 {
		t.Errorf("%+v", timed)
	}
	behind := sendAs(3, Sending{Name: "behind", Waiting: Waiting{AfterBatch: first.ID}})
	besides := sendAs(4, Sending{Name: "besides", Waiting: Waiting{AfterSequence: first.Sequences[1].ID}})
	held := sendAs(5, Sending{Name: "held", Held: true})
	if _, err := s.Send(batch(t, 6, "1"), Sending{Waiting: Waiting{AfterBatch: 99}}); !errors.Is(err, ErrNotFound) {
		t.Errorf("waiting for a batch that is not there: %v", err)
	}
	begin(at.Add(-time.Second), 0, at)
	begin(at, 2, time.Time{})
	for range 3 { // the first batch, whose two sequences end one after the other
		l := lease(t, s)
		if l.Batch.ID != first.ID {
			t.Fatalf("batch %d came before the first", l.Batch.ID)
		}
		must(t, s.Check(l))
		must(t, s.Accept(l, 1, filesOf(l, 0), ""))
		if l.Number == 2 {
			begin(at, 0, time.Time{})
		}
	}
	begin(at, 4, time.Time{})
	for _, b := range []Batch{behind, besides} {
		if now, _ := s.Batch(b.ID); now.Counts()[queue.Ready] != 2 {
			t.Errorf("%s has %v", b.Name, now.Counts())
		}
	}
	if now, _ := s.Batch(held.ID); now.Counts()[queue.Held] != 2 {
		t.Errorf("the held one has %v", now.Counts())
	}
}

func TestFramesAreTakenInTheOrderTheyWereSentIn(t *testing.T) {
	taken := func(order plan.Order) string {
		s := open(t)
		_, err := s.Send(batch(t, 1, "1-5", "11-15"), Sending{Order: order})
		must(t, err)
		var all []string
		for {
			l, err := s.Lease("here")
			must(t, err)
			if l == nil {
				return strings.Join(all, " ")
			}
			all = append(all, fmt.Sprint(l.Number))
		}
	}
	for order, want := range map[plan.Order]string{
		plan.InOrder: "1 2 3 4 5 11 12 13 14 15", plan.EndsFirst: "1 3 5 11 13 15 2 4 12 14",
		plan.Coarse: "1 5 11 15 3 13 2 4 12 14",
	} {
		if got := taken(order); got != want {
			t.Errorf("%s: %s, not %s", order.Name(), got, want)
		}
	}
}

func TestManyNodesNeverShareAFrame(t *testing.T) {
	s := open(t)
	b := send(t, s, 0, 1, "1-60")
	var mutex sync.Mutex
	seen := map[int]int{}
	var group sync.WaitGroup
	for range 4 {
		group.Go(func() {
			for l, err := s.Lease("n"); err == nil && l != nil; l, err = s.Lease("n") {
				mutex.Lock()
				seen[l.Number]++
				mutex.Unlock()
				if err := s.Check(l); err != nil {
					t.Error(err)
				}
				if err := s.Accept(l, 1, filesOf(l, 0), ""); err != nil {
					t.Error(err)
				}
			}
		})
	}
	group.Wait()
	now, err := s.Batch(b.ID)
	if err != nil || len(seen) != 60 || now.Counts()[queue.Good] != 60 {
		t.Errorf("%d frames, counts %v, %v", len(seen), now.Counts(), err)
	}
}

func TestBackupIsAWholeRecord(t *testing.T) {
	s := open(t)
	must(t, s.Create(production.New("SALT", "First"), Author{}))
	file := filepath.Join(t.TempDir(), "copy.db")
	must(t, s.Backup(file))
	copied, err := Open(file)
	must(t, err)
	defer copied.Close()
	if r, err := copied.Production("SALT"); err != nil || r.Title != "First" {
		t.Errorf("%+v, %v", r, err)
	}
}

func BenchmarkLeaseOfAMillion(b *testing.B) {
	s := open(b)
	if _, err := s.Send(batch(b, 1, "1-1000000"), Sending{Name: "large"}); err != nil {
		b.Fatal(err)
	}
	n := 0
	for b.Loop() {
		if l, err := s.Lease("n"); err != nil || l == nil {
			b.Fatal(l, err)
		}
		n++
	}
	b.ReportMetric(float64(n)/b.Elapsed().Seconds(), "leases/s")
}

// BenchmarkLeaseOfAFilm leases frames of a batch of thousands of sequences.
func BenchmarkLeaseOfAFilm(b *testing.B) {
	s := open(b)
	sets := make([]string, 8000)
	for i := range sets {
		sets[i] = "1001-1104"
	}
	send(b, s, 0, 1, sets...)
	b.ReportAllocs()
	leases := 0
	for b.Loop() {
		lease(b, s)
		leases++
	}
	b.ReportMetric(float64(leases)/b.Elapsed().Seconds(), "leases/s")
}
