package queue

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// shownBatch is a batch as it stands; its sequences and failures only if it is opened.
type shownBatch struct {
	store.Batch
	Page       string // code of the production whose page it is on
	Place      int    // in the order of turns, from 1; 0 for a finished one
	Opened     bool
	Percent    int
	Left       string
	Behind     string // what comes before it, "" for nothing
	Lacks      string // why no node can take its tasks now, "" if one can
	Sequences  []shownSequence
	FollowUps  []shownFollowUp
	Following  int          // follow-ups that are not shown
	Profile    *kit.Profile // of its sequences, or of the one that is shown alone; nil for none
	Hidden     int          // sequences that are not shown
	Alone      bool         // one sequence was asked for
	Failures   []shownFailure
	Actions    []kit.Action
	Prioritise kit.Edit // sets its priority
	Reorder    kit.Edit // sets the order of its frames
	Orders     []orderChoice
	Needs      kit.Edit // sets what its tasks need
	Common     string   // what people say that all of its tasks need, "" for nothing
	Various    bool     // they say different things of its sequences
}

// An orderChoice is an order in which frames of a batch may come.
type orderChoice struct {
	plan.Order
	Chosen bool
}

// orders returns the orders of frames, that of a batch chosen.
func (a *page) orders(batch int64) ([]orderChoice, error) {
	now, err := a.House.Record.FrameOrder(batch)
	if err != nil {
		return nil, err
	}
	var all []orderChoice
	for _, o := range plan.Orders() {
		all = append(all, orderChoice{o, o == now})
	}
	return all, nil
}

// Code is the production that it is of.
func (b shownBatch) Code() string { return b.Plan.Production }

// Address is that of the page with the batch opened.
func (b shownBatch) Address() string { return fmt.Sprintf("/p/%s/queue?open=%d", b.Page, b.ID) }

type shownSequence struct {
	store.Sequence
	Strip   kit.Strip
	Alone   string // address at which it is shown alone
	Total   int
	Actions []kit.Action
	Screen  string // address at which it is looked at, "" while nothing is good
	Waiting string // the frames that wait for their tiles, "" for none
	Gate    string // what it waits for at a gate, "" for nothing
	Needs   needsField
	Minutes string // what its frames have taken, "" for nothing yet
}

// needsField is what tasks of a sequence need, and what they need usually.
type needsField struct {
	ID, Value, Usual string
	Edit             kit.Edit
}

// A shownFailure is frames that have failed for one kind of reason.
type shownFailure struct {
	store.Failure
	State string
	First []shownTask // some of them
	More  int
	Retry kit.Action
}

// A shownTask is a frame by its address, and where its side sheet is.
type shownTask struct{ Address, Link string }

// How much of a batch is shown, and up to how many frames single ones are drawn.
const (
	mostCells     = 1500
	mostSequences = 40
	mostTasks     = 6 // of one reason
)

// possible returns what a person may ask for when frames are in these states.
func possible(c queue.Counts) []queue.Event {
	var events []queue.Event
	for _, e := range queue.PersonsEvents() {
		for _, s := range e.From() {
			if c[s] > 0 {
				events = append(events, e)
				break
			}
		}
	}
	return events
}

// actionsOf returns the buttons for frames in these states, on the page of a production; scope says which frames, in
// pairs of name and number.
func actionsOf(page, production string, c queue.Counts, scope ...string) []kit.Action {
	var all []kit.Action
	for _, e := range possible(c) {
		id := string(e) + "-" + strings.Join(scope, "-")
		act := post(page, id, eventNames[e], "act", append(scope, "production", production, "event", string(e))...)
		if e == queue.Drop {
			act.Confirm = "Drop what is left of this? Finished frames stay."
		}
		all = append(all, act)
	}
	return all
}

// post returns an action that posts to the page of a production, with values in pairs.
func post(page, id, label, to string, pairs ...string) kit.Action {
	v := &kit.View{}
	v.Production.Code = page
	return v.Post(id, label, "", to, pairs...)
}

// eventNames are what a person asks for.
var eventNames = map[queue.Event]string{
	queue.Hold: "Hold", queue.Release: "Release", queue.Retry: "Retry", queue.Drop: "Drop",
}

// A stateCount is how many frames are in a state.
type stateCount struct {
	State  queue.State
	Frames int
}

// Others returns how many frames are in each state but good.
func (b shownBatch) Others() []stateCount {
	var all []stateCount
	for _, s := range queue.States() {
		if n := b.Sums[s]; n > 0 && s != queue.Good {
			all = append(all, stateCount{s, n})
		}
	}
	return all
}

