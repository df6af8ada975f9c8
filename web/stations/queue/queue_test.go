package queue_test

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"testing"

	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/store"
	"reelhouse/web/webtest"
)

// Posts that a page never makes do not make a frame good, nor touch another production's.
func TestNobodyForgesAFinishedBatch(t *testing.T) {
	s := webtest.New(t)
	b := s.Batch
	counts := func() queue.Counts {
		t.Helper()
		now, err := s.House.Record.Batch(b.ID)
		if err != nil {
			t.Fatal(err)
		}
		return now.Counts()
	}
	batch := fmt.Sprint(b.ID)
	for _, event := range []string{"leased", "rendered", "accepted", "found", "unblocked", "vanished", "", "explode"} {
		for range 2 {
			if status, _ := s.Plain("/p/TEST/act",
				url.Values{"event": {event}, "batch": {batch}}); status != http.StatusUnprocessableEntity {
				t.Errorf("%q: %d", event, status)
			}
		}
	}
	if c := counts(); c[queue.Ready] != 3 {
		t.Errorf("after all that, counts are %v", c)
	}
	if err := s.House.Record.Create(production.New("OTHER", "Other"), store.Author{}); err != nil {
		t.Fatal(err)
	}
	sequence := fmt.Sprint(b.Sequences[0].ID)
	for _, form := range []url.Values{
		{"event": {"drop"}, "batch": {batch}}, {"event": {"hold"}, "sequence": {sequence}},
		{"event": {"hold"}, "sequence": {sequence}, "frame": {"1001"}},
	} {
		if status, _ := s.Plain("/p/OTHER/act", form); status != http.StatusNotFound {
			t.Errorf("%v of another production: %d", form, status)
		}
	}
	s.Finish()
	for _, path := range []string{
		"/frame/" + sequence + "/1001", "/screen/" + sequence, "/screen/" + sequence + "/1001/beauty",
		"/screen/" + sequence + "/1001/probe?x=1&y=1",
	} {
		if status, _ := s.Get("/p/OTHER" + path); status != http.StatusNotFound {
			t.Errorf("%s of another production: %d", path, status)
		}
		if status, body := s.Get("/p/TEST" + path); status != http.StatusOK {
			t.Errorf("%s: %d %s", path, status, body)
		}
	}
	if status, _ := s.Plain("/p/OTHER/priority",
		url.Values{"batch": {batch}, "value": {"9"}}); status != http.StatusNotFound {
		t.Errorf("priority of another production's batch: %d", status)
	}
	if c := counts(); c[queue.Ready] != 2 || c[queue.Good] != 1 {
		t.Errorf("in the end counts are %v", c)
	}
}

// A verification is begun, told and ended on the page.
func TestFilesAreVerifiedFromTheQueue(t *testing.T) {
	s := webtest.New(t)
	sequence, _ := s.Finish()
	changed, end := s.Hub.Listen()
	defer end()
	if _, body := s.Plain("/p/TEST/verify", url.Values{"deep": {"1"}}); !strings.Contains(
		body, "comparing every byte",
	) &&
		!strings.Contains(body, "data-lost") {
		t.Errorf("begun: %s", body)
	}
	for _, body := s.Get("/p/TEST/queue"); strings.Contains(body, "comparing"); _, body = s.Get("/p/TEST/queue") {
		<-changed
	}
	_, body := s.Get("/p/TEST/queue")
	s.Says(body, `data-lost="1"`, "has changed: its checksum differs", "1 lost")
	_, body = s.Get(fmt.Sprintf("/p/TEST/frame/%d/1001", sequence))
	s.Says(body, "<b>lost</b>", "Retry", "Retry renders what is missing", "Fingerprint")
}

