package store

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"
)

// Whatever a text is changed to, its difference leads there.
func TestDifferencesLeadToTheText(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	text := func(n int) []byte {
		out := make([]byte, n)
		for i := range out {
			out[i] = "abcdefgh"[r.IntN(8)]
		}
		return out
	}
	for i := range 300 {
		from, to := text(r.IntN(5000)), text(r.IntN(5000))
		if i%2 == 0 && len(from) > 10 {
			at := r.IntN(len(from))
			to = append(append(bytes.Clone(from[:at]), text(r.IntN(600))...), from[min(len(from), at+r.IntN(600)):]...)
		}
		d, err := differ(from, to)
		if err != nil {
			t.Fatal(err)
		}
		got, err := patch(from, d)
		if err != nil || !bytes.Equal(got, to) {
			t.Fatalf("text %d: %v, %d bytes of %d", i, err, len(got), len(to))
		}
		packed, err := pack(to)
		if err != nil {
			t.Fatal(err)
		}
		if got, err := unpack(packed); err != nil || !bytes.Equal(got, to) {
			t.Fatalf("text %d: %v", i, err)
		}
	}
}

// film is a document of many shots.
func film(shots int) []byte {
	type shot struct {
		Code, Frames string
		Step         int
	}
	var all []shot
	for i := range shots {
		all = append(all, shot{fmt.Sprintf("%05d", 10*i), fmt.Sprintf("%d-%d", 1001+50*i, 1048+50*i), 1})
	}
	data, _ := json.Marshal(all)
	return data
}

func TestDifferencesAreSmall(t *testing.T) {
	from := film(10_000)
	for name, c := range map[string]struct {
		to   []byte
		most int
	}{
		"a letter":   {bytes.Replace(from, []byte("Code"), []byte("code"), 1), 32},
		"every shot": {bytes.ReplaceAll(from, []byte(`"Step":1`), []byte(`"Step":2`)), len(from) / 10},
	} {
		d, err := differ(from, c.to)
		if err != nil {
			t.Fatal(err)
		}
		if len(d) > c.most {
			t.Errorf("%s: %d bytes of %d", name, len(d), len(from))
		}
	}
}

func FuzzPatch(f *testing.F) {
	from := film(20)
	d, _ := differ(from, bytes.ReplaceAll(from, []byte("Step"), []byte("step")))
	f.Add(from, d)
	f.Add([]byte("abc"), []byte{1, 1, 0, 'x'})
	f.Fuzz(func(t *testing.T, from, difference []byte) {
		patch(from, difference) // damaged differences are errors
		unpack(difference)
	})
}
