package home

import (
	"errors"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// homePage is the list of productions and the form for a new one.
type homePage struct {
	Title       string
	Productions []store.Revision
	Starts      []kit.Option // what a new one can start with
	Code, Name  string       // as they were typed
	Start       string
	Wrong       string
}

func (a *page) homePage() (homePage, error) {
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
	presets, err := a.House.Record.Presets(preset.Standards)
	if err != nil {
		return page, err
	}
	page.Starts = []kit.Option{{Value: "", Text: "the usual standards"}}
	for _, saved := range presets {
		page.Starts = append(page.Starts, kit.Option{Value: "preset:" + saved.Name, Text: "the preset " + saved.Name})
	}
	for _, p := range page.Productions {
		text := "the whole set-up of " + p.Code
		page.Starts = append(page.Starts, kit.Option{Value: "production:" + p.Code, Text: text})
	}
	return page, nil
}

// home leads to the only production, or lists them and offers to make one.
func (a *page) home(c *echo.Context) error {
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
func (a *page) production(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/p/"+p.Code+"/standards")
}

// create makes a production, from a preset or another production if one is chosen.
func (a *page) create(c *echo.Context) error {
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
	if err := a.House.Record.Create(p, kit.Author(c)); errors.Is(err, store.ErrTaken) {
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
