package store

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"reelhouse/core/fingerprint"
	"reelhouse/core/queue"
)

// exec changes the record behind the store's back.
func exec(s *Store, query string, args ...any) error {
	_, err := s.write.Exec(query, args...)
	return err
}

// No request that a person can send makes a frame good: only what people may ask for is taken, and only for their own
// production.
func TestNobodyAsksForGood(t *testing.T) {
	s := open(t)
	b := send(t, s, 0, 1, "1-3")
	l := lease(t, s)
	for _, e := range []queue.Event{
		queue.Leased, queue.Rendered, queue.Accepted, queue.Found, queue.Missed, queue.Unblocked, queue.Vanished,
		queue.Refused, "explode",
	} {
		if n, err := s.Apply(scope(b), e); n != 0 || !errors.Is(err, ErrNotPersons) {
			t.Errorf("%s changed %d frames, %v", e, n, err)
		}
	}
	other := scope(b)
	other.Production = "OTHER"
	for _, o := range []Scope{other, {Production: "OTHER", Sequence: l.SequenceID},
		{Production: "OTHER", Sequence: l.SequenceID, Frame: &l.Number}} {
		if n, err := s.Apply(o, queue.Drop); n != 0 || !errors.Is(err, ErrNotFound) {
			t.Errorf("another production's %+v: %d frames, %v", o, n, err)
		}
	}
}

// The database itself keeps a frame from being called good without its lease and all of its files.
func TestTheRecordRefusesAGoodFrameWithoutItsFiles(t *testing.T) {
	s := open(t)
	send(t, s, 0, 1, "1-2")
	l := lease(t, s)
	rowsOfAll(t, s)
	refused := func(what, query string, args ...any) {
		t.Helper()
		if err := exec(s, query, args...); err == nil {
			t.Errorf("%s was taken", what)
		}
	}
	const good = "UPDATE frame SET state = 'good' WHERE sequence_id = ? AND number = ?"
	refused("a frame that was never rendered", good, l.SequenceID, 2)
	refused("a frame that is being rendered", good, l.SequenceID, 1)
	must(t, s.Check(l))
	refused("a frame without files", good, l.SequenceID, 1)
	must(
		t,
		exec(
			s, "INSERT INTO file (sequence_id, number, path, bytes, sha256, lease) VALUES (?, 1, 'x', 5, 'ff', ?)",
			l.SequenceID, l.ID(),
		),
	)
	refused("a file without a whole sum", good, l.SequenceID, 1)
	must(t, exec(s, "UPDATE file SET sha256 = ?, lease = lease - 1", strings.Repeat("ab", 32)))
	refused("a file of an earlier lease", good, l.SequenceID, 1)
	refused(
		"a frame that is born good", "INSERT INTO frame (sequence_id, number, state) VALUES (?, 9, 'good')",
		l.SequenceID,
	)
	if err := s.Accept(l, 1, []File{{Path: "x", Bytes: 5, SHA256: strings.Repeat("ab", 32)}}, ""); !errors.Is(
		err, ErrPromise,
	) {
		t.Errorf("another file than was promised: %v", err)
	}
	must(t, exec(s, "DELETE FROM file"))
	must(t, s.Accept(l, 1, filesOf(l, 5), ""))
	refused("forgetting a file of a good frame", "DELETE FROM file")
	refused(
		"a frame that is lost before it was good",
		"UPDATE frame SET state = 'lost' WHERE sequence_id = ? AND number = 2", l.SequenceID,
	)
	refused("fresh frames that are good", "UPDATE sequence SET fresh_state = 'good'")
	refused(
		"a good tile that nobody rendered",
		`INSERT INTO tile (sequence_id, number, tile, state) VALUES (1, 2, 1, 'ready');
		UPDATE tile SET state = 'good'`,
	)
}

// The number of a lease only grows, whatever happens in between and however quickly.
func TestNoTwoLeasesHaveOneNumber(t *testing.T) {
	s := open(t)
	b := send(t, s, 0, 1, "1")
	last := int64(0)
	for range 20 {
		l := lease(t, s)
		if l.ID() <= last {
			t.Fatalf("lease %d after %d", l.ID(), last)
		}
		// A clock that stands still, or goes back, does not make an old lease a new one.
		must(t, exec(s, "UPDATE frame SET started_at = '2026-01-01T00:00:00Z'"))
		_, err := s.Apply(scope(b), queue.Hold)
		must(t, err)
		_, err = s.Apply(scope(b), queue.Release)
		must(t, err)
		fresh := lease(t, s)
		if err := s.Check(l); !errors.Is(err, ErrLost) {
			t.Fatalf("an old lease has the frame: %v", err)
		}
		must(t, s.GiveBack(fresh))
		last = fresh.ID()
	}
}

