package waiting

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"testing"
	"testing/synctest"
)

// Forty that went away leave nothing to do, and the newest of those who wait is served first.
func TestTheNewestIsServedFirstAndNobodyElseIsWaitedFor(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		line := NewLine(1)
		if err := line.Take(t.Context()); err != nil {
			t.Fatal(err)
		}
		var served []int
		var group sync.WaitGroup
		gone, leave := context.WithCancel(t.Context())
		for i := range 43 {
			ctx := gone
			if i >= 40 {
				ctx = t.Context()
			}
			group.Go(func() {
				if line.Take(ctx) == nil {
					served = append(served, i)
					line.Leave()
				}
			})
			synctest.Wait()
		}
		leave()
		synctest.Wait()
		line.Leave()
		group.Wait()
		if !slices.Equal(served, []int{42, 41, 40}) {
			t.Errorf("served were %v", served)
		}
		if line.Take(t.Context()) != nil || line.free != 0 {
			t.Error("a turn was lost")
		}
	})
}

func TestThoseWhoWantTheSameShareIt(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s := NewShelf[string](2, 0, nil)
		made := 0
		release := make(chan struct{})
		var group sync.WaitGroup
		for range 5 {
			group.Go(func() {
				got, err := s.Get(t.Context(), "a", func(context.Context) (string, error) {
					made++
					<-release
					return "thing", nil
				})
				if got != "thing" || err != nil {
					t.Errorf("%q, %v", got, err)
				}
			})
		}
		synctest.Wait()
		close(release)
		group.Wait()
		if got, err := s.Get(t.Context(), "a", nil); got != "thing" || err != nil || made != 1 {
			t.Errorf("%q, %v, made %d times", got, err, made)
		}
	})
}

// What the last one has gone away from ends; while somebody waits, it goes on.
func TestWorkEndsWithTheLastWhoWaits(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s := NewShelf[int](2, 0, nil)
		ended := false
		work := func(ctx context.Context) (int, error) {
			<-ctx.Done()
			ended = true
			return 0, ctx.Err()
		}
		var leave [2]context.CancelFunc
		for i := range leave {
			ctx, cancel := context.WithCancel(t.Context())
			leave[i] = cancel
			go s.Get(ctx, "a", work)
		}
		synctest.Wait()
		leave[0]()
		synctest.Wait()
		if ended {
			t.Error("it ended while somebody waited")
		}
		leave[1]()
		synctest.Wait()
		if !ended {
			t.Error("it goes on though nobody waits")
		}
		if got, err := s.Get(t.Context(), "a", func(context.Context) (int, error) { return 7, nil }); got != 7 ||
			err != nil {
			t.Errorf("begun anew: %d, %v", got, err)
		}
	})
}

func TestAShelfIsBounded(t *testing.T) {
	s := NewShelf(3, 100, func(n int64) int64 { return n })
	put := func(n int64) {
		if _, err := s.Get(t.Context(), fmt.Sprint(n),
			func(context.Context) (int64, error) { return n, nil }); err != nil {
			t.Fatal(err)
		}
	}
	for _, n := range []int64{10, 20, 30, 40, 90, 500} {
		put(n)
		if len(s.kept) > 3 || s.bytes > 100 && len(s.kept) > 1 {
			t.Errorf("after %d: %+v, %d bytes", n, s.kept, s.bytes)
		}
	}
	_, err := s.Get(t.Context(), "bad", func(context.Context) (int64, error) { panic("no light") })
	if err == nil {
		t.Error("a panic was kept")
	}
	_, err = s.Get(t.Context(), "worse", func(context.Context) (int64, error) { return 0, errors.New("no") })
	if err == nil || len(s.kept) != 1 {
		t.Errorf("%v, %+v", err, s.kept)
	}
}
