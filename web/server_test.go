package web_test

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"reelhouse/core/production"
	"reelhouse/web/kit"
	"reelhouse/web/webtest"
)

// A name that somebody else has made to point at this machine is not answered under, whatever is asked.
func TestOtherNamesAreNotAnswered(t *testing.T) {
	s := webtest.New(t)
	for host, want := range map[string]int{
		"127.0.0.1:7340": 200, "localhost": 200, "LOCALHOST:99": 200, "[::1]:7340": 200, "127.8.9.1": 200,
		"localhost.": 200, "example.com": 200,
		"evil.test": 421, "127.0.0.1.evil.test:7340": 421, "192.0.2.7": 421, "": 421, "localhost.evil.test": 421,
	} {
		for _, target := range []string{"/p/TEST/queue", "/static/house.js", "/metrics"} {
			if got := s.Ask("GET", target, func(r *http.Request) { r.Host = host }); got.Code != want {
				t.Errorf("%s as %q: %d, want %d", target, host, got.Code, want)
			}
		}
	}
}

// Other sites' pages get no pictures and nothing else; links to a page are followed.
func TestOtherSitesGetNothing(t *testing.T) {
	s := webtest.New(t)
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
		if got := s.Ask("GET", c.target, from(c.site, c.mode)); got.Code != c.want {
			t.Errorf("%s, %s, %s: %d, want %d", c.target, c.site, c.mode, got.Code, c.want)
		}
	}
}

// Whatever is asked or posted, with whatever in it, is answered for what it is: nothing ends in the server's own fault.
func TestNoValueIsTheServersFault(t *testing.T) {
	s := webtest.New(t)
	fields := []string{
		"of", "field", "value", "values", "option", "chosen", "station", "seen", "mine", "frame", "head", "event",
		"batch", "sequence", "revision", "name", "note", "priority", "order", "start", "after", "trial", "view", "size",
		"pass", "step", "at", "from", "x", "y", "code", "title", "kind", "against", "format",
	}
	for _, route := range s.Routes {
		if strings.Contains(route.Path, "*") || strings.HasSuffix(route.Path, "/events") {
			continue
		}
		for i, value := range webtest.Hostile() {
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
				w = s.Ask("GET", target+"?"+form.Encode(), func(*http.Request) {})
			} else {
				r := httptest.NewRequest(route.Method, target, strings.NewReader(form.Encode()))
				r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
				w = httptest.NewRecorder()
				s.Handler.ServeHTTP(w, r)
			}
			if w.Code >= 500 {
				t.Errorf("%s %s with %.40q: %d %s", route.Method, route.Path, value, w.Code, w.Body)
			}
		}
	}
}

// Texts have a length, so that one long title does not slow every edit.
func TestTextsHaveALength(t *testing.T) {
	s := webtest.New(t)
	long := strings.Repeat("a", production.MostText+1)
	for _, form := range []url.Values{
		{"field": {"title"}, "value": {long}, "station": {"standards"}, "seen": {"1"}},
		{"field": {"title"}, "value": {strings.Repeat("b", 3<<20)}, "station": {"standards"}, "seen": {"1"}},
	} {
		_, body := s.Plain("/p/TEST/edit/production.set", form)
		s.Says(body, "bytes long; a title has 500 at most")
	}
	if status, _ := s.Plain("/p/TEST/edit/production.set",
		url.Values{"field": {"title"}, "value": {strings.Repeat("c",
			9<<20)}}); status != http.StatusRequestEntityTooLarge {
		t.Errorf("9 MB of title: %d", status)
	}
	if got := s.Production().Title; len(got) > production.MostText {
		t.Errorf("the title is %d bytes long", len(got))
	}
}

func TestEveryStationAnswers(t *testing.T) {
	s := webtest.New(t)
	for _, path := range []string{"standards?open=hd", "output?open=master", "output?open=review",
		"output?open=proxy&against=none", "standards?open=gone"} {
		if code, body := s.Get("/p/TEST/" + path); code != 200 || strings.Contains(body, "ZgotmplZ") {
			t.Errorf("%s: %d\n%s", path, code, body)
		}
	}
	for _, st := range s.App.Stations() {
		code, body := s.Get("/p/TEST/" + string(st.Key))
		if code != 200 || !strings.Contains(body, "<h1") ||
			st.Under != kit.NoStation && !strings.Contains(body, `aria-current="page"`) {
			t.Errorf("%s: %d\n%s", st.Key, code, body)
		}
		if strings.Contains(body, "<script>") || strings.Contains(body, " style=") ||
			strings.Contains(body, "ZgotmplZ") {
			t.Errorf("%s: inline script or style, or a value that the template refused", st.Key)
		}
	}
}

func TestAnEmptyHouseSaysWhatToDoNext(t *testing.T) {
	s := webtest.New(t)
	if code, _ := s.Post("/productions", url.Values{"code": {"NEW"},
		"title": {"New one"}}); code != http.StatusSeeOther {
		t.Fatalf("making a production: %d", code)
	}
	for _, st := range s.App.Stations() {
		if code, body := s.Get("/p/NEW/" + string(st.Key)); code != 200 {
			t.Errorf("%s of an empty production: %d\n%s", st.Key, code, body)
		}
	}
	if _, body := s.Get("/p/NEW/batch"); !strings.Contains(body, "import a glTF file") ||
		strings.Contains(body, `id="send"`) {
		t.Errorf("the batch sheet does not say what is missing:\n%s", body)
	}
	for _, form := range []url.Values{{"code": {"new"}, "title": {"x"}}, {"code": {"a/b"}, "title": {"x"}},
		{"code": {"OK"}, "title": {""}}} {
		if code, _ := s.Post("/productions", form); code != http.StatusUnprocessableEntity {
			t.Errorf("%v: %d", form, code)
		}
	}
}

func TestWhatIsNotThereIsSaidPolitely(t *testing.T) {
	s := webtest.New(t)
	for _, path := range []string{"/p/NONE/shots", "/p/TEST/nowhere", "/p/TEST/frame/1/9999", "/p/TEST/frame/x/y",
		"/p/TEST/screen/1/1001/beauty", "/p/TEST/thumb?view=none", "/static/none.css"} {
		if code, body := s.Get(path); code != 404 || strings.Contains(body, "goroutine") {
			t.Errorf("%s: %d\n%s", path, code, body)
		}
	}
}

func TestOtherSitesCannotPost(t *testing.T) {
	s := webtest.New(t)
	r := httptest.NewRequest("POST", "/p/TEST/undo", nil)
	r.Header.Set("Sec-Fetch-Site", "cross-site")
	if code, _ := s.Do(r); code != http.StatusForbidden {
		t.Errorf("a post from another site: %d", code)
	}
}

// Whatever is posted has a bound: a stranger cannot fill the memory, or the disk.
func TestWhatIsPostedIsBounded(t *testing.T) {
	s := webtest.New(t)
	for _, route := range s.Routes {
		if route.Method != http.MethodPost {
			continue
		}
		path := strings.Replace(route.Path, ":code", "TEST", 1)
		answer := s.Ask(http.MethodPost, path, func(r *http.Request) { r.ContentLength = 1 << 45 })
		if answer.Code != http.StatusRequestEntityTooLarge {
			t.Errorf("%s: %d", route.Path, answer.Code)
		}
	}
}
