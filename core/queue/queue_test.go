package queue

import (
	"slices"
	"testing"
	"time"
)

var events = []Event{
	Unblocked, Cut, Stuck, Leased, Rendered, Accepted, Broken, GivenUp, Vanished, Refused, Missed, Found, Waits,
	Stopped, Hold,
	Release, Retry, Drop,
}

// Only that a file of it is missed changes a good frame, and no person can say that.
func TestAGoodFrameStaysGood(t *testing.T) {
	for _, e := range events {
		if next, err := Good.Next(e); e != Missed && (err == nil || next != Good) {
			t.Errorf("%s made a good frame %s", e, next)
		}
	}
	if next, err := Good.Next(Missed); err != nil || next != Lost || Missed.Persons() {
		t.Errorf("a frame whose file is missed is %s, %v", next, err)
	}
}

// What a person asks for never makes a frame good, nor gives it to a node.
func TestNoPersonMakesAFrameGood(t *testing.T) {
	for _, s := range States() {
		for _, e := range PersonsEvents() {
			if next, err := s.Next(e); err == nil && (next == Good || next.Busy()) {
				t.Errorf("%s of %s gave %s", e, s, next)
			}
		}
	}
}

func TestABrokenFrameIsTriedAgainUntilItIsGivenUp(t *testing.T) {
	for event, want := range map[Event]State{Broken: Ready, GivenUp: Failed} {
		for _, busy := range []State{Rendering, Checking} {
			if got, err := busy.Next(event); err != nil || got != want {
				t.Errorf("%s, %s: %s, %v, want %s", busy, event, got, err, want)
			}
		}
	}
}

func TestTheWayOfAFrame(t *testing.T) {
	s := Blocked
	for _, step := range []struct {
		event Event
		want  State
	}{{Unblocked, Ready}, {Leased, Rendering}, {Vanished, Ready}, {Hold, Held}, {Release, Ready}, {Leased, Rendering},
		{Rendered, Checking}, {Accepted, Good}} {
		next, err := s.Next(step.event)
		if err != nil || next != step.want {
			t.Fatalf("%s of %s: %s, %v", step.event, s, next, err)
		}
		s = next
	}
}

// A frame in tiles waits for them, and is put together then; if one of them is given up, so is the frame, until
// somebody tries again.
func TestTheWayOfAFrameInTiles(t *testing.T) {
	s := Ready
	for _, step := range []struct {
		event Event
		want  State
	}{{Cut, Blocked}, {Stuck, Failed}, {Retry, Ready}, {Cut, Blocked}, {Hold, Held}, {Release, Ready}, {Cut, Blocked},
		{Unblocked, Ready}, {Leased, Rendering}, {Rendered, Checking}, {Accepted, Good}} {
		next, err := s.Next(step.event)
		if err != nil || next != step.want {
			t.Fatalf("%s of %s: %s, %v", step.event, s, next, err)
		}
		s = next
	}
}

func TestEveryStateHasAWayOutAndWrongEventsChangeNothing(t *testing.T) {
	for _, s := range States() {
		ways := 0
		for _, e := range events {
			next, err := s.Next(e)
			if err != nil && next != s {
				t.Errorf("%s of %s failed and changed it to %s", e, s, next)
			}
			if err == nil {
				ways++
			}
		}
		if ways == 0 {
			t.Errorf("%s has %d ways out", s, ways)
		}
	}
	if !slices.Contains(Hold.From(), Rendering) || slices.Contains(Retry.From(), Good) {
		t.Errorf("hold from %v, retry from %v", Hold.From(), Retry.From())
	}
}

func TestPriorityThenAge(t *testing.T) {
	turns := []Turn{
		{0, 1, 1, 0, 5, 0},
		{5, 2, 0, 0, 1, 0},
		{0, 1, 0, 0, 4, 2},
		{0, 1, 0, 0, 4, 0},
		{5, 3, 0, 0, 0, 0},
		{0, 1, 0, 1, 1, 0},
	}
	slices.SortFunc(turns, Turn.Compare)
	want := []Turn{
		{5, 2, 0, 0, 1, 0},
		{5, 3, 0, 0, 0, 0},
		{0, 1, 0, 0, 4, 0},
		{0, 1, 0, 0, 4, 2},
		{0, 1, 0, 1, 1, 0},
		{0, 1, 1, 0, 5, 0},
	}
	if !slices.Equal(turns, want) {
		t.Errorf("got %v", turns)
	}
}

// 4 sequences x 120 frames at 2 s a frame take 16 min.
func TestRemainingWorkedValue(t *testing.T) {
	if d, ok := Remaining(480, 2, 1); !ok || d != 16*time.Minute {
		t.Errorf("got %v", d)
	}
	if _, ok := Remaining(480, 0, 1); ok {
		t.Error("a forecast came from nothing")
	}
}
