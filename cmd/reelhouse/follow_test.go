package main

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/production"
	"reelhouse/core/queue"
)

// scriptOf returns the shell script that a document shows.
func scriptOf(t *testing.T, document string) string {
	t.Helper()
	text, err := os.ReadFile(filepath.Join("..", "..", "docs", document))
	if err != nil {
		t.Fatal(err)
	}
	var script strings.Builder
	for line := range strings.Lines(string(text)) {
		line, indented := strings.CutPrefix(line, "    ")
		if strings.HasPrefix(line, "#!/bin/sh") || script.Len() > 0 {
			if !indented {
				break
			}
			script.WriteString(line)
		}
	}
	return script.String()
}

// The script of docs/renderer-contract.md is a kind of work by declaration alone. Beside it a list of checksums is
// made, which the GNU core utilities check, and a frame is rendered once more.
func TestAShellScriptMakesWhatFollows(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.Shots = p.Shots[:1]
		p.Shots[0].Frames = frame.MustParse("1001-1005")
	})
	folder := t.TempDir()
	script, config := filepath.Join(folder, "reel.sh"), filepath.Join(folder, "config.json")
	if err := os.WriteFile(script, []byte(scriptOf(t, "renderer-contract.md")), 0o755); err != nil {
		t.Fatal(err)
	}
	text, err := json.Marshal(map[string]any{"kinds": []any{map[string]any{
		"name": "reel", "by": "sequence", "command": script, "version": "3", "extensions": []string{"txt"},
	}}})
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(config, text, 0o644); err != nil {
		t.Fatal(err)
	}
	start(t, data, "--config", config)
	call := caller(t, data)
	call(2, "send", "--follow-up", "film")
	var sent sentBatch
	out := call(0, "send", "--json", "--gate", "--follow-up", "checksums", "--follow-up", "reel")
	if err := json.Unmarshal([]byte(out), &sent); err != nil || sent.Frames != 5 || sent.FollowUps != 2 {
		t.Fatalf("%+v, %v", sent, err)
	}
	call(0, "wait", "--timeout", "3m", "1")
	var lines []queuedLine
	if err := json.Unmarshal([]byte(call(0, "queue", "--json", "1")), &lines); err != nil || len(lines) != 3 {
		t.Fatalf("%+v, %v", lines, err)
	}
	first := lines[0].Address
	output := filepath.Join(data, "output")
	made, err := filepath.Glob(filepath.Join(output, "follow-ups", "1", "reel", "010", "*", "*.txt"))
	if err != nil || len(made) != 1 {
		t.Fatalf("%v, %v", made, err)
	}
	if text, err := os.ReadFile(made[0]); err != nil || strings.TrimSpace(string(text)) == "0" ||
		strings.Trim(string(text), "0123456789\n") != "" {
		t.Errorf("the script has written %q, %v", text, err)
	}
	lists, err := filepath.Glob(filepath.Join(output, "follow-ups", "1", "checksums", "010", "*", "*.sha256"))
	if err != nil || len(lists) != 1 {
		t.Fatalf("%v, %v", lists, err)
	}
	if tool, err := exec.LookPath("sha256sum"); err == nil {
		check := exec.Command(tool, "--check", "--strict", lists[0])
		check.Dir = output
		if out, err := check.CombinedOutput(); err != nil || strings.Count(string(out), ": OK") < 5 {
			t.Errorf("%v\n%s", err, out)
		}
	}
	if out := call(0, "log", first+"/reel"); !strings.Contains(out, "inputs were read") {
		t.Errorf("its log is\n%s", out)
	}
	if out := call(0, "needs", first+"/reel", "tries=2"); !strings.Contains(out, first+"/reel: tries=2") {
		t.Errorf("needs says\n%s", out)
	}
	call(0, "rerender", first+"/1003")
	call(0, "wait", "--timeout", "3m", "1")
	if out := call(0, "log", first+"/repeat/1003"); !strings.Contains(out, "the same bytes came out") {
		t.Errorf("the log of the repetition is\n%s", out)
	}
	call(1, "rerender", first+"/checksums/9999")
	call(0, "rerender", first+"/reel")
	call(0, "wait", "--timeout", "3m", "1")
	if err := json.Unmarshal([]byte(call(0, "queue", "--json", first+"/repeat")), &lines); err != nil ||
		len(lines) != 1 || lines[0].Counts[queue.Good] != 1 {
		t.Errorf("%+v, %v", lines, err)
	}
	if out := call(0, "verify", "--deep"); !strings.Contains(out, "files") {
		t.Errorf("verify says\n%s", out)
	}
}
