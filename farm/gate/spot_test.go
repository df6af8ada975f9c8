package gate

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"reelhouse/core/framefile"
	"reelhouse/core/job"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
	"reelhouse/core/trace"
	"reelhouse/core/work"
	"reelhouse/farm/wire"
	"reelhouse/house"
	"reelhouse/store"
)

// plainFile is a file of a job that is performed in a test.
type plainFile struct{ *os.File }

func (f plainFile) Abandon() { f.Close() }

func (f plainFile) Commit() (int64, error) {
	size, err := f.Seek(0, io.SeekEnd)
	return size, errors.Join(err, f.Close())
}

// drawn renders what an errand asks for, with as many samples along an edge as are given.
func (g *gated) drawn(e wire.Errand, samples int) []byte {
	g.t.Helper()
	j, err := job.Read(bytes.NewReader(e.Order))
	if err != nil {
		g.t.Fatal(err)
	}
	path := filepath.Join(g.t.TempDir(), "x.exr")
	j.Scene, j.Samples, j.Frames[0].Files[0].Path = g.house.Assets.ScenePath(g.b.Plan.Scene), samples, path
	err = trace.Perform(context.Background(), j, trace.Outside{
		Open: func(p string) (io.ReadCloser, error) { return os.Open(p) },
		Create: func(p string) (framefile.File, error) {
			f, err := os.Create(p)
			return plainFile{f}, err
		},
		Now: time.Now, Say: func(job.Message) {},
	})
	if err != nil {
		g.t.Fatal(err)
	}
	text, err := os.ReadFile(path)
	if err != nil {
		g.t.Fatal(err)
	}
	return text
}

// working lets a node do what it is given, with so many samples, until the test ends.
func (g *gated) working(name string, samples int) *stranger {
	g.t.Helper()
	s, err := g.connect(g.token(name))
	if err != nil {
		g.t.Fatal(err)
	}
	h := hello()
	h.Processor = "abacus"
	s.ask(wire.HelloTo+name, h, &s.welcome)
	ctx, cancel := context.WithCancel(g.t.Context())
	ended := make(chan bool)
	g.t.Cleanup(func() { cancel(); <-ended })
	done := map[int64]bool{}
	go func() {
		defer close(ended)
		for ctx.Err() == nil {
			text, _ := json.Marshal(wire.Beat{Free: 1})
			m, err := s.conn.RequestWithContext(ctx, wire.BeatTo+name, text)
			if err != nil {
				return
			}
			var tasks wire.Tasks
			if json.Unmarshal(m.Data, &tasks) != nil {
				return
			}
			for _, lease := range tasks.Leases {
				if !done[lease] {
					done[lease] = true
					s.do(lease, samples)
				}
			}
			time.Sleep(20 * time.Millisecond)
		}
	}()
	return s
}

// do does an errand.
func (s *stranger) do(lease int64, samples int) {
	code, text := s.http("GET", fmt.Sprintf("/errand/%d", lease), nil)
	var e wire.Errand
	if code != 200 || json.Unmarshal([]byte(text), &e) != nil {
		return // it was taken away
	}
	file := s.drawn(e, samples)
	sum, err := house.SumOf(bytes.NewReader(file))
	if err != nil {
		s.t.Error(err)
	}
	s.http("PUT", fmt.Sprintf("/file/%d/0?at=0&sum=%s", lease, sum.SHA256), file)
	r := wire.Result{Lease: lease, Files: []wire.Made{{Bytes: sum.Bytes, SHA256: sum.SHA256}}}
	if err := s.keep(wire.DoneTo+s.token.Name, r); err != nil {
		s.t.Error(err)
	}
}

// paused has a step that a node has made compared until a node is paused, and says which and why. Which of the others
// makes it once more is not said, and one that agrees with the first shows nothing.
func (g *gated) paused(by string, l *store.Lease) string {
	g.t.Helper()
	for range patience {
		if len(g.gate.spots) == 0 {
			g.gate.spotted(g.gate.find(by), l)
		}
		all, err := g.house.Record.Nodes()
		if err != nil {
			g.t.Fatal(err)
		}
		for _, n := range all {
			if n.Paused != "" {
				return n.Name + ": " + n.Paused
			}
		}
		time.Sleep(10 * time.Millisecond)
	}
	g.t.Fatal("nobody is paused")
	return ""
}

