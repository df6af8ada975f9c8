package screening

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/followup"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/house"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// withMade adds the mattes and grades that were made to the sequences of batches, each behind what it was made of.
func (a *page) withMade(code string, batches []store.Batch) ([]store.Batch, error) {
	made, err := a.House.Record.PicturesMade(code)
	if err != nil || len(made) == 0 {
		return batches, err
	}
	of := map[int64][]store.Sequence{}
	for _, q := range made {
		of[q.Follows] = append(of[q.Follows], q)
	}
	all := make([]store.Batch, len(batches))
	for i, b := range batches {
		all[i] = b
		all[i].Sequences = nil
		for _, s := range b.Sequences {
			all[i].Sequences = append(append(all[i].Sequences, s), of[s.ID]...)
		}
	}
	return all, nil
}

// events are what changes by itself.
func (a *page) events(w kit.Watched, add func(event, template string, data any) error) error {
	made, err := a.House.Record.PicturesMade(w.Production.Code)
	if err != nil {
		return err
	}
	text := ""
	for _, q := range made {
		text += fmt.Sprintf("%d: %d good, %d failed. ", q.ID, q.Counts[queue.Good], q.Counts[queue.Failed])
	}
	return add("made", "screening/made-count", text)
}

// A madeOf is a matte or a grade that was made of a sequence, or is to be.
type madeOf struct {
	store.Sequence
	Good, All int
	Room      string // address of it in the room
	Compared  string // likewise, beside what it was made of
	Download  string
}

// pending reports whether some of it may still come by itself.
func (m madeOf) pending() bool { return m.Good+m.Counts[queue.Failed]+m.Counts[queue.Dropped] < m.All }

// State says how far it is.
func (m madeOf) State() string {
	if m.Good == m.All {
		return "done"
	}
	text := fmt.Sprintf("%d of %d", m.Good, m.All)
	for _, s := range []queue.State{queue.Failed, queue.Lost, queue.Held} {
		if n := m.Counts[s]; n > 0 {
			text += fmt.Sprintf(", %d %s", n, s)
		}
	}
	return text
}

// madeFrom returns what was made of a sequence, of those that which takes.
func (a *page) madeFrom(code string, s store.Sequence, which func(f plan.FollowUp) bool) ([]madeOf, error) {
	made, err := a.House.Record.PicturesMade(code)
	var all []madeOf
	for _, q := range made {
		if q.Follows != s.ID || !which(*q.Spec.FollowUp) {
			continue
		}
		all = append(all, madeOf{
			Sequence: q, Good: q.Counts[queue.Good], All: q.Counts.Total(),
			Room:     fmt.Sprintf("/p/%s/screening?sequence=%d", code, q.ID),
			Compared: fmt.Sprintf("/p/%s/screening?sequence=%d&with=s%d", code, q.ID, s.ID),
			Download: fmt.Sprintf("/p/%s/download/%d", code, q.ID),
		})
	}
	return all, err
}

// orderFor returns an order by which pictures are made of a good frame, to be looked at.
func (a *page) orderFor(s store.Sequence, b store.Batch, number int, passes []pass.Code) (job.FollowUp, error) {
	order := job.FollowUp{Kind: "look"}
	f, err := a.House.Record.Frame(s.ID, number)
	if err != nil {
		return order, err
	}
	files, err := a.House.Record.Files(s.ID, number)
	if err != nil {
		return order, err
	}
	if len(files) == 0 || f.State != queue.Good && f.State != queue.Lost {
		return order, echo.NewHTTPError(http.StatusNotFound, fmt.Sprintf("Frame %d is not finished yet.", number))
	}
	for _, f := range files {
		path, err := a.House.ReadPath(f.Path)
		if err != nil {
			return order, gone(err)
		}
		order.Inputs = append(order.Inputs, job.Input{Frame: number, Name: f.Path, Path: path})
	}
	j := b.Plan.Picture(s.Spec)
	j.Region = job.RegionOf(b.Plan.RegionOf(s.Spec))
	order.Picture = &j
	if err := s.Spec.ReadFor(&order, number, passes); err != nil {
		return order, echo.NewHTTPError(http.StatusNotFound, kit.Capital(err.Error())+".")
	}
	return order, nil
}

// openInput opens a finished file, which has to be a plain one.
func openInput(path string) (followup.File, int64, error) {
	f, info, err := house.OpenPlain(path)
	if err != nil {
		return nil, 0, err
	}
	return f, info.Size(), nil
}

// gone answers for a file that was good and cannot be read any more.
func gone(err error) error {
	if err == nil || errors.Is(err, context.Canceled) {
		return err
	}
	if he := (*echo.HTTPError)(nil); errors.As(err, &he) {
		return err
	}
	return echo.NewHTTPError(http.StatusGone, "What was good cannot be read any more: "+err.Error()+".")
}

// made lets a matte or a grade be made of the sequence. It returns what is said of that, or what is wrong.
func (a *page) make(
	s store.Sequence, b store.Batch, kind work.Kind, code string, format output.Format,
) (done string, mistake error, err error) {
	p, err := a.House.Record.Production(b.Plan.Production)
	if err != nil {
		return "", nil, err
	}
	scope := store.Scope{Production: p.Code, Sequence: s.ID}
	_, err = a.House.MakePictures(p.Production, scope, kind, code, format)
	if err != nil {
		return "", errors.New(strings.TrimPrefix(err.Error(), store.ErrNothing.Error()+": ")), nil
	}
	a.Changes.Changed()
	return "It is made as frames are good.", nil, nil
}
