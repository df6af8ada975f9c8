package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/difference"
	"reelhouse/core/edit"
	"reelhouse/house"
	"reelhouse/store"
)

// A stepButton undoes an edit, or does it again.
type stepButton struct {
	Code, ID, Label, Title string
	Confirm                string // the question before somebody else's edit is undone, "" for none
	Vals                   string // JSON
}

// steps fills in what could be undone and done again by who looks.
func (a *app) steps(v *view) error {
	steps, err := a.House.Record.Steps(v.Production.Code, v.Author)
	if err != nil {
		return err
	}
	button := func(id, label string, e *store.Entry) (*stepButton, error) {
		if e == nil {
			return nil, nil
		}
		vals, err := json.Marshal(map[string]string{
			"station": string(v.Station.Key), "number": strconv.Itoa(e.Number), "open": v.Open,
		})
		b := &stepButton{
			Code:  v.Production.Code,
			ID:    id,
			Label: label,
			Title: label + ": " + e.Summary,
			Vals:  string(vals),
		}
		if e.Author.Key != v.Author.Key || e.Author.Key == "" {
			b.Label = fmt.Sprintf("%s %s’s edit", label, whose(e.Author))
			b.Title = fmt.Sprintf("%s, by %s: %s", label, whose(e.Author), e.Summary)
			b.Confirm = fmt.Sprintf("%s made this edit: %s. %s it?", whose(e.Author), e.Summary, label)
		}
		return b, err
	}
	if v.UndoStep, err = button("undo", "Undo", steps.Undo); err != nil {
		return err
	}
	v.RedoStep, err = button("redo", "Redo", steps.Redo)
	return err
}

// whose names an author for people.
func whose(by store.Author) string {
	if by.Name == "" {
		return "Somebody"
	}
	return by.Name
}

// entriesShown is how many entries of a history are shown at a time.
const entriesShown = 100

// historyPage is what the page of a production's history shows.
type historyPage struct {
	Entries   []historyEntry
	More      int // number before which there are more, 0 for none
	Current   int
	From, To  int // that are compared, 0 for none
	Changes   []shownDifference
	Unshown   int // changes that are not listed
	FromEntry string
	ToEntry   string
}

type historyEntry struct {
	store.Entry
	Who     string
	Mine    bool
	Current bool
	Before  int // the revision before it, 0 for none
}

// fillHistory shows who changed what, and compares two revisions.
func fillHistory(a *app, v *view) error {
	number := func(name string) int {
		n, _ := strconv.Atoi(v.query(name)) // anything else stands for none
		return n
	}
	code := v.Production.Code
	entries, err := a.House.Record.History(code, number("before"), entriesShown+1)
	if err != nil {
		return err
	}
	page := historyPage{Current: v.Production.Number, From: number("from"), To: number("to")}
	if len(entries) > entriesShown {
		page.More = entries[entriesShown-1].Number
	}
	for i, e := range entries[:min(len(entries), entriesShown)] {
		shown := historyEntry{Entry: e, Who: whose(e.Author), Mine: e.Author.Key == v.Author.Key && e.Author.Key != ""}
		shown.Current = e.Number == page.Current
		if i+1 < len(entries) {
			shown.Before = entries[i+1].Number
		}
		page.Entries = append(page.Entries, shown)
	}
	if page.From != 0 && page.To != 0 {
		if err := a.compareRevisions(code, &page); err != nil {
			return err
		}
	}
	v.Page = page
	return nil
}

// compareRevisions lists in what two revisions differ.
func (a *app) compareRevisions(code string, page *historyPage) error {
	from, err := a.House.Record.At(code, page.From)
	if err != nil {
		return err
	}
	to, err := a.House.Record.At(code, page.To)
	if err != nil {
		return err
	}
	changes, err := difference.Between(from, to)
	if err != nil {
		return err
	}
	for _, c := range changes[:min(len(changes), mostDifferences)] {
		page.Changes = append(
			page.Changes, shownDifference{Where: c.Where(), Here: plainValue(c.Is), There: plainValue(c.Was)},
		)
	}
	page.Unshown = len(changes) - len(page.Changes)
	return nil
}

// restore makes an older revision the current one again, as a new edit.
func (a *app) restore(c *echo.Context) error {
	number, err := strconv.Atoi(c.FormValue("number"))
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The page did not say which revision; load it again.")
	}
	code := c.Param("code")
	was, err := a.House.Record.At(code, number)
	if err != nil {
		return err
	}
	now, err := a.House.Record.Production(code)
	if err != nil {
		return err
	}
	was.Code = now.Code // a production keeps its code
	command := edit.ReplaceProduction{Revision: number, Document: was}
	_, p, err := a.House.Do(code, house.Editing{By: author(c)}, command)
	if err != nil {
		return err
	}
	a.Changes.Changed()
	return a.update(c, answer{
		production: p, station: historyStation, notice: "Saved: " + edit.Summary(command) + ".",
		impact: a.impact(now, p),
	})
}
