package kit_test

import (
	"encoding/json"
	"errors"
	"html"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"reelhouse/core/edit"
	"reelhouse/web/kit"
	"reelhouse/web/webtest"
)

func TestAnEditShowsWhatItChanges(t *testing.T) {
	s := webtest.New(t)
	if body := s.Set("size", "hd", "width", "3840"); !strings.Contains(body, "That changes") ||
		!strings.Contains(body, "1 shot") ||
		!strings.Contains(body, "→") {
		t.Errorf("a larger size:\n%s", webtest.Said(body))
	}
	if body := s.Set("names", "", "pattern", "(shot)/(frame:5).(ext)"); !strings.Contains(body, "3 paths") {
		t.Errorf("other names:\n%s", webtest.Said(body))
	}
	if body := s.Set("production", "", "title", "Another"); strings.Contains(body, "That changes") {
		t.Errorf("a title changes nothing:\n%s", webtest.Said(body))
	}
}

func TestTheSecondTabIsToldAndMayInsist(t *testing.T) {
	s := webtest.New(t)
	seen := strconv.Itoa(s.Production().Number)
	post := func(field, value string, more url.Values) string {
		form := url.Values{"of": {"hd"}, "field": {field}, "value": {value}, "station": {"standards"}, "seen": {seen}}
		for k, v := range more {
			form[k] = v
		}
		_, body := s.Post("/p/TEST/edit/size", form)
		return body
	}
	post("width", "1000", nil)
	body := post("width", "2000", nil)
	if p := s.Production(); p.Sizes[1].Width != 1000 ||
		!strings.Contains(body, "changed elsewhere in the meantime, to 1000") ||
		!strings.Contains(body, `value="2000"`) ||
		!strings.Contains(body, "Keep mine") {
		t.Errorf("%+v\n%s", p.Sizes[1], webtest.Said(body))
	}
	if body := post("height", "900", nil); s.Production().Sizes[1].Height != 900 ||
		strings.Contains(body, "Keep mine") {
		t.Errorf("another field of the same size was refused:\n%s", webtest.Said(body))
	}
	post("width", "2000", url.Values{"mine": {"1"}})
	if p := s.Production(); p.Sizes[1].Width != 2000 || p.Sizes[1].Height != 900 {
		t.Errorf("insisting was refused: %+v", p.Sizes[1])
	}
}

var (
	posted   = regexp.MustCompile(`hx-post="/p/TEST/edit/([^"]+)"([^>]*)>`)
	hxVals   = regexp.MustCompile(`hx-vals='([^']*)'`)
	named    = regexp.MustCompile(`/edit/([a-z-]+\.[a-z-]+)[^a-z.-]`)
	scripted = regexp.MustCompile(`"((?:clip|cut|shot|view)\.[a-z-]+)"`)
)

// Everything that a control of any page posts is a command, and its fields are fields of that command.
func TestControlsPostWhatCommandsHave(t *testing.T) {
	s := webtest.New(t)
	for _, kind := range []string{"ring", "stereo", "cube", "panorama"} {
		s.Set("rig", "", "add", kind)
	}
	s.Set("light-group", "", "add")
	s.Set("look", "plain", "copy")
	s.Set("cut", "", "rebuild")
	s.Set("view", "v", "copy")
	s.Set("view", "v_2", "working", "1")
	s.Set("output", "master", "packing", "groups")
	seen, fields := map[string]bool{}, 0
	for _, page := range []string{
		"standards?open=hd", "scenes", "views", "views?as=pictures", "views?open=v", "views?look=plain_2",
		"shots?open=010", "cut", "cut?open=0+0",
		"passes", "output?open=master", "output?open=review", "batch", "batch/rows?from=0",
		"batch/paths?shot=010&view=v&size=hd", "queue", "screening",
	} {
		code, body := s.Get("/p/TEST/" + page)
		if code != 200 {
			t.Fatalf("%s: %d", page, code)
		}
		for _, m := range posted.FindAllStringSubmatch(body, -1) {
			form := url.Values{"value": {"1"}, "values": {"1"}}
			if vals := hxVals.FindStringSubmatch(m[2]); vals != nil {
				var pairs map[string]string
				if err := json.Unmarshal([]byte(html.UnescapeString(vals[1])), &pairs); err != nil {
					t.Fatalf("%s: %s: %v", page, vals[1], err)
				}
				for name, value := range pairs {
					form.Set(name, value)
				}
			}
			seen[m[1]] = true
			fields++
			if _, err := kit.Bind(m[1], form); errors.Is(err, edit.ErrUnknown) {
				t.Errorf("%s posts %s %v: %v", page, m[1], form, err)
			}
		}
	}
	if len(seen) < 30 || fields < 150 {
		t.Errorf("only %d controls of %d commands were found", fields, len(seen))
	}
}

