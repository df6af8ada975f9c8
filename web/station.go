package web

import (
	"encoding/json"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/plan"
	"reelhouse/core/preflight"
	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/store"
)

// A station is one page of the order of work.
type station struct {
	Key   stationKey
	Name  string
	fill  func(a *app, v *view) error // adds what the page needs beside the view
	Hint  string
	Count func(v *view) int
	Under stationKey // the station whose page this is, "" for one of its own in the spine
}

// A view is what every page of a production is rendered from.
type view struct {
	Production store.Revision
	Station    station
	Spine      []spineEntry
	Draft      house.Draft
	Totals     plan.Totals
	Running    running
	Batches    []store.Batch
	Mistake    mistake
	Notice     string       // what was just done, in a sentence
	Impact     *plan.Impact // what it changed of what would be rendered; nil for nothing
	Open       string       // code of the part whose details are shown, "" for none
	Page       any          // the station's own
	Swap       bool         // spine and ticket line replace those on the page
	Chosen     []string     // codes of the parts that are ticked
	Against    string       // name of the preset that a part is compared with, "" for none
	Author     store.Author // who looks
	UndoStep   *stepButton  // nil for nothing to undo
	RedoStep   *stepButton
	query      func(string) string
}

// A mistake is what a person typed that cannot be kept. It is shown where it was typed.
type mistake struct {
	Where, Field, Value, Message string
	Conflict                     bool // somebody else has changed the same in the meantime
}

type spineEntry struct {
	station
	Ordinal, Have, Wrong int
	Current              bool
}

// running is the live part of the ticket line.
type running struct {
	Batch           string
	Good, Total     int
	Percent         int
	Left            string
	Trouble         string
	Active, Waiting bool
}

// shownBy are the parts of an address that say what the page of Views shows, beside the view that is open.
var shownBy = []string{"as", "look", "frame", "side", "size", "all", "beside1", "beside2", "beside3"}

// Shown returns what every change on the page tells of it, so that it shows the same afterwards: a JSON object.
func (v *view) Shown() (string, error) {
	shown := map[string]string{
		"seen": strconv.Itoa(v.Production.Number), "station": string(v.Station.Key), "open": v.Open,
		"against": v.Against,
	}
	if v.Station.Key == cutStation {
		shown["as"], shown["head"] = v.query("as"), v.query("head")
	}
	if v.Station.Key == batchSheet {
		shown["filter"], shown["group"] = v.query("filter"), v.query("group")
	}
	if v.Station.Key == shotsStation {
		shown["from"] = v.query("from")
	}
	if v.Station.Key == viewsStation {
		for _, name := range shownBy {
			if value := v.query(name); value != "" {
				shown[name] = value
			}
		}
	}
	text, err := json.Marshal(shown)
	return string(text), err
}

// Value returns what a field shows: what was typed wrongly, if it was here, or what is kept.
func (v *view) Value(where, field string, kept any) any {
	if v.Mistake.Where == where && v.Mistake.Field == field {
		return v.Mistake.Value
	}
	return kept
}

// Wrong returns the message about a field, or "".
func (v *view) Wrong(where, field string) string {
	if v.Mistake.Where == where && v.Mistake.Field == field {
		return v.Mistake.Message
	}
	for _, p := range v.Draft.Problems {
		if p.Where == where && p.Field == field {
			return p.Message
		}
	}
	return ""
}

// TilesWrong returns the message about tiles that were typed for a cell of the batch sheet, or "".
func (v *view) TilesWrong() string {
	if v.Swap && v.Mistake.Field == "tiles" {
		return v.Mistake.Message
	}
	return ""
}

// Conflict reports whether what was typed in a field waits for a decision, since somebody else has changed it.
func (v *view) Conflict(where, field string) bool {
	return v.Mistake.Conflict && v.Mistake.Where == where && v.Mistake.Field == field
}

