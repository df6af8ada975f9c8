package main

import (
	"encoding/json"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/picture"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/house"
	"reelhouse/store"
)

func code(err error) int {
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return exit.ExitCode()
	}
	return 0
}

func TestScriptsCheckAndSend(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.Shots = p.Shots[:1]
		p.Shots[0].Frames = frame.Of(1001, 1004)
	})
	edit := func(change func(p *production.Production)) {
		t.Helper()
		h, err := house.Open(data, true)
		if err != nil {
			t.Fatal(err)
		}
		defer h.Close()
		if _, err := h.Record.Edit(demoCode, store.Making{Summary: "test"},
			func(p *production.Production) error { change(p); return nil }); err != nil {
			t.Fatal(err)
		}
	}
	out, _, err := run(t, "check", "--data", data)
	if code(err) != 3 || !strings.Contains(out, "[quick-settings]") || !strings.HasSuffix(out, "warned\n") {
		t.Errorf("a draft: exit %d\n%s", code(err), out)
	}
	edit(func(p *production.Production) {
		p.Quality, p.Region = "final", raster.Part{Right: 50, Bottom: 50}
	})
	out, _, err = run(t, "check", "--json", "--data", data)
	var said struct {
		State    preflight.State
		Findings []preflight.Finding
	}
	if jsonErr := json.Unmarshal([]byte(out), &said); jsonErr != nil || code(err) != 4 ||
		said.State != preflight.Refused ||
		said.Findings[0].Rule != "region-left-on" {
		t.Errorf("a final of a part: exit %d, %v\n%s", code(err), jsonErr, out)
	}
	if _, complaints, err := run(t, "send", "--data", data); code(err) != 4 ||
		!strings.Contains(complaints, "part of every picture") {
		t.Errorf("sent: exit %d\n%s", code(err), complaints)
	}
	if out, _, err := run(t, "send", "--data", data, "--quick-too", "--held", "--name", "corner", "--note",
		"as asked"); err != nil ||
		!strings.HasPrefix(out, "batch 1, corner: 4 frames") {
		t.Errorf("said twice: %v\n%s", err, out)
	}
	if _, complaints, err := run(t, "send", "--data", data, "--quick-too"); code(err) != 4 ||
		!strings.Contains(complaints, "sent already") {
		t.Errorf("sent once more: exit %d\n%s", code(err), complaints)
	}
	if out, _, err := run(t, "send", "--data", data, "--trial", "ends", "--after", "1"); err != nil ||
		!strings.Contains(out, "3 frames") {
		t.Errorf("a trial: %v\n%s", err, out)
	}
	for want, all := range map[int][][]string{
		2: {{"--order", "backwards"}, {"--trial", "some"}, {"--at", "soon"}},
		1: {{"--again", "--quick-too", "--after", "99"}},
	} {
		for _, args := range all {
			_, complaints, err := run(t, append([]string{"send", "--data", data}, args...)...)
			if code(err) == want && complaints != "" {
				continue
			}
			t.Errorf("%q: exit %d", args, code(err))
		}
	}
}

func TestATimeOfTheDayIsTheNextOne(t *testing.T) {
	now := time.Date(2026, 11, 25, 20, 0, 0, 0, time.UTC)
	for text, want := range map[string]string{"21:30": "2026-11-25T21:30:00Z", "19:00": "2026-11-26T19:00:00Z",
		"2026-12-01T08:00:00+01:00": "2026-12-01T07:00:00Z"} {
		if got, err := startTime(text, now); err != nil || got.UTC().Format(time.RFC3339) != want {
			t.Errorf("%s is %v, %v", text, got, err)
		}
	}
}

