package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/mhl"
)

// A folder with a hash list, one byte changed, one file gone, one added: all three are named, on a machine without a
// data folder.
func TestAFolderIsVerifiedByItsManifest(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "ferry")
	for _, name := range []string{"020/a.exr", "020/b.exr", "notes.txt"} {
		path := filepath.Join(folder, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(strings.Repeat(name, 9000)), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if _, complaints, err := run(t, "verify", folder); code(err) != 1 ||
		!strings.Contains(complaints, "no hash lists") {
		t.Errorf("without one: %v, %s", err, complaints)
	}
	for i := range 2 {
		out, complaints, err := run(t, "manifest", folder, "--hash", []string{"xxh128", "sha1"}[i], "--author", "Ann")
		if err != nil || !strings.Contains(out, ": 3 files, ") {
			t.Fatalf("%v\n%s%s", err, out, complaints)
		}
	}
	if out, complaints, err := run(t, "verify", folder); err != nil ||
		!strings.Contains(out, "complete and unchanged") {
		t.Fatalf("%v\n%s%s", err, out, complaints)
	}
	data, err := os.ReadFile(filepath.Join(folder, "020/a.exr"))
	if err != nil {
		t.Fatal(err)
	}
	data[len(data)/2] ^= 1
	for _, err := range []error{
		os.WriteFile(filepath.Join(folder, "020/a.exr"), data, 0o644), os.Remove(filepath.Join(folder, "020/b.exr")),
		os.WriteFile(filepath.Join(folder, "020/c.exr"), data, 0o644),
	} {
		if err != nil {
			t.Fatal(err)
		}
	}
	out, _, err := run(t, "verify", folder, "--json")
	var r mhl.Report
	if code(err) != 3 || json.Unmarshal([]byte(out), &r) != nil || r.Generations != 2 {
		t.Fatalf("%v\n%s", err, out)
	}
	var got []string
	for _, f := range r.Wrong {
		got = append(got, string(f.Kind)+" "+f.Path)
	}
	if want := []string{"changed 020/a.exr", "missing 020/b.exr", "new 020/c.exr"}; !slices.Equal(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
	if out, _, err := run(t, "manifest", folder); code(err) != 3 || !strings.Contains(out, "changed  020/a.exr") {
		t.Errorf("sealed all the same: %v\n%s", err, out)
	}
	for _, args := range [][]string{
		{"manifest", folder, "--hash", "crc"}, {"verify", folder, "--deep"}, {"manifest"}, {"verify", folder, folder},
	} {
		if _, complaints, err := run(t, args...); code(err) != 2 {
			t.Errorf("%v: %v, %s", args, err, complaints)
		}
	}
}
