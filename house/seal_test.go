package house_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"reelhouse/core/mhl"
	"reelhouse/house"
)

// A list that a seal has written and not come to name in the chain is written anew by the next, the first of a folder
// as well as a later; one that no seal has left stays, and lets nothing be added, and so does one that was changed.
func TestASealThatWasInterruptedIsDoneAgain(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "ferry")
	at := time.Date(2026, 11, 29, 9, 0, 0, 0, time.UTC)
	seal := func() (string, error) {
		t.Helper()
		at = at.Add(time.Minute)
		how := mhl.Making{Format: mhl.XXH64, Created: at, Tool: "reelhouse", Process: "in-place"}
		name, _, _, err := house.SealFolder(t.Context(), folder, how, nil)
		return name, err
	}
	check := func() mhl.Report {
		t.Helper()
		r, err := mhl.Check(t.Context(), os.DirFS(folder), nil)
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(folder, "a"), []byte("one"), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := seal(); err != nil {
		t.Fatal(err)
	}
	chain := filepath.Join(folder, mhl.Dir, mhl.ChainName)
	if err := os.Rename(chain, chain+house.PartMark); err != nil { // as if the machine had stopped just before
		t.Fatal(err)
	}
	if _, err := seal(); err != nil {
		t.Fatal(err)
	}
	if r := check(); !r.Clean() || r.Generations != 1 {
		t.Fatalf("the first list of a folder was interrupted: %+v", r)
	}
	before, err := os.ReadFile(chain)
	if err != nil {
		t.Fatal(err)
	}
	second, err := seal()
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Rename(chain, chain+house.PartMark); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(chain, before, 0o644); err != nil { // as if it had stopped just before the second
		t.Fatal(err)
	}
	if r := check(); len(r.Wrong) != 1 || r.Wrong[0].Path != mhl.Dir+"/"+second {
		t.Fatalf("%+v", r)
	}
	if _, err := seal(); err != nil {
		t.Fatal(err)
	}
	if r := check(); !r.Clean() || r.Generations != 2 {
		t.Fatalf("%+v", r)
	}
	if err := os.Rename(chain, chain+".away"); err != nil { // somebody has lost the chain
		t.Fatal(err)
	}
	if _, err := seal(); err == nil || !strings.Contains(err.Error(), "nothing was added") {
		t.Errorf("over lists without a chain: %v", err)
	}
	if lists, _ := filepath.Glob(filepath.Join(folder, mhl.Dir, "*.mhl")); len(lists) != 2 {
		t.Errorf("lists that nobody had interrupted are gone: %v", lists)
	}
	if err := os.Rename(chain+".away", chain); err != nil {
		t.Fatal(err)
	}
	lists, err := filepath.Glob(filepath.Join(folder, mhl.Dir, "0001_*"))
	if err != nil || len(lists) != 1 {
		t.Fatal(lists, err)
	}
	if err := os.WriteFile(lists[0], []byte("<hashlist/>"), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := seal(); err == nil || !strings.Contains(err.Error(), "nothing was added") {
		t.Errorf("over a list that was changed: %v", err)
	}
}
