package store

import (
	"context"
	"path/filepath"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/queue"
)

// rowsOfAll makes rows of all fresh frames.
func rowsOfAll(t *testing.T, s *Store) {
	t.Helper()
	ids, err := column[int64](s.read, "SELECT id FROM sequence")
	if err != nil {
		t.Fatal(err)
	}
	for _, id := range ids {
		must(t, s.change(func(tx *writing) error { return s.rowsFor(tx, id, -1) }))
	}
}

// back takes the record back to an earlier version of its tables.
func back(t *testing.T, s *Store, version int64) {
	t.Helper()
	provider, err := s.provider()
	if err != nil {
		t.Fatal(err)
	}
	rowsOfAll(t, s)
	if _, err := provider.DownTo(context.Background(), version); err != nil {
		t.Fatal(err)
	}
}

// Paths that were sent stay known when the record is brought up to date.
func TestPathsOfOldRecordsStayKnown(t *testing.T) {
	path := filepath.Join(t.TempDir(), "record.db")
	s, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	b := send(t, s, 0, 1, "1-3", "7-9")
	back(t, s, 2)
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if s, err = Open(path); err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for _, q := range b.Sequences {
		key := q.Spec.Files[0].Path.Key()
		if found, err := s.SentUnder([]string{key}); err != nil || len(found[key]) != 1 || found[key][0] != q.ID {
			t.Errorf("%s: %v, %v", key, found, err)
		}
	}
	if l := lease(t, s); l.Number != 1 {
		t.Errorf("frame %d comes first", l.Number)
	}
}

// A production that was kept when there were rings is read with rigs of that kind.
func TestRingsOfOldRecordsBecomeRigs(t *testing.T) {
	path := filepath.Join(t.TempDir(), "record.db")
	s, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	back(t, s, 1) // as the first version left it
	const old = `{"code":"OLD","title":"says \"ring\":\"x\"","version":1,"views":[{"code":"quay","name":"q",
		"camera":"c","look":"plain"},{"code":"turn_1","name":"t","camera":"c","look":"plain",
			"setup":{"stand":{"position":{"X":1.5,"Y":0,"Z":0},"heading":0,"tilt":0,"roll":0}},"ring":"turn"}],
				"rings":[{"code":"turn","name":"Turn","camera":"c","look":"plain","subject":{"X":1,"Y":2,"Z":3},
					"count":8,"radius":10,"height":2,"start":0,"arc":360}]}`
	for _, q := range []string{"INSERT INTO production VALUES (1, 'OLD', 1, 1)",
		"INSERT INTO revision VALUES (1, 1, '" + old + "', 'made', '')"} {
		if _, err := s.write.Exec(q); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if s, err = Open(path); err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	p, err := s.Production("OLD")
	if err != nil {
		t.Fatal(err)
	}
	if len(p.Rigs) != 1 || p.Rigs[0].Kind != camera.Ring || p.Rigs[0].Count != 8 || p.Rigs[0].Subject.Z != 3 {
		t.Errorf("rigs %+v", p.Rigs)
	}
	if p.Title != `says "ring":"x"` || p.Views[0].Rig != "" || p.Views[1].Rig != "turn" ||
		p.Views[1].Setup.Stand.Position.X != 1.5 {
		t.Errorf("title %s, views %+v", p.Title, p.Views)
	}
}

// Frames that were good before there were leases with numbers and fingerprints stay good; of which set-up they are is
// not known, and they can be lost and found like any other.
func TestGoodFramesOfOldRecordsStayGood(t *testing.T) {
	path := filepath.Join(t.TempDir(), "record.db")
	s, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	b := send(t, s, 0, 1, "1-3")
	l := lease(t, s)
	must(t, s.Check(l))
	must(t, s.Accept(l, 2, filesOf(l, 100), "log"))
	under := lease(t, s) // with a node when the program was replaced
	back(t, s, 4)
	must(t, s.Close())
	if s, err = Open(path); err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	now, err := s.Batch(b.ID)
	must(t, err)
	q := now.Sequences[0]
	if q.Counts[queue.Good] != 1 || q.Fingerprint.Known() || q.Seconds != 2 || q.Bytes != 100 {
		t.Errorf("the sequence is %+v", q)
	}
	if was, err := s.Miss(q.ID, l.Number, 0, map[string]string{"x": "is gone"}); !was || err != nil {
		t.Errorf("lost: %v, %v", was, err)
	}
	if was, err := s.Find(q.ID, l.Number, 0); !was || err != nil {
		t.Errorf("found: %v, %v", was, err)
	}
	if found, err := s.Recover(); err != nil || len(found) != 1 || found[0].Number != under.Number {
		t.Errorf("taken up were %+v, %v", found, err)
	}
	again := lease(t, s)
	must(t, s.Check(again))
	must(t, s.Accept(again, 1, filesOf(again, 5), ""))
}

// A queue of before follow-ups is taken over as it is: frames, counters, leases under way, and what was said.
func TestAQueueOfBeforeFollowUpsIsTakenOver(t *testing.T) {
	path := filepath.Join(t.TempDir(), "record.db")
	s, err := Open(path)
	must(t, err)
	b := send(t, s, 3, 1, "1-4", "7-9")
	come(t, s, lease(t, s), "ab")
	said(t, s, "the compass turns round")
	under := lease(t, s)
	back(t, s, 10)
	must(t, s.Close())
	s, err = Open(path)
	must(t, err)
	now, err := s.Batch(b.ID)
	must(t, err)
	if now.Frames() != 7 || now.GoodFrames() != 1 || now.Parts != 2 || now.FollowUps != 0 || now.Seconds != 1 {
		t.Errorf("%+v", now)
	}
	counted(t, s, now, 0)
	if open, err := s.OpenLeases(); err != nil || len(open) != 2 || open[1].ID() != under.ID() {
		t.Errorf("%d leases, %v", len(open), err)
	}
	if found, _, err := s.SearchLogs(b.ID, "COMPASS"); err != nil || len(found) != 1 || found[0].Number != 2 {
		t.Errorf("%+v, %v", found, err)
	}
	must(t, s.Accept(checked(t, s, under), 1, filesOf(under, 1), ""))
	sendAs(t, s, Sending{Priority: 9, FollowUps: []FollowUp{values}}, "1")
	takes(t, s, "2/0/quay/hd/1", "ab")
	takes(t, s, "2/0/quay/hd/values/1", "ab")
	// A version that does not know follow-ups would render them: there is no way back.
	provider, err := s.provider()
	must(t, err)
	if _, err := provider.DownTo(context.Background(), 10); err == nil {
		t.Error("a queue with follow-ups is taken back")
	}
	must(t, s.Close())
}

// checked says that a lease's files are being judged.
func checked(t *testing.T, s *Store, l *Lease) *Lease {
	t.Helper()
	must(t, s.Check(l))
	return l
}
