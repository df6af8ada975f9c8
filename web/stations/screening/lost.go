package screening

import (
	"errors"

	"github.com/labstack/echo/v5"

	"reelhouse/core/queue"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// A lostCount is how many good frames of a production are lost: their files are not there, or not what was judged.
type lostCount struct{ Frames, Sequences int }

func lostOf(batches []store.Batch) (lost lostCount) {
	for _, b := range batches {
		for _, s := range b.Sequences {
			if n := s.Counts[queue.Lost]; n > 0 {
				lost.Frames += n
				lost.Sequences++
			}
		}
	}
	return lost
}

// renderLost has the lost frames of a production rendered again. Whoever sends it was asked.
func (a *page) renderLost(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	batches, err := a.House.Record.Batches(p.Code)
	if err != nil {
		return err
	}
	again := 0
	for _, b := range batches {
		for _, s := range b.Sequences {
			if s.Counts[queue.Lost] == 0 {
				continue
			}
			frames, err := a.House.Record.Frames(s.ID)
			if err != nil {
				return err
			}
			for _, f := range frames {
				if f.State != queue.Lost {
					continue
				}
				scope := store.Scope{Production: p.Code, Sequence: s.ID, Frame: &f.Number}
				n, err := a.House.Record.Apply(scope, queue.Retry)
				if err != nil && !errors.Is(err, store.ErrNothing) { // somebody else was faster
					return err
				}
				again += n
			}
		}
	}
	notice := "No frame is lost."
	if again > 0 {
		notice = kit.Plural(again, "frame is", "frames are") + " rendered again."
		a.Changes.Changed()
	}
	return a.Update(c, kit.Answer{Production: p, Station: key, Notice: notice})
}
