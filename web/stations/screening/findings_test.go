package screening_test

import (
	"crypto/sha256"
	"encoding/hex"
	"image/png"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"reelhouse/core/inspect"
	"reelhouse/core/work"
	"reelhouse/store"
	"reelhouse/web/webtest"
)

// inspected makes the inspection of a sequence good by hand, with a document.
func inspected(t *testing.T, s *webtest.Site, document string) {
	t.Helper()
	l, err := s.House.Record.Lease("hand")
	if err != nil || l == nil || l.Class.Kind != work.Inspection {
		t.Fatalf("%+v, %v", l, err)
	}
	path := l.Sequence.Spec.Files[0].Path.Frame(l.Number)
	full := filepath.Join(s.House.Output(), path)
	if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(full, []byte(document), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := s.House.Record.Check(l); err != nil {
		t.Fatal(err)
	}
	sum := sha256.Sum256([]byte(document))
	file := store.File{Path: path, Bytes: int64(len(document)), SHA256: hex.EncodeToString(sum[:])}
	if err := s.House.Record.Accept(l, 1, []store.File{file}, "by hand"); err != nil {
		t.Fatal(err)
	}
}

func TestWhatWasFoundIsShown(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	for range s.Batch.Sequences[0].Spec.Frames.Count() - 1 {
		s.Finish()
	}
	base := "/p/TEST/screen/" + strconv.FormatInt(sequence, 10)
	_, body := s.Get("/p/TEST/screening?sequence=" + strconv.FormatInt(sequence, 10))
	s.Says(body, "This sequence was not inspected.", `hx-post="`+base+`/inspect`)
	code, body := s.Post(base+"/inspect", url.Values{})
	if code != 200 {
		t.Fatalf("%d %s", code, body)
	}
	s.Says(body, "The inspection is queued", "htmx:sseMessage")
	_, body = s.Post(base+"/inspect", url.Values{}) // pressed twice
	s.Says(body, "The inspection is queued")
	name := inspect.SeriesOf([]string{s.Batch.Sequences[0].Spec.Files[0].Path.Frame(number)})[0].Name
	found := `{"version": 1, "sequences": [{"name": "` + name + `", "frames": "1001-1003", "width": 64, "height": 64,
		"findings": [{"fault": "firefly", "frame": ` + strconv.Itoa(number) + `,
			"place": {"x": 2, "y": 1, "width": 2, "height": 2}, "number": 1, "text": "a speck <here>"},
		{"fault": "missing", "frame": 1004, "number": 0, "text": "none"},
		{"fault": "of-tomorrow", "frame": 1002, "number": 0, "text": "who knows"}]}]}`
	inspected(t, s, found)
	_, body = s.Get(base + "/findings")
	s.Says(body, "a speck &lt;here&gt;", `data-place="2,1,2,2"`, "of-tomorrow", "missing frame", "Inspect again")
	if strings.Contains(body, "/1004/around") || strings.Contains(body, "htmx:sseMessage") {
		t.Errorf("a missing frame has a picture, or it is still waited for:\n%s", body)
	}
	made := filepath.Join(s.House.Output(), "follow-ups", "*", "inspection", "*", "*", "*.json")
	paths, err := filepath.Glob(made)
	if err != nil || len(paths) != 1 {
		t.Fatalf("%v, %v", paths, err)
	}
	forged := strings.Replace(found, strconv.Itoa(number), strconv.Itoa(number+1), 1)
	if err := os.WriteFile(paths[0], []byte(forged), 0o644); err != nil {
		t.Fatal(err)
	}
	_, body = s.Get(base + "/findings")
	s.Says(body, "is not what it was when it was made")
	if strings.Contains(body, "a speck") {
		t.Errorf("what was forged is shown:\n%s", body)
	}
	if err := os.WriteFile(paths[0], []byte(found), 0o644); err != nil {
		t.Fatal(err)
	}
	if code, body := s.Post(base+"/inspect", url.Values{}); code != 200 || !strings.Contains(body, "is queued") {
		t.Errorf("again: %d %s", code, body)
	}
	inspected(t, s, `{"version": 1, "sequences": [{"na`)
	_, body = s.Get(base + "/findings")
	s.Says(body, "The inspection is lost")
}

func TestAPlaceOfAFrameIsShown(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	at := "/p/TEST/screen/" + strconv.FormatInt(sequence, 10) + "/" + strconv.Itoa(number) + "/around?place="
	for _, place := range []string{"", "0,0,1,1", "1,2,3,3"} {
		code, body := s.Get(at + place)
		img, err := png.Decode(strings.NewReader(body))
		if code != 200 || err != nil {
			t.Fatalf("%q: %d, %v", place, code, err)
		}
		if r, _, _, _ := img.At(9, 9).RGBA(); r>>8 != 118 { // 0.18 by IEC 61966-2-1
			t.Errorf("%q: red is %d", place, r>>8)
		}
	}
	for _, place := range append(webtest.Hostile(), "1,2,3", "1,2,3,4,5", "1,1,9999,1", "-1,0,1,1", "0,0,0,1") {
		if place == "" {
			continue
		}
		if code, body := s.Get(at + url.QueryEscape(place)); code != 400 {
			t.Errorf("%q: %d %s", place, code, body)
		}
	}
}
