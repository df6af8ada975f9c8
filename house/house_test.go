package house_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/preflight"
	"reelhouse/house"
	"reelhouse/house/housetest"
)

func TestOnlyOneServerOpensAFolder(t *testing.T) {
	dir := t.TempDir()
	first, err := house.Open(dir, false)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := house.Open(dir, false); err == nil || !strings.Contains(err.Error(), "in use by another") {
		t.Errorf("a second server: %v", err)
	}
	reader, err := house.Open(dir, true)
	if err != nil {
		t.Errorf("reading beside it: %v", err)
	} else {
		reader.Close()
	}
	first.Close()
	again, err := house.Open(dir, false)
	if err != nil {
		t.Fatal(err)
	}
	again.Close()
	if _, err := house.Open(filepath.Join(dir, "nothing"), true); err == nil {
		t.Error("a folder that is none was read")
	}
}

func TestABrokenSceneLeavesNothing(t *testing.T) {
	h, err := house.Open(t.TempDir(), false)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	if _, _, err := h.Assets.ImportScene("bad.glb", strings.NewReader("glTF, or not")); err == nil {
		t.Error("it was taken in")
	}
	if left, _ := os.ReadDir(filepath.Join(h.Dir, "scenes")); len(left) != 0 {
		t.Errorf("%d files were left", len(left))
	}
}

func TestWhatWasSentIsRefusedTheSecondTime(t *testing.T) {
	h, b := housetest.New(t, "1001-1003")
	p, err := h.Record.Production(b.Plan.Production)
	if err != nil {
		t.Fatal(err)
	}
	d, err := h.Draft(p.Production)
	if err != nil || d.Sendable(false) || d.Findings[0].Fix != preflight.NextVersion {
		t.Errorf("%+v, %v", d.Findings, err)
	}
	if _, err := h.SendDraft(p.Production, house.Sending{}); err == nil {
		t.Error("it was sent again")
	}
	p.Version++
	if _, err := h.SendDraft(p.Production, house.Sending{}); err != nil {
		t.Errorf("the next version: %v", err)
	}
}

func TestWhatWasComingInIsSweptAway(t *testing.T) {
	dir := t.TempDir()
	h, err := house.Open(dir, false)
	if err != nil {
		t.Fatal(err)
	}
	kept := filepath.Join(dir, "environments", "kept.exr")
	for _, path := range []string{kept, filepath.Join(dir, "scenes", ".incoming-1"),
		filepath.Join(dir, "environments", ".incoming-2")} {
		if err := os.WriteFile(path, []byte("x"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	h.Close()
	if h, err = house.Open(dir, false); err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	left, _ := filepath.Glob(filepath.Join(dir, "*", ".incoming-*"))
	if _, err := os.Stat(kept); err != nil || len(left) > 0 {
		t.Errorf("left are %v; what was kept: %v", left, err)
	}
}
