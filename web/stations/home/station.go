// Package home is the page before all productions: which there are, and how to make one.
package home

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/web/kit"
)

//go:embed *.html
var files embed.FS

const key kit.Key = "home"

// A page answers for the list of productions.
type page struct{ *kit.App }

// Page returns the page. It stands before all productions, and has no place in the order of work.
func Page(a *kit.App) kit.Station {
	return kit.Station{Key: key, Name: "Productions", Under: kit.NoStation, Bare: true, Files: files}
}

// Routes adds what the page answers.
func Routes(a *kit.App, e *echo.Echo) {
	p := &page{a}
	e.GET("/", p.home)
	e.POST("/productions", p.create, kit.SmallForm())
	e.GET("/p/:code", p.production)
}
