package web

import (
	"bytes"
	"fmt"
	"log/slog"
	"maps"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/labstack/echo/v5"

	"reelhouse/core/edit"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/farm"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/preview"
	"reelhouse/store"
)

// A site is a server without a running node.
type site struct {
	t       testing.TB
	handler http.Handler
	house   *house.House
	batch   store.Batch
	hub     *farm.Hub
	app     *app
	routes  echo.Routes
}

func newSite(t testing.TB) *site {
	t.Helper()
	h, b := housetest.New(t, "1001-1003")
	log, hub := slog.New(slog.DiscardHandler), farm.NewHub()
	app, handler, err := newApp(Server{
		House: h, Node: &farm.Node{House: h, Hub: hub, Log: log}, Changes: hub, Thumbs: preview.NewThumbs(h, nil),
		Previews: preview.New(h), Log: log,
		Hosts: []string{"example.com"},
	})
	if err != nil {
		t.Fatal(err)
	}
	return &site{t, handler, h, b, hub, app, handler.Router().Routes()}
}

func (s *site) do(r *http.Request) (int, string) {
	s.t.Helper()
	w := httptest.NewRecorder()
	s.handler.ServeHTTP(w, r)
	return w.Code, w.Body.String()
}

func (s *site) get(path string) (int, string) {
	return s.do(httptest.NewRequest("GET", path, nil))
}

