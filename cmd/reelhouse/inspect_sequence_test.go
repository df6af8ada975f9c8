package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/inspect"
)

// foreign makes a sequence with a general-purpose program: a grey disc that moves over noise, 12 frames.
func foreign(t *testing.T) string {
	t.Helper()
	tool, err := exec.LookPath("oiiotool")
	if err != nil {
		t.Skip("oiiotool (Debian's openimageio-tools) is not there")
	}
	folder := t.TempDir()
	for i := range 12 {
		disc := fmt.Sprintf("%d,60,25", 30+6*i)
		out, err := exec.Command(tool, "--pattern",
			"noise:type=gaussian:mean=0.2:stddev=0.02:mono=1:seed="+fmt.Sprint(i),
			"160x120", "3", "--fill:color=0.7,0.6,0.5", fmt.Sprintf("40x40+%d+40", 10+8*i), "-d", "half", "-o",
			filepath.Join(folder, fmt.Sprintf("plate.%04d.exr", 101+i))).
			CombinedOutput()
		if err != nil {
			t.Fatalf("%s: %v\n%s", disc, err, out)
		}
	}
	return folder
}

func TestSequencesOfAnyOriginAreInspected(t *testing.T) {
	folder := foreign(t)
	path := func(number int) string { return filepath.Join(folder, fmt.Sprintf("plate.%04d.exr", number)) }
	if out, complaints, err := run(t, "inspect", "--sequence", folder); err != nil ||
		!strings.Contains(out, "12 frames 101-112, 160 x 120, B, G, R: nothing is found") {
		t.Fatalf("%v\n%s%s", err, out, complaints)
	}
	copied := func(from, to string) {
		data, err := os.ReadFile(from)
		if err == nil {
			err = os.WriteFile(to, data, 0o644)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	copied(path(104), path(105))
	if out, err := exec.Command("oiiotool", path(108), "--fill:color=0,0,0", "160x20+0+90", "-o",
		path(108)).CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	if err := os.Remove(path(110)); err != nil {
		t.Fatal(err)
	}
	if err := os.Truncate(path(112), 900); err != nil {
		t.Fatal(err)
	}
	pictures := filepath.Join(t.TempDir(), "found")
	out, _, err := run(
		t,
		"inspect",
		"--sequence",
		filepath.Join(folder, "plate.(frame:4).exr"),
		"--json",
		"--pictures",
		pictures,
		"--frames",
		"101-113",
	)
	if code(err) != 3 {
		t.Fatalf("exit %d\n%s", code(err), out)
	}
	found, err := inspect.ReadInspection(strings.NewReader(out))
	if err != nil || len(found.Sequences) != 1 {
		t.Fatalf("%+v, %v", found, err)
	}
	got := ""
	for _, f := range found.Sequences[0].Findings {
		got += fmt.Sprintf("%d %s\n", f.Frame, f.Fault)
	}
	if want := "105 repeated\n108 band\n110 missing\n112 unreadable\n113 missing\n"; got != want {
		t.Errorf("found is\n%s", got)
	}
	if made, err := filepath.Glob(filepath.Join(pictures, "*.png")); err != nil || len(made) != 2 {
		t.Errorf("pictures are %v, %v", made, err)
	}
	for _, args := range [][]string{
		{"inspect"}, {"inspect", "--sequence", folder, "more"}, {"inspect", "--sequence", folder, "--frames", "1-"},
		{"inspect", "--sequence", filepath.Join(folder, "plate.(frame:4.exr")},
	} {
		if out, complaints, err := run(t, args...); code(err) != 2 {
			t.Errorf("%v: exit %d\n%s%s", args, code(err), out, complaints)
		}
	}
	for _, args := range [][]string{
		{"inspect", "--sequence", t.TempDir()}, {"inspect", "--sequence", filepath.Join(folder, "none")},
		{"inspect", "--sequence", folder, "--pictures", pictures},
	} {
		if out, complaints, err := run(t, args...); code(err) != 1 || complaints == "" {
			t.Errorf("%v: exit %d\n%s%s", args, code(err), out, complaints)
		}
	}
}
