package farm

import (
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"reelhouse/bucket/buckettest"
	"reelhouse/core/naming"
	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// inBucket returns a house with a batch of frames whose files go to a bucket.
func inBucket(t *testing.T, frames string) (h *house.House, b store.Batch, s *buckettest.Store) {
	t.Helper()
	s = buckettest.New(t)
	h, _ = housetest.New(t, frames)
	if err := h.SetVolumes([]store.Volume{{Code: "cloud", Bucket: s.URL}}); err != nil {
		t.Fatal(err)
	}
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	p.Volume = "cloud"
	id, err := h.SendDraft(p.Production, house.Sending{Sending: store.Sending{Priority: 9}})
	if err != nil {
		t.Fatal(err)
	}
	if b, err = h.Record.Batch(id); err != nil {
		t.Fatal(err)
	}
	return h, b, s
}

func verified(t *testing.T, h *house.House, deep bool) house.Verified {
	t.Helper()
	v, err := h.Verify(t.Context(), house.Verification{Deep: deep}, nil)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// Frames of a bucket are rendered, proved, found lost and made again as on any volume; nothing of them lies on this
// machine but copies.
func TestFramesOfABucket(t *testing.T) {
	h, b, s := inBucket(t, "1001-1006")
	n, stop := start(t, h, "good")
	all(t, n, b, queue.Good)
	stop()
	path := func(number int) string { return b.Sequences[0].Spec.Files[0].Path.Frame(number) }
	_, name := naming.SplitVolume(path(1001))
	if got := s.Names(t); len(got) != 7 || !slices.Contains(got, name) { // with the mark
		t.Fatalf("in the bucket there are %q", got)
	}
	if v := verified(t, h, true); !v.Clean() || v.Files < 6 {
		t.Fatalf("%+v", v)
	}
	// One is gone, one has lost a byte, one has turned over a bit; and something stands there that nobody recorded.
	of := func(number int) string { _, name := naming.SplitVolume(path(number)); return name }
	if _, err := s.Backend.DeleteObject(buckettest.Name, of(1002)); err != nil {
		t.Fatal(err)
	}
	whole := s.Get(t, of(1003))
	s.Set(t, of(1003), whole[1:])
	flipped := []byte(s.Get(t, of(1004)))
	flipped[len(flipped)/2] ^= 4
	s.Set(t, of(1004), string(flipped))
	s.Set(t, "TEST/other.exr", "what is this")
	if v := verified(t, h, false); len(v.Lost) != 2 || len(v.Foreign) != 1 || v.Foreign[0] != "cloud:/TEST/other.exr" {
		t.Errorf("a look: %+v", v)
	}
	if v := verified(t, h, true); len(v.Lost) != 3 {
		t.Errorf("a deep look: %+v", v.Lost)
	}
	// A copy is not what is there any more, either.
	if f, _, err := h.OpenOutput(path(1002)); err == nil {
		f.Close()
		t.Error("a file that is gone can be opened")
	}
	if _, err := h.Record.Apply(store.Scope{Production: "TEST", Batch: b.ID}, queue.Retry); err != nil {
		t.Fatal(err)
	}
	n, stop = start(t, h, "good")
	all(t, n, b, queue.Good)
	stop()
	if v := verified(t, h, true); len(v.Lost)+len(v.Unread) != 0 || len(v.Foreign) != 1 {
		t.Errorf("afterwards: %+v", v)
	}
	aside := 0
	for _, name := range s.Names(t) {
		if strings.HasPrefix(name, ".set-aside/") {
			aside++
		}
	}
	if aside != 2 {
		t.Errorf("%d damaged files are kept: %q", aside, s.Names(t))
	}
	// What is under way leaves nothing.
	v, _ := h.Volume("cloud")
	_ = filepath.WalkDir(v.Folder, func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() && !strings.Contains(path, ".copies") {
			t.Errorf("%s is left", path)
		}
		return nil
	})
}

// A store that is away costs its batch no try and loses nothing.
func TestABatchWaitsForItsStore(t *testing.T) {
	h, b, s := inBucket(t, "1001-1003")
	s.Down.Store(true)
	n, stop := start(t, h, "good")
	stays(t, n, "cloud")
	if v := verified(t, h, false); len(v.Lost) != 0 {
		t.Errorf("%+v", v)
	}
	s.Down.Store(false)
	for _, f := range all(t, n, b, queue.Good) {
		if f.Attempts != 1 {
			t.Errorf("frame %d took %d tries", f.Number, f.Attempts)
		}
	}
	stop()
	s.Down.Store(true)
	if v := verified(t, h, true); len(v.Lost) != 0 || len(v.Unread) == 0 {
		t.Errorf("while it is away: %+v", v)
	}
	// Another bucket in its place is not taken for it.
	s.Down.Store(false)
	s.Set(t, ".reelhouse-volume", "other\n")
	beside, err := house.Open(h.Dir, true) // which has not looked at the mark yet
	if err != nil {
		t.Fatal(err)
	}
	defer beside.Close()
	v := verified(t, beside, false)
	if len(v.Lost) != 0 || !strings.Contains(strings.Join(v.Unread, " "), "another one") {
		t.Errorf("another bucket: %+v", v)
	}
}

// What stands there already is not overwritten.
func TestNothingInABucketIsOverwritten(t *testing.T) {
	h, b, s := inBucket(t, "1001-1002")
	_, name := naming.SplitVolume(b.Sequences[0].Spec.Files[0].Path.Frame(1001))
	s.Set(t, name, "somebody's own")
	n, stop := start(t, h, "good")
	waitFor(t, n, b.ID, settled)
	stop()
	f, err := h.Record.Frame(b.Sequences[0].ID, 1001)
	if err != nil || f.State != queue.Failed || !strings.Contains(f.Reason, "exists already") {
		t.Errorf("%+v, %v", f, err)
	}
	if got := s.Get(t, name); got != "somebody's own" {
		t.Errorf("it is %q now", got)
	}
}

// What a node that died had put there and not recorded is taken back.
func TestWhatWasPutIntoABucketIsTakenBack(t *testing.T) {
	h, b, s := inBucket(t, "1001")
	q := b.Sequences[0]
	path := q.Spec.Files[0].Path.Frame(1001)
	temp := filepath.Join(t.TempDir(), "temp")
	if err := os.WriteFile(temp, []byte("picture"), 0o644); err != nil {
		t.Fatal(err)
	}
	sum, err := sumOfPlain(temp)
	if err != nil {
		t.Fatal(err)
	}
	sum.Path = path
	l, err := h.Record.Lease("test")
	if err != nil || l == nil {
		t.Fatal(l, err)
	}
	if _, err := publish(h, l, []verdict{{part: part{temp: temp, final: path}, sum: sum}}, NewLog()); err != nil {
		t.Fatal(err)
	}
	_, name := naming.SplitVolume(path)
	if s.Get(t, name) != "picture" {
		t.Fatalf("in the bucket there are %q", s.Names(t))
	}
	if err := settlePlacing(h, placingPath(h, l), l.ID()); err != nil {
		t.Fatal(err)
	}
	if s.Get(t, name) != "" {
		t.Error("it is still there")
	}
}
