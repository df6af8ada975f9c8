package web

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"testing"

	"reelhouse/core/edit"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/store"
)

// Posts that a page never makes do not make a frame good, nor touch another production's.
func TestNobodyForgesAFinishedBatch(t *testing.T) {
	s := newSite(t)
	b := s.batch
	counts := func() queue.Counts {
		t.Helper()
		now, err := s.house.Record.Batch(b.ID)
		if err != nil {
			t.Fatal(err)
		}
		return now.Counts()
	}
	batch := fmt.Sprint(b.ID)
	for _, event := range []string{"leased", "rendered", "accepted", "found", "unblocked", "vanished", "", "explode"} {
		for range 2 {
			if status, _ := s.plain("/p/TEST/act",
				url.Values{"event": {event}, "batch": {batch}}); status != http.StatusUnprocessableEntity {
				t.Errorf("%q: %d", event, status)
			}
		}
	}
	if c := counts(); c[queue.Ready] != 3 {
		t.Errorf("after all that, counts are %v", c)
	}
	if err := s.house.Record.Create(production.New("OTHER", "Other"), store.Author{}); err != nil {
		t.Fatal(err)
	}
	sequence := fmt.Sprint(b.Sequences[0].ID)
	for _, form := range []url.Values{
		{"event": {"drop"}, "batch": {batch}}, {"event": {"hold"}, "sequence": {sequence}},
		{"event": {"hold"}, "sequence": {sequence}, "frame": {"1001"}},
	} {
		if status, _ := s.plain("/p/OTHER/act", form); status != http.StatusNotFound {
			t.Errorf("%v of another production: %d", form, status)
		}
	}
	s.finish()
	for _, path := range []string{
		"/frame/" + sequence + "/1001", "/screen/" + sequence, "/screen/" + sequence + "/1001/beauty",
		"/screen/" + sequence + "/1001/probe?x=1&y=1",
	} {
		if status, _ := s.get("/p/OTHER" + path); status != http.StatusNotFound {
			t.Errorf("%s of another production: %d", path, status)
		}
		if status, body := s.get("/p/TEST" + path); status != http.StatusOK {
			t.Errorf("%s: %d %s", path, status, body)
		}
	}
	if status, _ := s.plain("/p/OTHER/priority",
		url.Values{"batch": {batch}, "value": {"9"}}); status != http.StatusNotFound {
		t.Errorf("priority of another production's batch: %d", status)
	}
	if c := counts(); c[queue.Ready] != 2 || c[queue.Good] != 1 {
		t.Errorf("in the end counts are %v", c)
	}
}

// ask sends a request as it stands.
func (s *site) ask(method, target string, change func(r *http.Request)) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, target, nil)
	change(r)
	w := httptest.NewRecorder()
	s.handler.ServeHTTP(w, r)
	return w
}

// A name that somebody else has made to point at this machine is not answered under, whatever is asked.
func TestOtherNamesAreNotAnswered(t *testing.T) {
	s := newSite(t)
	for host, want := range map[string]int{
		"127.0.0.1:7340": 200, "localhost": 200, "LOCALHOST:99": 200, "[::1]:7340": 200, "127.8.9.1": 200,
		"localhost.": 200, "example.com": 200,
		"evil.test": 421, "127.0.0.1.evil.test:7340": 421, "192.0.2.7": 421, "": 421, "localhost.evil.test": 421,
	} {
		for _, target := range []string{"/p/TEST/queue", "/static/house.js", "/metrics"} {
			if got := s.ask("GET", target, func(r *http.Request) { r.Host = host }); got.Code != want {
				t.Errorf("%s as %q: %d, want %d", target, host, got.Code, want)
			}
		}
	}
}

// Other sites' pages get no pictures and nothing else; links to a page are followed.
func TestOtherSitesGetNothing(t *testing.T) {
	s := newSite(t)
	from := func(site, mode string) func(r *http.Request) {
		return func(r *http.Request) {
			r.Header.Set("Sec-Fetch-Site", site)
			r.Header.Set("Sec-Fetch-Mode", mode)
		}
	}
	for _, c := range []struct {
		target, site, mode string
		want               int
	}{
		{"/p/TEST/preview?view=v&step=0", "cross-site", "no-cors", 403},
		{"/p/TEST/thumb?view=v", "same-site", "no-cors", 403},
		{"/p/TEST/events", "cross-site", "cors", 403}, {"/p/TEST/queue", "cross-site", "navigate", 200},
		{"/p/TEST/queue", "none", "navigate", 200},
		{"/p/TEST/preview?view=v&step=0", "same-origin", "no-cors", 200},
	} {
		if got := s.ask("GET", c.target, from(c.site, c.mode)); got.Code != c.want {
			t.Errorf("%s, %s, %s: %d, want %d", c.target, c.site, c.mode, got.Code, c.want)
		}
	}
}

