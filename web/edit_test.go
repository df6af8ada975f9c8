package web

import (
	"encoding/json"
	"errors"
	"html"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"reelhouse/core/edit"
)

var (
	posted   = regexp.MustCompile(`hx-post="/p/TEST/edit/([^"]+)"([^>]*)>`)
	hxVals   = regexp.MustCompile(`hx-vals='([^']*)'`)
	named    = regexp.MustCompile(`/edit/([a-z-]+\.[a-z-]+)[^a-z.-]`)
	scripted = regexp.MustCompile(`"((?:clip|cut|shot|view)\.[a-z-]+)"`)
)

// Everything that a control of any page posts is a command, and its fields are fields of that command.
func TestControlsPostWhatCommandsHave(t *testing.T) {
	s := newSite(t)
	for _, kind := range []string{"ring", "stereo", "cube", "panorama"} {
		s.set("rig", "", "add", kind)
	}
	s.set("light-group", "", "add")
	s.set("look", "plain", "copy")
	s.set("cut", "", "rebuild")
	s.set("view", "v", "copy")
	s.set("view", "v_2", "working", "1")
	s.set("output", "master", "packing", "groups")
	seen, fields := map[string]bool{}, 0
	for _, page := range []string{
		"standards?open=hd", "scenes", "views", "views?as=pictures", "views?open=v", "views?look=plain_2",
		"shots?open=010", "cut", "cut?open=0+0",
		"passes", "output?open=master", "output?open=review", "batch", "batch/rows?from=0",
		"batch/paths?shot=010&view=v&size=hd", "queue", "screening",
	} {
		code, body := s.get("/p/TEST/" + page)
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
			if _, err := bind(m[1], form); errors.Is(err, edit.ErrUnknown) {
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
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
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
	s := newSite(t)
	form := url.Values{"field": {"title"}, "value": {"New"}, "station": {"standards"}}
	if code, body := s.plain("/p/TEST/edit/production.set", form); code != 400 ||
		!strings.Contains(body, "load it again") {
		t.Errorf("%d: %s", code, body)
	}
	if s.production().Title == "New" {
		t.Error("it was kept")
	}
}

// What fails inside stands beside no field; it is told as such, and in no words of the database.
func TestWhatFailsInsideIsNoMistake(t *testing.T) {
	s := newSite(t)
	number := s.production().Number
	if err := s.house.Record.Close(); err != nil {
		t.Fatal(err)
	}
	form := url.Values{"field": {"title"}, "value": {"New"}, "station": {"standards"}, "seen": {"1"}}
	_, body := s.post("/p/TEST/edit/production.set", form)
	if !strings.Contains(body, "Something went wrong in the server") || strings.Contains(strings.ToLower(body), "sql") {
		t.Errorf("revision %d: %s", number, body)
	}
}

// The history tells who did what, compares revisions, and brings an older one back.
func TestTheHistoryIsReadComparedAndRestored(t *testing.T) {
	s := newSite(t)
	first := s.production()
	s.set("production", "", "title", "Second")
	_, body := s.get("/p/TEST/history")
	s.says(body, "production: title Second", "created", "Somebody", "current")
	_, body = s.get("/p/TEST/history?from=1&to=2")
	s.says(body, "Revision 1 to 2", "title", "Second")
	_, body = s.post("/p/TEST/restore", url.Values{"number": {"1"}, "station": {"history"}})
	s.says(body, "Saved: restore revision 1", "restore revision 1")
	if now := s.production(); now.Title != first.Title || now.Number != 3 {
		t.Errorf("revision %d, %q", now.Number, now.Title)
	}
	if code, _ := s.get("/p/TEST/history?from=1&to=99"); code != 404 {
		t.Errorf("a revision that there is not: %d", code)
	}
	if _, err := s.house.Record.At("TEST", 2); err != nil {
		t.Error(err)
	}
}
