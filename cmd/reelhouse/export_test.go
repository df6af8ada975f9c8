package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/store"
)

// The command line does what the pages do: standards go out as a file and come in again, into another house,
// and `plan` follows them.
func TestStandardsTravelByTheCommandLine(t *testing.T) {
	data := seeded(t, func(p *production.Production) { p.Handles = 4 })
	file := filepath.Join(t.TempDir(), "standards.json")
	if out, complaints, err := run(t, "export", file, "--data", data, "--name", "Ferry standards"); err != nil {
		t.Fatalf("%v\n%s%s", err, out, complaints)
	}
	if out, _, err := run(t, "export", "--data", data, "--output", "review"); err != nil ||
		!strings.Contains(out, `"kind": "output"`) {
		t.Errorf("an output to standard output: %v\n%s", err, out)
	}
	other := t.TempDir()
	h, err := house.Open(other, false)
	if err != nil {
		t.Fatal(err)
	}
	if err := h.Record.Create(production.New("REED", "Another"), store.Author{}); err != nil {
		t.Fatal(err)
	}
	if err := h.Close(); err != nil {
		t.Fatal(err)
	}
	if out, complaints, err := run(t, "import", file, "--data", other, "--into", "REED"); err != nil ||
		!strings.Contains(out, "given to REED") ||
		!strings.Contains(out, "to fix: scene") {
		t.Fatalf("%v\n%s%s", err, out, complaints)
	}
	if h, err = house.Open(other, true); err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	p, err := h.Record.Production("REED")
	if err != nil || p.Handles != 4 || len(p.Sizes) != 4 || p.Preset != "Ferry standards" {
		t.Errorf("%+v, %v", p.Standards, err)
	}
	if r, err := h.Record.Undo("REED", p.Number, store.Author{}); err != nil || r.Handles != 0 {
		t.Errorf("undo: %v", err)
	}
	if saved, err := h.Record.Preset(preset.Standards, "Ferry standards"); err != nil || saved.Standards.Handles != 4 {
		t.Errorf("%v", err)
	}
	// The plan of the first house has the handles: 48 frames and 4 on each side.
	rows, _ := planned(t, data)
	if rows[0].Count != 56 || rows[0].Output != "master" || rows[1].Output != "review" || rows[1].Format != "png" {
		t.Errorf("%+v", rows[:2])
	}
}

func TestExportAndImportSayWhatIsWrong(t *testing.T) {
	data := seeded(t, nil)
	dir := t.TempDir()
	there := filepath.Join(dir, "there.json")
	broken := filepath.Join(dir, "broken.json")
	if err := os.WriteFile(there, []byte("precious"), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(broken, []byte("{\n\"format\": 3}"), 0o644); err != nil {
		t.Fatal(err)
	}
	good := filepath.Join(dir, "good.json")
	if out, complaints, err := run(t, "export", good, "--data", data, "--name", "Harbour films"); err != nil {
		t.Fatalf("%v\n%s%s", err, out, complaints)
	}
	for name, c := range map[string]struct {
		args []string
		says string
	}{
		"file exists":   {[]string{"export", there, "--data", data}, "exists already"},
		"no output":     {[]string{"export", "--data", data, "--output", "none"}, `no output "none"`},
		"no preset":     {[]string{"export", "--data", data, "--preset", "none"}, "not found"},
		"broken":        {[]string{"import", broken, "--data", data}, "line 2"},
		"no file":       {[]string{"import", filepath.Join(dir, "none"), "--data", data}, "no such file"},
		"taken":         {[]string{"import", good, "--data", data}, "--replace"},
		"no such house": {[]string{"import", good, "--data", filepath.Join(dir, "none")}, "no Reelhouse data"},
		"nobody":        {[]string{"import", good, "--data", data, "--replace", "--into", "NONE"}, "not found"},
	} {
		if out, complaints, err := run(t, c.args...); err == nil || !strings.Contains(out+complaints, c.says) {
			t.Errorf("%s: %v\n%s%s", name, err, out, complaints)
		}
	}
	if text, _ := os.ReadFile(there); string(text) != "precious" {
		t.Error("a file was overwritten")
	}
}
