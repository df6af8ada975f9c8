package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/store"
)

// Machines are woken when tasks wait, no more of them than may be, and sent to sleep when they have nothing to do, also
// by a server that was started again meanwhile.
func TestMachinesAreWokenAndSleep(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.Shots = p.Shots[:1]
		p.Shots[0].Frames = frame.MustParse("1001-1030")
	})
	folder, config := t.TempDir(), filepath.Join(t.TempDir(), "config.json")
	text, err := json.Marshal(map[string]any{"machines": map[string]any{
		"command": binary, "args": []string{"provider", "--folder", folder}, "names": []string{"rented-1", "rented-2",
			"rented-3"}, "most": 2, "tasks": 5, "after": "300ms", "idle": "1500ms", "every": "200ms",
	}})
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(config, text, 0o600); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		for _, name := range []string{"rented-1", "rented-2", "rented-3"} {
			if err := endMachine(folder, name); err != nil {
				t.Error(err)
			}
		}
	})
	address := farmAddress(t)
	serve := func() *served {
		return start(t, data, "--farm", address, "--no-node", "--farm-beat", "200ms", "--farm-lease", "3s", "--config",
			config)
	}
	awake := func() (names []string) {
		for _, name := range []string{"rented-1", "rented-2", "rented-3"} {
			if machineProcess(folder, name) != nil {
				names = append(names, name)
			}
		}
		return names
	}
	s := serve()
	time.Sleep(time.Second) // nothing is to be done, so nobody is woken
	if got := awake(); len(got) > 0 {
		t.Fatalf("%v are awake for nothing", got)
	}
	if out, complaints, err := run(t, "send", "--data", data, "--production", demoCode, "--quality",
		"draft"); err != nil {
		t.Fatal(out, complaints, err)
	}
	most := 0
	for !allGood(counts(t, data)) {
		if most = max(most, len(awake())); most > 2 {
			t.Fatalf("%v are awake", awake())
		}
		if s != nil && counts(t, data)["good"] > 5 {
			s.cmd.Process.Kill() // the next one knows who is awake
			s.cmd.Wait()
			serve()
			s = nil
		}
		time.Sleep(50 * time.Millisecond)
	}
	if most == 0 {
		t.Error("nobody was awake")
	}
	for end := time.Now().Add(time.Minute); len(awake()) > 0; time.Sleep(50 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("%v are awake still", awake())
		}
	}
	h, err := house.Open(data, true)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	var n store.Node
	for end := time.Now().Add(time.Minute); n.Paused == ""; time.Sleep(50 * time.Millisecond) {
		if n, err = h.Record.FindNode("rented-1"); err != nil || time.Now().After(end) {
			t.Fatalf("%+v, %v", n, err)
		}
	}
	if !strings.Contains(n.Paused, "sleeps") || n.Done == 0 {
		t.Errorf("%+v", n)
	}
}

func TestMachinesOfAConfigurationAreChecked(t *testing.T) {
	for text, want := range map[string]string{
		``:                               "a command",
		`"names": ["a", "a"]`:            "twice",
		`"names": ["a b"]`:               "no name of a node",
		`"names": ["a"], "idle": "soon"`: "no time",
		`"names": ["a"], "idle": "-1m"`:  "times such as",
		`"names": ["a"], "every": "1ms"`: "100 ms",
		`"names": ["a"], "hours": [{"from": "25:00", "to": "1:00"}]`: "no time of a day",
		`"names": ["a"], "hours": [{"from": "5:00", "to": ""}]`:      "no time of a day",
		`"names": ["a"], "hours": [{"x": 1}]`:                        "unknown field",
	} {
		if text != "" {
			text = `{"machines": {"command": "x", ` + text + `}}`
		} else {
			text = `{"machines": {}}`
		}
		path := filepath.Join(t.TempDir(), "config.json")
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		if _, err := (serverFlags{config: path}).configuration(); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", text, err)
		}
	}
	path := filepath.Join(t.TempDir(), "config.json")
	good := `{"machines": {"command": "x", "names": ["a"]}}`
	if err := os.WriteFile(path, []byte(good), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, complaints, err := run(t, "serve", "--data", t.TempDir(), "--listen", "127.0.0.1:0", "--config",
		path); err == nil || !strings.Contains(complaints, "start with --farm") {
		t.Errorf("machines without nodes: %v, %s", err, complaints)
	}
}
