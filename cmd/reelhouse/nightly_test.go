package main

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"reelhouse/core/queue"
	"reelhouse/farm"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

func TestTheNightBeginsNextTimeItIsThatLate(t *testing.T) {
	day := time.Date(2026, 2, 28, 2, 30, 0, 0, time.UTC)
	for at, want := range map[time.Duration]time.Time{
		-time.Hour: day, -time.Second: day, 0: day.AddDate(0, 0, 1), time.Minute: day.AddDate(0, 0, 1),
	} {
		if got := (nightly{At: "02:30"}).next(day.Add(at)); !got.Equal(want) {
			t.Errorf("%v: %v", at, got)
		}
	}
}

func TestAWrongNightIsRefused(t *testing.T) {
	for text, says := range map[string]string{
		`{"verify": {"at": "25:00"}}`: "no time of the day",
		`{"verify": {}}`:              "no time of the day",
		`{"verify": {"at": "02:30", "megabytesPerSecond": -1}}`: "lies above 0",
		`{"verify": {"at": "02:30", "every": "day"}}`:           "unknown field",
	} {
		path := filepath.Join(t.TempDir(), "config.json")
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		_, err := serverFlags{config: path}.configuration()
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", text, err)
		}
	}
}

// By night a flipped bit is found, though the file is as long as it was.
func TestWhatIsLostIsFoundByNight(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	l, err := h.Record.Lease("hand")
	if err != nil {
		t.Fatal(err)
	}
	name := l.Sequence.Spec.Files[0].Path.Frame(1001)
	path := filepath.Join(h.Output(), name)
	content := []byte(strings.Repeat("light ", 1000))
	sum := sha256.Sum256(content)
	content[3000] ^= 1
	err = errors.Join(
		os.MkdirAll(filepath.Dir(path), 0o755),
		os.WriteFile(path, content, 0o644),
		h.Record.Check(l),
		h.Record.Accept(l, 1, []store.File{
			{Path: name, Bytes: int64(len(content)), SHA256: hex.EncodeToString(sum[:])},
		}, "by hand"),
	)
	if err != nil {
		t.Fatal(err)
	}
	hub := farm.NewHub()
	changed, end := hub.Listen()
	defer end()
	nightly{At: "02:30", MegabytesPerSecond: 1000}.verify(t.Context(), h, hub, slog.New(slog.DiscardHandler))
	f, err := h.Record.Frame(l.SequenceID, 1001)
	if err != nil || f.State != queue.Lost {
		t.Errorf("%+v, %v", f, err)
	}
	<-changed // everybody was told
}
