package housetest

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"testing"

	"reelhouse/house"
	"reelhouse/store"
)

// FinishAll makes all frames good that are ready, each with a first file of its own of about so many bytes, which no
// renderer has written.
func FinishAll(t testing.TB, h *house.House, size int) {
	t.Helper()
	finish(t, h, func(l *store.Lease) []byte {
		path := l.Sequence.Spec.Files[0].Path.Frame(l.Number)
		return bytes.Repeat([]byte(path), 1+size/len(path))
	})
}

// finish makes all frames good that are ready, each with a first file of what make returns.
func finish(t testing.TB, h *house.House, make func(l *store.Lease) []byte) {
	t.Helper()
	for {
		l, err := h.Record.Lease("hand")
		if err != nil {
			t.Fatal(err)
		}
		if l == nil {
			return
		}
		path := l.Sequence.Spec.Files[0].Path.Frame(l.Number)
		data := make(l)
		full := filepath.Join(h.Output(), path)
		sum, err := house.SumOf(bytes.NewReader(data))
		sum.Path = path
		if err := errors.Join(
			err, os.MkdirAll(filepath.Dir(full), 0o755), os.WriteFile(full, data, 0o644), h.Record.Check(l),
		); err != nil {
			t.Fatal(err)
		}
		if err := h.Record.Accept(l, 1, []store.File{sum}, "by hand"); err != nil {
			t.Fatal(err)
		}
	}
}
