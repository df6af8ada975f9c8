package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/standin"
)

// halyardIn writes a configuration with the stand-in as a renderer of another maker, and returns its path.
func halyardIn(t *testing.T, more string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "config.json")
	config := fmt.Sprintf(`{"licences": {"halyard": 1}, %s
		"renderers": [{"name": "halyard", "version": "2.1", "needs": "licences=halyard memory=400MB",
			"line": [%q, "standin", "-sketch", "(scene)", "-from", "(first)", "-to", "(last)", "-by", "(step)",
				"-wide", "(width)", "-high", "(height)", "-quality", "(samples)", "-into", "(files)", "-kind", "(ext)"],
			"scenes": [".hly"], "files": [{"name": "picture_(frame:5).(ext)", "passes": ["beauty"]}],
			"progress": "\\.\\. ([0-9.]+) pct", "error": "^HALYARD ERROR: (.*)", "wrote": "wrote file: (\\S+)"}]}`,
		more, binary)
	if err := os.WriteFile(path, []byte(config), 0o644); err != nil {
		t.Fatal(err)
	}
	return path
}

// Every way in which a renderer of another maker misbehaves ends in a sentence, and nothing of it is left running.
func TestEveryMoodOfTheStandInEndsInASentence(t *testing.T) {
	config := halyardIn(t, "")
	says := map[string]string{
		"": "renderer halyard is good", "blemish": "renderer halyard is good", "slow": "renderer halyard is good",
		"stays":   "renderer halyard is good",
		"chatter": "renderer halyard is good",
		"memory":  "(renderer halyard ended with exit code 2)",
		"hang":    "WRONG: it takes longer than 2s, and was stopped",
		"deaf":    "WRONG: it takes longer than 2s, and was stopped",
		"size":    "WRONG: tried.exr: it is 194 × 80 pixels, not 192 × 80",
		"silent":  "WRONG: renderer halyard ended without an error, and did not write picture_01001.exr, of frame 1001",
		"flaky":   "", // either way
	}
	for _, mood := range append(standin.Moods(), "") {
		want, known := says[mood]
		if !known {
			t.Errorf("nobody says how %q ends", mood)
			continue
		}
		timeout := "1m"
		if mood == "hang" || mood == "deaf" {
			timeout = "2s"
		}
		cmd := exec.Command(binary, "renderer", "check", "halyard", "--config", config, "--timeout", timeout)
		cmd.Env = append(os.Environ(), standin.MoodVariable+"="+mood, "TMPDIR="+t.TempDir())
		data, err := cmd.CombinedOutput()
		out := string(data)
		if len(out) > 2<<20 || !strings.Contains(out, want) || (code(err) == 0) != strings.Contains(out, "is good") {
			t.Errorf("mood %q: exit %d, %d bytes\n%s", mood, code(err), len(out), out[max(0, len(out)-1500):])
		}
		folder := strings.TrimPrefix(cmd.Env[len(cmd.Env)-1], "TMPDIR=")
		if left, _ := filepath.Glob(filepath.Join(folder, "*")); len(left) > 0 {
			t.Errorf("mood %q has left %v", mood, left)
		}
		if left := runningIn(folder); len(left) > 0 {
			t.Errorf("mood %q has left running %v", mood, left)
		}
	}
}

// runningIn returns the command lines of programs that were started for a folder.
func runningIn(folder string) []string {
	var left []string
	found, _ := filepath.Glob("/proc/[0-9]*/environ")
	for _, path := range found {
		environment, _ := os.ReadFile(path)
		if strings.Contains(string(environment), "TMPDIR="+folder+"\x00") {
			line, _ := os.ReadFile(filepath.Join(filepath.Dir(path), "cmdline"))
			left = append(left, strings.ReplaceAll(string(line), "\x00", " "))
		}
	}
	return left
}

// What is wrong with a configuration is said before anything is started.
func TestWrongConfigurationsAreRefused(t *testing.T) {
	path := filepath.Join(t.TempDir(), "config.json")
	for text, says := range map[string]string{
		`{"renderers":[{"name":"a b"}]}`:                             "letters, digits",
		`{"renderers":[{"name":"built-in","command":"x"}]}`:          "there twice",
		`{"renderers":[{"name":"x"}]}`:                               "neither a command nor the line",
		`{"renderers":[{"name":"x","command":"y","line":["z"]}]}`:    "it needs one",
		`{"renderers":[{"name":"x","line":["z","(oops)"]}]}`:         `there is no field "oops"`,
		`{"renderers":[{"name":"x","command":"y","needs":"cpu=2"}]}`: "is no setting",
		`{"kinds":[{"name":"dance"}]}`:                               "kind dance: it has no command",
		`{"kinds":[{"name":"dance","command":"x"}]}`:                 `by is to be "frame" or "sequence"`,
		`{"kinds":[{"name":"dance","command":"x","by":"frame"}]}`:    "it makes no file",
		`{"kinds":[{"name":"checksums","command":"x"}]}`:             "kind checksums ships",
		`{"kinds":[{"name":"1","command":"x","by":"frame"}]}`:        "a letter",
		`{"kinds":[{"name":"a","command":"x","by":"frame","extensions":["x"],"follows":"b"},
			{"name":"b","command":"x","by":"frame","extensions":["x"],"follows":"a"}]}`: "a follows b follows a",
		`{"kinds":[{"name":"values","needs":"cores=2"}]}`:                   "",
		`{"kinds":[{"name":"render","needs":"tries=0"}]}`:                   "from 1 to 100",
		`{"licences":{"x":-1}}`:                                             "has -1 of it",
		`{"nodes":[{"name":"a"},{"name":"a"}]}`:                             "node a is there twice",
		`{"nodes":[{"name":"a","labels":["b c"]}]}`:                         "label",
		`{"nodes":[{"name":"a","memory":"much"}]}`:                          "write it as 16GB",
		`{"nodes":[{"name":"a","slots":-1}]}`:                               "-1 slots",
		`{"renderer":{"name":"built-in","command":"x"}}`:                    "only the renderer of this program",
		`{"renderers":[{"name":"x","line":["z"],"files":[{"name":"a"}]}]}`:  "with (frame) in it",
		`{"renderers":[{"name":"x","command":"y","error":"(","line":[]}]} `: "",
	} {
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		_, complaints, err := run(t, "renderer", "list", "--config", path)
		if (err == nil) != (says == "") || !strings.Contains(complaints, says) {
			t.Errorf("%s: %v\n%s", text, err, complaints)
		}
	}
}
