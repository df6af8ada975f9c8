package store

import (
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/production"
)

var (
	ann = Author{"Ann", "a"}
	bo  = Author{"Bo", "b"}
)

// titled edits the title of SALT for somebody.
func titled(t *testing.T, s *Store, by Author, text string) Revision {
	t.Helper()
	r, err := s.Edit(
		"SALT",
		Making{Summary: "title " + text, By: by},
		func(p *production.Production) error { p.Title = text; return nil },
	)
	must(t, err)
	return r
}

func TestEditsAreKeptUndoneAndRedone(t *testing.T) {
	s := open(t)
	must(t, s.Create(production.New("SALT", "First"), ann))
	if err := s.Create(production.New("salt", "Again"), ann); !errors.Is(err, ErrTaken) {
		t.Errorf("a second production of the code: %v", err)
	}
	titled(t, s, ann, "Second")
	titled(t, s, ann, "Third")
	for i, want := range []struct {
		undo  bool
		title string
	}{{true, "Second"}, {true, "First"}, {true, ""}, {false, "Second"}, {false, "Third"}, {false, ""},
		{true, "Second"}} {
		steps, err := s.Steps("SALT", ann)
		must(t, err)
		e, do := steps.Undo, s.Undo
		if !want.undo {
			e, do = steps.Redo, s.Redo
		}
		if want.title == "" {
			if e != nil {
				t.Errorf("step %d: %+v is offered, want nothing", i, e)
			}
			continue
		}
		if e == nil {
			t.Fatalf("step %d: nothing is offered", i)
		}
		r, err := do("SALT", e.Number, ann)
		if err != nil || r.Title != want.title {
			t.Fatalf("step %d: %q, %v, want %q", i, r.Title, err, want.title)
		}
	}
	titled(t, s, ann, "Other")
	if steps, _ := s.Steps("SALT", ann); steps.Redo != nil {
		t.Errorf("an edit after undo left something to redo: %+v", steps.Redo)
	}
	refused := errors.New("no")
	_, err := s.Edit("SALT", Making{}, func(p *production.Production) error { p.Title = "Half"; return refused })
	if !errors.Is(err, refused) {
		t.Error(err)
	}
	if r, _ := s.Production("SALT"); r.Title != "Other" {
		t.Errorf("a refused edit left %q", r.Title)
	}
	if _, err := s.Production("NONE"); !errors.Is(err, ErrNotFound) {
		t.Errorf("a production that is none: %v", err)
	}
	all, err := s.History("SALT", 0, 100)
	if err != nil || len(all) != 9 || all[8].Summary != "created" || !all[6].Undone || all[7].Undone {
		t.Errorf("%v, %d entries: %+v", err, len(all), all)
	}
}

// Undo takes back one's own last edit and leaves what others have done since; what others have changed of the same is
// said.
func TestEverybodyUndoesTheirOwn(t *testing.T) {
	s := open(t)
	must(t, s.Create(production.New("SALT", "First"), ann))
	titled(t, s, ann, "Second")
	if steps, _ := s.Steps("SALT", bo); steps.Undo == nil || steps.Undo.Author != ann {
		t.Errorf("Bo, who has done nothing, is offered %+v", steps.Undo)
	}
	_, err := s.Edit(
		"SALT",
		Making{Summary: "handles", By: bo},
		func(p *production.Production) error { p.Handles = 8; return nil },
	)
	must(t, err)
	steps, err := s.Steps("SALT", ann)
	must(t, err)
	if steps.Undo == nil || steps.Undo.Summary != "title Second" {
		t.Fatalf("Ann is offered %+v", steps.Undo)
	}
	r, err := s.Undo("SALT", steps.Undo.Number, ann)
	if err != nil || r.Title != "First" || r.Handles != 8 {
		t.Fatalf("%q, %d handles, %v", r.Title, r.Handles, err)
	}
	again := titled(t, s, ann, "Third")
	titled(t, s, bo, "Fourth")
	var c *Conflict
	if _, err := s.Undo("SALT", again.Number, ann); !errors.As(err, &c) || c.By != bo {
		t.Errorf("what Bo has changed since: %v", err)
	}
	if r, err := s.Undo("SALT", again.Number-1, ann); err != nil || r.Title != "Fourth" {
		t.Errorf("an undo is not undone: %q, %v", r.Title, err)
	}
}

func TestUndoingANewCodeBringsTheOldOneBack(t *testing.T) {
	s := open(t)
	must(t, s.Create(production.New("SALT", "First"), ann))
	r, err := s.Edit("SALT", Making{By: ann}, func(p *production.Production) error { p.Code = "REED"; return nil })
	must(t, err)
	if r, err = s.Undo("REED", r.Number, ann); err != nil || r.Code != "SALT" {
		t.Errorf("%q, %v", r.Code, err)
	}
}

// Every revision is read again as it was, however far away the next whole document is.
func TestAllRevisionsAreKept(t *testing.T) {
	path := filepath.Join(t.TempDir(), "record.db")
	s, err := Open(path)
	must(t, err)
	must(t, s.Create(production.New("SALT", "1"), ann))
	const edits = 3 * wholeEvery / 2
	for i := range edits {
		titled(t, s, ann, fmt.Sprint(i+2))
	}
	must(t, s.Close())
	s, err = Open(path) // nothing is in memory
	must(t, err)
	defer s.Close()
	for _, n := range []int{1, 2, wholeEvery - 1, wholeEvery, wholeEvery + 1, edits + 1} {
		p, err := s.At("SALT", n)
		if err != nil || p.Title != fmt.Sprint(n) {
			t.Errorf("revision %d: %q, %v", n, p.Title, err)
		}
	}
	if _, err := s.At("SALT", edits+2); !errors.Is(err, ErrNotFound) {
		t.Errorf("a revision that there is not: %v", err)
	}
}

