package queue_test

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/store"
	"reelhouse/web/webtest"
)

// followed sends the site's production again, with what follows and a gate.
func followed(t *testing.T, s *webtest.Site, gate bool) store.Batch {
	t.Helper()
	if _, err := s.House.Record.Apply(store.Scope{Production: "TEST", Batch: s.Batch.ID}, queue.Drop); err != nil {
		t.Fatal(err)
	}
	follow, err := s.House.WantedFollowUps(production.Production{}, []string{"checksums", "values"}, nil)
	if err != nil {
		t.Fatal(err)
	}
	how := house.Sending{Sending: store.Sending{FollowUps: follow, Gate: gate}, Again: true}
	id, err := s.House.SendDraft(s.Production().Production, how)
	if err != nil {
		t.Fatal(err)
	}
	b, err := s.House.Record.Batch(id)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// finish makes the next task good, without a renderer.
func finish(t *testing.T, s *webtest.Site) *store.Lease {
	t.Helper()
	l, err := s.House.Record.Lease("hand")
	if err != nil || l == nil {
		t.Fatal(l, err)
	}
	if err := s.House.Record.Check(l); err != nil {
		t.Fatal(err)
	}
	var files []store.File
	for _, f := range l.Sequence.Spec.Files {
		files = append(files, store.File{Path: f.Path.Frame(l.Number), Bytes: 9, SHA256: strings.Repeat("ab", 32)})
	}
	if err := s.House.Record.Accept(l, 1.5, files, "well"); err != nil {
		t.Fatal(err)
	}
	return l
}

func TestWhatFollowsIsShownAndMadeAgain(t *testing.T) {
	s := webtest.New(t)
	b := followed(t, s, false)
	page := fmt.Sprintf("/p/TEST/queue?open=%d", b.ID)
	_, body := s.Get(page)
	s.Says(body, "0 of 3 good", "0 of 4 follow-ups", `data-follow-up="checksums"`, "waits for 3 frames of", "Kind")
	for range 7 {
		finish(t, s)
	}
	_, body = s.Get(page)
	s.Says(body, "3 of 3 good", "4 of 4 follow-ups", "Render again")
	if strings.Contains(body, "Make again") {
		t.Error("what is not out of date can be made again for all of its sequence")
	}
	all, err := s.House.Record.FollowUpsOf(b.ID)
	if err != nil {
		t.Fatal(err)
	}
	sequence := map[string]string{"rendered": fmt.Sprint(b.Sequences[0].ID)}
	for _, q := range all {
		sequence[q.Spec.FollowUp.Kind] = fmt.Sprint(q.ID)
	}
	_, side := s.Get(fmt.Sprintf("/p/TEST/frame/%s/1001", sequence["checksums"]))
	s.Says(side, "/010/v/hd/checksums", "Make again", "as a page")
	_, body = s.Plain("/p/TEST/again", url.Values{"sequence": {sequence["checksums"]}})
	s.Says(body, "Nothing was done")
	_, body = s.Plain("/p/TEST/again", url.Values{"sequence": {sequence["checksums"]}, "frame": {"1001"}})
	s.Says(body, "To be made again: 1 task")
	_, body = s.Plain("/p/TEST/again", url.Values{"sequence": {sequence["rendered"]}, "frame": {"1002"}})
	s.Says(body, "To be rendered once more, and compared: 1 frame", `data-follow-up="repeat"`)
	for _, form := range []url.Values{
		{"sequence": {sequence["rendered"]}, "production": {"OTHER"}}, {"sequence": {"999"}},
	} {
		if status, _ := s.Plain("/p/TEST/again", form); status != http.StatusNotFound {
			t.Errorf("%v: %d", form, status)
		}
	}
	if status, _ := s.Plain("/p/TEST/again", url.Values{"sequence": {"x"}}); status != http.StatusUnprocessableEntity {
		t.Errorf("of no sequence: %d", status)
	}
	_, body = s.Get(page + "&kind=checksums")
	s.Says(body, "of 3 good")
	if _, body = s.Get("/p/TEST/queue?kind=nothing"); strings.Contains(body, "of 3 good") {
		t.Error("a batch without the kind is shown")
	}
}

// A gate keeps all frames but three, until somebody opens it.
func TestAGateIsOpenedByItsButton(t *testing.T) {
	s := webtest.New(t)
	p := s.Production().Production
	p.Shots[0].Frames, _ = p.Shots[0].Frames.Reach(1001, 1009)
	if err := s.House.Record.Create(renamed(p, "LONG"), store.Author{}); err != nil {
		t.Fatal(err)
	}
	id, err := s.House.SendDraft(renamed(p, "LONG"), house.Sending{Sending: store.Sending{Gate: true}})
	if err != nil {
		t.Fatal(err)
	}
	b, err := s.House.Record.Batch(id)
	if err != nil {
		t.Fatal(err)
	}
	_, body := s.Get(fmt.Sprintf("/p/LONG/queue?open=%d", id))
	s.Says(body, "at the gate: frames 1001-1009x4 come first", "Open gate")
	_, body = s.Plain("/p/LONG/act", url.Values{"event": {"release"}, "sequence": {fmt.Sprint(b.Sequences[0].ID)}})
	s.Says(body, "Released: 6 tasks")
	if strings.Contains(body, "at the gate") {
		t.Error("the gate is still closed")
	}
}

func TestABatchIsArchivedAndFoundAgain(t *testing.T) {
	s := webtest.New(t)
	batch := fmt.Sprint(s.Batch.ID)
	_, body := s.Plain("/p/TEST/archive", url.Values{"batch": {batch}, "away": {"1"}})
	s.Says(body, "Nothing was done: ")
	for range 3 {
		finish(t, s)
	}
	_, body = s.Get("/p/TEST/queue")
	s.Says(body, "Archive", s.Batch.Name)
	_, body = s.Plain("/p/TEST/archive", url.Values{"batch": {batch}, "away": {"1"}})
	s.Says(body, "is archived")
	if _, body := s.Get("/p/TEST/queue"); strings.Contains(body, "data-batch=") {
		t.Error("it is still there")
	}
	_, body = s.Get("/p/TEST/queue?find=" + batch)
	s.Says(body, "Back to the queue", "archived", s.Batch.Name)
	_, body = s.Plain("/p/TEST/archive", url.Values{"batch": {batch}})
	s.Says(body, "back in the queue")
	for _, form := range []url.Values{{"batch": {"99"}, "away": {"1"}}, {"batch": {batch}, "production": {"OTHER"}}} {
		if status, _ := s.Plain("/p/TEST/archive", form); status != http.StatusNotFound {
			t.Errorf("%v: %d", form, status)
		}
	}
}

func renamed(p production.Production, code string) production.Production {
	p.Code, p.Title = code, code
	return p
}