// However many pages listen, what changes is worked out once for all of them; and there are not more than can be.
func TestManyPagesListenForThePriceOfOne(t *testing.T) {
	s := newSite(t)
	server := httptest.NewServer(s.handler)
	defer server.Close()
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	const pages = 60
	var group sync.WaitGroup
	heard := make(chan string, 10*pages)
	for range pages {
		request, err := http.NewRequestWithContext(ctx, "GET", server.URL+"/p/TEST/events?queue=1", nil)
		if err != nil {
			t.Fatal(err)
		}
		answer, err := http.DefaultClient.Do(request)
		if err != nil || answer.StatusCode != 200 {
			t.Fatalf("%v, %v", answer, err)
		}
		group.Go(func() {
			defer answer.Body.Close()
			for lines := bufio.NewScanner(answer.Body); lines.Scan(); {
				if text := lines.Text(); strings.Contains(text, "data-good=") {
					heard <- text
				}
			}
		})
	}
	all := func(says string) {
		t.Helper()
		for n := 0; n < pages; {
			if strings.Contains(<-heard, says) {
				n++
			}
		}
	}
	all("0 of 3 good")
	s.app.live.mutex.Lock()
	before := s.app.live.rounds
	s.app.live.mutex.Unlock()
	s.finish()
	s.hub.Changed()
	all("1 of 3 good")
	s.app.live.mutex.Lock()
	if rounds := s.app.live.rounds - before; rounds > 5 {
		t.Errorf("%d rounds were worked out for %d pages", rounds, pages)
	}
	s.app.live.listeners += mostListeners - pages
	s.app.live.mutex.Unlock()
	if status, body := s.get("/p/TEST/events"); status != http.StatusServiceUnavailable ||
		!strings.Contains(body, "Too many pages") {
		t.Errorf("one more: %d %s", status, body)
	}
	cancel()
	group.Wait()
}

// hostile are values that no field wants.
var hostile = []string{
	"", " ", "-1", "99999999999999999999", "1e309", "NaN", "Inf", "-0", "0x1p-2000", "\x00", "\xff\xfe", "<script>",
	"';--", "../../etc/passwd", "%00", "(shot", "1-",
	strings.Repeat(
		"9", 400,
	), strings.Repeat("ä", 300), strings.Repeat("1,", 2000), "1001-999999999", "1001-1048x0", "#gggggg", "\u202e",
	"a\nb",
}

// Whatever is asked or posted, with whatever in it, is answered for what it is: nothing ends in the server's own fault.
func TestNoValueIsTheServersFault(t *testing.T) {
	s := newSite(t)
	fields := []string{
		"of", "field", "value", "values", "option", "chosen", "station", "seen", "mine", "frame", "head", "event",
		"batch", "sequence", "revision", "name", "note", "priority", "order", "start", "after", "trial", "view", "size",
		"pass", "step", "at", "from", "x", "y", "code", "title", "kind", "against", "format",
	}
	for _, route := range s.routes {
		if strings.Contains(route.Path, "*") || strings.HasSuffix(route.Path, "/events") {
			continue
		}
		for i, value := range hostile {
			target := route.Path
			for name, usual := range map[string]string{":code": "TEST", ":kind": "shot", ":sequence": "1",
				":frame": "1001", ":pass": "beauty", ":do": "save"} {
				if i%3 == 1 && name != ":code" {
					usual = url.PathEscape(value)
				}
				target = strings.ReplaceAll(target, name, usual)
			}
			form := url.Values{}
			for k, field := range fields {
				if (i+k)%2 == 0 {
					form.Set(field, value)
				}
			}
			var w *httptest.ResponseRecorder
			if route.Method == "GET" {
				w = s.ask("GET", target+"?"+form.Encode(), func(*http.Request) {})
			} else {
				r := httptest.NewRequest(route.Method, target, strings.NewReader(form.Encode()))
				r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
				w = httptest.NewRecorder()
				s.handler.ServeHTTP(w, r)
			}
			if w.Code >= 500 {
				t.Errorf("%s %s with %.40q: %d %s", route.Method, route.Path, value, w.Code, w.Body)
			}
		}
	}
}

