package kit

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/edit"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/store"
)

// contextFields are fields of commands that a page tells with every edit: which frame it shows, and where the play head
// is.
var contextFields = []string{"frame", "head"}

// bind makes a command of a form. The form has
//
//	of        the code of the part that is changed
//	chosen    codes, of an edit of many parts
//	field     the name of the field that a control is for, with what was typed as value, or what is ticked as values
//	value     without field: what an action is done with
//	set.NAME  any other field of the command
//
// Names that the command does not have wrap edit.ErrUnknown.
func bind(name string, form url.Values) (edit.Command, error) {
	fields, err := edit.Fields(name)
	if err != nil {
		return nil, err
	}
	values := map[string][]string{}
	for key, texts := range form {
		if len(key) > 4 && key[:4] == "set." {
			values[key[4:]] = texts
		}
	}
	for _, f := range fields {
		switch {
		case f.Of && f.Many:
			if values[f.Name] = append(append([]string(nil), form["chosen"]...), given(form["of"])...); len(
				values[f.Name],
			) == 0 {
				delete(values, f.Name)
			}
		case f.Of && form.Has("of"):
			values[f.Name] = form["of"]
		case f.Value && !form.Has("field") && form.Has("value"):
			values[f.Name] = form["value"]
		case f.Name == form.Get("field") && (f.Many || f.Bool):
			values[f.Name] = form["values"]
		case f.Name == form.Get("field"):
			values[f.Name] = form["value"]
		}
	}
	if field := form.Get("field"); field != "" {
		if _, bound := values[field]; !bound {
			return nil, fmt.Errorf("%s has no field %q: %w", name, field, edit.ErrUnknown)
		}
	}
	for _, f := range fields {
		for _, shown := range contextFields {
			if f.Name == shown && form.Get(shown) != "" && values[shown] == nil {
				values[shown] = form[shown]
			}
		}
	}
	return edit.FromText(name, values)
}

// given returns the texts that are not empty.
func given(texts []string) []string {
	var out []string
	for _, t := range texts {
		if t != "" {
			out = append(out, t)
		}
	}
	return out
}

// edit makes the edit that a form asks for. What cannot be kept comes back with the reason, where it was typed.
func (a *App) edit(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The form could not be read.")
	}
	command, err := bind(c.Param("command"), form)
	var m *edit.Mistake
	switch {
	case errors.As(err, &m):
		return a.mistaken(c, Mistake{Where: m.Part, Field: m.Field, Value: form.Get("value"), Message: m.Message})
	case err != nil:
		return echo.NewHTTPError(http.StatusBadRequest, "This cannot be edited; load the page again.")
	}
	return a.Do(c, command)
}

// mistaken answers an edit with the page as it was, and the mistake where it was made.
func (a *App) mistaken(c *echo.Context, m Mistake) error {
	now, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	return a.Update(c, Answer{Production: now, Station: Key(c.FormValue("station")), Mistake: m})
}

// seen returns the revision that the page of a form shows, or store.Any if a person wants their edit whatever others
// did.
func seen(c *echo.Context) (int, error) {
	if c.FormValue("mine") != "" {
		return store.Any, nil
	}
	n, err := strconv.Atoi(c.FormValue("seen"))
	if err != nil || n < 1 {
		return 0, echo.NewHTTPError(
			http.StatusBadRequest, "The page did not say which revision it shows; load it again.",
		)
	}
	return n, nil
}

// Do makes an edit, if nobody else has changed the same since the page was loaded, and answers with the sheet and what
// followed from it.
func (a *App) Do(c *echo.Context, command edit.Command) error {
	from, err := seen(c)
	if err != nil {
		return err
	}
	before, p, err := a.House.Do(c.Param("code"), house.Editing{By: Author(c), Seen: from}, command)
	var m *edit.Mistake
	var conflict *store.Conflict
	var long *production.LongText
	field := c.FormValue("field")
	switch {
	case errors.As(err, &m):
		return a.mistaken(c, Mistake{Where: m.Part, Field: m.Field, Value: c.FormValue("value"), Message: m.Message})
	case errors.As(err, &conflict):
		return a.mistaken(
			c,
			Mistake{
				Where:    command.Part(),
				Field:    field,
				Value:    c.FormValue("value"),
				Message:  conflict.Error(),
				Conflict: true,
			},
		)
	case errors.As(err, &long):
		return a.mistaken(
			c, Mistake{Where: command.Part(), Field: field, Value: c.FormValue("value"), Message: long.Error()},
		)
	case err != nil:
		return err
	}
	a.Changes.Changed()
	if field == "tiles" { // a side sheet shows what they come to
		c.Response().Header().Set("HX-Trigger-After-Settle", "tiles-set")
	}
	notice := "Saved: " + edit.Summary(command) + "."
	return a.Update(c, Answer{
		Production: p, Station: Key(c.FormValue("station")), Notice: notice, Impact: a.Impact(before, p),
	})
}

// Impact says what an edit changed of what would be rendered; nil if that cannot be said, or nothing.
func (a *App) Impact(before, after store.Revision) *plan.Impact {
	impact, err := a.House.Impact(before, after)
	if err != nil {
		a.Log.Warn("what an edit changes cannot be said", "production", after.Code, "error", err)
	}
	if err != nil || impact == nil {
		return nil
	}
	impact.Before.Seconds /= float64(a.Node.SlotCount())
	impact.After.Seconds /= float64(a.Node.SlotCount())
	return impact
}
