package bucket

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"reelhouse/bucket/buckettest"
)

func roomy(string) float64 { return 1e12 }

func opened(t *testing.T, most int64) (*Bucket, *buckettest.Store) {
	t.Helper()
	s := buckettest.New(t)
	b, err := Open(s.URL, t.TempDir(), most, roomy)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { b.Close() })
	return b, s
}

// written returns a file with some contents, and their SHA-256.
func written(t *testing.T, contents []byte) (path, sum string) {
	t.Helper()
	path = filepath.Join(t.TempDir(), "file")
	if err := os.WriteFile(path, contents, 0o644); err != nil {
		t.Fatal(err)
	}
	is := sha256.Sum256(contents)
	return path, hex.EncodeToString(is[:])
}

func TestFilesComeBackAsTheyWere(t *testing.T) {
	b, s := opened(t, 1<<30)
	large := make([]byte, 23<<20) // which is put there in pieces
	for i := range large {
		large[i] = byte(rand.Uint32())
	}
	for name, contents := range map[string][]byte{
		"SALT/010/a b.1001.exr": []byte("picture"), "SALT/010/größe+%2f&?#.exr": []byte("other"), "large.exr": large,
		"empty": {},
	} {
		from, sum := written(t, contents)
		if err := b.Put(name, from, sum); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		f, err := b.Stat(name)
		if err != nil || f.Bytes != int64(len(contents)) || f.SHA256 != sum {
			t.Errorf("%s: %+v, %v", name, f, err)
		}
		r, err := b.Read(name)
		if err != nil {
			t.Fatal(err)
		}
		if is, err := io.ReadAll(r); err != nil || !bytes.Equal(is, contents) {
			t.Errorf("%s comes back otherwise: %v", name, err)
		}
		r.Close()
		path, err := b.Copy(name)
		if err != nil {
			t.Fatal(err)
		}
		if is, err := os.ReadFile(path); err != nil || !bytes.Equal(is, contents) {
			t.Errorf("the copy of %s is another one: %v", name, err)
		}
		// Nothing is overwritten.
		other, otherSum := written(t, append([]byte("x"), contents...))
		if err := b.Put(name, other, otherSum); !errors.Is(err, fs.ErrExist) {
			t.Errorf("%s: %v", name, err)
		}
		if f, err := b.Stat(name); err != nil || f.SHA256 != sum {
			t.Errorf("%s was overwritten: %+v, %v", name, f, err)
		}
	}
	var names []string
	if err := b.Walk(t.Context(), "SALT/", func(f File) error {
		names = append(names, f.Path)
		return nil
	}); err != nil || !slices.Equal(names, []string{"SALT/010/a b.1001.exr", "SALT/010/größe+%2f&?#.exr"}) {
		t.Errorf("%q, %v", names, err)
	}
	if err := b.Move("empty", "aside/empty.1"); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Stat("empty"); !errors.Is(err, fs.ErrNotExist) {
		t.Error(err)
	}
	if err := b.Move("large.exr", "aside/empty.1"); !errors.Is(err, fs.ErrExist) {
		t.Error(err)
	}
	if err := b.Remove("aside/empty.1"); err != nil || s.Get(t, "aside/empty.1") != "" {
		t.Error(err)
	}
	if _, err := b.Copy("gone"); !errors.Is(err, fs.ErrNotExist) {
		t.Error(err)
	}
}

// A file that changes while it is put there does not get its name, nor does one that somebody has put there just then.
func TestOnlyWhatWasJudgedIsPutThere(t *testing.T) {
	b, s := opened(t, 1<<30)
	from, _ := written(t, []byte("picture"))
	if err := b.Put("a", from, strings.Repeat("0", 64)); err == nil || s.Get(t, "a") != "" {
		t.Errorf("%v, %q", err, s.Get(t, "a"))
	}
	if _, err := os.Stat(from); err != nil {
		t.Error("the file is gone:", err)
	}
}

func TestAStoreThatOverwritesIsRefused(t *testing.T) {
	b, s := opened(t, 1<<30)
	if err := b.PutMark("mark", "mine"); err != nil || s.Get(t, "mark") != "mine" {
		t.Fatal(err)
	}
	if err := b.PutMark("mark", "other"); !errors.Is(err, fs.ErrExist) {
		t.Error(err)
	}
	s.Forgets.Store(true)
	if err := b.PutMark("second", "mine"); err == nil || !strings.Contains(err.Error(), "overwrites") {
		t.Error(err)
	}
	if s.Get(t, "second") != "" {
		t.Error("a mark is left behind")
	}
}

