package store

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"reelhouse/core/fingerprint"
	"reelhouse/core/frame"
	"reelhouse/core/job"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/work"
)

// sums and values are follow-ups that nothing is special about.
var (
	sums   = FollowUp{FollowUp: plan.FollowUp{Kind: "sums", Extensions: []string{"txt"}}}
	values = FollowUp{FollowUp: plan.FollowUp{Kind: "values", ByFrame: true, Extensions: []string{"json"}}}
)

// sendAs sends a batch of one sequence a set of frames.
func sendAs(t testing.TB, s *Store, how Sending, sets ...string) Batch {
	t.Helper()
	last, err := s.LastBatch()
	must(t, err)
	how.Name = "with more"
	id, err := s.Send(batch(t, int(last)+1, sets...), how)
	must(t, err)
	b, err := s.Batch(id)
	must(t, err)
	return b
}

// come makes a lease good, with files of a sum.
func come(t testing.TB, s *Store, l *Lease, sum string) {
	t.Helper()
	must(t, s.Check(l))
	files := filesOf(l, 10)
	for i := range files {
		files[i].SHA256 = strings.Repeat(sum, 32)
	}
	if l.Sequence.Follows > 0 {
		order, err := s.OrderOf(l.Batch, l.Sequence, l.Number)
		must(t, err)
		l.Made = &Made{Inputs: fingerprint.OfInputs(order), Program: fingerprint.Renderer{Name: "p", Version: "1"}}
	}
	must(t, s.Accept(l, 1, files, "well"))
}

// next leases a task, and says which it is; "" for none.
func next(t testing.TB, s *Store) (*Lease, string) {
	t.Helper()
	l := lease(t, s)
	if l == nil {
		return nil, ""
	}
	return l, l.Sequence.Task(l.Number, 0).String()
}

// takes wants the next task to be one, and makes it good.
func takes(t testing.TB, s *Store, want, sum string) {
	t.Helper()
	l, got := next(t, s)
	if got != want {
		t.Fatalf("next comes %q, want %q", got, want)
	}
	if l != nil {
		come(t, s, l, sum)
	}
}

func followUp(t testing.TB, s *Store, b Batch, kind string) Sequence {
	t.Helper()
	all, err := s.FollowUpsOf(b.ID)
	must(t, err)
	i := slices.IndexFunc(all, func(q Sequence) bool { return q.Spec.FollowUp.Kind == kind })
	if i < 0 {
		t.Fatalf("there is no follow-up %s among %d", kind, len(all))
	}
	return all[i]
}

func TestFollowUpsBeginWhenTheirInputsAreGood(t *testing.T) {
	s := open(t)
	chained := FollowUp{FollowUp: plan.FollowUp{Kind: "total", Follows: "values", Extensions: []string{"txt"}}}
	b := sendAs(t, s, Sending{FollowUps: []FollowUp{sums, values, chained}}, "1-2")
	if b.Frames() != 2 || b.FollowUps != 4 || b.Parts != 1 || len(b.Sequences) != 1 {
		t.Fatalf("%d frames, %d follow-ups, %d sequences", b.Frames(), b.FollowUps, b.Parts)
	}
	for _, want := range []string{
		"1/0/quay/hd/1", "1/0/quay/hd/values/1", "1/0/quay/hd/2", "1/0/quay/hd/sums", "1/0/quay/hd/values/2",
		"1/0/quay/hd/total", "",
	} {
		takes(t, s, want, "ab")
	}
	b, err := s.Batch(b.ID)
	must(t, err)
	if !b.Finished() || b.Sums[queue.Good] != 6 {
		t.Errorf("counts are %v", b.Sums)
	}
	order, err := s.OrderOf(b, followUp(t, s, b, "sums"), 1)
	must(t, err)
	if len(order.Inputs) != 2 || order.Inputs[1].Frame != 2 || order.Inputs[1].SHA256 != strings.Repeat("ab", 32) ||
		!order.About.Frames.Equal(frame.Of(1, 2)) || order.About.Shot != "0" || order.Kind != "sums" {
		t.Errorf("the order is %+v", order)
	}
	if in, err := s.InputsOf(followUp(t, s, b, "total"), 1); err != nil || len(in) != 2 ||
		!strings.HasPrefix(in[0].Name, "follow-ups/1/values/0/quay/hd.0001.json") {
		t.Errorf("what follows a follow-up is made from %+v, %v", in, err)
	}
}

