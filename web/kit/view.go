package kit

import (
	"encoding/json"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/plan"
	"reelhouse/house"
	"reelhouse/store"
)

// A View is what a page of a production is rendered from.
type View struct {
	Production store.Revision
	Station    Station
	Spine      []SpineEntry
	Draft      house.Draft
	Totals     plan.Totals
	Running    Running
	Batches    []store.Batch // without their sequences
	Mistake    Mistake
	Notice     string       // what was just done, in a sentence
	Impact     *plan.Impact // what it changed of what would be rendered; nil for nothing
	Open       string       // code of the part whose details are shown, "" for none
	Page       any          // the station's own
	Swap       bool         // spine and ticket line replace those on the page
	Chosen     []string     // codes of the parts that are ticked
	Against    string       // name of the preset that a part is compared with, "" for none
	Author     store.Author // who looks
	UndoStep   *Action      // nil for nothing to undo
	RedoStep   *Action
	// Query returns a part of the address of the page.
	Query func(string) string
}

// A Mistake is what a person typed that cannot be kept. It is shown where it was typed.
type Mistake struct {
	Where, Field, Value, Message string
	Conflict                     bool // somebody else has changed the same in the meantime
}

// A SpineEntry is a station in the spine, with how much there is, and how much of it is wrong.
type SpineEntry struct {
	Station
	Ordinal, Have, Wrong int
	Current              bool
}

// Path returns the address of a page of the production.
func (v *View) Path(rest string) string { return "/p/" + v.Production.Code + "/" + rest }

// Events returns the address of the live events of the page.
func (v *View) Events() string {
	address := v.Path("events")
	if v.Station.Events == nil {
		return address
	}
	query := url.Values{"all": {"1"}}
	for _, name := range append([]string{"open"}, v.Station.Keeps...) {
		if value := v.Query(name); value != "" {
			query.Set(name, value)
		}
	}
	return address + "?" + query.Encode()
}

// Shown returns what every change on the page tells of it, so that it shows the same afterwards: a JSON object.
func (v *View) Shown() (string, error) {
	shown := map[string]string{
		"seen": strconv.Itoa(v.Production.Number), "station": string(v.Station.Key), "open": v.Open,
		"against": v.Against,
	}
	for _, name := range v.Station.Keeps {
		if value := v.Query(name); value != "" {
			shown[name] = value
		}
	}
	text, err := json.Marshal(shown)
	return string(text), err
}

// Value returns what a field shows: what was typed wrongly, if it was here, or what is kept.
func (v *View) Value(where, field string, kept any) any {
	if v.Mistake.Where == where && v.Mistake.Field == field {
		return v.Mistake.Value
	}
	return kept
}

// Wrong returns the message about a field, or "".
func (v *View) Wrong(where, field string) string {
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

// Conflict reports whether what was typed in a field waits for a decision, since somebody else has changed it.
func (v *View) Conflict(where, field string) bool {
	return v.Mistake.Conflict && v.Mistake.Where == where && v.Mistake.Field == field
}

// view gathers what the pages of a production have in common.
func (a *App) view(c *echo.Context, st Station) (*View, error) {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return nil, err
	}
	v := &View{Production: p, Station: st, Open: c.QueryParam("open"), Author: Author(c), Query: c.QueryParam}
	return v, a.complete(v)
}

// complete fills in everything that follows from the production.
func (a *App) complete(v *View) error {
	var err error
	if v.Draft, err = a.House.DraftOf(v.Production); err != nil {
		return err
	}
	v.Totals = v.Draft.Batch.Totals()
	v.Totals.Seconds /= float64(a.Node.SlotCount())
	if v.Batches, err = a.House.Record.BatchesAlone(v.Production.Code); err != nil {
		return err
	}
	if v.Running, err = a.RunningOf(v.Batches); err != nil {
		return err
	}
	if err := a.steps(v); err != nil {
		return err
	}
	wrong := map[Key]int{}
	for _, p := range v.Draft.Problems {
		wrong[stationOf(a.stations, p)]++
	}
	for _, st := range a.stations {
		if st.Under != "" {
			continue
		}
		e := SpineEntry{
			Station: st,
			Ordinal: len(v.Spine) + 1,
			Have:    st.Count(v),
			Wrong:   wrong[st.Key],
			Current: st.Key == v.Station.Key || st.Key == v.Station.Under,
		}
		if st.Wrong != nil {
			e.Wrong += st.Wrong(v)
		}
		v.Spine = append(v.Spine, e)
	}
	if v.Station.Fill != nil {
		return v.Station.Fill(v)
	}
	return nil
}
