package assets

import (
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"reelhouse/core/production"
)

// What the first reader refuses, or breaks at, is not read by the server, and leaves nothing behind.
func TestHungryScenesDoNotReachTheServer(t *testing.T) {
	l, err := Open(t.TempDir(), false)
	if err != nil {
		t.Fatal(err)
	}
	before, _ := filepath.Glob(filepath.Join(l.dir, "*", "*"))
	var kinds []Admission
	l.Admit = func(kind Admission, path string) error {
		kinds = append(kinds, kind)
		if data, err := os.ReadFile(path); err != nil || !strings.Contains(string(data), "anything") {
			t.Errorf("it was given %q, %v", data, err)
		}
		return errors.New("reading it takes more than it may")
	}
	_, _, err = l.ImportScene("hungry.glb", strings.NewReader("anything"))
	_, around := l.ImportEnvironment("hungry.hdr", strings.NewReader("anything"))
	_, cameras := l.ImportOpaque("hungry.usda", strings.NewReader("anything"), production.Opaque{})
	_, reference := l.ImportReference(t.Context(), "hungry.png", strings.NewReader("\x89PNG\r\n\x1a\nanything"))
	for _, err := range []error{err, around, cameras, reference} {
		if err == nil || !strings.Contains(err.Error(), "takes more than it may") {
			t.Errorf("it was taken in: %v", err)
		}
	}
	if !slices.Equal(kinds, []Admission{AdmitScene, AdmitEnvironment, AdmitUSD, AdmitReference}) {
		t.Errorf("read first were %v", kinds)
	}
	if after, _ := filepath.Glob(filepath.Join(l.dir, "*", "*")); len(after) != len(before) {
		t.Errorf("left are %v", after)
	}
}

// What several want at once is read once, and more than fits is let go of.
func TestScenesAreReadOnceAndHeldWithinBounds(t *testing.T) {
	c := newCache(3, 100, func(n int) int64 { return int64(n) })
	var count atomic.Int64
	release := make(chan struct{})
	read := func() (int, error) {
		count.Add(1)
		<-release
		return 60, nil
	}
	var group sync.WaitGroup
	for range 5 {
		group.Go(func() {
			if n, err := c.get("a", read); n != 60 || err != nil {
				t.Errorf("%d, %v", n, err)
			}
		})
	}
	close(release)
	group.Wait()
	if n, err := c.get("a", read); n != 60 || err != nil || count.Load() > 5 {
		t.Errorf("%d, %v, read %d times", n, err, count.Load())
	}
	c.add("b", 30)
	if c.kept.Len() != 2 {
		t.Errorf("%d are held where both fit", c.kept.Len())
	}
	c.add("c", 300)
	if _, held := c.kept.Peek("c"); !held || c.kept.Len() != 1 {
		t.Errorf("%d are held; the last one is, however large", c.kept.Len())
	}
	if _, err := c.get("d", func() (int, error) { return 0, errors.New("no") }); err == nil {
		t.Error("a mistake was held")
	}
	if _, held := c.kept.Peek("d"); held {
		t.Error("nothing was read and is held")
	}
}
