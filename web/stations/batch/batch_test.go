package batch_test

import (
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"testing"

	"reelhouse/core/edit"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
	"reelhouse/house"
	"reelhouse/store"
	"reelhouse/web/webtest"
)

func TestTheSheetIsReadInParts(t *testing.T) {
	s := webtest.New(t)
	s.Edits("shot", "of", "010", "field", "sizes", "values", "hd", "values", "scope")
	s.Edits("production", "field", "next-version")
	if _, body := s.Get("/p/TEST/batch/rows?from=0"); strings.Count(body, `type="checkbox"`) != 2 ||
		!strings.Contains(body, "1001-1003") {
		t.Errorf("the row is\n%s", body)
	}
	s.Edits("cell", "of", "010", "field", "inBatch", "set.view", "v", "set.size", "hd")
	if n := len(webtest.Draft(t, s).Sequences); n != 1 {
		t.Errorf("with a cell left out there are %d sequences", n)
	}
	if _, body := s.Get("/p/TEST/batch/rows?from=0"); !strings.Contains(body, "excluded") {
		t.Errorf("the cell is not marked:\n%s", body)
	}
	s.Edits("cell", "of", "010", "field", "inBatch", "set.view", "v", "set.size", "hd", "values", "1")
	if n := len(webtest.Draft(t, s).Sequences); n != 2 {
		t.Errorf("taken in again there are %d sequences", n)
	}
	if _, body := s.Get("/p/TEST/batch/rows?from=0&filter=nothing+like+it"); strings.Contains(body, "<tr") {
		t.Errorf("the filter leaves\n%s", body)
	}
	if _, body := s.Get("/p/TEST/batch/rows?from=0&group=look"); !strings.Contains(body, "Look plain") {
		t.Errorf("the group is\n%s", body)
	}
	if _, body := s.Get("/p/TEST/batch/paths?shot=010&view=v&size=hd"); strings.Count(body, "<li>") != 3 {
		t.Errorf("the paths are\n%s", body)
	}
	if _, body := s.Get("/p/TEST/batch/sums"); !strings.Contains(body, "Final") || !strings.Contains(body, "beauty") ||
		!strings.Contains(body, "master") {
		t.Errorf("the sums are\n%s", body)
	}
	for _, path := range []string{"batch/paths?shot=x", "batch/rows?from=-1", "batch/rows?from=many"} {
		if code, _ := s.Get("/p/TEST/" + path); code == 200 {
			t.Errorf("%s was answered", path)
		}
	}
}

func TestFindingsAreFixedOrSetAsideOnTheSheet(t *testing.T) {
	s := webtest.New(t)
	s.Edits("production", "field", "next-version")
	s.Edits("production", "field", "quality", "value", "final")
	s.Edits("production", "field", "region", "value", "0, 0, 50, 50")
	s.Edits("shot", "of", "010", "field", "quality", "value", "draft")
	body := s.Edits("shot", "of", "010", "field", "step", "value", "2")
	for _, rule := range []string{"region-left-on", "quick-shot"} {
		if !strings.Contains(body, `data-rule="`+rule+`"`) {
			t.Errorf("%s is not found", rule)
		}
	}
	if !strings.Contains(body, `id="quick"`) {
		t.Error("it cannot be confirmed")
	}
	for _, fix := range []preflight.Fix{preflight.WholePicture, preflight.FinalQuality, preflight.EveryFrame} {
		body = s.Edits(fix.CommandName())
	}
	if p := s.Production(); !p.Region.Whole() || p.Shots[0].Set("quality") || p.Shots[0].Set("step") ||
		strings.Contains(body, `class="finding refuses"`) {
		t.Errorf("after the fixes: %+v", p.Shots[0])
	}
	if s.Edits(preflight.FarEnough.CommandName()); s.Production().PassLists[0].Depth.Background < 10 {
		t.Errorf("the background is %v m deep", s.Production().PassLists[0].Depth.Background)
	}
	if body := s.Edits("finding", "field", "waive", "of", "below-minimum", "value", " "); !strings.Contains(
		body, "write why",
	) {
		t.Error("a finding was waived without a reason")
	}
	s.Edits("finding", "field", "waive", "of", "view-without-shot", "value", "it is for later")
	if w := s.Production().Waivers; len(w) != 1 ||
		w[0] != (production.Waiver{Rule: "view-without-shot", Reason: "it is for later"}) {
		t.Errorf("waivers are %+v", w)
	}
	s.Edits("finding", "field", "restore", "of", "view-without-shot")
	if len(s.Production().Waivers) != 0 {
		t.Error("it is still waived")
	}
	if code, _ := s.Post("/p/TEST/edit/finding",
		url.Values{"station": {"batch"}, "field": {"waive"}, "of": {"same-path"}, "value": {"x"}}); code != 200 ||
		len(s.Production().Waivers) != 0 {
		t.Error("a mandatory rule was waived")
	}
}

