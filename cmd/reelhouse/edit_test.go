package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/house"
)

// A production is changed on the command line as on its pages, beside a running server, too.
func TestAProductionIsEditedOnTheCommandLine(t *testing.T) {
	data := seeded(t, nil)
	at := []string{"--data", data}
	say := func(code0 int, args ...string) string {
		t.Helper()
		out, complaints, err := run(t, append(append([]string{"edit"}, args...), at...)...)
		if got := code(err); got != code0 {
			t.Fatalf("%v: exit %d, want %d\n%s%s", args, got, code0, out, complaints)
		}
		return out + complaints
	}
	if out := say(0); !strings.Contains(out, "shot.set\n") || !strings.Contains(out, "view.dolly-zoom\n") {
		t.Errorf("the list is %s", out)
	}
	if out := say(0, "view.set"); !strings.Contains(out, "lensShiftX  lens shift X, mm") ||
		!strings.Contains(out, "locked (yes or no)") {
		t.Errorf("the fields are %s", out)
	}
	if out := say(0, "shot.set", "shots=010", "frames=1001-1012", "note=wait for the ferry"); !strings.Contains(
		out, "changed: shot 010: ",
	) {
		t.Error(out)
	}
	if out := say(0, "shot.set", "shots=010", "frames=1001-1012"); !strings.Contains(out, "nothing to change") {
		t.Error(out)
	}
	say(0, "shot.set", "shots=010", "shots=020", "sizes=", "step=2", "--dry-run")
	if out := say(4, "shot.set", "shots=010", "frames=1012-1001"); !strings.Contains(out, "shot 010, frames: ") ||
		!strings.Contains(out, "comes after the last") {
		t.Error(out)
	}
	say(2, "shot.explode", "x=1")
	say(2, "shot.set", "nonsense=1")
	say(2, "shot.set", "nonsense")
	say(1, "shot.set", "shots=010", "name=x", "--production", "NONE")
	// A camera of the scene is needed for this one; it comes as JSON.
	file := filepath.Join(t.TempDir(), "edit.json")
	if err := os.WriteFile(file, []byte(`{"command":"view.set","view":"quay","frame":1001,"x":3.5}`),
		0o644); err != nil {
		t.Fatal(err)
	}
	var said struct {
		Summary string
		Changed bool
	}
	if out := say(0, "--from", file, "--json"); json.Unmarshal([]byte(out), &said) != nil || !said.Changed ||
		said.Summary != "view quay: x 3.5 m" {
		t.Errorf("%+v", said)
	}
	h, err := house.Open(data, true)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	p, err := h.Record.Production(demoCode)
	if err != nil {
		t.Fatal(err)
	}
	shot, _ := p.FindShot("010")
	view, _ := p.FindView("quay")
	if shot.Frames.String() != "1001-1012" || shot.Step > 1 || view.Setup.Stand == nil ||
		view.Setup.Stand.Position.X != 3.5 {
		t.Errorf("%+v, %+v", shot, view.Setup)
	}
	if !strings.HasSuffix(p.Author.Name, "(command line)") {
		t.Errorf("it was %+v", p.Author)
	}
}
