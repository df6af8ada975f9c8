package queue_test

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
	"reelhouse/web/webtest"
)

// The queue is that of the whole house, on the page of any production: in the order of turns, with filters, and acted
// on from there.
func TestTheQueueIsThatOfTheHouse(t *testing.T) {
	s := webtest.New(t)
	other := s.Production().Production
	other.Code, other.Title = "OTHER", "Other"
	if err := s.House.Record.Create(other, store.Author{}); err != nil {
		t.Fatal(err)
	}
	id, err := s.House.SendDraft(other, house.Sending{Sending: store.Sending{Name: "a night's work", Priority: 5}})
	if err != nil {
		t.Fatal(err)
	}
	_, body := s.Get("/p/TEST/queue")
	s.Says(body, "a night", "OTHER, batch", "6 tasks left in the house", "after 3 frames of 1 batch")
	if strings.Index(body, "OTHER, batch") > strings.Index(body, "TEST, batch") {
		t.Error("the higher priority does not come first")
	}
	if strings.Contains(body, `data-frame="1001" data-opened`) || strings.Count(body, "data-opened") != 1 {
		t.Error("one batch is open, of the page's production")
	}
	for query, want := range map[string]bool{
		"of=OTHER": true, "of=TEST": false, "find=night": true, "find=day": false, "state=ready": true,
		"state=failed": false, "node=here": false, fmt.Sprint("find=", id): true,
	} {
		if _, body := s.Get("/p/TEST/queue?" + query); strings.Contains(body, "OTHER, batch") != want {
			t.Errorf("%s: shown %v", query, !want)
		}
	}
	batch := fmt.Sprint(id)
	status, body := s.Plain("/p/TEST/act", url.Values{"event": {"hold"}, "batch": {batch}, "production": {"OTHER"}})
	if status != http.StatusOK || !strings.Contains(body, "Held: 3 tasks") {
		t.Errorf("held from another page: %d\n%s", status, webtest.Said(body))
	}
	if !strings.Contains(body, "TEST, batch") {
		t.Error("what was done with another batch has hidden the page's own")
	}
	alone := fmt.Sprint(s.Batch.Sequences[0].ID)
	_, body = s.Get(fmt.Sprintf("/p/TEST/queue?open=%d&alone=%s", s.Batch.ID, alone))
	s.Says(body, "All sequences of the batch", `alone&#34;:&#34;`+alone)
	status, body = s.Plain("/p/TEST/act", url.Values{
		"event": {"hold"}, "batch": {fmt.Sprint(s.Batch.ID)}, "production": {"TEST"}, "alone": {alone},
		"open": {fmt.Sprint(s.Batch.ID)},
	})
	if status != http.StatusOK || !strings.Contains(body, "All sequences of the batch") {
		t.Errorf("a batch is held while a sequence of it is shown alone: %d", status)
	}
	_, body = s.Plain("/p/TEST/act", url.Values{"event": {"release"}, "batch": {fmt.Sprint(s.Batch.ID)}})
	s.Says(body, "Released: 3 tasks")
	_, body = s.Plain("/p/TEST/needs", url.Values{"batch": {batch}, "production": {"OTHER"}, "value": {"labels=big"}})
	s.Says(body, "Tasks of 1 sequence need labels=big now")
	_, body = s.Plain("/p/TEST/act", url.Values{"event": {"release"}, "batch": {batch}, "production": {"OTHER"}})
	s.Says(body, "waits: node here has no label big")
	_, body = s.Plain("/p/TEST/needs", url.Values{"batch": {batch}, "production": {"OTHER"}, "value": {"labels=a b"}})
	s.Says(body, "Not changed:")
	for _, form := range []url.Values{
		{"sequence": {alone}, "frame": {"1001"}, "value": {"cores=1"}}, {"value": {"cores=1"}}, {"batch": {"x"}},
	} {
		if status, _ := s.Plain("/p/TEST/needs", form); status != http.StatusUnprocessableEntity {
			t.Errorf("needs of %v: %d", form, status)
		}
	}
	if status, _ := s.Get("/p/TEST/queue?alone=9999&open=x"); status != http.StatusOK {
		t.Errorf("an old address: %d", status)
	}
	_, body = s.Plain("/p/TEST/pause", url.Values{"pause": {"1"}})
	s.Says(body, "Paused since", "Resume")
	if l, err := s.House.Record.Lease("n"); l != nil || err != nil {
		t.Errorf("a paused house gives out %v, %v", l, err)
	}
	_, body = s.Plain("/p/TEST/pause", url.Values{})
	s.Says(body, "The queue goes on")
	_, body = s.Plain("/p/TEST/act", url.Values{"event": {"drop"}, "batch": {batch}, "production": {"OTHER"}})
	s.Says(body, "Finished", "a night")
}