func TestAFollowUpThatIsReleasedStillWaitsForItsInputs(t *testing.T) {
	s := open(t)
	held := values
	held.Held = true
	b := sendAs(t, s, Sending{FollowUps: []FollowUp{held, sums}}, "1-2")
	of := Scope{Production: "SALT", Sequence: followUp(t, s, b, "values").ID}
	takes(t, s, "1/0/quay/hd/1", "ab")
	if n, err := s.Apply(of, queue.Release); err != nil || n != 2 {
		t.Fatalf("%d released, %v", n, err)
	}
	takes(t, s, "1/0/quay/hd/values/1", "ab")
	if n, err := s.Apply(scope(b), queue.Hold); err != nil || n != 3 {
		t.Fatalf("%d held, %v", n, err)
	}
	takes(t, s, "", "")
	if n, err := s.Apply(scope(b), queue.Release); err != nil || n != 3 {
		t.Fatalf("%d released, %v", n, err)
	}
	takes(t, s, "1/0/quay/hd/2", "ab")
	takes(t, s, "1/0/quay/hd/values/2", "ab")
	takes(t, s, "1/0/quay/hd/sums", "ab")
	takes(t, s, "", "")
}

func TestFollowUpsOfWhatIsDropped(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{FollowUps: []FollowUp{sums, values}}, "1-3", "5-6")
	takes(t, s, "1/0/quay/hd/1", "ab")
	takes(t, s, "1/0/quay/hd/values/1", "ab")
	two := 2
	if _, err := s.Apply(Scope{Production: "SALT", Sequence: b.Sequences[0].ID, Frame: &two}, queue.Drop); err != nil {
		t.Fatal(err)
	}
	takes(t, s, "1/0/quay/hd/3", "ab")
	takes(t, s, "1/0/quay/hd/sums", "ab") // of what is there
	takes(t, s, "1/0/quay/hd/values/3", "ab")
	if _, err := s.Apply(Scope{Production: "SALT", Sequence: b.Sequences[1].ID}, queue.Drop); err != nil {
		t.Fatal(err)
	}
	takes(t, s, "", "")
	b, err := s.Batch(b.ID)
	must(t, err)
	if !b.Finished() || b.Sums[queue.Dropped] != 1+1+2+2+1 {
		t.Errorf("counts are %v", b.Sums)
	}
	if moves, err := s.Moves(b.ID); err != nil || moves {
		t.Errorf("it moves: %v, %v", moves, err)
	}
}

func TestAFollowUpIsOutOfDateWhenAnInputIsMadeAgain(t *testing.T) {
	s := open(t)
	_, err := s.SetFollowUps(
		[]work.Following{{FollowUp: sums.FollowUp, Program: fingerprint.Renderer{Name: "p", Version: "1"}}},
	)
	must(t, err)
	b := sendAs(t, s, Sending{FollowUps: []FollowUp{sums, values}}, "1-2")
	for range 5 {
		l, _ := next(t, s)
		come(t, s, l, "ab")
	}
	reason := func(kind string, n int) string {
		t.Helper()
		f, err := s.Frame(followUp(t, s, b, kind).ID, n)
		must(t, err)
		return f.Reason
	}
	again := func(sum string) {
		t.Helper()
		f, err := s.Frame(b.Sequences[0].ID, 2)
		must(t, err)
		path := b.Sequences[0].Spec.Files[0].Path.Frame(2)
		if was, err := s.Miss(b.Sequences[0].ID, 2, f.Lease, map[string]string{path: "is gone"}); err != nil || !was {
			t.Fatal(was, err)
		}
		_, err = s.Apply(Scope{Production: "SALT", Sequence: b.Sequences[0].ID}, queue.Retry)
		must(t, err)
		takes(t, s, "1/0/quay/hd/2", sum)
	}
	again("ab")
	if a, v := reason("sums", 1), reason("values", 2); a != "" || v != "" {
		t.Errorf("with the same bytes they are %q, %q", a, v)
	}
	before, err := s.MadeFrom(followUp(t, s, b, "sums").ID, 1)
	must(t, err)
	again("cd")
	if r := reason("sums", 1); !strings.Contains(r, "out of date") || !strings.Contains(r, "frame 2") {
		t.Errorf("the one of the sequence is %q", r)
	}
	if a, v := reason("values", 1), reason("values", 2); a != "" || !strings.Contains(v, "out of date") {
		t.Errorf("those of the frames are %q, %q", a, v)
	}
	takes(t, s, "", "")
	if n, err := s.Apply(scope(b), queue.Retry); err != nil || n != 2 {
		t.Fatalf("%d are made again, %v", n, err)
	}
	takes(t, s, "1/0/quay/hd/sums", "ef")
	takes(t, s, "1/0/quay/hd/values/2", "ef")
	takes(t, s, "", "")
	if a, v := reason("sums", 1), reason("values", 2); a != "" || v != "" {
		t.Errorf("made again they are %q, %q", a, v)
	}
	if now, err := s.MadeFrom(followUp(t, s, b, "sums").ID, 1); err != nil || now == before || !now.Known() {
		t.Errorf("the fingerprint stays %s, %v", now, err)
	}
	newer := []work.Following{{FollowUp: sums.FollowUp, Program: fingerprint.Renderer{Name: "p", Version: "2"}}}
	if n, err := s.SetFollowUps(newer); err != nil || n != 1 {
		t.Errorf("another version of the program makes %d out of date, %v", n, err)
	}
	if r := reason("sums", 1); !strings.Contains(r, "version") {
		t.Errorf("it is %q", r)
	}
}

