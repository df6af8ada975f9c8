package main

import (
	"encoding/json"
	"os"
	"os/exec"
	"strings"
	"testing"
)

func TestNoticesNameEverythingThatTheBinaryHolds(t *testing.T) {
	out, _, err := run(t, "notices")
	if err != nil || out != notices {
		t.Fatalf("notices: %v", err)
	}
	const format = `{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}}{{end}}{{end}}`
	list, err := exec.Command("go", "list", "-deps", "-f", format, ".").Output()
	if err != nil {
		t.Fatal(err)
	}
	wanted := map[string]bool{}
	for line := range strings.Lines(string(list)) {
		if line = strings.TrimSpace(line); line != "" {
			wanted[line] = true
		}
	}
	data, err := os.ReadFile("../../web/style/package.json")
	if err != nil {
		t.Fatal(err)
	}
	var npm struct{ Dependencies map[string]string }
	if err := json.Unmarshal(data, &npm); err != nil {
		t.Fatal(err)
	}
	delete(npm.Dependencies, "@tailwindcss/cli") // which makes the styles and is not in them
	for name, version := range npm.Dependencies {
		wanted[name+" "+version] = true
	}
	rule := strings.Repeat("=", 80)
	for part := range strings.SplitSeq(notices, "\n"+rule+"\n") {
		delete(wanted, part)
	}
	for missing := range wanted {
		t.Errorf("the notices lack %s; run `make notices`", missing)
	}
}

// Every command that people are told of stands in the documents.
func TestDocumentsHaveEveryCommand(t *testing.T) {
	data, err := os.ReadFile("../../docs/command-line.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range command().Commands() {
		if !c.Hidden && !strings.Contains(string(data), "`"+c.Name()) {
			t.Errorf("docs/command-line.md has no `%s`", c.Name())
		}
	}
}
