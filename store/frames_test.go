package store

import (
	"fmt"
	"slices"
	"testing"

	"reelhouse/core/queue"
)

func TestSomeGoodFramesAreSpreadOverAll(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{}, "1-9")
	id := b.Sequences[0].ID
	for n := 1; n <= 7; n++ {
		takes(t, s, fmt.Sprintf("1/0/quay/hd/%d", n), "ab")
	}
	all := []int{1, 2, 3, 4, 5, 6, 7}
	for most, want := range map[int][]int{0: nil, 1: {1}, 3: {1, 3, 5}, 7: all, 20: all} {
		if got, err := s.SomeGood(id, 7, most); err != nil || !slices.Equal(got, want) {
			t.Errorf("%d of them: %v, %v", most, got, err)
		}
	}
	if got, err := s.SomeGood(id, 9, 9); err != nil || len(got) != 7 { // there were more a moment ago
		t.Errorf("%v, %v", got, err)
	}
	if got, err := s.SomeGood(99, 4, 4); err != nil || len(got) != 0 {
		t.Errorf("of a sequence that is none: %v, %v", got, err)
	}
}

// A frame that gets its row while it is looked at is found all the same.
func TestAFrameIsFoundWhileItIsTaken(t *testing.T) {
	s := open(t)
	id := send(t, s, 0, 1, "1001-1300").Sequences[0].ID
	taken := make(chan error, 1)
	go func() {
		for range 300 {
			if _, err := s.Lease("a"); err != nil {
				taken <- err
				return
			}
		}
		taken <- nil
	}()
	for number := 1001; number <= 1300; {
		f, err := s.Frame(id, number)
		if err != nil {
			t.Fatal(err)
		}
		if f.State == queue.Rendering {
			number++
		}
	}
	if err := <-taken; err != nil {
		t.Fatal(err)
	}
}