// A stranger cannot talk the record into giving up a good picture.
func TestOnlyFollowUpsAreMadeAgain(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{}, "1")
	takes(t, s, "1/0/quay/hd/1", "ab")
	for _, of := range []Scope{scope(b), {Production: "SALT", Sequence: b.Sequences[0].ID}} {
		if n, err := s.MakeAgain(of, true); !errors.Is(err, ErrNothing) {
			t.Errorf("%d made again, %v", n, err)
		}
		if n, err := s.Apply(of, queue.Retry); !errors.Is(err, ErrNothing) {
			t.Errorf("%d retried, %v", n, err)
		}
	}
	err := s.change(func(tx *writing) error {
		return move(tx, b.Sequences[0].ID, 1, queue.Outdone, nil)
	})
	if err == nil || !strings.Contains(err.Error(), "stays good") {
		t.Errorf("the record lets it: %v", err)
	}
	if _, err := s.Repeat(b.Sequences[0].ID, frame.Of(2, 9)); !errors.Is(err, ErrNothing) {
		t.Errorf("frames that are not good are repeated: %v", err)
	}
}

func TestAFollowUpWaitsForATimeAndForAnotherBatch(t *testing.T) {
	s := open(t)
	other := sendAs(t, s, Sending{}, "7")
	timed, after := values, sums
	timed.Start, after.AfterBatch = time.Now().Add(time.Hour), other.ID
	b := sendAs(t, s, Sending{Priority: 5, FollowUps: []FollowUp{timed, after}}, "1")
	takes(t, s, "2/0/quay/hd/1", "ab")
	if moves, err := s.Moves(b.ID); err != nil || !moves {
		t.Errorf("it does not move: %v", err)
	}
	if n, when, err := s.Begin(time.Now()); err != nil || n != 0 || when.Unix() != timed.Start.Unix() {
		t.Errorf("%d begin, next at %v, %v", n, when, err)
	}
	takes(t, s, "1/0/quay/hd/7", "ab")
	if n, _, err := s.Begin(time.Now()); err != nil || n != 1 {
		t.Errorf("%d begin, %v", n, err)
	}
	takes(t, s, "2/0/quay/hd/sums", "ab")
	takes(t, s, "", "")
	must(t, s.change(func(tx *writing) error { // as if that hour was over
		_, err := tx.Exec("UPDATE sequence SET start_at = ? WHERE start_at > 0", time.Now().Add(-time.Second).Unix())
		return err
	}))
	if n, _, err := s.Begin(time.Now()); err != nil || n != 1 {
		t.Errorf("%d begin, %v", n, err)
	}
	takes(t, s, "2/0/quay/hd/values/1", "ab")
	if _, err := s.Send(batch(t, 9, "1"), Sending{FollowUps: []FollowUp{{FollowUp: sums.FollowUp,
		AfterBatch: 99}}}); !errors.Is(
		err,
		ErrNotFound,
	) {
		t.Errorf("a batch that is not there is waited for: %v", err)
	}
}

