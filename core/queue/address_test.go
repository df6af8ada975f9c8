package queue

import (
	"strings"
	"testing"
)

func TestAddressesAreReadAndWritten(t *testing.T) {
	for text, want := range map[string]Address{
		"12":                     {Batch: 12},
		"12/010/quay/scope":      {Batch: 12, Shot: "010", View: "quay", Size: "scope"},
		"12/010/quay/scope/1001": {Batch: 12, Shot: "010", View: "quay", Size: "scope", Frame: 1001, Framed: true},
		"12/010/quay/scope/-3/2": {Batch: 12, Shot: "010", View: "quay", Size: "scope", Frame: -3, Framed: true,
			Tile: 2},
		"12/010/quay/scope/sums": {Batch: 12, Shot: "010", View: "quay", Size: "scope", FollowUp: "sums"},
		"12/010/quay/scope/sums/1001": {Batch: 12, Shot: "010", View: "quay", Size: "scope", FollowUp: "sums",
			Frame: 1001, Framed: true},
		"1/a b/quay/scope_2k/0":    {Batch: 1, Shot: "a b", View: "quay", Size: "scope_2k", Framed: true},
		"9007199254740993/x/y/z/1": {Batch: 9007199254740993, Shot: "x", View: "y", Size: "z", Frame: 1, Framed: true},
	} {
		a, err := ParseAddress(text)
		if err != nil || a != want || a.String() != text {
			t.Errorf("%q: %+v, %q, %v", text, a, a, err)
		}
	}
	for text, says := range map[string]string{
		"": "part 1", "x": "number of a batch", "0": "number of a batch", "-1": "number of a batch",
		"1/010":      "write BATCH",
		"1/010/quay": "write BATCH", "1/010//scope": "part 3 is to be the code of a view", "01": "part 1",
		"1/a/b/c/%x": "number of a frame", "1/a/b/c/sums/x": "number of a frame", "1/a/b/c/sums/1/2": "write BATCH",
		"1/a/b/c/+1": "number of a frame", "1/a/b/c/1/0": "number of a tile",
		"1/a/b/c/1/2/3": "write BATCH", "99999999999999999999": "part 1",
	} {
		if a, err := ParseAddress(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %+v, %v", text, a, err)
		}
	}
}

// What can be read is written the same.
func FuzzParseAddress(f *testing.F) {
	for _, text := range []string{"1", "1/a/b/c", "1/a/b/c/-1/2", "1/a/b/c/00", "1//b/c", "1/a/b/c/1/", "1/a/b/c/k/2"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if a, err := ParseAddress(text); err == nil && a.String() != text {
			t.Errorf("%q is written %q", text, a)
		}
	})
}