// Every field of every command takes hostile values as mistakes.
func TestNoEditIsTheServersFault(t *testing.T) {
	s := newSite(t)
	base := s.production().Production
	parts := []string{"", "hd", "draft", "plain", "v", "010", "comp", "master"}
	for _, name := range edit.Names() {
		fields, err := edit.Fields(name)
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range fields {
			for i, value := range hostile {
				if i%every != 0 {
					continue
				}
				form := url.Values{"of": {parts[i%len(parts)]}, "chosen": {"010"}}
				for _, other := range fields {
					if other.Of {
						form.Set("set."+other.Name, parts[i%len(parts)])
					}
				}
				form["set."+f.Name] = []string{value, hostile[(i+3)%len(hostile)]}
				made, err := s.app.tried(base, name, form)
				if err != nil {
					continue
				}
				made.Problems()
				if _, err := json.Marshal(made); err != nil {
					t.Errorf("%s, %s, %.40q cannot be kept: %v", name, f.Name, value, err)
				}
			}
		}
	}
}

// Texts have a length, so that one long title does not slow every edit.
func TestTextsHaveALength(t *testing.T) {
	s := newSite(t)
	long := strings.Repeat("a", production.MostText+1)
	for _, form := range []url.Values{
		{"field": {"title"}, "value": {long}, "station": {"standards"}, "seen": {"1"}},
		{"field": {"title"}, "value": {strings.Repeat("b", 3<<20)}, "station": {"standards"}, "seen": {"1"}},
	} {
		_, body := s.plain("/p/TEST/edit/production.set", form)
		s.says(body, "bytes long; a title has 500 at most")
	}
	if status, _ := s.plain("/p/TEST/edit/production.set",
		url.Values{"field": {"title"}, "value": {strings.Repeat("c",
			9<<20)}}); status != http.StatusRequestEntityTooLarge {
		t.Errorf("9 MB of title: %d", status)
	}
	if got := s.production().Title; len(got) > production.MostText {
		t.Errorf("the title is %d bytes long", len(got))
	}
}

// A verification is begun, told and ended on the page.
func TestFilesAreVerifiedFromTheQueue(t *testing.T) {
	s := newSite(t)
	sequence, _ := s.finish()
	changed, end := s.hub.Listen()
	defer end()
	if _, body := s.plain("/p/TEST/verify", url.Values{"deep": {"1"}}); !strings.Contains(
		body, "comparing every byte",
	) &&
		!strings.Contains(body, "data-lost") {
		t.Errorf("begun: %s", body)
	}
	for s.app.verifying("TEST").Running {
		<-changed
	}
	_, body := s.get("/p/TEST/queue")
	s.says(body, `data-lost="1"`, "has changed: its checksum differs", "1 lost")
	_, body = s.get(fmt.Sprintf("/p/TEST/frame/%d/1001", sequence))
	s.says(body, "<b>lost</b>", "Retry", "Retry renders what is missing", "Fingerprint")
}

// An output says what its format cannot hold of what its shots ask for, also when these follow the production's
// defaults.
func TestAnOutputSaysWhatItCannotHoldOfTheDefaults(t *testing.T) {
	s := newSite(t)
	_, err := s.house.Record.Edit("TEST", store.Making{Summary: "defaults"}, func(p *production.Production) error {
		p.Shots[0].Outputs, p.Shots[0].PassList = nil, ""
		p.Usual.Outputs, p.Usual.PassList = []string{"master"}, "comp"
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	_, body := s.get("/p/TEST/output?open=master")
	s.says(body, "PNG has no float numbers, and depth, normal and object need them")
}

// Pictures of frames that nothing has are those of the nearest that something has: nobody fills the shelf with copies.
func TestFramesAreThoseThatCanBe(t *testing.T) {
	s := newSite(t)
	p := s.production().Production
	for text, want := range map[string]int{"1002": 1002, "99999999": 1003, "-5": 1001, "": 1001, "x": 1001,
		"99999999999999999999": 1001} {
		if got := s.app.frameOf(p, text); got != want {
			t.Errorf("%q: frame %d, want %d", text, got, want)
		}
	}
}