// old opens a record of the version before histories were kept whole: ten revisions of the demo's production, the last
// of which was undone.
func old(t *testing.T) *Store {
	t.Helper()
	in, err := os.Open("testdata/before-history.db.gz")
	must(t, err)
	defer in.Close()
	z, err := gzip.NewReader(in)
	must(t, err)
	path := filepath.Join(t.TempDir(), "record.db")
	out, err := os.Create(path)
	must(t, err)
	_, err = io.Copy(out, z)
	must(t, errors.Join(err, out.Close()))
	s, err := Open(path)
	must(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

func TestOldRecordsKeepTheirHistory(t *testing.T) {
	s := old(t)
	p, err := s.Production("SALT")
	must(t, err)
	if p.Title != "The Saltmarsh Ferry, reel 1" || p.Shots[0].Step != 0 || len(p.Problems()) > 0 {
		t.Errorf("%q, step %d, %v", p.Title, p.Shots[0].Step, p.Problems())
	}
	all, err := s.History("SALT", 0, 100)
	if err != nil || len(all) != 11 || !all[0].Undoes || all[0].Concerns != 10 || all[1].Summary != "shots, step" ||
		!all[1].Undone {
		t.Fatalf("%v: %+v", err, all)
	}
	if was, err := s.At("SALT", 3); err != nil || was.Sizes[0].Width != 2050 ||
		was.Shots[0].Frames.String() == "1001-1036" {
		t.Errorf("revision 3: %v", err)
	}
	steps, err := s.Steps("SALT", Author{})
	must(t, err)
	if steps.Undo == nil || steps.Undo.Number != 9 || steps.Redo == nil || steps.Redo.Number != 10 {
		t.Fatalf("%+v", steps)
	}
	r, err := s.Redo("SALT", 10, Author{})
	if err != nil || r.Shots[0].Step != 2 || r.Number != 12 {
		t.Errorf("revision %d, step %d, %v", r.Number, r.Shots[0].Step, err)
	}
	if r, err = s.Undo("SALT", 9, ann); err != nil || r.Title != "The Saltmarsh Ferry" || r.Shots[0].Step != 2 {
		t.Errorf("%q, %v", r.Title, err)
	}
}

// A film of ten thousand shots is edited a thousand times. The history grows by less than 100 MB; most edits are of one
// shot, every tenth is of all.
func TestALongHistoryIsSmall(t *testing.T) {
	if testing.Short() {
		t.Skip("a thousand edits")
	}
	s := open(t)
	p := longFilm(10_000)
	must(t, s.Create(p, ann))
	size := func() (bytes int64) {
		t.Helper()
		must(
			t,
			s.read.QueryRow("SELECT sum(coalesce(length(document), 0) + coalesce(length(difference), 0)) FROM history").
				Scan(&bytes),
		)
		return bytes
	}
	before := size()
	const edits = 100 // a tenth of a thousand
	for i := range edits {
		_, err := s.Edit("SALT", Making{By: ann}, func(p *production.Production) error {
			if i%10 == 0 {
				for k := range p.Shots {
					p.Shots[k].Step = 2 + i
				}
				return nil
			}
			p.Shots[(i*7919)%len(p.Shots)].Note = fmt.Sprint("take ", i)
			return nil
		})
		must(t, err)
	}
	if grown := size() - before; grown > 100e6/10 {
		t.Errorf("%d edits add %.1f MB", edits, float64(grown)/1e6)
	} else {
		t.Logf("%d edits add %.2f MB", edits, float64(grown)/1e6)
	}
}

// longFilm returns a production of so many shots.
func longFilm(shots int) production.Production {
	p := production.New("SALT", "A film")
	p.Scene = production.SceneFile{Name: "a.glb", SHA256: "00"}
	p.Views = []production.View{{Code: "quay", Name: "Quay", Camera: "cam_quay", Look: "plain"}}
	for i := range shots {
		first := 1001 + 100*i
		p.Shots = append(p.Shots, production.Shot{
			Code: fmt.Sprintf(
				"%05d", 10*i,
			), Name: "A shot", View: "quay", Frames: frame.Of(first, first+47), InBatch: true,
		})
	}
	return p
}

// How long a change of one shot of a long film takes to be kept.
func BenchmarkEditOfALongFilm(b *testing.B) {
	s, err := Open(filepath.Join(b.TempDir(), "record.db"))
	if err != nil {
		b.Fatal(err)
	}
	defer s.Close()
	if err := s.Create(longFilm(10_000), ann); err != nil {
		b.Fatal(err)
	}
	b.ReportAllocs()
	for i := 0; b.Loop(); i++ {
		if _, err := s.Edit("SALT", Making{By: ann}, func(p *production.Production) error {
			p.Shots[i%10_000].Note = fmt.Sprint(i)
			return nil
		}); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "edits/s")
}
