// Package queue says what may happen to a frame, and which frame is next. It is a pure state machine:
// the store keeps the states, the farm reports the events.
//
// A frame may be rendered in tiles, which are steps of their own and go through the same states; of these a person's
// events are for frames only. Putting it together is the step of the frame: it waits, blocked, until all of its tiles
// are good.
//
// What follows rendering is tasks that go through the same states. They wait, blocked, until what they are made from is
// good; made from other files than there are now they are out of date, and only such a task, or one that a person wants
// again, leaves the state good for another one than lost.
//
// A frame that is good stays good whatever happens to the rest. Only its own files can be missed: then it is lost,
// until they are found again as they were, or it is rendered again.
package queue

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"
)

// A State is where a frame stands.
type State string

// The states.
const (
	Blocked   State = "blocked"   // waits for something else
	Ready     State = "ready"     // may be taken by a node
	Rendering State = "rendering" // a node is at it
	Checking  State = "checking"  // its files are written and being judged
	Good      State = "good"      // its files are complete and in place
	Lost      State = "lost"      // was good; a file of it is gone or has changed
	Failed    State = "failed"    // given up; the reason is kept
	Held      State = "held"      // by a person
	Dropped   State = "dropped"   // left out by a person
)

// States returns all states in the order in which they are shown.
func States() []State {
	return []State{Good, Checking, Rendering, Ready, Held, Blocked, Lost, Failed, Dropped}
}

// Busy reports whether a node has the frame.
func (s State) Busy() bool { return s == Rendering || s == Checking }

// Settled reports whether nothing more will happen to the frame by itself.
func (s State) Settled() bool { return s == Good || s == Lost || s == Failed || s == Dropped }

// An Event is what happens to a frame.
type Event string

// The events. Those from Hold on are a person's.
const (
	Unblocked Event = "unblocked" // what it waited for has come
	Cut       Event = "cut"       // its tiles are to be rendered first, and it waits for them
	Stuck     Event = "stuck"     // what it waits for was given up
	Leased    Event = "leased"    // a node took it
	Rendered  Event = "rendered"  // the renderer ended well
	Accepted  Event = "accepted"  // its files were judged good
	Broken    Event = "broken"    // the renderer or the judge found a fault, and it is tried again
	GivenUp   Event = "given up"  // likewise, and it was tried often enough
	Vanished  Event = "vanished"  // the node, or this server, went away
	Refused   Event = "refused"   // something else stands where its files belong, so that trying again does not help
	Missed    Event = "missed"    // one of its files is not what was judged
	Found     Event = "found"     // all of its files are what was judged, after all
	Waits     Event = "waits"     // it is taken up, and its batch has to wait
	Outdone   Event = "outdone"   // it is to be made again, from inputs that are other ones now
	Stopped   Event = "stopped"   // many attempts of its batch have ended alike
	Hold      Event = "hold"
	Release   Event = "release"
	Retry     Event = "retry"
	Drop      Event = "drop"
)

// PersonsEvents returns what a person may ask for.
func PersonsEvents() []Event { return []Event{Hold, Release, Retry, Drop} }

// Persons reports whether a person may ask for the event.
func (e Event) Persons() bool { return slices.Contains(PersonsEvents(), e) }

// AlikeInARow is how many attempts of a batch may end for the same reason, one after the other, before what is left of
// it is held: it is more than two frames take to fail, and fewer than a night of failures.
const AlikeInARow = 7

var transitions = map[State]map[Event]State{
	Blocked: {Unblocked: Ready, Stuck: Failed, Stopped: Held, Hold: Held, Drop: Dropped},
	Ready:   {Leased: Rendering, Cut: Blocked, Waits: Blocked, Stopped: Held, Hold: Held, Drop: Dropped},
	Rendering: {
		Rendered: Checking,
		Broken:   Ready,
		Vanished: Ready,
		Waits:    Blocked,
		GivenUp:  Failed,
		Refused:  Failed,
		Stopped:  Held,
		Hold:     Held,
		Drop:     Dropped,
	},
	Checking: {
		Accepted: Good,
		Broken:   Ready,
		Vanished: Ready,
		GivenUp:  Failed,
		Refused:  Failed,
		Stopped:  Held,
		Hold:     Held,
		Drop:     Dropped,
	},
	Failed:  {Retry: Ready, Waits: Blocked, Drop: Dropped},
	Lost:    {Found: Good, Retry: Ready, Waits: Blocked, Drop: Dropped},
	Held:    {Release: Ready, Waits: Blocked, Drop: Dropped},
	Dropped: {Retry: Ready, Waits: Blocked},
	Good:    {Missed: Lost, Outdone: Ready},
}

// Next returns the state after an event. An event that the state does not allow is an error, and changes nothing.
func (s State) Next(e Event) (State, error) {
	if next, ok := transitions[s][e]; ok {
		return next, nil
	}
	return s, &StateError{s, e}
}

// A StateError says that an event does not happen in a state.
type StateError struct {
	State State
	Event Event
}

func (e *StateError) Error() string {
	return fmt.Sprintf("a frame that is %s cannot be %s", e.State, e.Event.past())
}

func (e Event) past() string {
	switch e {
	case Hold:
		return "held"
	case Release:
		return "released"
	case Retry:
		return "tried again"
	case Drop:
		return "dropped"
	}
	return string(e)
}

// From returns the states in which a person's event is possible.
func (e Event) From() []State {
	var from []State
	for _, s := range States() {
		if _, ok := transitions[s][e]; ok {
			from = append(from, s)
		}
	}
	return from
}

// A Turn is what decides when a ready frame is taken.
type Turn struct {
	Priority int   // of the batch; higher first
	Batch    int64 // in order of sending; older first
	Wave     int   // of the frame; all frames of a batch in one wave come before those of the next
	Sequence int   // place in the batch
	Frame    int   // turn in the sequence
	Tile     int   // of the frame; 0 for the frame itself
}

// Compare orders turns: negative if t comes before u.
func (t Turn) Compare(u Turn) int {
	return cmp.Or(
		cmp.Compare(u.Priority, t.Priority), cmp.Compare(t.Batch, u.Batch), cmp.Compare(t.Wave, u.Wave),
		cmp.Compare(t.Sequence, u.Sequence), cmp.Compare(t.Frame, u.Frame), cmp.Compare(t.Tile, u.Tile),
	)
}

// Counts is how many frames are in each state.
type Counts map[State]int

// Total returns the number of all frames.
func (c Counts) Total() int {
	n := 0
	for _, k := range c {
		n += k
	}
	return n
}

// Left returns how many frames are still to be rendered without anybody's doing.
func (c Counts) Left() int { return c[Ready] + c[Rendering] + c[Checking] + c[Blocked] }

// Remaining returns how long the frames that are left will take, when the finished ones took meanSeconds
// each and atATime are rendered side by side; false if none has finished yet.
func Remaining(left int, meanSeconds float64, atATime int) (time.Duration, bool) {
	if meanSeconds <= 0 {
		return 0, false
	}
	return time.Duration(float64(left) * meanSeconds / float64(max(1, atATime)) * float64(time.Second)), true
}

// longestKind is how much of a reason tells its kind, in bytes.
const longestKind = 200

// Kind returns what is the same in reasons that differ only in numbers and names of files, such as that of the frame.
func Kind(reason string) string {
	var kind strings.Builder
	for word := range strings.FieldsSeq(reason) {
		if strings.ContainsAny(word, "0123456789/\\") {
			word = "#"
		}
		if kind.Len()+len(word) > longestKind {
			break
		}
		kind.WriteString(word + " ")
	}
	return kind.String()
}