func TestABatchIsSentAsAsked(t *testing.T) {
	s := webtest.New(t)
	s.Edits("production", "field", "next-version")
	revision := func() string { return strconv.Itoa(s.Production().Number) }
	for what, form := range map[string]url.Values{
		"order": {"order": {"odd"}}, "priority": {"priority": {"high"}}, "time": {"begin": {"time"}, "time": {""}},
		"batch": {"begin": {"batch:x"}}, "begin": {"begin": {"never"}}, "no such batch": {"begin": {"batch:99"}},
	} {
		form.Set("revision", revision())
		if _, body := s.Post("/p/TEST/send", form); !strings.Contains(body, `role="alert"`) {
			t.Errorf("%s: it was sent", what)
		}
	}
	send := func(form url.Values) {
		t.Helper()
		form.Set("revision", revision())
		if code, body := s.Post("/p/TEST/send", form); code != 204 {
			t.Fatalf("%v: %d\n%s", form, code, body)
		}
		s.Edits("production", "field", "next-version")
	}
	send(
		url.Values{
			"name": {"Night"}, "note": {"all of it"}, "priority": {"5"}, "order": {"coarse"},
			"begin": {"time"}, "time": {"2031-01-01T19:00:00Z"},
		},
	)
	send(url.Values{"begin": {"batch:1"}})
	send(url.Values{"begin": {"held"}})
	batches, err := s.House.Record.Batches("TEST")
	if err != nil {
		t.Fatal(err)
	}
	if b := batches[2]; b.Name != "Night" || b.Note != "all of it" || b.Priority != 5 || b.Start.Year() != 2031 ||
		b.Counts()[queue.Blocked] != 3 {
		t.Errorf("the first is %+v", b.Waiting)
	}
	if batches[1].AfterBatch != 1 || batches[0].Counts()[queue.Held] != 3 {
		t.Errorf("the others are %+v and %v", batches[1].Waiting, batches[0].Counts())
	}
	if _, body := s.Get("/p/TEST/queue"); !strings.Contains(body, "all of it") ||
		!strings.Contains(body, "waits for batch 1") {
		t.Errorf("the queue does not say what they wait for:\n%s", body)
	}
}

