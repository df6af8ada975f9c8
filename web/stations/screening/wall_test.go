package screening_test

import (
	"fmt"
	"net/url"
	"strconv"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/house/housetest"
	"reelhouse/web/webtest"
)

func TestTheWallIsTheWayIn(t *testing.T) {
	s := webtest.New(t)
	_, body := s.Get("/p/TEST/screening")
	s.Says(body, "No frame is finished yet")
	sequence, number := s.Finish()
	id := strconv.FormatInt(sequence, 10)
	_, body = s.Get("/p/TEST/screening")
	s.Says(body, `href="screening?sequence=`+id+`"`, "1 of 3 good", "2 ready", "not inspected",
		fmt.Sprintf(`src="/p/TEST/screen/%s/%d/around"`, id, number))
	if code, picture := s.Get(fmt.Sprintf("/p/TEST/screen/%s/%d/around", id, number)); code != 200 ||
		!strings.HasPrefix(picture, "\x89PNG") {
		t.Errorf("its picture: %d", code)
	}
	for query, shown := range map[string]bool{
		"find=v001": true, "find=V001+batch+1": true, "find=nowhere": false, "state=unfinished": true,
		"state=good": false, "state=findings": false, "find=" + strings.Repeat("zz+", 500): false,
	} {
		if _, body := s.Get("/p/TEST/screening?" + query); strings.Contains(body, "wall-card") != shown {
			t.Errorf("%s: shown is %v", query, !shown)
		}
	}
	for _, hostile := range webtest.Hostile() {
		for _, name := range []string{"find", "state", "empty", "sequence"} {
			if code, body := s.Get("/p/TEST/screening?" + name + "=" + url.QueryEscape(hostile)); code >= 500 {
				t.Errorf("%s=%q: %d %s", name, hostile, code, body)
			}
		}
	}
	if code, _ := s.Get("/p/TEST/screening?sequence=999"); code != 404 {
		t.Errorf("a sequence that is none: %d", code)
	}
}

// BenchmarkWall makes the page of a wall of 200 sequences of 48 frames.
func BenchmarkWall(b *testing.B) {
	h, _ := housetest.New(b, "1001", func(p *production.Production) {
		for i := range 199 {
			shot := p.Shots[0]
			shot.Code = fmt.Sprint(100 + i)
			shot.Frames = frame.Of(1001, 1048)
			p.Shots = append(p.Shots, shot)
		}
	})
	s := webtest.Over(b, h)
	for b.Loop() {
		code, body := s.Get("/p/TEST/screening?empty=1")
		if n := strings.Count(body, `class="wall-card"`); code != 200 || n < 200 {
			b.Fatalf("%d, %d cards", code, n)
		}
	}
	b.ReportMetric(b.Elapsed().Seconds()*1000/float64(b.N), "ms/page")
}

// What is lost is said on the wall, and rendered again for who asks there.
func TestLostFramesAreRenderedAgainFromTheWall(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	if _, body := s.Get("/p/TEST/screening"); strings.Contains(body, "render-lost") {
		t.Error("something is said to be lost")
	}
	f, err := s.House.Record.Frame(sequence, number)
	if err != nil {
		t.Fatal(err)
	}
	files, err := s.House.Record.Files(sequence, number)
	if err != nil {
		t.Fatal(err)
	}
	if was, err := s.House.Record.Miss(sequence, number, f.Lease, map[string]string{files[0].Path: "is gone"}); !was ||
		err != nil {
		t.Fatal(was, err)
	}
	_, body := s.Get("/p/TEST/screening")
	s.Says(body, "1 good frame of 1 sequence is lost", `hx-post="/p/TEST/lost"`, "hx-confirm=")
	code, body := s.Post("/p/TEST/lost", nil)
	if code != 200 {
		t.Fatalf("%d %s", code, body)
	}
	s.Says(body, "1 frame is rendered again")
	if f, err = s.House.Record.Frame(sequence, number); err != nil || f.State != queue.Ready {
		t.Errorf("%+v, %v", f, err)
	}
	if _, body = s.Post("/p/TEST/lost", nil); !strings.Contains(body, "No frame is lost") {
		t.Error(body)
	}
}