// Every command that a template or a script names is there.
func TestTemplatesAndScriptsNameCommands(t *testing.T) {
	known := map[string]bool{}
	for _, name := range edit.Names() {
		known[name] = true
	}
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && d.Name() == "node_modules" {
			return filepath.SkipDir
		}
		ext := filepath.Ext(path)
		if ext != ".html" && ext != ".js" || strings.HasSuffix(path, ".min.js") {
			return nil
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		patterns := []*regexp.Regexp{named}
		if ext == ".js" {
			patterns = append(patterns, scripted)
		}
		for _, pattern := range patterns {
			for _, m := range pattern.FindAllStringSubmatch(string(text), -1) {
				if !known[m[1]] {
					t.Errorf("%s names the command %s, which there is not", path, m[1])
				}
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

// An edit says which revision it was made on.
func TestAnEditNeedsTheRevisionItWasMadeOn(t *testing.T) {
	s := webtest.New(t)
	form := url.Values{"field": {"title"}, "value": {"New"}, "station": {"standards"}}
	if code, body := s.Plain("/p/TEST/edit/production.set", form); code != 400 ||
		!strings.Contains(body, "load it again") {
		t.Errorf("%d: %s", code, body)
	}
	if s.Production().Title == "New" {
		t.Error("it was kept")
	}
}

// What fails inside stands beside no field; it is told as such, and in no words of the database.
func TestWhatFailsInsideIsNoMistake(t *testing.T) {
	s := webtest.New(t)
	number := s.Production().Number
	if err := s.House.Record.Close(); err != nil {
		t.Fatal(err)
	}
	form := url.Values{"field": {"title"}, "value": {"New"}, "station": {"standards"}, "seen": {"1"}}
	_, body := s.Post("/p/TEST/edit/production.set", form)
	if !strings.Contains(body, "Something went wrong in the server") || strings.Contains(strings.ToLower(body), "sql") {
		t.Errorf("revision %d: %s", number, body)
	}
}

// Every field of every command takes hostile values as mistakes.
func TestNoEditIsTheServersFault(t *testing.T) {
	s := webtest.New(t)
	base := s.Production().Production
	hostile := webtest.Hostile()
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
				made, err := s.App.Tried(base, name, form)
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

func TestEditsAreKeptOrRefusedInPlace(t *testing.T) {
	s := webtest.New(t)
	edit := func(kind, of, field, value string) string {
		t.Helper()
		code, body := s.Post(
			"/p/TEST/edit/"+kind,
			url.Values{"of": {of}, "field": {field}, "value": {value}, "values": {value}, "station": {"shots"}},
		)
		if code != 200 {
			t.Fatalf("%s %s %s: %d\n%s", kind, of, field, code, body)
		}
		return body
	}
	body := edit("shot", "010", "frames", "1001-1048x2,!1011")
	if got := s.Production().Shots[0].Frames.Count(); got != 23 || !strings.Contains(body, ">23<") ||
		!strings.Contains(body, "Saved") {
		t.Errorf("%d frames\n%s", got, body)
	}
	for value, says := range map[string]string{"1048-1001": "comes after the last", "abc": "whole number",
		"": "there are no frames"} {
		body := edit("shot", "010", "frames", value)
		if !strings.Contains(body, says) || !strings.Contains(body, `value="`+value+`"`) ||
			s.Production().Shots[0].Frames.Count() != 23 {
			t.Errorf("%q: want %q, the typed text kept, and nothing changed:\n%s", value, says, body)
		}
	}
	edit("shot", "010", "code", "020")
	edit("view", "v", "code", "harbour")
	edit("size", "hd", "code", "wide")
	if p := s.Production(); p.Shots[0].Code != "020" || p.Shots[0].View != "harbour" || p.Shots[0].Sizes[0] != "wide" ||
		len(p.Problems()) != 0 {
		t.Errorf("renaming broke %+v, %v", p.Shots[0], p.Problems())
	}
	for _, bad := range [][4]string{
		{"shot", "020", "code", "a b"}, {"quality", "draft", "scale", "0"}, {"quality", "draft", "samples", "x"},
		{"depth", "", "background", "-3"},
		{"names", "", "pattern", "../(frame).(ext)"}, {"names", "", "pattern", ""}, {"size", "wide", "width", "0"},
		{"view", "harbour", "remove", ""}, {"shot", "gone", "name", "x"},
	} {
		before := s.Production().Number
		if body := edit(bad[0], bad[1], bad[2], bad[3]); s.Production().Number != before {
			t.Errorf("%v was kept:\n%s", bad, body)
		}
	}
	if code, body := s.Post("/p/TEST/edit/shot", url.Values{"of": {"020"}, "field": {"nonsense"}}); code != 200 ||
		!strings.Contains(body, "cannot be edited") {
		t.Errorf("an unknown field: %d %s", code, body)
	}
	if body := s.Undo("shots"); !strings.Contains(body, "Undone: size hd: code wide") ||
		s.Production().Shots[0].Sizes[0] != "hd" {
		t.Errorf("undo:\n%s", body)
	}
}