func TestTheEndsComeFirstAtAGate(t *testing.T) {
	for _, order := range []plan.Order{plan.InOrder, plan.Coarse} {
		s := open(t)
		b := sendAs(t, s, Sending{Gate: true, Order: order}, "1-7", "11-12")
		var leases []*Lease
		for _, want := range []string{"1/0/quay/hd/1", "1/0/quay/hd/4", "1/0/quay/hd/7", "1/1/quay/hd/11",
			"1/1/quay/hd/12", ""} {
			l, got := next(t, s)
			if got != want {
				t.Fatalf("%s: next comes %q, want %q", order, got, want)
			}
			leases = append(leases, l)
		}
		come(t, s, leases[0], "ab")
		come(t, s, leases[1], "ab")
		takes(t, s, "", "")
		must(t, s.Refuse(leases[2], "broken for good", "x"))
		takes(t, s, "", "")
		come(t, s, leases[3], "ab")
		come(t, s, leases[4], "ab")
		if moves, err := s.Moves(b.ID); err != nil || moves {
			t.Errorf("what waits at a gate for nothing moves: %v", err)
		}
		stuck, failed := s.BatchAlone(b.ID)
		must(t, failed)
		if left, err := s.Left(stuck); err != nil || left != 0 {
			t.Errorf("%d are left of it, %v", left, err)
		}
		if q, err := s.Sequence(b.Sequences[0].ID); err != nil || !q.AtGate || q.Counts[queue.Blocked] != 4 {
			t.Errorf("%+v, %v", q.Counts, err)
		}
		seven := 7
		_, err := s.Apply(Scope{Production: "SALT", Sequence: b.Sequences[0].ID, Frame: &seven}, queue.Retry)
		must(t, err)
		takes(t, s, "1/0/quay/hd/7", "ab")
		for range 4 {
			l, got := next(t, s)
			if l == nil {
				t.Fatalf("%s: behind the gate comes %q", order, got)
			}
			come(t, s, l, "ab")
		}
		if b, err := s.Batch(b.ID); err != nil || !b.Finished() {
			t.Errorf("%v, %v", b.Sums, err)
		}
	}
}

func TestWhoOpensAGate(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{Gate: true, Held: true}, "1-7")
	takes(t, s, "", "")
	of := Scope{Production: "SALT", Sequence: b.Sequences[0].ID}
	if n, err := s.Apply(of, queue.Release); err != nil || n != 7 {
		t.Fatalf("%d released, %v", n, err)
	}
	takes(t, s, "1/0/quay/hd/1", "ab")
	takes(t, s, "1/0/quay/hd/4", "ab")
	l, _ := next(t, s)
	takes(t, s, "", "")
	if n, err := s.Apply(of, queue.Release); err != nil || n != 4 { // nothing is held: a person opens the gate
		t.Fatalf("%d released, %v", n, err)
	}
	takes(t, s, "1/0/quay/hd/2", "ab")
	come(t, s, l, "ab")
	if n, err := s.Apply(of, queue.Release); !errors.Is(err, ErrNothing) {
		t.Errorf("%d released, %v", n, err)
	}
	// An end that is left out keeps nobody.
	c := sendAs(t, s, Sending{Gate: true, Priority: 3}, "1-7")
	takes(t, s, "2/0/quay/hd/1", "ab")
	takes(t, s, "2/0/quay/hd/4", "ab")
	seven := 7
	_, err := s.Apply(Scope{Production: "SALT", Sequence: c.Sequences[0].ID, Frame: &seven}, queue.Drop)
	must(t, err)
	takes(t, s, "2/0/quay/hd/2", "ab")
	// A gate waits with its batch.
	d := sendAs(t, s, Sending{Gate: true, Priority: 9, Waiting: Waiting{AfterBatch: c.ID}}, "1-7")
	_, err = s.Apply(scope(c), queue.Drop)
	must(t, err)
	if n, _, err := s.Begin(time.Now()); err != nil || n != 3 {
		t.Errorf("%d begin, %v", n, err)
	}
	takes(t, s, fmt.Sprintf("%d/0/quay/hd/1", d.ID), "ab")
}

