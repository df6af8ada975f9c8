package house_test

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/house"
	"reelhouse/house/housetest"
)

// What the first reader refuses, or breaks at, is not read by the server, and leaves nothing behind.
func TestHungryScenesDoNotReachTheServer(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	before, _ := filepath.Glob(filepath.Join(h.Dir, "*", "*"))
	var kinds []house.Admission
	h.Admit = func(kind house.Admission, path string) error {
		kinds = append(kinds, kind)
		if data, err := os.ReadFile(path); err != nil || !strings.Contains(string(data), "anything") {
			t.Errorf("it was given %q, %v", data, err)
		}
		return errors.New("reading it takes more than it may")
	}
	_, _, err := h.BringScene("hungry.glb", strings.NewReader("anything"))
	_, around := h.BringEnvironment("hungry.hdr", strings.NewReader("anything"))
	for _, err := range []error{err, around} {
		if err == nil || !strings.Contains(err.Error(), "takes more than it may") {
			t.Errorf("it was taken in: %v", err)
		}
	}
	if len(kinds) != 2 || kinds[0] != house.AdmitScene || kinds[1] != house.AdmitEnvironment {
		t.Errorf("read first were %v", kinds)
	}
	if after, _ := filepath.Glob(filepath.Join(h.Dir, "*", "*")); len(after) != len(before) {
		t.Errorf("left are %v", after)
	}
}
