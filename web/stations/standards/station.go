// Package standards is the first station: what a production delivers, which decides everything before it.
package standards

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/core/lut"
	"reelhouse/web/kit"
)

//go:embed *.html
var files embed.FS

const key kit.Key = "standards"

// A page answers for the station.
type page struct{ *kit.App }

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{a}
	return kit.Station{
		Key:    key,
		Name:   "Standards",
		Hint:   "What this production delivers: sizes, time, picture, qualities.",
		Files:  files,
		Fill:   p.fill,
		Routes: p.routes,
		Count:  func(v *kit.View) int { return len(v.Production.Sizes) },
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.GET("/clock", a.clock)
	p.GET("/retime", a.retime)
	p.POST("/take", a.take, kit.SmallForm())
	p.POST("/lut", a.bringLUT, kit.Form(lut.MostBytes+1<<20))
}