func TestAFrameIsLostFoundAndRenderedAgain(t *testing.T) {
	s := open(t)
	b := send(t, s, 0, 1, "1-2")
	l := lease(t, s)
	must(t, s.Check(l))
	files := filesOf(l, 100)
	must(t, s.Accept(l, 2, files, ""))
	if was, err := s.Miss(l.SequenceID, 2, l.ID(), map[string]string{"x": "is gone"}); was || err != nil {
		t.Errorf("a frame that is not good was lost: %v, %v", was, err)
	}
	if was, err := s.Miss(l.SequenceID, 1, l.ID(), map[string]string{files[0].Path: "is gone"}); !was || err != nil {
		t.Fatalf("%v, %v", was, err)
	}
	f, err := s.Frame(l.SequenceID, 1)
	must(t, err)
	now, err := s.Batch(b.ID)
	must(t, err)
	if q := now.Sequences[0]; f.State != queue.Lost || !strings.Contains(f.Reason, "is gone") ||
		q.Counts[queue.Lost] != 1 ||
		q.Seconds != 0 ||
		q.Bytes != 0 {
		t.Errorf("%+v, %+v", f, q)
	}
	if was, err := s.Find(l.SequenceID, 1, l.ID()); !was || err != nil {
		t.Fatalf("%v, %v", was, err)
	}
	if now, _ := s.Batch(b.ID); now.Sequences[0].Counts[queue.Good] != 1 || now.Sequences[0].Bytes != 100 {
		t.Errorf("found again: %+v", now.Sequences[0])
	}
	_, err = s.Miss(l.SequenceID, 1, l.ID(), map[string]string{files[0].Path: "has changed"})
	must(t, err)
	if n, err := s.Apply(scope(b), queue.Retry); n != 1 || err != nil {
		t.Errorf("%d frames are rendered again, %v", n, err)
	}
	again := lease(t, s)
	must(t, s.Check(again))
	must(t, s.Accept(again, 1, filesOf(again, 7), ""))
	// Whoever looked at the files before that has nothing to say of these.
	if was, err := s.Miss(l.SequenceID, 1, l.ID(), map[string]string{files[0].Path: "is gone"}); was || err != nil ||
		stateOf(t, s, again) != queue.Good {
		t.Errorf("an old look at it made it lost: %v, %v", was, err)
	}
	if kept, _ := s.Files(l.SequenceID, 1); len(kept) != 1 || kept[0].Bytes != 7 || kept[0].Fault != "" {
		t.Errorf("its files are %+v", kept)
	}
	claims, err := s.Claims(files[0].Path)
	if err != nil || len(claims) != 1 || claims[0].State != queue.Good || claims[0].Batch != "v1" {
		t.Errorf("claims are %+v, %v", claims, err)
	}
}

// Attempts that end alike hold the batch before all of its frames have failed; one that ends well starts the count
// again.
func TestManyFailuresOfOneKindHoldTheBatch(t *testing.T) {
	s := open(t)
	b := send(t, s, 0, 1, "1-20")
	fail := func(reason string) { t.Helper(); must(t, s.Break(lease(t, s), reason, "")) }
	for i := range queue.AlikeInARow - 1 {
		fail(fmt.Sprintf("frame %d: no licence", i))
	}
	l := lease(t, s)
	must(t, s.Check(l))
	must(t, s.Accept(l, 1, filesOf(l, 1), ""))
	for i := range queue.AlikeInARow - 1 {
		fail(fmt.Sprintf("frame %d: no licence", i))
	}
	fail("something else")
	for range queue.AlikeInARow {
		if now, _ := s.Batch(b.ID); now.Trouble != "" {
			t.Fatalf("held too early: %s", now.Trouble)
		}
		fail("frame 7: no licence")
	}
	now, err := s.Batch(b.ID)
	must(t, err)
	if c := now.Counts(); !strings.Contains(now.Trouble, "no licence") || c[queue.Ready] != 0 || c[queue.Held] < 12 ||
		c[queue.Failed] > 7 {
		t.Errorf("%q, %v", now.Trouble, c)
	}
	_, err = s.Apply(scope(b), queue.Release)
	must(t, err)
	if now, _ := s.Batch(b.ID); now.Trouble != "" {
		t.Errorf("after the release: %s", now.Trouble)
	}
}

// What waits for a time waits on when it was held, or dropped, in between.
func TestHoldingAndReleasingABatchThatWaitsDoesNotStartIt(t *testing.T) {
	s := open(t)
	soon := time.Now().Add(time.Hour)
	id, err := s.Send(batch(t, 1, "1-3"), Sending{Waiting: Waiting{Start: soon}})
	must(t, err)
	b := Batch{ID: id}
	for _, pair := range [][2]queue.Event{{queue.Hold, queue.Release}, {queue.Drop, queue.Retry}} {
		for _, e := range pair {
			_, err := s.Apply(scope(b), e)
			must(t, err)
		}
		if l := lease(t, s); l != nil {
			t.Fatalf("after %v a frame is rendered an hour early", pair)
		}
	}
	if n, _, err := s.Begin(soon.Add(time.Second)); n != 3 || err != nil {
		t.Errorf("%d frames begin, %v", n, err)
	}
}