func TestShotsAndCutsGoInAndOut(t *testing.T) {
	data, dir := seeded(t, nil), t.TempDir()
	file := func(name string) string { return filepath.Join(dir, name) }
	for _, name := range []string{"shots.csv", "cut.otio", "cut.edl"} {
		_, complaints, err := run(t, "export", "--data", data, file(name))
		if err != nil {
			t.Fatalf("%s: %v\n%s", name, err, complaints)
		}
		if dropped := strings.Contains(complaints, "differs: tracks"); dropped != strings.HasSuffix(name, "edl") {
			t.Errorf("%s says %q", name, complaints)
		}
		out, _, err := run(t, "import", "--data", data, "--dry-run", "--json", file(name))
		if err != nil || !strings.Contains(out, `"production": "SALT"`) {
			t.Errorf("%s: %v\n%s", name, err, out)
		}
	}
	table, err := os.ReadFile(file("shots.csv"))
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file("more.csv"),
		[]byte(strings.Replace(string(table), "1001-1048", "1001-1020", 1)+"070,Gulls,quay,,1001-1010\n"),
		0o644); err != nil {
		t.Fatal(err)
	}
	if out, _, err := run(t, "import", "--data", data, file("more.csv")); err != nil ||
		!strings.Contains(out, "1 shots are new, 1 changed, 5 stay") {
		t.Errorf("%v\n%s", err, out)
	}
	if out, _, err := run(t, "import", "--data", data, "../../core/cut/testdata/reel_with_spaces.edl"); err != nil ||
		!strings.Contains(out, "dropped: line 10") {
		t.Errorf("%v\n%s", err, out)
	}
	if err := os.WriteFile(file("bad.csv"), []byte("code,frames\n010,9-1\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	if out, complaints, err := run(t, "import", "--data", data, file("bad.csv")); code(err) != 4 ||
		!strings.Contains(complaints, "line 2, column frames") {
		t.Errorf("%v\n%s", err, out)
	}
	h, err := house.Open(data, true)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	p, err := h.Record.Production(demoCode)
	if s, ok := p.FindShot("070"); err != nil || !ok || s.Frames.Count() != 10 || p.Cut.Length() != 180 {
		t.Errorf("%v: %+v, a cut of %d frames", err, s, p.Cut.Length())
	}
}

// A part of the picture goes through the whole line: files at full size, reduced ones, and a picture for viewing.
func TestAPartOfThePictureIsRendered(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.Shots, p.Cut.Tracks = p.Shots[:1], nil
		p.Shots[0].Frames, p.Shots[0].Outputs = frame.Of(1001, 1002), []string{"master", "review", "proxy"}
		p.Region = raster.Part{Left: 25, Top: 50, Right: 75, Bottom: 100}
		p.Qualities[0].Scale = raster.Reduction{Percent: 10}
	})
	if out, complaints, err := run(t, "demo", "--headless", "--data", data); err != nil {
		t.Fatalf("%v\n%s\n%s", err, out, complaints)
	}
	for output, want := range map[string]raster.Size{"master": {Width: 103, Height: 43},
		"review": {Width: 103, Height: 43}, "proxy": {Width: 53, Height: 22}} {
		files, _ := filepath.Glob(filepath.Join(data, "output/SALT/010", output, "*/*/*/*.1001.*"))
		if len(files) != 1 {
			t.Fatalf("%s: %v", output, files)
		}
		file, err := os.ReadFile(files[0])
		if err != nil {
			t.Fatal(err)
		}
		read, err := picture.Open(file)
		if err != nil {
			t.Fatal(err)
		}
		h := read.Headers[0]
		if h.Width() != want.Width || h.Height() != want.Height {
			t.Errorf("%s is %d x %d, not %v", output, h.Width(), h.Height(), want)
		}
		if output == "master" && (h.DataWindow.Min.X != 51 || h.DisplayWindow.Dx() != 205) {
			t.Errorf("the master is the window %v of %v", h.DataWindow, h.DisplayWindow)
		}
	}
	// Once more, over the files that are there, when that is asked for.
	if out, complaints, err := run(t, "send", "--data", data, "--again"); err != nil {
		t.Fatalf("%v\n%s\n%s", err, out, complaints)
	}
	if out, complaints, err := run(t, "demo", "--headless", "--data", data); err != nil ||
		!strings.Contains(out, "4 of 4 frames good") {
		t.Errorf("rendered again: %v\n%s\n%s", err, out, complaints)
	}
}

// A quality, some shots and a part of the picture are planned, checked and sent without the production being changed,
// and a rule is waived for that batch.
func TestASetUpIsNarrowedForOneBatch(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		tiny(p)
		p.Qualities[1].Scale, p.Qualities[1].Samples, p.Qualities[1].Effort.Noise = raster.Reduction{Percent: 4}, 1, 0
		for i := range p.Shots {
			p.Shots[i].Frames, p.Shots[i].Step = frame.Of(1001, 1002), 0
		}
	})
	before := revision(t, data, demoCode)
	narrow := []string{"--data", data, "--quality", "final", "--shots", "010,030", "--region", "0, 0, 50, 50"}
	out, complaints, err := run(t, append([]string{"plan"}, narrow...)...)
	if err != nil || strings.Contains(out, "\n020") || !strings.Contains(out, "\n030") ||
		!strings.Contains(out, "2 shots") {
		t.Errorf("%v\n%s%s", err, out, complaints)
	}
	out, _, err = run(t, append([]string{"check"}, narrow...)...)
	if code(err) != 4 || !strings.Contains(out, "[region-left-on]") {
		t.Errorf("exit %d\n%s", code(err), out)
	}
	if _, complaints, err := run(t, append([]string{"send"}, narrow...)...); code(err) != 4 {
		t.Errorf("exit %d\n%s", code(err), complaints)
	}
	out, complaints, err = run(
		t, append([]string{"send", "--waive", "region-left-on=a test", "--quick-too"}, narrow...)...,
	)
	if err != nil || !strings.Contains(out, "frames in 2 sequences") {
		t.Errorf("%v\n%s%s", err, out, complaints)
	}
	if after := revision(t, data, demoCode); after.Quality != before.Quality || !after.Region.Whole() ||
		len(after.Waivers) > 0 || !after.Shots[1].InBatch {
		t.Errorf("the production was changed: %+v", after)
	}
	for _, wrong := range [][]string{{"--quality", "x"}, {"--shots", "999"}, {"--region", "a"}, {"--waive", "x=y"},
		{"--waive", "quick-settings"}, {"--waive", "already-sent=y"}} {
		if _, _, err := run(t, append([]string{"send", "--data", data}, wrong...)...); code(err) != 2 {
			t.Errorf("%v: exit %d", wrong, code(err))
		}
	}
}