// Archive puts it out of sight, or back; it is nil where that cannot be.
func (b shownBatch) Archive() *kit.Action {
	if left := b.Sums.Left() + b.Sums[queue.Held]; left > 0 && b.Archived.IsZero() {
		return nil
	}
	pairs := []string{"batch", strconv.FormatInt(b.ID, 10), "production", b.Plan.Production}
	label := "Back to the queue"
	if b.Archived.IsZero() {
		label, pairs = "Archive", append(pairs, "away", "1")
	}
	act := post(b.Page, fmt.Sprintf("archive-%d", b.ID), label, "archive", pairs...)
	return &act
}

// Tasks returns how many tasks of follow-ups it has, and Done how many of them are good.
func (b shownBatch) Tasks() int { return b.Batch.FollowUps }
func (b shownBatch) Done() int  { return b.Followed }

// Good returns how many frames are good.
func (b shownBatch) Good() int { return b.GoodFrames() }

// Waits says what the batch waits for, "" for nothing but a place.
func (b shownBatch) Waits() string {
	switch {
	case b.Sums[queue.Blocked] == 0:
		return ""
	case b.AfterBatch != 0:
		return fmt.Sprintf("waits for batch %d", b.AfterBatch)
	case b.AfterSequence != 0:
		return fmt.Sprintf("waits for sequence %d", b.AfterSequence)
	}
	return ""
}

// WaitsUntil reports whether it waits for a time.
func (b shownBatch) WaitsUntil() bool { return b.Sums[queue.Blocked] > 0 && !b.Start.IsZero() }

// Good returns how many frames are good.
func (s shownSequence) Good() int { return s.Counts[queue.Good] }

// showBatch returns a batch as it stands, on the page of a production; of one that is opened only a sequence, if one is
// named.
func (a *page) showBatch(code string, b store.Batch, opened bool, only int64) (shown shownBatch, err error) {
	of, id := b.Plan.Production, strconv.FormatInt(b.ID, 10)
	shown = shownBatch{Batch: b, Page: code, Opened: opened, Actions: actionsOf(code, of, b.Sums, "batch", id)}
	shown.Reorder = post(code, "", "", "order", "batch", id, "production", of).Edit
	if opened {
		if shown.Orders, err = a.orders(b.ID); err != nil {
			return shown, err
		}
	}
	shown.Prioritise = post(code, "", "", "priority", "batch", id, "production", of).Edit
	shown.Needs = post(code, "", "", "needs", "batch", id, "production", of).Edit
	shown.Percent = 100 * b.Sums[queue.Good] / max(1, b.Sums.Total()-b.Sums[queue.Dropped])
	left, err := a.House.Record.Left(b)
	if err != nil {
		return shown, err
	}
	if d, ok := queue.Remaining(left, b.MeanSeconds(), a.Node.SlotCount()); ok && left > 0 {
		shown.Left = kit.Duration(d)
	}
	if b.Sums[queue.Ready] > 0 && b.Sums[queue.Rendering]+b.Sums[queue.Checking] == 0 {
		if shown.Lacks, err = a.lacks(b.ID); err != nil {
			return shown, err
		}
	}
	if !opened {
		return shown, nil
	}
	if shown.Failures, err = a.failuresOf(code, b); err != nil {
		return shown, err
	}
	var waiting map[int64]string
	if b.Sums[queue.Blocked] > 0 {
		if waiting, err = a.waiting(b.ID); err != nil {
			return shown, err
		}
	}
	sequences, err := a.House.Record.SequencesToShow(b.ID, mostSequences)
	if err != nil {
		return shown, err
	}
	if only != 0 {
		one, err := a.House.Record.Sequence(only)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return shown, err
		}
		if err == nil && one.BatchID == b.ID {
			sequences, shown.Alone = []store.Sequence{one}, true
		}
	}
	shown.Hidden = b.Parts - len(sequences)
	overrides, err := a.House.Record.Overrides(b.ID)
	if err != nil {
		return shown, err
	}
	if shown.Various = len(overrides) > 1; len(overrides) == 1 {
		shown.Common = string(overrides[0])
	}
	if shown.FollowUps, shown.Following, err = a.followUpsOf(code, b, only); err != nil {
		return shown, err
	}
	if shown.Alone {
		shown.Profile, err = a.framesProfile(code, sequences[0])
	} else {
		shown.Profile, err = a.profileOf(code, b)
	}
	if err != nil {
		return shown, err
	}
	frames := 0
	for _, s := range sequences {
		frames += s.Counts.Total()
	}
	strip := drawing(kit.RunsOf)
	if frames <= mostCells {
		strip = func(frames []store.Frame, width float64, link func(store.Frame) string) kit.Strip {
			return kit.StripOf(frames, width, link, false)
		}
	}
	for _, s := range sequences {
		q, err := a.showSequence(code, of, s, strip)
		if err != nil {
			return shown, err
		}
		q.Waiting = waiting[s.ID]
		shown.Sequences = append(shown.Sequences, q)
	}
	return shown, nil
}

