package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"image"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/production"
)

// Exit codes are those of docs/command-line.md, whatever the command; errors go to standard error, and --json is JSON.
func TestExitCodesAreThoseOfTheTable(t *testing.T) {
	data := seeded(t, nil)
	broken := filepath.Join(t.TempDir(), "broken.exr")
	table, kept := filepath.Join(t.TempDir(), "shots.csv"), "../../core/imagefile/formats/testdata/4bit.tif"
	bare := filepath.Join(t.TempDir(), "bare.gltf") // of a triangle whose picture is missing
	for path, text := range map[string]string{
		broken: "no picture", table: "code,view\n010,nowhere\n",
		bare: `{"asset":{"version":"2.0"},"scenes":[{"nodes":[0]}],"nodes":[{"name":"sail","mesh":0}],
			"buffers":[{"byteLength":36,"uri":"data:;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA"}],
			"bufferViews":[{"buffer":0,"byteLength":36}],
			"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}],
			"images":[{"uri":"sail.png"}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}]}`,
	} {
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		code int
		args []string
	}{
		{0, []string{"version"}}, {0, []string{"plan", "--json", "--data", data}},
		{0, []string{"verify", "--json", "--data", data}}, {0, []string{"volumes", "--json", "--data", data}},
		{0, []string{"queue", "--json", "--data", data}}, {1, []string{"queue", "--json", "--data", data, "7"}},
		{2, []string{"queue", "--data", data, "x"}}, {1, []string{"wait", "--json", "--data", data, "7"}},
		{2, []string{"needs", "--data", data, "1", "cpu=2"}}, {2, []string{"priority", "--data", data, "1", "high"}},
		{1, []string{"hold", "--json", "--data", data, "7/010/quay/scope"}}, {2, []string{"log", "--data", data, "7"}},
		{1, []string{"failures", "--json", "--data", data, "7"}}, {0, []string{"renderer", "list", "--json"}},
		{1, []string{"renderer", "check", "none"}}, {0, []string{"resume", "--json", "--data", data}},
		{0, []string{"--help"}}, {0, []string{"inspect", "--json", t.TempDir()}},
		{1, []string{"plan", "--json", "--data", filepath.Join(data, "none")}},
		{1, []string{"verify", "--json", "--data", filepath.Join(data, "none")}},
		{1, []string{"inspect", "--json", filepath.Join(data, "none.exr")}}, {1, []string{"scene", "--json", broken}},
		{1, []string{"verify", "--json", "--production", "NONE", "--data", data}},
		{1, []string{"check", "--json", "--production", "NONE", "--data", data}},
		{2, []string{"explode"}}, {2, []string{"plan", "--nonsense"}}, {2, []string{"plan", "extra"}},
		{2, []string{"inspect"}}, {2, []string{"inspect", "--at", "middle", broken}},
		{0, []string{"inspect", "--json", "--at", "0,0", kept}}, {1, []string{"inspect", "--at", "99,0", kept}},
		{2, []string{"send", "--order", "sideways", "--data", data}},
		{2, []string{"send", "--at", "soon", "--data", data}}, {2, []string{"verify", "--deep=maybe"}},
		{3, []string{"scene", "--json", bare}}, {3, []string{"scene", bare}},
		{3, []string{"check", "--json", "--data", data}}, {3, []string{"inspect", "--json", broken}},
		{4, []string{"import", "--json", "--into", "SALT", "--data", data, table}},
	} {
		out, complaints, err := run(t, c.args...)
		if got := code(err); got != c.code {
			t.Errorf("%v: exit %d, want %d\n%s%s", c.args, got, c.code, out, complaints)
		}
		asJSON := strings.Contains(strings.Join(c.args, " "), "--json")
		if asJSON && !json.Valid([]byte(out)) {
			t.Errorf("%v: standard output is no JSON: %s", c.args, out)
		}
		if failed := c.code == 1 || c.code == 2; failed && complaints == "" || failed && !asJSON && out != "" {
			t.Errorf("%v: it says %q, and to standard error %q", c.args, out, complaints)
		}
	}
}

// A link that a person names is followed; a pipe is bad, and keeps nobody waiting.
func TestInspectFollowsLinksAndRefusesPipes(t *testing.T) {
	dir := t.TempDir()
	whole, link, pipe := filepath.Join(dir, "whole.png"), filepath.Join(dir, "link.png"), filepath.Join(dir, "pipe.png")
	var b bytes.Buffer
	err := errors.Join(
		png.Encode(&b, image.NewNRGBA(image.Rect(0, 0, 4, 4))), os.WriteFile(whole, b.Bytes(), 0o644),
		os.Symlink(whole, link),
	)
	if err != nil {
		t.Fatal(err)
	}
	if out, complaints, err := run(t, "inspect", link); err != nil {
		t.Errorf("a link: %v %s%s", err, out, complaints)
	}
	if out, err := exec.Command("mkfifo", pipe).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	if out, _, err := run(t, "inspect", dir); code(err) != 3 || !strings.Contains(out, "no plain file") ||
		!strings.Contains(out, "3 files, 2 good, 1 not") {
		t.Errorf("a pipe: %v %s", err, out)
	}
}

// Refused and lost, beside a server or not: what verify finds, and what it exits with.
func TestVerifyFindsWhatWasDamaged(t *testing.T) {
	data := seeded(t, func(p *production.Production) { p.Shots = p.Shots[:1] })
	if out, complaints, err := run(t, "demo", "--headless", "--data", data); err != nil {
		t.Fatalf("%v\n%s%s", err, out, complaints)
	}
	if out, _, err := run(t, "verify", "--deep", "--data", data); err != nil {
		t.Fatalf("untouched: %v\n%s", err, out)
	}
	var paths []string
	for _, path := range finished(t, data) {
		if strings.HasSuffix(path, ".exr") {
			paths = append(paths, filepath.Join(data, "output", path))
		}
	}
	whole, err := os.ReadFile(paths[0])
	if err != nil {
		t.Fatal(err)
	}
	damaged := []byte(string(whole))
	damaged[len(damaged)-7] ^= 16
	if err := os.WriteFile(paths[0], damaged, 0o644); err != nil {
		t.Fatal(err)
	}
	out, _, err := run(t, "verify", "--deep", "--json", "--data", data)
	var said struct {
		Lost []struct{ Path, Fault string }
	}
	if code(err) != 3 || json.Unmarshal([]byte(out), &said) != nil || len(said.Lost) != 1 ||
		!strings.HasSuffix(paths[0], said.Lost[0].Path) {
		t.Errorf("exit %d: %s", code(err), out)
	}
	if out, _, err := run(t, "inspect", paths[0]); code(err) != 3 || !strings.Contains(out, "BAD") {
		t.Errorf("inspect: %v %s", err, out)
	}
	if err := os.WriteFile(paths[0], whole, 0o644); err != nil {
		t.Fatal(err)
	}
	if out, _, err := run(t, "verify", "--deep", "--data", data); err != nil ||
		!strings.Contains(out, "1 frames found again") {
		t.Errorf("put back: %v\n%s", err, out)
	}
}