func TestTilesAreSetOnTheSheet(t *testing.T) {
	s := webtest.New(t)
	s.Edits("production", "field", "next-version")
	const paths = "/p/TEST/batch/paths?shot=010&view=v&size=hd"
	_, body := s.Get(paths)
	s.Says(body, "As a whole, which takes about", `placeholder="whole"`)
	body = s.Edits("cell", "of", "010", "field", "tiles", "set.view", "v", "set.size", "hd", "value", "2 x 3")
	s.Says(body, "3 of them in", "18 tiles")
	if q := webtest.Draft(t, s).Sequences[0]; q.Tiles != (raster.Tiling{Columns: 2, Rows: 3}) {
		t.Errorf("the tiles are %v", q.Tiles)
	}
	_, body = s.Get(paths)
	s.Says(body, "2 × 3 tiles of 20 × 8 px at most", `value="2 x 3"`)
	if _, body := s.Get("/p/TEST/batch/rows?from=0"); !strings.Contains(body, "2 × 3 tiles") {
		t.Errorf("the row is\n%s", body)
	}
	body = s.Edits("cell", "of", "010", "field", "tiles", "set.view", "v", "set.size", "hd", "value", "lots")
	s.Says(body, `id="tiles-wrong"`, "neither columns")
	s.Edits("quality", "of", "draft", "field", "tiles", "value", "4")
	s.Edits("cell", "of", "010", "field", "tiles", "set.view", "v", "set.size", "hd", "value", "")
	_, body = s.Get(paths)
	s.Says(body, "4 bands of", `placeholder="4 bands"`)
	body = s.Edits("quality", "of", "draft", "field", "memory", "value", "0.01")
	s.Says(body, "0.01 GB for a tile are outside")
	s.Edits("quality", "of", "draft", "field", "memory", "value", "8")
	s.Edits("quality", "of", "draft", "field", "timeLimit", "value", "60")
	if q, _ := s.Production().FindQuality("draft"); q.Memory != 8 {
		t.Errorf("the memory is %v", q.Memory)
	}
	_, body = s.Get(paths)
	s.Says(body, "Whole, since its quality has a time limit", "disabled")
	body = s.Edits(preflight.TilesByNeed.CommandName())
	if q, _ := s.Production().FindQuality("draft"); q.Tiles != (raster.Tiling{}) ||
		strings.Contains(body, `data-rule="tiles-without-clock"`) {
		t.Errorf("the tiles are still %v", q.Tiles)
	}
}

func TestOnlyWhatWasReadIsSent(t *testing.T) {
	s := webtest.New(t)
	next := func() { s.Post("/p/TEST/edit/production", url.Values{"field": {"next-version"}, "station": {"batch"}}) }
	next()
	read := s.Production().Number
	next() // another tab
	sent := func() int {
		batches, err := s.House.Record.Batches("TEST")
		if err != nil {
			t.Fatal(err)
		}
		return len(batches) - 1
	}
	if _, body := s.Post("/p/TEST/send", url.Values{"revision": {strconv.Itoa(read)}}); sent() != 0 ||
		!strings.Contains(body, "changed meanwhile") {
		t.Errorf("an old sheet was sent:\n%s", body)
	}
	now := url.Values{"revision": {strconv.Itoa(s.Production().Number)}}
	if code, body := s.Post("/p/TEST/send", now); code != http.StatusNoContent || sent() != 1 {
		t.Errorf("sending: %d %s", code, body)
	}
	if _, body := s.Post("/p/TEST/send", now); sent() != 1 ||
		!strings.Contains(body, "was sent already: 0 frames are in place and 3 queued with the same set-up") {
		t.Errorf("sending twice:\n%s", body)
	}
}

// A batch takes a grade along once the production has one, and its form says which.
func TestAGradeIsTakenAlong(t *testing.T) {
	s := webtest.New(t)
	if _, body := s.Get("/p/TEST/batch"); strings.Contains(body, "with-grade") || strings.Contains(body, "with-matte") {
		t.Error("there is a grade to choose, and none was made")
	}
	brighter, err := edit.FromText("grade.add-step", map[string][]string{"grade": {"bright"}, "exposure": {"1"}})
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []edit.Command{
		edit.AddGrade{Title: "Bright"}, brighter,
	} {
		if _, _, err := s.House.Do("TEST", house.Editing{Seen: store.Any}, c); err != nil {
			t.Fatal(err)
		}
	}
	if _, body := s.Get("/p/TEST/batch"); !strings.Contains(body, `name=bright`) {
		t.Error("the grade cannot be chosen")
	}
	s.Edits("production", "field", "next-version")
	for _, c := range []struct {
		with string
		want int
	}{{"name=dark", 0}, {"", 1}} {
		s.Post("/p/TEST/send", url.Values{
			"then": {"grade"}, "with-grade": {c.with}, "revision": {strconv.Itoa(s.Production().Number)},
		})
		if made, err := s.House.Record.PicturesMade("TEST"); err != nil || len(made) != c.want {
			t.Errorf("%s: %d grades are made, %v", c.with, len(made), err)
		}
	}
}