// A step that was taken and cannot be read goes back, and does not stay with a node that does not know of it.
func TestALeaseThatCannotBeReadIsGivenBack(t *testing.T) {
	s := open(t)
	b := send(t, s, 0, 1, "1")
	rowsOfAll(t, s)
	must(t, exec(s, "UPDATE frozen_sequence SET spec = '{'"))
	clear(s.specs)
	if l, err := s.Lease("here"); l != nil || err == nil {
		t.Fatalf("%v, %v", l, err)
	}
	var state queue.State
	var attempts int
	must(
		t,
		s.read.QueryRow("SELECT state, attempts FROM frame WHERE sequence_id = ?", b.Sequences[0].ID).
			Scan(&state, &attempts),
	)
	if state != queue.Ready || attempts != 0 {
		t.Errorf("it is %s after %d tries", state, attempts)
	}
}

// Tiles of a frame that was dropped and taken up again meanwhile are not cleared away under the hands of those who
// render them.
func TestTilesOfAFrameThatWasTakenUpAgainStay(t *testing.T) {
	s := open(t)
	b := sendTiles(t, s, Sending{}, 1, "1")
	finish(t, s, lease(t, s))
	for _, e := range []queue.Event{queue.Drop, queue.Retry} {
		_, err := s.Apply(scope(b), e)
		must(t, err)
	}
	l := lease(t, s)
	cleared := false
	must(t, s.ForgetTiles(l.SequenceID, 1, func() error { cleared = true; return nil }))
	if tiles, err := s.Tiles(l.SequenceID, 1); err != nil || cleared || len(tiles) != 3 {
		t.Errorf("cleared away: %v; %d tiles are left, %v", cleared, len(tiles), err)
	}
}

// Batches that rest are passed over, and their frames stay as they are.
func TestOtherBatchesGoOn(t *testing.T) {
	s := open(t)
	first, second := send(t, s, 5, 1, "1"), send(t, s, 0, 2, "2")
	l, err := s.Lease("here", first.ID)
	if err != nil || l == nil || l.Batch.ID != second.ID {
		t.Fatalf("%+v, %v", l, err)
	}
	if l, err := s.Lease("here", first.ID, second.ID); l != nil || err != nil {
		t.Errorf("%+v, %v", l, err)
	}
	left, err := s.Leased("here")
	if err != nil || len(left) != 1 || left[0].ID() != l.ID() {
		t.Errorf("in the node's hands are %+v, %v", left, err)
	}
}

// Sequences have fingerprints from their sending on; another renderer gives those that are not begun another one, and
// what is begun is not known any more. Those that were sent before there were fingerprints have none.
func TestFingerprintsFollowTheRenderer(t *testing.T) {
	s := open(t)
	old, fresh := fingerprint.Renderer{Name: "built-in", Version: "1"}, fingerprint.Renderer{
		Name:    "built-in",
		Version: "2",
	}
	b := batch(t, 1, "1", "2")
	id, err := s.Send(b, Sending{Renderer: old})
	must(t, err)
	if _, err := s.SetRenderer(old); err != nil {
		t.Fatal(err)
	}
	l := lease(t, s)
	must(t, s.Check(l))
	must(t, s.Accept(l, 1, filesOf(l, 1), ""))
	must(t, exec(s, "INSERT INTO frame (sequence_id, number, state) VALUES (?, 5, 'ready')", l.SequenceID))
	must(t, exec(s, "UPDATE sequence SET ready = ready + 1 WHERE id = ?", l.SequenceID))
	mixed, err := s.SetRenderer(fresh)
	must(t, err)
	sent, err := s.Batch(id)
	must(t, err)
	if got := sent.Sequences[1]; mixed != 1 || sent.Sequences[0].Fingerprint.Known() ||
		got.Fingerprint != b.Fingerprint(got.Spec, fresh) ||
		got.Renderer != fresh {
		t.Errorf("%d are mixed; %+v", mixed, sent.Sequences)
	}
	if r, known, err := s.Renderer(); r != fresh || !known || err != nil {
		t.Errorf("%v, %v, %v", r, known, err)
	}
}

// Files are found by the folder that they are right in, and not by what its name begins with.
func TestFilesAreFoundByTheirFolder(t *testing.T) {
	s := open(t)
	send(t, s, 0, 1, "1")
	l := lease(t, s)
	for _, path := range []string{"top.exr", "a/1.exr", "a/b/2.exr", "a0/3.exr", "ä/4.exr", "a/ü.exr"} {
		must(t, s.Keep(l, []File{{Path: path, Bytes: 1, SHA256: "x"}}))
	}
	for folder, want := range map[string]string{".": "map[top.exr:true]", "a": "map[a/1.exr:true a/ü.exr:true]",
		"a/b": "map[a/b/2.exr:true]", "ä": "map[ä/4.exr:true]", "c": "map[]"} {
		if got, err := s.RecordedIn(folder); err != nil || fmt.Sprint(got) != want {
			t.Errorf("%s: %v, %v, want %s", folder, got, err, want)
		}
	}
}
