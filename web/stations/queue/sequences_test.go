package queue

import (
	"testing"

	"reelhouse/core/queue"
	"reelhouse/store"
)

// Of a long batch those sequences are shown where something is happening, then those that are not done, in their order.
func TestALongQueueShowsWhatHappens(t *testing.T) {
	var all []store.Sequence
	for i, c := range []queue.Counts{{queue.Good: 4}, {queue.Ready: 4}, {queue.Good: 4},
		{queue.Rendering: 1, queue.Good: 3}, {queue.Dropped: 4}, {queue.Failed: 1, queue.Good: 3}, {queue.Held: 4}} {
		all = append(all, store.Sequence{Ordinal: i, Counts: c})
	}
	for most, want := range map[int][]int{2: {3, 5}, 3: {1, 3, 5}, 4: {1, 3, 5, 6}, 5: {0, 1, 3, 5, 6},
		7: {0, 1, 2, 3, 4, 5, 6}} {
		got := worthShowing(all, most)
		if len(got) != len(want) {
			t.Fatalf("of %d: %d are shown", most, len(got))
		}
		for i := range want {
			if got[i].Ordinal != want[i] {
				t.Errorf("of %d: place %d has sequence %d, want %d", most, i, got[i].Ordinal, want[i])
			}
		}
	}
}
