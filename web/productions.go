package web

import (
	"errors"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/edit"
	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/store"
)

// homePage is the list of productions and the form for a new one.
type homePage struct {
	Title       string
	Productions []store.Revision
	Presets     []preset.Preset
	Code, Name  string // as they were typed
	Start       string
	Wrong       string
}

func (a *app) homePage() (homePage, error) {
	page := homePage{Title: "Productions"}
	codes, err := a.House.Record.Codes()
	if err != nil {
		return page, err
	}
	for _, code := range codes {
		p, err := a.House.Record.Production(code)
		if err != nil {
			return page, err
		}
		page.Productions = append(page.Productions, p)
	}
	page.Presets, err = a.House.Record.Presets(preset.Standards)
	return page, err
}

// home leads to the only production, or lists them and offers to make one.
func (a *app) home(c *echo.Context) error {
	page, err := a.homePage()
	if err != nil {
		return err
	}
	if len(page.Productions) == 1 && c.QueryParam("new") == "" {
		return c.Redirect(http.StatusSeeOther, "/p/"+page.Productions[0].Code+"/standards")
	}
	return c.Render(http.StatusOK, "home", page)
}

// production leads to a production's first station.
func (a *app) production(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/p/"+p.Code+"/standards")
}

// create makes a production, from a preset or another production if one is chosen.
func (a *app) create(c *echo.Context) error {
	code, title, start := strings.TrimSpace(c.FormValue("code")), strings.TrimSpace(
		c.FormValue("title"),
	), c.FormValue("start")
	again := func(message string) error {
		page, err := a.homePage()
		if err != nil {
			return err
		}
		page.Code, page.Name, page.Start, page.Wrong = code, title, start, message
		return c.Render(http.StatusUnprocessableEntity, "home", page)
	}
	p := production.New(code, title)
	for _, problem := range p.Problems() {
		if problem.Where == "production "+code {
			return again(problem.Message)
		}
	}
	if title == "" {
		return again("the production needs a title")
	}
	kind, name, _ := strings.Cut(start, ":")
	switch kind {
	case "preset":
		from, err := a.House.Record.Preset(preset.Standards, name)
		if err != nil {
			return again(err.Error())
		}
		if err := from.Recall(&p); err != nil {
			return again(err.Error())
		}
	case "production":
		from, err := a.House.Record.Production(name)
		if err != nil {
			return again(err.Error())
		}
		if err := p.Take(from.Production, production.SetUps()...); err != nil {
			return again(err.Error())
		}
	}
	if err := a.House.Record.Create(p, author(c)); errors.Is(err, store.ErrTaken) {
		return again(err.Error())
	} else if err != nil {
		return err
	}
	next := "/scenes"
	if p.Scene.SHA256 != "" {
		next = "/standards"
	}
	return c.Redirect(http.StatusSeeOther, "/p/"+code+next)
}

// take copies parts of another production's set-up into this one.
func (a *app) take(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The form could not be read.")
	}
	var parts []production.SetUp
	for _, v := range form["values"] {
		parts = append(parts, production.SetUp(v))
	}
	return a.do(c, edit.TakeSetUp{From: form.Get("from"), Parts: parts})
}

// step undoes or redoes the edit of a number, and shows the page again.
func (a *app) step(undo bool) echo.HandlerFunc {
	return func(c *echo.Context) error {
		before, err := a.House.Record.Production(c.Param("code"))
		if err != nil {
			return err
		}
		number, err := strconv.Atoi(c.FormValue("number"))
		if err != nil {
			return echo.NewHTTPError(http.StatusBadRequest, "The page did not say which edit; load it again.")
		}
		key := stationKey(c.FormValue("station"))
		do, word := a.House.Record.Redo, "Redone"
		if undo {
			do, word = a.House.Record.Undo, "Undone"
		}
		p, err := do(before.Code, number, author(c))
		var conflict *store.Conflict
		if errors.As(err, &conflict) {
			return a.update(
				c, answer{production: before, station: key, notice: "Nothing was undone: " + conflict.Error() + "."},
			)
		} else if err != nil {
			return err
		}
		if p.Number == before.Number {
			return a.update(
				c, answer{production: p, station: key, notice: "There is nothing of that to undo or redo any more."},
			)
		}
		a.Changes.Changed()
		if p.Code != before.Code {
			c.Response().Header().Set("HX-Redirect", "/p/"+p.Code+"/"+string(key))
		}
		_, what, _ := strings.Cut(p.Summary, ": ")
		return a.update(c, answer{
			production: p, station: key, notice: word + ": " + what + ".", impact: a.impact(before, p),
		})
	}
}

// others returns the codes of the other productions.
func (a *app) others(code string) ([]string, error) {
	codes, err := a.House.Record.Codes()
	return slices.DeleteFunc(codes, func(c string) bool { return c == code }), err
}
