// Package shots is the station of shots: which frames of which views are rendered, and as what.
package shots

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/core/shotlist"
	"reelhouse/web/kit"
)

//go:embed *.html *.js
var files embed.FS

const key kit.Key = "shots"

// A page answers for the station.
type page struct{ *kit.App }

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{a}
	return kit.Station{
		Key:   key,
		Name:  "Shots",
		Hint:  "Which frames of which view. Both ends of a range are rendered.",
		Files: files,
		Mends: []string{"shot", "cut"},
		Keeps: []string{"from"},
		Fill:  p.fill,
		Keys: []kit.Shortcut{
			{Keys: []string{"↑", "↓"}, Does: "on a bar, go to the one before, the next"},
			{Keys: []string{"←", "→"}, Does: "on a bar, move it by a frame; with Shift, its last frame"},
		},
		Routes: p.routes,
		Count:  func(v *kit.View) int { return len(v.Production.Shots) },
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.GET("/shots/file", a.exportShots)
	p.GET("/shots/table", a.shotTable)
	p.POST("/shots/table", a.shotTable, kit.Form(2*shotlist.MaxBytes+1<<16))
}
