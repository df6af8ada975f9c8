package pass

import (
	"encoding/json"
	"math"
	"testing"
)

// Hashes of the reference implementation of MurmurHash3 (x86, 32 bit, seed 0), as its own page of test values lists
// them, from memory; and IDs that the Cryptomatte specification gives as examples in its section on manifests, from
// memory as well.
func TestHashesOfTheReference(t *testing.T) {
	for text, want := range map[string]uint32{"": 0, "test": 0xba6bd213, "Hello, world!": 0xc0363e43,
		"The quick brown fox jumps over the lazy dog": 0x2e4ff723} {
		if got := murmur3([]byte(text)); got != want {
			t.Errorf("%q hashes to %08x, want %08x", text, got, want)
		}
	}
	for name, want := range map[string]string{"bunny": "13851a76", "default": "42c9679f"} {
		if got := IDText(name); got != want {
			t.Errorf("%s has the ID %s, want %s", name, got, want)
		}
	}
}

// No ID is a number that is none, or one so small that it is lost.
func TestIDsAreNumbers(t *testing.T) {
	for i := range 200_000 {
		v := float64(ID(string(rune('a'+i%26)) + string(rune(0x4e00+i/26))))
		if math.IsNaN(v) || math.IsInf(v, 0) || math.Abs(v) < 0x1p-126 {
			t.Fatalf("name %d has the ID %v", i, v)
		}
	}
	var back map[string]string
	if err := json.Unmarshal([]byte(Manifest([]string{"a \"b\"", "c"})), &back); err != nil ||
		back["c"] != IDText("c") ||
		len(back) != 2 {
		t.Errorf("manifest %v, %v", back, err)
	}
	p, _ := Find(CryptoObject)
	if names := p.ChannelNames(); len(names) != 12 || names[0] != "CryptoObject00.R" ||
		names[11] != "CryptoObject02.A" ||
		len(p.LayerKey()) != 7 {
		t.Errorf("channels %v, key %s", names, p.LayerKey())
	}
}