func TestFramesAreRepeated(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{}, "1-4")
	for range 3 {
		l, _ := next(t, s)
		come(t, s, l, "ab")
	}
	of := b.Sequences[0].ID
	if n, err := s.Repeat(of, frame.Of(2, 4)); err != nil || n != 2 {
		t.Fatalf("%d frames are repeated, %v", n, err)
	}
	takes(t, s, "1/0/quay/hd/repeat/2", "cd")
	l, got := next(t, s)
	if got != "1/0/quay/hd/repeat/3" || l.Source.ID != of || l.Class.Kind != work.Repeat {
		t.Fatalf("%q, %+v", got, l.Class)
	}
	must(t, s.Refuse(l, "came out otherwise", "x"))
	if n, err := s.Repeat(of, frame.Of(1, 3)); err != nil || n != 3 {
		t.Fatalf("%d frames are repeated, %v", n, err)
	}
	for _, want := range []string{"1/0/quay/hd/repeat/1", "1/0/quay/hd/repeat/2", "1/0/quay/hd/repeat/3"} {
		takes(t, s, want, "cd")
	}
	q := followUp(t, s, b, "repeat")
	if all, err := s.Frames(q.ID); err != nil || len(all) != 3 || q.Counts[queue.Good] != 3 {
		t.Errorf("%v, %v, %v", all, q.Counts, err)
	}
	b, err := s.Batch(b.ID)
	must(t, err)
	if b.FollowUps != 3 || b.Frames() != 4 {
		t.Errorf("%d follow-ups, %d frames", b.FollowUps, b.Frames())
	}
}

// Whatever is done in whatever order: no task is handed out that has to wait, and counters are what rows are.
func TestNothingThatWaitsIsHandedOut(t *testing.T) {
	for seed := range uint64(24) {
		random := rand.New(rand.NewPCG(seed, 19))
		s := open(t)
		b := sendAs(t, s, Sending{Gate: true, FollowUps: []FollowUp{sums, values}}, "1-6", "1-4")
		var scopes []Scope
		following, err := s.FollowUpsOf(b.ID)
		must(t, err)
		for _, q := range append(slices.Clone(b.Sequences), following...) {
			scopes = append(scopes, Scope{Production: "SALT", Sequence: q.ID})
			n := 1 + random.IntN(4)
			if q.Spec.Frames.Contains(n) {
				scopes = append(scopes, Scope{Production: "SALT", Sequence: q.ID, Frame: &n})
			}
		}
		scopes = append(scopes, scope(b))
		var open []*Lease
		for range 120 {
			switch random.IntN(8) {
			case 0, 1:
				l, task := next(t, s)
				if l == nil {
					continue
				}
				open = append(open, l)
				if l.Sequence.Follows > 0 {
					if in, err := s.InputsOf(l.Sequence, l.Number); err != nil || len(in) == 0 {
						t.Fatalf("seed %d: %s is handed out without inputs, %v", seed, task, err)
					}
					if n := unfinished(t, s, l); n > 0 {
						t.Fatalf("seed %d: %s is handed out, and %d of its inputs are not made", seed, task, n)
					}
				} else if l.Sequence.AtGate && !l.Sequence.Spec.Frames.Ends().Contains(l.Number) {
					t.Fatalf("seed %d: %s is handed out, and its gate is closed", seed, task)
				}
			case 2, 3:
				if len(open) == 0 {
					continue
				}
				l := open[0]
				open = open[1:]
				if owned, err := s.Owned(l); err != nil || !owned {
					continue
				}
				if random.IntN(5) == 0 {
					must(t, s.Break(l, "it is broken", "x"))
				} else {
					come(t, s, l, "ab")
				}
			case 4:
				events := queue.PersonsEvents()
				event := events[random.IntN(len(events))]
				if _, err := s.Apply(scopes[random.IntN(len(scopes))], event); err != nil &&
					!errors.Is(err, ErrNothing) {
					t.Fatalf("seed %d: %s: %v", seed, event, err)
				}
			case 5:
				q := b.Sequences[random.IntN(len(b.Sequences))]
				n := q.Spec.Frames.At(random.IntN(q.Spec.Frames.Count()))
				if f, err := s.Frame(q.ID, n); err == nil && f.State == queue.Good {
					_, err := s.Miss(q.ID, n, f.Lease, map[string]string{q.Spec.Files[0].Path.Frame(n): "is gone"})
					must(t, err)
				}
			case 6:
				must(t, s.Reorder("SALT", b.ID, plan.Orders()[random.IntN(len(plan.Orders()))]))
			case 7:
				_, err := s.MakeAgain(scopes[random.IntN(len(scopes))], random.IntN(2) == 0)
				if err != nil && !errors.Is(err, ErrNothing) {
					t.Fatalf("seed %d: %v", seed, err)
				}
			}
		}
		counted(t, s, b, seed)
	}
}

