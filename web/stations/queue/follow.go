package queue

import (
	"errors"
	"fmt"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/frame"
	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// mostFollowUps is how many follow-ups of a batch are shown one by one.
const mostFollowUps = 40

// A shownFollowUp is a follow-up of a sequence as it stands.
type shownFollowUp struct {
	store.Sequence
	Kind    string
	Good    int
	Total   int
	Strip   kit.Strip
	Waiting string // what it waits for, "" for nothing
	Old     int    // tasks that are out of date
	Actions []kit.Action
	Single  string // the side sheet of its only task, "" where there are several
}

// followUpsOf returns the follow-ups of a batch, where something is to be seen first, and how many are not shown.
func (a *page) followUpsOf(code string, b store.Batch, only int64) (shown []shownFollowUp, hidden int, err error) {
	if b.FollowUps == 0 {
		return nil, 0, nil
	}
	all, err := a.House.Record.FollowUpsToShow(b.ID, mostFollowUps, only)
	if err != nil {
		return nil, 0, err
	}
	for _, q := range all {
		f, err := a.showFollowUp(code, b, q)
		if err != nil {
			return nil, 0, err
		}
		shown = append(shown, f)
	}
	count, err := a.House.Record.CountFollowUps(b.ID, only)
	return shown, count - len(shown), err
}

func (a *page) showFollowUp(code string, b store.Batch, q store.Sequence) (f shownFollowUp, err error) {
	of, id := b.Plan.Production, strconv.FormatInt(q.ID, 10)
	frames, err := a.House.Record.Frames(q.ID)
	if err != nil {
		return f, err
	}
	f = shownFollowUp{
		Sequence: q, Kind: q.Spec.FollowUp.Kind, Good: q.Counts[queue.Good], Total: q.Counts.Total(),
		Strip:   kit.RunsOf(frames, kit.StripWidth, func(f store.Frame) string { return frameLink(code, of, f) }),
		Actions: actionsOf(code, of, q.Counts, "sequence", id),
	}
	if len(frames) == 1 {
		f.Single = frameLink(code, of, frames[0])
	}
	for _, one := range frames {
		if one.State == queue.Good && one.Reason != "" {
			f.Old++
		}
	}
	if f.Old > 0 {
		f.Actions = append(
			f.Actions,
			post(code, "again-"+id, "Make again", "again", "sequence", id, "production", of),
		)
	}
	if q.Counts[queue.Blocked] > 0 {
		f.Waiting, err = a.waitsFor(q)
	}
	return f, err
}

// waitsFor says what a follow-up waits for.
func (a *page) waitsFor(q store.Sequence) (string, error) {
	source, err := a.House.Record.Followed(q)
	if err != nil {
		return "", err
	}
	text := ""
	if left := source.Counts.Total() - source.Counts[queue.Good] - source.Counts[queue.Dropped]; left > 0 {
		text = fmt.Sprintf("waits for %s of %s", kit.Plural(left, "frame", "frames"), source.Address())
		for _, state := range []queue.State{queue.Failed, queue.Lost, queue.Held} {
			if n := source.Counts[state]; n > 0 {
				text += fmt.Sprintf(", of which %d %s", n, state)
			}
		}
	}
	if q.AfterBatch != 0 {
		text = and(text, fmt.Sprintf("waits for batch %d", q.AfterBatch))
	}
	return text, nil
}

func and(a, b string) string {
	if a == "" {
		return b
	}
	return a + ", and " + b
}

// again makes follow-ups again that are out of date, and renders good frames once more, to see that the same comes out.
func (a *page) again(c *echo.Context) error {
	p, scope, err := a.target(c)
	if err != nil {
		return err
	}
	notice, err := a.makeAgain(scope)
	return a.answer(c, p, notice, err)
}

func (a *page) makeAgain(scope store.Scope) (notice string, err error) {
	if scope.Sequence == 0 {
		n, err := a.House.Record.MakeAgain(scope, false)
		return fmt.Sprintf("To be made again: %s.", kit.Plural(n, "task", "tasks")), err
	}
	q, err := a.House.Record.Sequence(scope.Sequence)
	if err != nil {
		return "", err
	}
	if b, err := a.House.Record.BatchAlone(q.BatchID); err != nil || b.Plan.Production != scope.Production {
		return "", errors.Join(
			err,
			fmt.Errorf("sequence %d of production %s: %w", q.ID, scope.Production, store.ErrNotFound),
		)
	}
	if q.Follows > 0 && q.Spec.FollowUp.Kind != string(work.Repeat) {
		n, err := a.House.Record.MakeAgain(scope, false)
		return fmt.Sprintf("To be made again: %s.", kit.Plural(n, "task", "tasks")), err
	}
	frames, of := q.Spec.Frames, q.ID
	if scope.Frame != nil {
		frames = frame.Of(*scope.Frame, *scope.Frame)
	}
	if q.Follows > 0 {
		of = q.Follows
	}
	n, err := a.House.Record.Repeat(of, frames)
	return fmt.Sprintf("To be rendered once more, and compared: %s.", kit.Plural(n, "frame", "frames")), err
}

// archive puts a finished batch out of sight, or back.
func (a *page) archive(c *echo.Context) error {
	p, scope, err := a.target(c)
	if err != nil {
		return err
	}
	away := c.FormValue("away") != ""
	notice := fmt.Sprintf("Batch %d is archived. It is found by its name, its note or its number.", scope.Batch)
	if !away {
		notice = fmt.Sprintf("Batch %d is back in the queue.", scope.Batch)
	}
	return a.answer(c, p, notice, a.House.Record.Archive(scope, away))
}