func (s *site) post(path string, form url.Values) (int, string) {
	form = maps.Clone(form)
	if form == nil {
		form = url.Values{}
	}
	if !form.Has("seen") {
		form.Set("seen", fmt.Sprint(s.production().Number))
	}
	if command, ok := strings.CutPrefix(path, "/p/TEST/edit/"); ok {
		path += asCommand(command, form)
	}
	r := httptest.NewRequest("POST", path, strings.NewReader(form.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("HX-Request", "true")
	return s.do(r)
}

// asCommand returns what is missing of a command's name, as the controls of pages have it: "set" unless the field is an
// action, and the commands of locks, burn-ins and groups.
func asCommand(command string, form url.Values) (missing string) {
	field := form.Get("field")
	if strings.Contains(command, ".") {
		return ""
	}
	if slices.Contains(edit.Names(), command+"."+field) {
		form.Del("field")
		return "." + field
	}
	for prefix, other := range map[string][3]string{
		"lock-": {".lock", "locked", "set.quantity"}, "stamp-": {".stamp", "", ""},
		"group-": {".group", "group", "set.pass"},
	} {
		if rest, ok := strings.CutPrefix(field, prefix); ok {
			if form.Set("field", rest); other[1] != "" {
				form.Set("field", other[1])
				form.Set(other[2], rest)
			}
			return other[0]
		}
	}
	return ".set"
}

// undo undoes what the page offers to undo.
func (s *site) undo(station string) string {
	s.t.Helper()
	steps, err := s.house.Record.Steps("TEST", store.Author{})
	if err != nil || steps.Undo == nil {
		s.t.Fatalf("nothing to undo: %v", err)
	}
	_, body := s.post("/p/TEST/undo", url.Values{"station": {station}, "number": {fmt.Sprint(steps.Undo.Number)}})
	return body
}

// plain posts as a form without scripts does, so that the answer's status tells.
func (s *site) plain(path string, form url.Values) (int, string) {
	r := httptest.NewRequest("POST", path, strings.NewReader(form.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return s.do(r)
}

func (s *site) production() store.Revision {
	s.t.Helper()
	p, err := s.house.Record.Production("TEST")
	if err != nil {
		s.t.Fatal(err)
	}
	return p
}

func TestEveryStationAnswers(t *testing.T) {
	s := newSite(t)
	for _, path := range []string{"standards?open=hd", "output?open=master", "output?open=review",
		"output?open=proxy&against=none", "standards?open=gone"} {
		if code, body := s.get("/p/TEST/" + path); code != 200 || strings.Contains(body, "ZgotmplZ") {
			t.Errorf("%s: %d\n%s", path, code, body)
		}
	}
	for _, st := range stations {
		code, body := s.get("/p/TEST/" + string(st.Key))
		if code != 200 || !strings.Contains(body, "<h1") ||
			st.Under != plainPage && !strings.Contains(body, `aria-current="page"`) {
			t.Errorf("%s: %d\n%s", st.Key, code, body)
		}
		if strings.Contains(body, "<script>") || strings.Contains(body, " style=") ||
			strings.Contains(body, "ZgotmplZ") {
			t.Errorf("%s: inline script or style, or a value that the template refused", st.Key)
		}
	}
}

func TestAnEmptyHouseSaysWhatToDoNext(t *testing.T) {
	s := newSite(t)
	if code, _ := s.post("/productions", url.Values{"code": {"NEW"},
		"title": {"New one"}}); code != http.StatusSeeOther {
		t.Fatalf("making a production: %d", code)
	}
	for _, st := range stations {
		if code, body := s.get("/p/NEW/" + string(st.Key)); code != 200 {
			t.Errorf("%s of an empty production: %d\n%s", st.Key, code, body)
		}
	}
	if _, body := s.get("/p/NEW/batch"); !strings.Contains(body, "bring in a glTF file") ||
		strings.Contains(body, `id="send"`) {
		t.Errorf("the batch sheet does not say what is missing:\n%s", body)
	}
	for _, form := range []url.Values{{"code": {"new"}, "title": {"x"}}, {"code": {"a/b"}, "title": {"x"}},
		{"code": {"OK"}, "title": {""}}} {
		if code, _ := s.post("/productions", form); code != http.StatusUnprocessableEntity {
			t.Errorf("%v: %d", form, code)
		}
	}
}

func TestWhatIsNotThereIsSaidPolitely(t *testing.T) {
	s := newSite(t)
	for _, path := range []string{"/p/NONE/shots", "/p/TEST/nowhere", "/p/TEST/frame/1/9999", "/p/TEST/frame/x/y",
		"/p/TEST/screen/1/1001/beauty", "/p/TEST/thumb?view=none", "/static/none.css"} {
		if code, body := s.get(path); code != 404 || strings.Contains(body, "goroutine") {
			t.Errorf("%s: %d\n%s", path, code, body)
		}
	}
}

func TestEditsAreKeptOrRefusedInPlace(t *testing.T) {
	s := newSite(t)
	edit := func(kind, of, field, value string) string {
		t.Helper()
		code, body := s.post(
			"/p/TEST/edit/"+kind,
			url.Values{"of": {of}, "field": {field}, "value": {value}, "values": {value}, "station": {"shots"}},
		)
		if code != 200 {
			t.Fatalf("%s %s %s: %d\n%s", kind, of, field, code, body)
		}
		return body
	}
	body := edit("shot", "010", "frames", "1001-1048x2,!1011")
	if got := s.production().Shots[0].Frames.Count(); got != 23 || !strings.Contains(body, ">23<") ||
		!strings.Contains(body, "Saved") {
		t.Errorf("%d frames\n%s", got, body)
	}
	for value, says := range map[string]string{"1048-1001": "comes after the last", "abc": "whole number",
		"": "there are no frames"} {
		body := edit("shot", "010", "frames", value)
		if !strings.Contains(body, says) || !strings.Contains(body, `value="`+value+`"`) ||
			s.production().Shots[0].Frames.Count() != 23 {
			t.Errorf("%q: want %q, the typed text kept, and nothing changed:\n%s", value, says, body)
		}
	}
	edit("shot", "010", "code", "020")
	edit("view", "v", "code", "harbour")
	edit("size", "hd", "code", "wide")
	if p := s.production(); p.Shots[0].Code != "020" || p.Shots[0].View != "harbour" || p.Shots[0].Sizes[0] != "wide" ||
		len(p.Problems()) != 0 {
		t.Errorf("renaming broke %+v, %v", p.Shots[0], p.Problems())
	}
	for _, bad := range [][4]string{
		{"shot", "020", "code", "a b"}, {"quality", "draft", "scale", "0"}, {"quality", "draft", "samples", "x"},
		{"depth", "", "background", "-3"},
		{"names", "", "pattern", "../(frame).(ext)"}, {"names", "", "pattern", ""}, {"size", "wide", "width", "0"},
		{"view", "harbour", "remove", ""}, {"shot", "gone", "name", "x"},
	} {
		before := s.production().Number
		if body := edit(bad[0], bad[1], bad[2], bad[3]); s.production().Number != before {
			t.Errorf("%v was kept:\n%s", bad, body)
		}
	}
	if code, body := s.post("/p/TEST/edit/shot", url.Values{"of": {"020"}, "field": {"nonsense"}}); code != 200 ||
		!strings.Contains(body, "cannot be edited") {
		t.Errorf("an unknown field: %d %s", code, body)
	}
	if body := s.undo("shots"); !strings.Contains(body, "Undone: size hd: code wide") ||
		s.production().Shots[0].Sizes[0] != "hd" {
		t.Errorf("undo:\n%s", body)
	}
}

func TestNamesArePreviewedBeforeTheyAreKept(t *testing.T) {
	s := newSite(t)
	_, body := s.get("/p/TEST/names?value=" + url.QueryEscape("(shot)/(frame:6).(ext)"))
	if !strings.Contains(body, "001001.exr") || !strings.Contains(body, "001003.exr") ||
		!strings.Contains(body, "3 files") {
		t.Errorf("preview:\n%s", body)
	}
	if _, body := s.get("/p/TEST/names?value=" + url.QueryEscape("(shot)/(frane).(ext)")); !strings.Contains(
		body, "at character 9",
	) {
		t.Errorf("a mistake:\n%s", body)
	}
	if p := s.production(); p.Names.Pattern != production.DefaultPattern {
		t.Errorf("a preview was kept: %s", p.Names.Pattern)
	}
}

func TestOnlyWhatWasReadIsSent(t *testing.T) {
	s := newSite(t)
	next := func() { s.post("/p/TEST/edit/production", url.Values{"field": {"next-version"}, "station": {"batch"}}) }
	next()
	read := s.production().Number
	next() // another tab
	sent := func() int {
		batches, err := s.house.Record.Batches("TEST")
		if err != nil {
			t.Fatal(err)
		}
		return len(batches) - 1
	}
	if _, body := s.post("/p/TEST/send", url.Values{"revision": {strconv.Itoa(read)}}); sent() != 0 ||
		!strings.Contains(body, "changed meanwhile") {
		t.Errorf("an old sheet was sent:\n%s", body)
	}
	now := url.Values{"revision": {strconv.Itoa(s.production().Number)}}
	if code, body := s.post("/p/TEST/send", now); code != http.StatusNoContent || sent() != 1 {
		t.Errorf("sending: %d %s", code, body)
	}
	if _, body := s.post("/p/TEST/send", now); sent() != 1 ||
		!strings.Contains(body, "was sent already: 0 frames are in place and 3 queued with the same set-up") {
		t.Errorf("sending twice:\n%s", body)
	}
}

func TestPeopleActOnTheQueue(t *testing.T) {
	s := newSite(t)
	sequence := strconv.FormatInt(s.batch.Sequences[0].ID, 10)
	state := func() queue.State {
		f, err := s.house.Record.Frame(s.batch.Sequences[0].ID, 1002)
		if err != nil {
			t.Fatal(err)
		}
		return f.State
	}
	for _, step := range []struct {
		event queue.Event
		want  queue.State
	}{{queue.Hold, queue.Held}, {queue.Release, queue.Ready}, {queue.Drop, queue.Dropped}, {queue.Retry, queue.Ready}} {
		if code, body := s.post("/p/TEST/act",
			url.Values{"sequence": {sequence}, "frame": {"1002"}, "event": {string(step.event)}}); code != 200 ||
			state() != step.want {
			t.Errorf("%s: %d, %s\n%s", step.event, code, state(), body)
		}
	}
	if _, body := s.post("/p/TEST/act", url.Values{"sequence": {sequence}, "event": {"release"}}); !strings.Contains(
		body, "Nothing was done",
	) {
		t.Errorf("releasing what is not held:\n%s", body)
	}
	if _, body := s.post("/p/TEST/act", url.Values{"event": {"hold"}}); !strings.Contains(body, "Name a batch") {
		t.Errorf("acting on nothing:\n%s", body)
	}
	for value, want := range map[string]int{"7": 7, "many": 7} {
		s.post("/p/TEST/priority", url.Values{"batch": {strconv.FormatInt(s.batch.ID, 10)}, "value": {value}})
		if b, _ := s.house.Record.Batch(s.batch.ID); value == "7" && b.Priority != want {
			t.Errorf("priority is %d", b.Priority)
		}
	}
	if _, body := s.get("/p/TEST/frame/" + sequence + "/1002"); !strings.Contains(body, "Nothing has been said") {
		t.Errorf("side sheet:\n%s", body)
	}
}

func TestABrokenSceneIsRefusedWithTheReason(t *testing.T) {
	s := newSite(t)
	upload := func(name, content string) string {
		var b bytes.Buffer
		m := multipart.NewWriter(&b)
		if name != "" {
			part, err := m.CreateFormFile("file", name)
			if err != nil {
				t.Fatal(err)
			}
			part.Write([]byte(content))
		}
		m.Close()
		r := httptest.NewRequest("POST", "/p/TEST/scene", &b)
		r.Header.Set("Content-Type", m.FormDataContentType())
		r.Header.Set("HX-Request", "true")
		_, body := s.do(r)
		return body
	}
	before := s.production().Number
	if body := upload("broken.glb", "glTF\x02\x00\x00\x00\xff\xff\x00\x00"); !strings.Contains(
		body, "broken.glb was not imported",
	) ||
		!strings.Contains(body, "cut short") {
		t.Errorf("a broken file:\n%s", body)
	}
	if body := upload("", ""); !strings.Contains(body, "no file was chosen") {
		t.Errorf("no file:\n%s", body)
	}
	if s.production().Number != before {
		t.Error("a refused file changed the production")
	}
}

func TestOtherSitesCannotPost(t *testing.T) {
	s := newSite(t)
	r := httptest.NewRequest("POST", "/p/TEST/undo", nil)
	r.Header.Set("Sec-Fetch-Site", "cross-site")
	if code, _ := s.do(r); code != http.StatusForbidden {
		t.Errorf("a post from another site: %d", code)
	}
}

func TestNumbersAreWrittenForPeople(t *testing.T) {
	for n, want := range map[int]string{0: "0", 9999: "9999", 10000: "10\u2009000", 1234567: "1\u2009234\u2009567"} {
		if got := count(n); got != want {
			t.Errorf("%d is written %q", n, got)
		}
	}
	for seconds, want := range map[float64]string{4.2: "4.2 s", 42: "42 s", 200: "3 min 20 s", 1500: "25 min",
		8040: "2 h 14 min"} {
		if got := functions["seconds"].(func(float64) string)(seconds); got != want {
			t.Errorf("%v s is written %q, want %q", seconds, got, want)
		}
	}
}

func TestAStripShowsEveryFrameOrRunsThemTogether(t *testing.T) {
	var frames []store.Frame
	for n := range 300 {
		state := queue.Good
		if n >= 200 {
			state = queue.Ready
		}
		frames = append(frames, store.Frame{Number: n, State: state})
	}
	if s := stripOf(frames[:50], stripWidth, nil, false); len(s.Cells) != 50 {
		t.Errorf("%d cells for 50 frames", len(s.Cells))
	}
	s := stripOf(frames, stripWidth, nil, false)
	if len(s.Cells) != 2 || s.Cells[0].Count != 200 || s.Cells[1].First != 200 ||
		s.Cells[0].Title != "frames 0 to 199: 200 good" {
		t.Errorf("%+v", s.Cells)
	}
}
