package main

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/production"
	"reelhouse/farm/fleet"
)

// Sixty simulated nodes, of which some fail, vanish, are slow and compute wrongly, make a batch good by the real
// protocol; what they were answered is counted.
func TestAFleetMakesABatchGood(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.Shots = p.Shots[:1]
		p.Shots[0].Frames = frame.MustParse("1001-1120")
	})
	start(t, data, "--farm", farmAddress(t), "--no-node", "--farm-simulated", "--farm-beat", "300ms",
		"--farm-check", "10")
	out, complaints, err := run(t, "node-token", "--name", "fleet", "--number", "60", "--data", data)
	if err != nil {
		t.Fatal(complaints, err)
	}
	tokens := filepath.Join(t.TempDir(), "tokens")
	if err := os.WriteFile(tokens, []byte(out), 0o600); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(binary, "fleet", "--token", tokens, "--seed", "7", "--seconds", "0.5", "--json")
	var said, wrong bytes.Buffer
	cmd.Stdout, cmd.Stderr = &said, &wrong
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { cmd.Process.Kill(); cmd.Wait() })
	if out, complaints, err := run(t, "send", "--data", data, "--production", demoCode, "--quality",
		"draft"); err != nil {
		t.Fatal(out, complaints, err)
	}
	until(t, data, allGood)
	if err := cmd.Process.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	ended := make(chan error, 1)
	go func() { ended <- cmd.Wait() }()
	select {
	case err := <-ended:
		if err != nil {
			t.Fatalf("%v: %s", err, wrong.String())
		}
	case <-time.After(time.Minute):
		t.Fatal("it does not end")
	}
	var r fleet.Report
	if err := json.Unmarshal(said.Bytes(), &r); err != nil {
		t.Fatalf("%v: %s", err, said.String())
	}
	if r.Nodes != 60 || r.Files < 240 || len(r.Asked) < 5 || r.Asked[5].Times == 0 {
		t.Errorf("%+v", r)
	}
	if out, complaints, err := run(t, "verify", "--deep", "--data", data); err != nil {
		t.Error(out, complaints, err)
	}
	for _, args := range [][]string{
		{"--nodes", "61"}, {"--nodes", "-1"}, {"--seconds", "0"}, {"--seconds", "NaN"},
	} {
		if _, complaints, err := run(t, append([]string{"fleet", "--token", tokens}, args...)...); err == nil {
			t.Errorf("%v: %s", args, complaints)
		}
	}
	if _, complaints, err := run(t, "node-token", "--name", "fleet", "--number", "2", "--data",
		data); err == nil || !strings.Contains(complaints, "there is a node fleet-0001 already") {
		t.Errorf("a name is given twice: %s", complaints)
	}
}
