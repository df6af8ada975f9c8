package delivery_test

import (
	"archive/zip"
	"bytes"
	"context"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"

	"reelhouse/house/housetest"
	"reelhouse/store"
	"reelhouse/web/webtest"
)

// running returns a site whose only shot is good, and which hands on what is wanted.
func running(t *testing.T) *webtest.Site {
	t.Helper()
	h, _ := housetest.New(t, "1001-1004")
	housetest.DrawAll(t, h)
	s := webtest.Over(t, h)
	ctx, cancel := context.WithCancel(context.Background())
	var group sync.WaitGroup
	s.App.Run(ctx, &group)
	t.Cleanup(func() { cancel(); group.Wait() })
	return s
}

// complete waits until a delivery is complete.
func complete(t *testing.T, s *webtest.Site, id int64) store.Delivery {
	t.Helper()
	changed, end := s.Hub.Listen()
	defer end()
	for {
		d, err := s.House.Record.Delivery(id)
		if err != nil || d.Trouble != "" {
			t.Fatal(d.Trouble, err)
		}
		if d.Complete {
			return d
		}
		<-changed
	}
}

func TestARecipeIsMadeAndDelivered(t *testing.T) {
	s := running(t)
	_, body := s.Get("/p/TEST/delivery")
	s.Says(body, "There is no recipe yet", "Nothing was delivered yet")
	_, body = s.Post("/p/TEST/recipe", url.Values{"kind": {"contact"}, "station": {"delivery"}})
	s.Says(body, "Contact sheet", "and a contact sheet", "contact_sheet.pdf", `id="deliver"`, "Saved: add delivery")
	_, body = s.Post("/p/TEST/edit/delivery.set", url.Values{
		"of": {"delivery1"}, "field": {"contactFormat"}, "value": {"png"}, "station": {"delivery"},
		"seen": {"2"}, "open": {"delivery1"},
	})
	s.Says(body, "contact_sheet.png")
	_, body = s.Post("/p/TEST/edit/delivery.set", url.Values{
		"of": {"delivery1"}, "field": {"first"}, "value": {"x"}, "station": {"delivery"}, "seen": {"3"},
	})
	s.Says(body, "is no frame")
	_, body = s.Post("/p/TEST/edit/delivery.set", url.Values{
		"of": {"delivery1"}, "field": {"contactColumns"}, "value": {"99"}, "station": {"delivery"}, "seen": {"3"},
	})
	s.Says(body, "1 to 12 columns")
	_, body = s.Post("/p/TEST/deliver", url.Values{"recipe": {"delivery1"}, "station": {"delivery"}})
	s.Says(body, "Contact sheet, number 1, goes out.")
	d := complete(t, s, 1)
	_, body = s.Get("/p/TEST/delivery")
	s.Says(body, "number 1 complete", "deliveries/TEST_delivery1_001", "/delivered/1/package",
		"/delivered/1/file/contact_sheet.png", "since number 1", "1 the same")
	_, body = s.Post("/p/TEST/deliver", url.Values{"recipe": {"delivery1"}, "only": {"1"}, "station": {"delivery"}})
	s.Says(body, "Nothing has changed since the delivery before.")

	for _, name := range []string{"manifest.html", "manifest.csv", "manifest.json", "contact_sheet.png"} {
		answer := s.Ask("GET", "/p/TEST/delivered/1/file/"+name, func(*http.Request) {})
		if answer.Code != 200 || answer.Body.Len() == 0 {
			t.Errorf("%s: %d", name, answer.Code)
		}
		if policy := answer.Header().Get("Content-Security-Policy"); name == "manifest.html" &&
			!strings.Contains(policy, "sandbox") {
			t.Errorf("%s may do as it likes: %s", name, policy)
		}
	}
	whole := s.Ask("GET", "/p/TEST/delivered/1/package", func(*http.Request) {})
	z, err := zip.NewReader(bytes.NewReader(whole.Body.Bytes()), int64(whole.Body.Len()))
	if err != nil || len(z.File) != 6 || !strings.Contains(whole.Header().Get("Content-Disposition"), ".zip") {
		t.Fatalf("%d, %v", whole.Code, err)
	}
	part := s.Ask("GET", "/p/TEST/delivered/1/package", func(r *http.Request) {
		r.Header.Set("Range", "bytes=1000-1999")
		r.Header.Set("If-Range", whole.Header().Get("ETag"))
	})
	if part.Code != http.StatusPartialContent || !bytes.Equal(part.Body.Bytes(), whole.Body.Bytes()[1000:2000]) {
		t.Errorf("a part is answered with %d, %d bytes", part.Code, part.Body.Len())
	}
	if d.By == "" && d.Files != 1 {
		t.Errorf("%+v", d)
	}
}