func TestTheQueueShowsTiles(t *testing.T) {
	s := webtest.New(t)
	s.Edits("production", "field", "next-version")
	s.Edits("cell", "of", "010", "field", "tiles", "set.view", "v", "set.size", "hd", "value", "2 x 2")
	id, err := s.House.SendDraft(s.Production().Production, house.Sending{Sending: store.Sending{Priority: 9}})
	if err != nil {
		t.Fatal(err)
	}
	b, err := s.House.Record.Batch(id)
	if err != nil {
		t.Fatal(err)
	}
	side := fmt.Sprintf("/p/TEST/frame/%d/1001", b.Sequences[0].ID)
	_, body := s.Get(side)
	s.Says(body, "0 of 4 good; the frame is put together when all are", `data-tile="4" data-state="ready"`)
	first, err := s.House.Record.Lease("there")
	if err != nil || first.TileIndex() != 1 {
		t.Fatalf("%+v, %v", first, err)
	}
	second, err := s.House.Record.Lease("there")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.House.Record.Check(first); err != nil {
		t.Fatal(err)
	}
	if err := s.House.Record.AcceptTile(first, 75, store.File{Bytes: 9, SHA256: strings.Repeat("ab", 32)},
		"it went well"); err != nil {
		t.Fatal(err)
	}
	if err := s.House.Record.Break(second, "the lamp is out", "log"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.House.Record.Lease("there"); err != nil {
		t.Fatal(err)
	}
	_, body = s.Get(side)
	s.Says(
		body, "1 of 4 good", `data-tile="1" data-state="good"`, `data-tile="2" data-state="rendering"`,
		`data-tile="3" data-state="ready"`, "1 min 15 s", "attempt 1, tile 1, on there", "it went well",
		"htmx:sseMessage",
	)
	_, body = s.Get("/p/TEST/queue")
	s.Says(body, "frame 1001 waits for its tiles: 1 of 4 good, 1 being rendered")
	// A frame whose tiles are under way can be held as any other.
	s.Post("/p/TEST/act", url.Values{"sequence": {fmt.Sprint(b.Sequences[0].ID)}, "frame": {"1001"}, "event": {"hold"}})
	if f, _ := s.House.Record.Frame(b.Sequences[0].ID, 1001); f.State != "held" {
		t.Errorf("the frame is %s", f.State)
	}
}

func TestPeopleActOnTheQueue(t *testing.T) {
	s := webtest.New(t)
	sequence := strconv.FormatInt(s.Batch.Sequences[0].ID, 10)
	state := func() queue.State {
		f, err := s.House.Record.Frame(s.Batch.Sequences[0].ID, 1002)
		if err != nil {
			t.Fatal(err)
		}
		return f.State
	}
	for _, step := range []struct {
		event queue.Event
		want  queue.State
	}{{queue.Hold, queue.Held}, {queue.Release, queue.Ready}, {queue.Drop, queue.Dropped}, {queue.Retry, queue.Ready}} {
		if code, body := s.Post("/p/TEST/act",
			url.Values{"sequence": {sequence}, "frame": {"1002"}, "event": {string(step.event)}}); code != 200 ||
			state() != step.want {
			t.Errorf("%s: %d, %s\n%s", step.event, code, state(), body)
		}
	}
	if _, body := s.Post("/p/TEST/act", url.Values{"sequence": {sequence}, "event": {"release"}}); !strings.Contains(
		body, "Nothing was done",
	) {
		t.Errorf("releasing what is not held:\n%s", body)
	}
	if _, body := s.Post("/p/TEST/act", url.Values{"event": {"hold"}}); !strings.Contains(body, "Name a batch") {
		t.Errorf("acting on nothing:\n%s", body)
	}
	for value, want := range map[string]int{"7": 7, "many": 7} {
		s.Post("/p/TEST/priority", url.Values{"batch": {strconv.FormatInt(s.Batch.ID, 10)}, "value": {value}})
		if b, _ := s.House.Record.Batch(s.Batch.ID); value == "7" && b.Priority != want {
			t.Errorf("priority is %d", b.Priority)
		}
	}
	id := strconv.FormatInt(s.Batch.ID, 10)
	for value, want := range map[string]string{
		"ends": "first, middle and last frames", "backwards": "There is no order", "": "in order",
	} {
		if _, body := s.Post("/p/TEST/order", url.Values{"batch": {id}, "value": {value}}); !strings.Contains(
			strings.ToLower(body), strings.ToLower(want)) {
			t.Errorf("order %q: it says\n%s", value, body)
		}
	}
	if _, body := s.Post("/p/TEST/order", url.Values{"batch": {"99"}, "value": {"ends"}}); strings.Contains(body,
		"Order of frames now") {
		t.Error("the order of no batch was changed")
	}
	if _, body := s.Get("/p/TEST/queue?open=" + id); !strings.Contains(body, `id="order-`+id+`"`) {
		t.Error("the page offers no order")
	}
	if _, body := s.Get("/p/TEST/frame/" + sequence + "/1002"); !strings.Contains(body, "Nothing has been said") {
		t.Errorf("side sheet:\n%s", body)
	}
}