// What has failed for one reason is retried together; that of another batch, or for no reason that is there, is not.
func TestAReasonIsRetried(t *testing.T) {
	s := webtest.New(t)
	for range 2 {
		l, err := s.House.Record.Lease("hand")
		if err != nil {
			t.Fatal(err)
		}
		if err := s.House.Record.Refuse(l, "missing texture quay.png", ""); err != nil {
			t.Fatal(err)
		}
	}
	batch := fmt.Sprint(s.Batch.ID)
	_, body := s.Get("/p/TEST/queue")
	s.Says(body, "missing texture quay.png", "2 frames of 1 sequence", batch+"/010/v/hd/1002")
	_, body = s.Plain("/p/TEST/failures", url.Values{"batch": {batch}, "reason": {"nothing at all"}})
	s.Says(body, "Nothing was done")
	if status, _ := s.Plain("/p/TEST/failures", url.Values{"batch": {"99"},
		"reason": {"x"}}); status != http.StatusNotFound {
		t.Errorf("of a batch that is not there: %d", status)
	}
	_, body = s.Plain("/p/TEST/failures", url.Values{"batch": {batch}, "reason": {"missing texture quay.png "}})
	s.Says(body, "To be tried again: 2 frames", s.Batch.Name, `data-opened`)
}

// BenchmarkFilmQueue opens the queue's page with a film of 832 000 frames in it.
func BenchmarkFilmQueue(b *testing.B) {
	s := webtest.New(b)
	p := s.Production().Production
	p.Shots = nil
	for i := range 8000 {
		p.Shots = append(p.Shots, production.Shot{
			Code: fmt.Sprintf("%05d", 10*(i+1)), View: p.Views[0].Code, Frames: frame.Of(1001, 1104), InBatch: true,
			Sizes: []string{"hd"}, PassList: "minimum", Outputs: []string{"master"},
		})
	}
	if _, err := s.House.SendDraft(p, house.Sending{}); err != nil {
		b.Fatal(err)
	}
	var length int
	for b.Loop() {
		_, body := s.Get("/p/TEST/queue?open=2")
		length = len(body)
	}
	b.ReportMetric(float64(length)/1000, "kB")
	b.ReportMetric(1000*b.Elapsed().Seconds()/float64(b.N), "ms/page")
}

// A sequence of very many frames has no cell for each: the queue leads to where it is shown alone, by stretches.
func TestALongSequenceIsShownAlone(t *testing.T) {
	h, b := housetest.New(t, "1001-61000")
	s := webtest.Over(t, h)
	address := fmt.Sprintf("/p/%s/queue?open=%d", b.Plan.Production, b.ID)
	alone := fmt.Sprintf("&alone=%d", b.Sequences[0].ID)
	for query, want := range map[string]bool{"": true, alone: false} {
		status, body := s.Get(address + query)
		if status != http.StatusOK || strings.Contains(body, "data-long") != want ||
			strings.Contains(body, "data-profile") == want {
			t.Errorf("%q: %d\n%s", query, status, webtest.Said(body))
		}
	}
}
