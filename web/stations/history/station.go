// Package history is the page of who changed what: to read, to compare, and to bring an older revision back.
package history

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/web/kit"
)

//go:embed *.html
var files embed.FS

const key kit.Key = "history"

// A page answers for the station.
type page struct{ *kit.App }

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{a}
	return kit.Station{
		Key:    key,
		Name:   "History",
		Under:  kit.NoStation,
		Files:  files,
		Fill:   p.fill,
		Routes: p.routes,
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.POST("/restore", a.restore, kit.SmallForm())
}
