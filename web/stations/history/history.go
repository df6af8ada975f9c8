package history

import (
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/difference"
	"reelhouse/core/edit"
	"reelhouse/house"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// entriesShown is how many entries of a history are shown at a time.
const entriesShown = 100

// historyPage is what the page of a production's history shows.
type historyPage struct {
	Entries   []historyEntry
	More      int // number before which there are more, 0 for none
	Current   int
	From, To  int // that are compared, 0 for none
	Changes   []kit.ShownDifference
	Unshown   int // changes that are not listed
	FromEntry string
	ToEntry   string
}

type historyEntry struct {
	store.Entry
	Who     string
	Mine    bool
	Current bool
	Before  int  // the revision before it, 0 for none
	From    bool // it is compared from
	To      bool
	Restore kit.Action
}

// fill shows who changed what, and compares two revisions.
func (a *page) fill(v *kit.View) error {
	number := func(name string) int {
		n, _ := strconv.Atoi(v.Query(name)) // anything else stands for none
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
		shown := historyEntry{Entry: e, Who: kit.Whose(e.Author)}
		shown.Mine = e.Author.Key == v.Author.Key && e.Author.Key != ""
		shown.Current = e.Number == page.Current
		shown.From, shown.To = e.Number == page.From, e.Number == page.To || page.To == 0 && shown.Current
		number := strconv.Itoa(e.Number)
		shown.Restore = v.Post("restore-"+number, "Restore",
			"Make it the current one again, as a new change", "restore", "number", number, "station", string(key))
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
func (a *page) compareRevisions(code string, page *historyPage) error {
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
	for _, c := range changes[:min(len(changes), kit.MostDifferences)] {
		page.Changes = append(page.Changes, kit.ShownDifference{
			Where: c.Where(), Here: kit.PlainValue(c.Is), There: kit.PlainValue(c.Was),
		})
	}
	page.Unshown = len(changes) - len(page.Changes)
	return nil
}

// restore makes an older revision the current one again, as a new edit.
func (a *page) restore(c *echo.Context) error {
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
	_, p, err := a.House.Do(code, house.Editing{By: kit.Author(c)}, command)
	if err != nil {
		return err
	}
	a.Changes.Changed()
	return a.Update(c, kit.Answer{
		Production: p, Station: key, Notice: "Saved: " + edit.Summary(command) + ".",
		Impact: a.Impact(now, p),
	})
}
