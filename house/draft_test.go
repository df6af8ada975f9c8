package house

import (
	"testing"
	"time"
)

// What is worked out quickly is worked out whenever anything has changed; what takes long stays for a few times as
// long.
func TestOnlySlowDraftsAreKeptThoughFramesBecomeGood(t *testing.T) {
	began := time.Date(2026, 11, 25, 22, 0, 0, 0, time.UTC)
	for took, want := range map[time.Duration]time.Duration{5 * time.Millisecond: 0, slowDraft: 0,
		2 * time.Second: 10 * time.Second} {
		if ended := began.Add(took); patience(began, ended) != ended.Add(want) {
			t.Errorf("a draft that took %v counts until %v", took, patience(began, ended))
		}
	}
}