// What is asked for twice is fetched once, and another version of it anew; old copies go when there are too many.
func TestCopiesAreKeptWithinABound(t *testing.T) {
	b, s := opened(t, 25)
	fetch := func(name string) string {
		t.Helper()
		path, err := b.Copy(name)
		if err != nil {
			t.Fatal(err)
		}
		text, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		return string(text)
	}
	s.Set(t, "a.exr", "0123456789")
	first := fetch("a.exr")
	asked := s.Asked.Load()
	if fetch("a.exr") != first || s.Asked.Load() != asked+1 {
		t.Errorf("%d requests for what is there", s.Asked.Load()-asked)
	}
	s.Set(t, "a.exr", "9876543210")
	if is := fetch("a.exr"); is != "9876543210" {
		t.Errorf("an old copy is taken for a new one: %s", is)
	}
	old, err := b.Copy("a.exr")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"b", "c"} { // which is more than the bound, but of the last hour
		s.Set(t, name, "0123456789")
		fetch(name)
	}
	if _, err := os.Stat(old); err != nil {
		t.Error("a copy has gone that was asked for just now")
	}
	before := time.Now().Add(-2 * stays)
	if err := os.Chtimes(old, before, before); err != nil {
		t.Fatal(err)
	}
	delete(b.copies.used, old) // as after a restart
	s.Set(t, "d", "0123456789")
	fetch("d")
	if _, err := os.Stat(old); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("an old copy stays: %v", err)
	}
	// So they do when the disk has little room.
	b.copies.most, b.copies.free = 1000, func(string) float64 { return leastFree - 1 }
	last, err := b.Copy("d")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chtimes(last, before, before); err != nil {
		t.Fatal(err)
	}
	delete(b.copies.used, last)
	s.Set(t, "little", "0123456789")
	fetch("little")
	if _, err := os.Stat(last); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("an old copy stays on a disk that is full: %v", err)
	}
	b.copies.free = roomy
	// What was put there and comes otherwise is no copy.
	from, sum := written(t, []byte("picture"))
	if err := b.Put("e", from, sum); err != nil {
		t.Fatal(err)
	}
	if err := os.RemoveAll(b.copies.folder); err != nil {
		t.Fatal(err)
	}
	o, err := s.Backend.GetObject(buckettest.Name, "e", nil)
	if err != nil {
		t.Fatal(err)
	}
	damaged := strings.NewReader("pictare")
	if _, err := s.Backend.PutObject(buckettest.Name, "e", o.Metadata, damaged, damaged.Size(), nil); err != nil {
		t.Fatal(err)
	}
	if path, err := b.Copy("e"); err == nil || !strings.Contains(err.Error(), "is not what was put") {
		t.Error(path, err)
	}
}

// A store that is away says so in few words, and is used again when it is back.
func TestAStoreThatIsAway(t *testing.T) {
	b, s := opened(t, 1<<30)
	s.Down.Store(true)
	from, sum := written(t, []byte("picture"))
	for what, err := range map[string]error{
		"stat": func() error { _, err := b.Stat("a"); return err }(), "put": b.Put("a", from, sum),
		"mark": b.PutMark("m", "x"),
		"walk": b.Walk(t.Context(), "", func(File) error { return nil }),
		"read": func() error { _, err := b.Read("a"); return err }(),
	} {
		var away *AwayError
		if !errors.As(err, &away) || len(away.Error()) > 120 || !strings.HasPrefix(away.Error(), "its store ") {
			t.Errorf("%s: %v", what, err)
		}
	}
	s.Down.Store(false)
	if err := b.Put("a", from, sum); err != nil {
		t.Error(err)
	}
	nobody, err := Open("s3://reels?region=test&use_path_style=true&endpoint=http://127.0.0.1:1", t.TempDir(), 1, roomy)
	if err != nil {
		t.Fatal(err)
	}
	defer nobody.Close()
	if _, err := nobody.Stat("a"); err == nil || !strings.Contains(err.Error(), "cannot be reached: ") {
		t.Error(err)
	}
	missing, err := Open(strings.Replace(s.URL, "reels", "nothing", 1), t.TempDir(), 1, roomy)
	if err != nil {
		t.Fatal(err)
	}
	defer missing.Close()
	if err := missing.PutMark("a", "x"); err == nil || errors.Is(err, fs.ErrNotExist) {
		t.Error(err)
	}
}

func TestURLsOfBuckets(t *testing.T) {
	for _, bad := range []string{
		"", "reels", "/disks/archive", "http://reels", "s3://", "s3://key:secret@reels", "s3://reels/folder",
		"s3://reels?prefix=folder", "mem://", "file:///etc", "s3://reels?what=ever", "\x00",
		"s3://reels?endpoint=host:9000", "s3://reels?use_path_style=perhaps", "s3://reels?prefix=/",
	} {
		if b, err := Open(bad, t.TempDir(), 1, roomy); err == nil {
			b.Close()
			t.Errorf("%q is a bucket", bad)
		}
	}
	if err := Check("s3://reels?region=north&prefix=renders/&endpoint=https://store:9000"); err != nil {
		t.Error(err)
	}
}

func FuzzAddresses(f *testing.F) {
	f.Add("s3://reels")
	f.Add("s3://reels?region=north&prefix=a/&endpoint=https://store:9000&use_path_style=1")
	f.Add("s3://reels/?prefix=%2f")
	f.Fuzz(func(t *testing.T, text string) {
		a, err := parse(text)
		if err != nil {
			return
		}
		if a.name == "" || a.prefix != "" && (!strings.HasSuffix(a.prefix, "/") || strings.HasPrefix(a.prefix, "/")) ||
			a.endpoint != "" && !strings.HasPrefix(strings.ToLower(a.endpoint), "http") {
			t.Errorf("%q is %+v", text, a)
		}
	})
}
