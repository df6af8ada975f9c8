package outside

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"reelhouse/farm/wire"
)

// A fakeHouse has a file, and takes one.
type fakeHouse struct {
	mutex  sync.Mutex
	serves []byte
	ranges []string // that were asked for
	has    []byte   // of the file that is sent
	pieces int
	says   []int // before it answers well
}

func (h *fakeHouse) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	if len(h.says) > 0 {
		status := h.says[0]
		h.says = h.says[1:]
		http.Error(w, "not now", status)
		return
	}
	switch {
	case strings.HasPrefix(r.URL.Path, "/bytes/"):
		h.ranges = append(h.ranges, r.Header.Get("Range"))
		w.Header().Set("ETag", strconv.Quote(strings.TrimPrefix(r.URL.Path, "/bytes/")))
		http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(h.serves))
	case r.Method == http.MethodGet:
		w.Header().Set(wire.HaveHeader, strconv.Itoa(len(h.has)))
	default:
		at, _ := strconv.Atoi(r.URL.Query().Get("at"))
		text, _ := io.ReadAll(r.Body)
		h.has = append(h.has[:at], text...)
		h.pieces++
	}
}

// fake returns a house, and what fetches from it.
func fake(t *testing.T) (*fakeHouse, *bytesOf) {
	t.Helper()
	h := &fakeHouse{}
	server := httptest.NewTLSServer(h)
	t.Cleanup(server.Close)
	token := wire.Token{
		Name: "a", Bytes: []string{"127.0.0.1:1", server.Listener.Addr().String()}, // the first is nobody's
		Certificate: wire.FingerprintOf(server.Certificate().Raw),
	}
	return h, newBytes(Options{Token: token})
}

func readOf(contents []byte) wire.Read {
	sum := sha256.Sum256(contents)
	return wire.Read{Name: "scene.glb", Bytes: int64(len(contents)), SHA256: hex.EncodeToString(sum[:])}
}

// A file is fetched once, gone on with where it ended, and fetched anew if it is not any more what its hash says.
func TestFilesAreFetchedOnce(t *testing.T) {
	h, b := fake(t)
	h.serves = []byte("a scene, and more of it")
	r := readOf(h.serves)
	path := cachePath(t.TempDir(), r)
	fetch := func() {
		t.Helper()
		got, err := b.fetch(t.Context(), path, r)
		if err != nil {
			t.Fatal(err)
		}
		if text, err := os.ReadFile(got); err != nil || !bytes.Equal(text, h.serves) {
			t.Errorf("%q, %v", text, err)
		}
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path+".fetched", h.serves[:7], 0o600); err != nil {
		t.Fatal(err)
	}
	fetch()
	fetch()
	if len(h.ranges) != 1 || h.ranges[0] != "bytes=7-" {
		t.Errorf("%q were fetched", h.ranges)
	}
	b.read = map[string]time.Time{} // as after a restart
	fetch()
	if len(h.ranges) != 1 {
		t.Errorf("%q were fetched", h.ranges)
	}
	damaged := bytes.Clone(h.serves)
	damaged[3] ^= 1
	if err := os.WriteFile(path, damaged, 0o600); err != nil {
		t.Fatal(err)
	}
	fetch()
	if len(h.ranges) != 2 {
		t.Errorf("%q were fetched", h.ranges)
	}
}

// What comes is not what was asked for: it is not kept.
func TestWrongFilesAreNotKept(t *testing.T) {
	h, b := fake(t)
	r := readOf([]byte("a scene, once"))
	path := cachePath(t.TempDir(), r)
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		t.Fatal(err)
	}
	for _, h.serves = range [][]byte{[]byte("another scene"), []byte("a scene, once, and then something"), nil} {
		err := b.fetchInto(t.Context(), path+".fetched", r)
		if err == nil || !strings.Contains(err.Error(), "not what its hash says") {
			t.Errorf("%q: %v", h.serves, err)
		}
		if _, err := os.Stat(path + ".fetched"); err == nil {
			t.Errorf("%q is kept", h.serves)
		}
	}
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	if _, err := b.fetch(ctx, path, r); err == nil {
		t.Error("it is taken")
	}
	if _, err := os.Stat(path); err == nil {
		t.Error("it is there")
	}
}

// A file is sent in pieces, from where the house has it, also when that says that it has to wait.
func TestFilesAreSentInPieces(t *testing.T) {
	h, b := fake(t)
	contents := bytes.Repeat([]byte("0123456789abcdef"), pieceBytes/8)
	path := filepath.Join(t.TempDir(), "file")
	if err := os.WriteFile(path, contents, 0o600); err != nil {
		t.Fatal(err)
	}
	made := wire.Made{Bytes: int64(len(contents)), SHA256: readOf(contents).SHA256}
	h.has = append(h.has, contents[:100]...)
	if err := b.send(t.Context(), 1, made, path); err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(h.has, contents) || h.pieces != 2 {
		t.Errorf("%d bytes came in %d pieces", len(h.has), h.pieces)
	}
	h.says = []int{503, 401}
	tries := 0
	err := patiently(t.Context(), func() error { tries++; return b.send(t.Context(), 1, made, path) })
	if err != nil || tries != 3 {
		t.Errorf("%d tries: %v", tries, err)
	}
	h.says = []int{404}
	tries = 0
	var said *answered
	err = patiently(t.Context(), func() error { tries++; return b.send(t.Context(), 1, made, path) })
	if !errors.As(err, &said) || said.status != 404 || tries != 1 {
		t.Errorf("%d tries: %v", tries, err)
	}
}

// Whatever a house calls a file, it lies in the cache.
func TestFetchedFilesStayInTheCache(t *testing.T) {
	cache := t.TempDir()
	for _, name := range []string{"scene.glb", "../../etc/passwd", "/etc/passwd", "..", ".", "", "a/../../b", "a\x00"} {
		for _, sum := range []string{strings.Repeat("0", 64), "../..", ""} {
			path := cachePath(cache, wire.Read{Name: name, SHA256: sum})
			if rel, err := filepath.Rel(cache, path); err != nil || !filepath.IsLocal(rel) {
				t.Errorf("%q of %q lies at %s", name, sum, path)
			}
		}
	}
}

// Of what was done before a node began that is taken up which was done to its end; the rest is removed.
func TestANodeTakesUpWhatItHasDone(t *testing.T) {
	n := &Node{Options: Options{Scratch: t.TempDir()}, errands: map[int64]*errand{}}
	for name, text := range map[string]string{
		"7": `{"result": {"lease": 7}, "files": ["a"]}`, "8": "", "9": "{", "no-number": "{}",
	} {
		folder := filepath.Join(n.errandsFolder(), name)
		if err := os.MkdirAll(folder, 0o700); err != nil {
			t.Fatal(err)
		}
		if text == "" {
			continue
		}
		if err := os.WriteFile(filepath.Join(folder, outcomeFile), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := n.takeUp(); err != nil {
		t.Fatal(err)
	}
	left, err := os.ReadDir(n.errandsFolder())
	if err != nil || len(left) != 1 || left[0].Name() != "7" || len(n.errands) != 1 || n.errands[7].outcome == nil {
		t.Errorf("%v, %+v, %v", left, n.errands, err)
	}
	if at, working := n.errands[7].state(); at.Lease != 7 || working {
		t.Errorf("%+v, %v", at, working)
	}
}