// view gathers what the pages of a production have in common.
func (a *app) view(c *echo.Context, st station) (*view, error) {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return nil, err
	}
	v := &view{Production: p, Station: st, Open: c.QueryParam("open"), Author: author(c), query: c.QueryParam}
	return v, a.complete(v)
}

// complete fills in everything that follows from the production.
func (a *app) complete(v *view) error {
	var err error
	if v.Draft, err = a.House.DraftOf(v.Production); err != nil {
		return err
	}
	v.Totals = v.Draft.Batch.Totals()
	v.Totals.Seconds /= float64(a.Node.SlotCount())
	if v.Batches, err = a.House.Record.Batches(v.Production.Code); err != nil {
		return err
	}
	v.Running = a.running(v.Batches)
	if err := a.steps(v); err != nil {
		return err
	}
	for _, st := range stations {
		if st.Under != "" {
			continue
		}
		e := spineEntry{
			station: st,
			Ordinal: len(v.Spine) + 1,
			Have:    st.Count(v),
			Current: st.Key == v.Station.Key || st.Key == v.Station.Under,
		}
		for _, p := range v.Draft.Problems {
			if stationOf(p) == st.Key {
				e.Wrong++
			}
		}
		switch st.Key {
		case batchSheet:
			for _, f := range v.Draft.Findings {
				if f.Severity == preflight.Refuses && f.Waived == "" &&
					f.Rule != preflight.NothingNew { // that all was sent is nothing wrong
					e.Wrong++
				}
			}
		case queueStation:
			for _, b := range v.Batches {
				e.Wrong += b.Counts()[queue.Failed]
			}
		}
		v.Spine = append(v.Spine, e)
	}
	if v.Station.fill != nil {
		return v.Station.fill(a, v)
	}
	return nil
}

// running says what is being rendered now, of all productions' batches given.
func (a *app) running(batches []store.Batch) running {
	var r running
	var seconds float64
	left, good := 0, 0
	for _, b := range batches {
		counts := b.Counts()
		if counts.Left() == 0 {
			continue
		}
		r.Active = true
		if r.Batch != "" {
			r.Batch += ", "
		}
		r.Batch += b.Name
		r.Good += counts[queue.Good]
		r.Total += counts.Total() - counts[queue.Dropped]
		left += counts.Left()
		seconds += b.MeanSeconds() * float64(counts[queue.Good])
		good += counts[queue.Good]
	}
	r.Trouble = a.Node.Trouble()
	if !r.Active {
		return r
	}
	r.Percent = 100 * r.Good / max(1, r.Total)
	if d, ok := queue.Remaining(left, seconds/float64(max(1, good)), a.Node.SlotCount()); ok {
		r.Left = duration(d)
	}
	return r
}

// station answers with a station's page.
func (a *app) station(st station) echo.HandlerFunc {
	return func(c *echo.Context) error {
		v, err := a.view(c, st)
		if err != nil {
			return err
		}
		return c.Render(http.StatusOK, string(st.Key), v)
	}
}

// An answer is what a change leads to.
type answer struct {
	production store.Revision
	station    stationKey
	mistake    mistake
	notice     string
	impact     *plan.Impact
}

// update answers a change with the sheet, the spine and the ticket line, as they are now.
func (a *app) update(c *echo.Context, r answer) error {
	v := &view{
		Production: r.production,
		Mistake:    r.mistake,
		Notice:     r.notice,
		Impact:     r.impact,
		Swap:       true,
		Open:       c.FormValue("open"),
		Author:     author(c),
		query:      c.FormValue,
	}
	if form, err := c.FormValues(); err == nil {
		v.Chosen = form["chosen"]
	}
	for _, st := range stations {
		if st.Key == r.station {
			v.Station = st
		}
	}
	if v.Station.Key == "" {
		return echo.NewHTTPError(http.StatusBadRequest, "There is no station of that name.")
	}
	if err := a.complete(v); err != nil {
		return err
	}
	return c.Render(http.StatusOK, string(r.station)+"#sheet", v)
}
