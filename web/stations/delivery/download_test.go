package delivery_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/house/housetest"
	"reelhouse/web/webtest"
)

// A frame's files, and a sequence as a zip, come as they lie there, or a part of them; nothing else comes.
func TestFramesAndSequencesAreDownloaded(t *testing.T) {
	h, b := housetest.New(t, "1001-1003")
	s := webtest.Over(t, h)
	sequence := b.Sequences[0]
	whole := fmt.Sprintf("/p/TEST/download/%d", sequence.ID)
	if answer := s.Ask("GET", whole, func(*http.Request) {}); answer.Code != http.StatusNotFound {
		t.Errorf("of nothing: %d", answer.Code)
	}
	housetest.DrawAll(t, h)
	path := sequence.Spec.Files[0].Path.Frame(1002)
	data, err := os.ReadFile(filepath.Join(h.Output(), path))
	if err != nil {
		t.Fatal(err)
	}
	file := whole + "/1002?" + url.Values{"path": {path}}.Encode()
	answer := s.Ask("GET", file, func(*http.Request) {})
	if answer.Code != 200 || !bytes.Equal(answer.Body.Bytes(), data) {
		t.Errorf("%d, %d bytes", answer.Code, answer.Body.Len())
	}
	part := s.Ask("GET", file, func(r *http.Request) { r.Header.Set("Range", "bytes=5-9") })
	if part.Code != http.StatusPartialContent || !bytes.Equal(part.Body.Bytes(), data[5:10]) {
		t.Errorf("a part: %d, %q", part.Code, part.Body)
	}
	packed := s.Ask("GET", whole, func(*http.Request) {})
	z, err := zip.NewReader(bytes.NewReader(packed.Body.Bytes()), int64(packed.Body.Len()))
	if err != nil || len(z.File) != 4 {
		t.Fatalf("%d, %v", packed.Code, err)
	}
	about, err := fs.ReadFile(z, "layers.txt")
	if err != nil || !strings.Contains(string(about), "channels: depth.Z\n  unit: metres") {
		t.Errorf("what the layers are: %s, %v", about, err)
	}
	for path, want := range map[string]int{
		whole + "/1001?" + url.Values{"path": {path}}.Encode():              404, // of another frame
		whole + "/1002?" + url.Values{"path": {"../reelhouse.db"}}.Encode(): 404,
		whole + "/1002": 404, "/p/TEST/download/99": 404, "/p/TEST/download/x": 404,
		"/p/OTHER" + whole[len("/p/TEST"):]: 404,
	} {
		if answer := s.Ask("GET", path, func(*http.Request) {}); answer.Code != want {
			t.Errorf("%s: %d, want %d", path, answer.Code, want)
		}
	}
	if err := os.Remove(filepath.Join(h.Output(), path)); err != nil {
		t.Fatal(err)
	}
	if answer := s.Ask("GET", file, func(*http.Request) {}); answer.Code != http.StatusNotFound {
		t.Errorf("of a file that is gone: %d", answer.Code)
	}
}
