package queue

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// act holds, releases, retries or drops a batch, a sequence or a frame.
func (a *page) act(c *echo.Context) error {
	p, scope, err := a.target(c)
	if err != nil {
		return err
	}
	event := queue.Event(c.FormValue("event"))
	changed, err := a.House.Record.Apply(scope, event)
	if errors.Is(err, store.ErrNotPersons) {
		return echo.NewHTTPError(
			http.StatusUnprocessableEntity, "Frames can be held, released, retried and dropped, and nothing else.",
		)
	}
	return a.answer(c, p, fmt.Sprintf("%s: %s.", past(event), kit.Plural(changed, "task", "tasks")), err)
}

// ofProduction returns the production whose batch a form is about: the page's own, unless it says another.
func ofProduction(c *echo.Context, page string) string {
	return cmp.Or(c.FormValue("production"), page)
}

// target reads on which production's page a form was sent, and which frames it is about.
func (a *page) target(c *echo.Context) (p store.Revision, scope store.Scope, err error) {
	if p, err = a.House.Record.Production(c.Param("code")); err != nil {
		return p, scope, err
	}
	scope, err = scopeOf(c, ofProduction(c, p.Code))
	return p, scope, err
}

// answer tells others of a change, and answers with the page and what was done, or that there was nothing to do.
func (a *page) answer(c *echo.Context, p store.Revision, notice string, err error) error {
	switch {
	case errors.Is(err, store.ErrNothing):
		notice = "Nothing was done: " + err.Error() + "."
	case err != nil:
		return err
	}
	a.Changes.Changed()
	return a.Update(c, kit.Answer{Production: p, Station: key, Notice: notice})
}

// scopeOf reads which frames of a production a form is about.
func scopeOf(c *echo.Context, production string) (store.Scope, error) {
	wrong := echo.NewHTTPError(
		http.StatusUnprocessableEntity, "Name a batch or a sequence by its number, and a frame by its own.",
	)
	number := func(name string) (int64, error) {
		if c.FormValue(name) == "" {
			return 0, nil
		}
		return strconv.ParseInt(c.FormValue(name), 10, 64)
	}
	batch, errBatch := number("batch")
	sequence, errSequence := number("sequence")
	frame, errFrame := number("frame")
	scope := store.Scope{Production: production, Batch: batch, Sequence: sequence}
	if errors.Join(errBatch, errSequence, errFrame) != nil || (scope.Batch == 0) == (scope.Sequence == 0) ||
		frame != int64(int(frame)) {
		return scope, wrong
	}
	if c.FormValue("frame") != "" {
		if scope.Sequence == 0 {
			return scope, wrong
		}
		n := int(frame)
		scope.Frame = &n
	}
	return scope, nil
}

func past(e queue.Event) string {
	switch e {
	case queue.Hold:
		return "Held"
	case queue.Release:
		return "Released"
	case queue.Retry:
		return "To be tried again"
	}
	return "Dropped"
}

// batchOf reads which batch of which production a form is about, and on whose page it was sent.
func (a *page) batchOf(c *echo.Context) (p store.Revision, of string, id int64, err error) {
	if p, err = a.House.Record.Production(c.Param("code")); err != nil {
		return p, "", 0, err
	}
	if id, err = strconv.ParseInt(c.FormValue("batch"), 10, 64); err != nil {
		return p, "", 0, echo.NewHTTPError(http.StatusUnprocessableEntity, "Name a batch by its number.")
	}
	b, err := a.House.Record.BatchAlone(id)
	if err != nil {
		return p, "", 0, err
	}
	if of = ofProduction(c, p.Code); !strings.EqualFold(b.Plan.Production, of) {
		err = fmt.Errorf("batch %d of production %s: %w", id, of, store.ErrNotFound)
	}
	return p, of, id, err
}

// order lets the frames of a batch come in another order.
func (a *page) order(c *echo.Context) error {
	p, of, id, err := a.batchOf(c)
	if err != nil {
		return err
	}
	order := plan.Order(c.FormValue("value"))
	switch err := a.House.Record.Reorder(of, id, order); {
	case errors.Is(err, store.ErrNotPersons):
		return echo.NewHTTPError(http.StatusUnprocessableEntity, kit.Capital(err.Error())+".")
	default:
		return a.answer(c, p, "Order of frames now: "+order.Name()+".", err)
	}
}

// priority moves a batch in the queue.
func (a *page) priority(c *echo.Context) error {
	p, _, id, err := a.batchOf(c)
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(c.FormValue("value"))
	if err != nil || n < -store.MostPriority || n > store.MostPriority {
		return a.Update(
			c,
			kit.Answer{
				Production: p,
				Station:    key,
				Notice:     "Not changed: a priority is a whole number from −100 to 100.",
			},
		)
	}
	if err := a.House.Record.SetPriority(id, n); err != nil {
		return err
	}
	a.Changes.Changed()
	return a.Update(c, kit.Answer{Production: p, Station: key, Notice: fmt.Sprintf("Priority is %d now.", n)})
}

// needs changes what tasks of a batch or a sequence need.
func (a *page) needs(c *echo.Context) error {
	p, scope, err := a.target(c)
	if err != nil {
		return err
	}
	if scope.Frame != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, "Needs are those of a batch, or of a sequence.")
	}
	answer := kit.Answer{Production: p, Station: key}
	needs, err := work.ParseOverride(c.FormValue("value"))
	if err != nil {
		answer.Notice = "Not changed: " + err.Error() + "."
		return a.Update(c, answer)
	}
	n, err := a.House.Record.SetNeeds(scope, needs, false)
	if err != nil {
		return err
	}
	a.Changes.Changed()
	answer.Notice = fmt.Sprintf("Tasks of %s need what is usual.", kit.Plural(n, "sequence", "sequences"))
	if needs != "" {
		answer.Notice = fmt.Sprintf("Tasks of %s need %s now.", kit.Plural(n, "sequence", "sequences"), needs)
	}
	return a.Update(c, answer)
}

// pause lets no node take a task, or lets them again.
func (a *page) pause(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	do, notice := a.House.Record.Resume, "The queue goes on."
	if c.FormValue("pause") != "" {
		do, notice = a.House.Record.Pause, "The queue is paused; what is under way goes on."
	}
	if err := do(); err != nil {
		return err
	}
	a.Changes.Changed()
	return a.Update(c, kit.Answer{Production: p, Station: key, Notice: notice})
}

// retryReason retries all frames of a batch that have failed for a kind of reason.
func (a *page) retryReason(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.FormValue("batch"), 10, 64)
	if err != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, "Name a batch by its number.")
	}
	n, err := a.House.Record.ApplyToFailures(ofProduction(c, p.Code), id, c.FormValue("reason"), queue.Retry)
	notice := fmt.Sprintf("To be tried again: %s.", kit.Plural(n, "frame", "frames"))
	if errors.Is(err, store.ErrNothing) {
		notice = "Nothing was done: no frame of the batch has failed for that reason any more."
	} else if err != nil {
		return err
	}
	a.Changes.Changed()
	return a.Update(c, kit.Answer{Production: p, Station: key, Notice: notice})
}