// unfinished returns how many frames there are that a task of a follow-up is made from and that are still to be made.
func unfinished(t *testing.T, s *Store, l *Lease) (n int) {
	t.Helper()
	all, err := s.Frames(l.Sequence.Follows)
	must(t, err)
	for _, f := range all {
		if byFrame := l.Sequence.Spec.FollowUp.ByFrame; byFrame && f.Number == l.Number && f.State != queue.Good ||
			!byFrame && f.State != queue.Good && f.State != queue.Dropped {
			n++
		}
	}
	return n
}

// counted compares the counters of a batch and its sequences with their frames.
func counted(t *testing.T, s *Store, b Batch, seed uint64) {
	t.Helper()
	b, err := s.Batch(b.ID)
	must(t, err)
	following, err := s.FollowUpsOf(b.ID)
	must(t, err)
	sum := queue.Counts{}
	for _, q := range append(b.Sequences, following...) {
		all, err := s.Frames(q.ID)
		must(t, err)
		counts := queue.Counts{}
		for _, f := range all {
			counts[f.State]++
			sum[f.State]++
		}
		for _, state := range queue.States() {
			if counts[state] != q.Counts[state] {
				t.Fatalf("seed %d: %s counts %v, and has %v", seed, q.Address(), q.Counts, counts)
			}
		}
	}
	for _, state := range queue.States() {
		if sum[state] != b.Sums[state] {
			t.Fatalf("seed %d: the batch counts %v, and has %v", seed, b.Sums, sum)
		}
	}
}

// What decides what comes out is in the fingerprint, and what does not is not.
func TestFingerprintsOfInputs(t *testing.T) {
	usual := job.FollowUp{
		Kind: "sums", Inputs: []job.Input{{Frame: 1, Name: "a", Path: "/x/a", SHA256: "1"}},
		Parameters: map[string]string{"a": "1"}, Outputs: []job.Output{{Path: "/x/b"}},
	}
	for name, c := range map[string]struct {
		change func(o *job.FollowUp)
		counts bool
	}{
		"another folder":    {func(o *job.FollowUp) { o.Inputs[0].Path = "/y/a"; o.Outputs[0].Path = "/y/b" }, false},
		"another batch":     {func(o *job.FollowUp) { o.About.Batch = 7 }, false},
		"other contents":    {func(o *job.FollowUp) { o.Inputs[0].SHA256 = "2" }, true},
		"another name":      {func(o *job.FollowUp) { o.Inputs[0].Name = "b" }, true},
		"another parameter": {func(o *job.FollowUp) { o.Parameters = map[string]string{"a": "2"} }, true},
		"another kind":      {func(o *job.FollowUp) { o.Kind = "values" }, true},
	} {
		changed := usual
		changed.Inputs, changed.Outputs = slices.Clone(usual.Inputs), slices.Clone(usual.Outputs)
		c.change(&changed)
		if got := fingerprint.OfInputs(changed) != fingerprint.OfInputs(usual); got != c.counts {
			t.Errorf("%s counts: %v", name, got)
		}
	}
	print := fingerprint.OfInputs(usual)
	if print.MadeBy(fingerprint.Renderer{Version: "1"}) == print.MadeBy(fingerprint.Renderer{Version: "2"}) {
		t.Error("the version of the program does not count")
	}
}

// A follow-up that finds its input changed does not wait for ever if that was made again meanwhile.
func TestAFollowUpDoesNotWaitForWhatIsThere(t *testing.T) {
	s := open(t)
	sendAs(t, s, Sending{FollowUps: []FollowUp{values, sums}}, "1")
	takes(t, s, "1/0/quay/hd/1", "ab")
	for range 2 {
		l, task := next(t, s)
		must(t, s.WaitAgain(l, "it was another one"))
		takes(t, s, task, "ab")
	}
	takes(t, s, "", "")
}
