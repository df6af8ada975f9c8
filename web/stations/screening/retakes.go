package screening

import (
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/preflight"
	"reelhouse/core/review"
	"reelhouse/house"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// A retakesPage is what is to be made again, and what comes of it.
type retakesPage struct {
	house.Retakes
	Code      string
	Anew      bool
	Shot      string // the only one that is shown, "" for all
	Rows      []retakeRow
	Findings  []preflight.Finding // that speak against sending, or are to be confirmed
	Confirm   bool                // it is to be confirmed
	Sent      int64               // the batch that was sent, 0 for none
	Mistake   string
	Rendered  int // frames, of all that can be sent
	Reused    int
	Questions int // that stand
}

// A retakeRow is a shot of which frames are to be made again.
type retakeRow struct {
	house.RetakenShot
	Sequences []retakeSequence
	Only      string // address at which it alone is shown
}

// A retakeSequence is one of its sequences.
type retakeSequence struct {
	house.RetakenSequence
	Title    string
	Room     string // address of it in the room
	Verdicts []verdict
	Frames   string // of Again
	Also     string // that are rendered beside these
	Other    string // that are reused though they have another set-up
	Reused   int
	Rendered int
}

// retakesOf returns the retakes of a production as the page shows them.
func (a *page) retakesOf(v *kit.View, mistake string, sent int64) (*retakesPage, error) {
	r := &retakesPage{
		Code: v.Production.Code, Anew: v.Query("anew") != "", Shot: v.Query("shot"), Mistake: mistake, Sent: sent,
	}
	var only []string
	if r.Shot != "" {
		only = []string{r.Shot}
	}
	var err error
	if r.Retakes, err = a.House.RetakesOf(v.Production.Production, r.Anew, only...); err != nil {
		return nil, err
	}
	if r.Sendable() {
		for _, f := range r.Draft.Findings {
			if f.Holds(false) {
				r.Findings = append(r.Findings, f)
			}
		}
		r.Confirm = len(r.Findings) > 0 && r.Draft.Sendable(true)
	}
	for _, p := range r.Draft.Problems {
		r.Mistake = p.Error()
	}
	for _, shot := range r.Shots {
		row := retakeRow{RetakenShot: shot, Only: "screening?retakes=1&shot=" + shot.Shot}
		for _, q := range shot.Sequences {
			shown := retakeSequence{
				RetakenSequence: q, Title: q.Source.Spec.Title(), Frames: q.Again().String(),
				Room: fmt.Sprintf("screening?sequence=%d", q.Source.ID),
				Also: q.Plan.Also.String(), Other: q.Plan.Other.String(),
			}
			if q.Plan.Shot != "" {
				shown.Rendered = q.Plan.Rendered().Count()
				shown.Reused = q.Plan.Frames.Count() - shown.Rendered
			}
			for _, given := range review.Standing(q.Verdicts) {
				if given.Kind == review.Retake {
					shown.Verdicts = append(shown.Verdicts, a.shownVerdict(r.Code, q.Source, given))
				}
			}
			if shot.Refusal == "" {
				r.Rendered, r.Reused = r.Rendered+shown.Rendered, r.Reused+shown.Reused
			}
			row.Sequences = append(row.Sequences, shown)
		}
		r.Rows = append(r.Rows, row)
	}
	return r, nil
}

// sendRetakes sends what is to be made again.
func (a *page) sendRetakes(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	var only []string
	if shot := c.FormValue("shot"); shot != "" {
		only = []string{shot}
	}
	how := house.Sending{By: kit.Author(c), Confirmed: c.FormValue("confirmed") != ""}
	how.Note, how.Held = c.FormValue("note"), c.FormValue("held") != ""
	id, err := a.House.SendRetakes(p.Production, c.FormValue("anew") != "", how, only...)
	if errors.Is(err, store.ErrNotFound) {
		return err
	}
	mistake := ""
	if err != nil {
		mistake = kit.Capital(strings.TrimPrefix(err.Error(), store.ErrNothing.Error()+": ")) + "."
	} else {
		a.Changes.Changed()
	}
	if p, err = a.House.Record.Production(p.Code); err != nil {
		return err
	}
	v := &kit.View{Production: p, Query: c.FormValue}
	shown, err := a.retakesOf(v, mistake, id)
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "screening/retakes", shown)
}