// A frame that comes out otherwise on a second machine goes to a third, and the one that is alone is paused: the
// second, or the one that has rendered it.
func TestAThirdMachineDecidesWhichIsWrong(t *testing.T) {
	for _, c := range []struct {
		name    string
		samples []int // of the one that renders the frame, and of two others
		says    string
	}{
		{"second", []int{1, 2, 1}, "010 v hd, frame 1001 came out otherwise on it than on a and "},
		{"first", []int{2, 1, 1}, "a: 010 v hd, frame 1001 came out otherwise on it than on "},
	} {
		t.Run(c.name, func(t *testing.T) {
			g := opened(t, "1001")
			g.gate.Check = 1
			g.working("a", c.samples[0])
			g.until(func(f store.Frame) bool { return f.State == queue.Good })
			g.working("b", c.samples[1])
			g.working("c", c.samples[2])
			// It was let go of while it was alone: with three of them it is looked at.
			q, err := g.house.Record.Sequence(g.b.Sequences[0].ID)
			if err != nil {
				t.Fatal(err)
			}
			got := g.paused("a", &store.Lease{
				Frame: g.frame(), Sequence: q, Batch: g.b, Class: work.Class{Kind: work.Render},
			})
			if !strings.Contains(got, c.says) ||
				c.name == "second" && !strings.HasPrefix(got, "b: ") {
				t.Errorf("%s", got)
			}
			if left, _ := filepath.Glob(filepath.Join(g.house.Work(), "spot-*")); len(left) > 1 {
				t.Errorf("%v is left", left)
			}
		})
	}
}

// A tile that comes out otherwise on a second machine goes to a third, too.
func TestTilesAreCompared(t *testing.T) {
	g := openedFor(t, "1001", 5*time.Minute, func(p *production.Production) {
		s := &p.Shots[0]
		s.Tiles = []production.CellTiles{
			{Cell: production.Cell{View: s.View, Size: s.Sizes[0]}, Tiles: raster.Tiling{Columns: 2, Rows: 1}},
		}
	})
	g.gate.Check = 1
	g.working("a", 1)
	q := g.b.Sequences[0]
	var tiles []store.Tile
	g.until(func(f store.Frame) bool {
		var err error
		if tiles, err = g.house.Record.Tiles(q.ID, 1001); err != nil {
			t.Fatal(err)
		}
		return len(tiles) == 2 && f.State == queue.Ready // to be put together
	})
	g.working("b", 2)
	g.working("c", 1)
	got := g.paused("a", &store.Lease{
		Frame: g.frame(), Tile: &tiles[1], Sequence: q, Batch: g.b, Class: work.Class{Kind: work.Render},
	})
	if !strings.Contains(got, "b: 010 v hd, frame 1001, tile ") || !strings.Contains(got, " than on a and c") {
		t.Errorf("%s", got)
	}
}

// Machines that agree are left alone, and so is a share of frames of which nothing is asked.
func TestAShareOfFramesIsCompared(t *testing.T) {
	l := &store.Lease{}
	n := 0
	for i := range 10_000 {
		l.Number = i
		if chosen(0.01, l) {
			n++
		}
		if chosen(0, l) || !chosen(1, l) {
			t.Fatalf("frame %d", i)
		}
	}
	if n < 60 || n > 140 {
		t.Errorf("%d of 10000 frames are a percent", n)
	}
	if !same(map[string]string{"a": "1"}, map[string]string{"a": "1"}) ||
		same(map[string]string{"a": "1", "b": "2"}, map[string]string{"a": "1"}) ||
		same(map[string]string{"a": "1"}, map[string]string{"a": "2"}) {
		t.Error("other files are the same")
	}
}