// lacks says why no node can take tasks of a batch now, "" if one can.
func (a *page) lacks(batch int64) (string, error) {
	classes, err := a.House.Record.ReadyClasses(batch)
	reason := ""
	for _, c := range classes {
		if reason = a.Node.Waits(c); reason == "" {
			break
		}
	}
	return reason, err
}

// A drawing makes a strip of frames.
type drawing func(frames []store.Frame, width float64, link func(store.Frame) string) kit.Strip

func (a *page) showSequence(code, of string, s store.Sequence, strip drawing) (shownSequence, error) {
	id := strconv.FormatInt(s.ID, 10)
	var frames []store.Frame
	var err error
	if s.Counts.Total() < longSequence { // the profile shows it otherwise
		if frames, err = a.House.Record.Frames(s.ID); err != nil {
			return shownSequence{}, err
		}
	}
	class, err := a.House.Record.ClassOf(s.ID)
	if err != nil {
		return shownSequence{}, err
	}
	q := shownSequence{
		Sequence: s,
		Strip:    strip(frames, kit.StripWidth, func(f store.Frame) string { return frameLink(code, of, f) }),
		Alone:    fmt.Sprintf("/p/%s/queue?open=%d&alone=%d#batch-%d", code, s.BatchID, s.ID, s.BatchID),
		Total:    s.Counts.Total(),
		Actions:  actionsOf(code, of, s.Counts, "sequence", id),
		Needs:    a.needsOf(code, of, s.ID, class),
	}
	if q.Good() > 0 {
		q.Screen = fmt.Sprintf("/p/%s/screening?sequence=%d", of, s.ID)
		q.Minutes = kit.Duration(time.Duration(s.Seconds * float64(time.Second)))
		q.Actions = append(
			q.Actions,
			post(code, "again-"+id, "Render again", "again", "sequence", id, "production", of),
		)
	}
	if s.AtGate {
		q.Gate = "at the gate: frames " + s.Spec.Frames.Ends().String() + " come first"
		if s.Counts[queue.Held] == 0 {
			q.Actions = append(q.Actions, post(
				code,
				"gate-"+id,
				"Open gate",
				"act",
				"sequence",
				id,
				"production",
				of,
				"event",
				string(queue.Release),
			))
		}
	}
	return q, nil
}

// needsOf returns the field in which it is said what tasks of a sequence need.
func (a *page) needsOf(code, of string, sequence int64, class work.Class) needsField {
	_, usual := a.Node.Usual(class)
	id := strconv.FormatInt(sequence, 10)
	f := needsField{
		ID: "needs-" + id, Value: string(class.Override), Usual: usual.String(),
		Edit: post(code, "", "", "needs", "sequence", id, "production", of).Edit,
	}
	if f.Usual == "" {
		f.Usual = "nothing in particular"
	}
	return f
}

// frameLink is where the side sheet of a frame is, for the page of a production.
func frameLink(code, of string, f store.Frame) string {
	return fmt.Sprintf("/p/%s/frame/%d/%d?page=%s", of, f.SequenceID, f.Number, code)
}

// failuresOf returns what has failed in a batch, by reasons.
func (a *page) failuresOf(code string, b store.Batch) ([]shownFailure, error) {
	if b.Sums[queue.Failed]+b.Sums[queue.Lost] == 0 {
		return nil, nil
	}
	groups, err := a.House.Record.Failures(b.ID)
	if err != nil {
		return nil, err
	}
	var all []shownFailure
	for i, g := range groups {
		f := shownFailure{Failure: g, State: string(queue.Failed)}
		if g.Lost {
			f.State = string(queue.Lost)
		}
		for _, frame := range g.Frames[:min(len(g.Frames), mostTasks)] {
			q, err := a.House.Record.Sequence(frame.SequenceID)
			if err != nil {
				return nil, err
			}
			f.First = append(f.First, shownTask{
				q.Task(frame.Number, 0).String(), frameLink(code, b.Plan.Production, frame),
			})
		}
		f.More = len(g.Frames) - len(f.First)
		f.Retry = post(code, fmt.Sprintf("retry-reason-%d-%d", b.ID, i), "Retry these", "failures",
			"batch", strconv.FormatInt(b.ID, 10), "production", b.Plan.Production, "reason", g.Kind)
		all = append(all, f)
	}
	return all, nil
}
