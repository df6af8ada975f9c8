package kit

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/store"
)

// steps fills in what could be undone and done again by who looks.
func (a *App) steps(v *View) error {
	steps, err := a.House.Record.Steps(v.Production.Code, v.Author)
	if err != nil {
		return err
	}
	button := func(id, label string, e *store.Entry) *Action {
		if e == nil {
			return nil
		}
		b := v.Post(id, label, label+": "+e.Summary, id,
			"station", string(v.Station.Key), "number", strconv.Itoa(e.Number), "open", v.Open)
		if e.Author.Key != v.Author.Key || e.Author.Key == "" {
			b.Label = fmt.Sprintf("%s edit by %s", label, Whose(e.Author))
			b.Title = fmt.Sprintf("%s, by %s: %s", label, Whose(e.Author), e.Summary)
			b.Confirm = fmt.Sprintf("%s made this edit: %s. %s it?", Capital(Whose(e.Author)), e.Summary, label)
		}
		return &b
	}
	v.UndoStep, v.RedoStep = button("undo", "Undo", steps.Undo), button("redo", "Redo", steps.Redo)
	return nil
}

// step undoes or redoes the edit of a number, and shows the page again.
func (a *App) step(undo bool) echo.HandlerFunc {
	return func(c *echo.Context) error {
		before, err := a.House.Record.Production(c.Param("code"))
		if err != nil {
			return err
		}
		number, err := strconv.Atoi(c.FormValue("number"))
		if err != nil {
			return echo.NewHTTPError(http.StatusBadRequest, "The page did not say which edit; load it again.")
		}
		key := Key(c.FormValue("station"))
		do, word := a.House.Record.Redo, "Redone"
		if undo {
			do, word = a.House.Record.Undo, "Undone"
		}
		p, err := do(before.Code, number, Author(c))
		var conflict *store.Conflict
		if errors.As(err, &conflict) {
			return a.Update(
				c, Answer{Production: before, Station: key, Notice: "Nothing was undone: " + conflict.Error() + "."},
			)
		} else if err != nil {
			return err
		}
		if p.Number == before.Number {
			return a.Update(
				c, Answer{Production: p, Station: key, Notice: "There is nothing of that to undo or redo any more."},
			)
		}
		a.Changes.Changed()
		if p.Code != before.Code {
			c.Response().Header().Set("HX-Redirect", "/p/"+p.Code+"/"+string(key))
		}
		_, what, _ := strings.Cut(p.Summary, ": ")
		return a.Update(c, Answer{
			Production: p, Station: key, Notice: word + ": " + what + ".", Impact: a.Impact(before, p),
		})
	}
}