// Forged requests neither deliver what is refused, nor read what was not handed on.
func TestForgedRequestsAreRefused(t *testing.T) {
	h, _ := housetest.New(t, "1001-1004")
	s := webtest.Over(t, h) // nothing is good
	s.Post("/p/TEST/recipe", url.Values{"kind": {"good"}, "station": {"delivery"}})
	_, body := s.Post("/p/TEST/deliver", url.Values{"recipe": {"delivery1"}, "station": {"delivery"}})
	s.Says(body, "It cannot go out as it is")
	s.Post("/p/TEST/deliver", url.Values{"recipe": {"other"}, "station": {"delivery"}})
	if all, err := h.Record.Deliveries("TEST"); err != nil || len(all) != 0 {
		t.Errorf("%+v, %v", all, err)
	}
	_, body = s.Post("/p/TEST/recipe", url.Values{"kind": {"x"}, "station": {"delivery"}})
	s.Says(body, "no recipe that begins like that")

	housetest.DrawAll(t, h)
	_, body = s.Post("/p/TEST/deliver", url.Values{"recipe": {"delivery1"}, "station": {"delivery"}})
	s.Says(body, "goes out")
	for path, want := range map[string]int{
		"/p/TEST/delivered/1/package":                     http.StatusConflict, // nobody has copied it
		"/p/TEST/delivered/1/file/manifest.html":          http.StatusConflict,
		"/p/TEST/delivered/2/package":                     http.StatusNotFound,
		"/p/TEST/delivered/x/package":                     http.StatusNotFound,
		"/p/TEST/delivered/1/file/..%2f..%2freelhouse.db": http.StatusConflict,
		"/p/OTHER/delivered/1/package":                    http.StatusNotFound,
	} {
		if answer := s.Ask("GET", path, func(*http.Request) {}); answer.Code != want {
			t.Errorf("%s: %d, want %d", path, answer.Code, want)
		}
	}
	if err := h.Record.EndDelivery(1); err != nil { // though nothing is there
		t.Fatal(err)
	}
	for _, path := range []string{
		"package", "file/manifest.html", "file/..%2f..%2freelhouse.db", "file/010_v.1001.exr", "file/ascmhl",
	} {
		if answer := s.Ask("GET", "/p/TEST/delivered/1/"+path, func(*http.Request) {}); answer.Code != 404 {
			t.Errorf("%s: %d", path, answer.Code)
		}
	}
	for _, do := range []string{"stop", "resume"} {
		answer := s.Ask("POST", "/p/TEST/delivered/77/"+do, func(r *http.Request) {})
		if answer.Code != http.StatusNotFound {
			t.Errorf("%s: %d", do, answer.Code)
		}
	}
}

func TestRecipesAreKeptAsPresets(t *testing.T) {
	h, _ := housetest.New(t, "1001-1004")
	s := webtest.Over(t, h)
	s.Post("/p/TEST/recipe", url.Values{"kind": {"review"}, "station": {"delivery"}})
	save := url.Values{"kind": {"delivery"}, "output": {"delivery1"}, "name": {"For review"}, "station": {"delivery"}}
	_, body := s.Post("/p/TEST/preset/save", save)
	s.Says(body, "Saved as the preset For review.", "presets-delivery")
	file := s.Ask("GET", "/p/TEST/preset/file?delivery=delivery1", func(*http.Request) {})
	if file.Code != 200 || !strings.Contains(file.Body.String(), `"kind": "delivery"`) {
		t.Errorf("%d: %s", file.Code, file.Body)
	}
	s.Post("/p/TEST/edit/delivery.remove", url.Values{"of": {"delivery1"}, "station": {"delivery"}, "seen": {"2"}})
	_, body = s.Post("/p/TEST/preset/recall", url.Values{
		"kind": {"delivery"}, "name": {"For review"}, "station": {"delivery"}, "seen": {"3"},
	})
	s.Says(body, "Movie and contact sheet")
	if d := s.Production().Deliveries; len(d) != 1 || !d[0].Movie.Stamp {
		t.Errorf("%+v", d)
	}
	save.Set("output", "gone")
	_, body = s.Post("/p/TEST/preset/save", save)
	s.Says(body, "does not exist any more")
}
