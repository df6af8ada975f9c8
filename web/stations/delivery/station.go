// Package delivery is the station of deliveries: what is handed on by a recipe, what is wrong with it, and what was
// handed on.
package delivery

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/house"
	"reelhouse/web/kit"
)

//go:embed *.html
var files embed.FS

const key kit.Key = "delivery"

// A page answers for the station.
type page struct {
	*kit.App
	deliverer *house.Deliverer
}

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{App: a, deliverer: &house.Deliverer{
		House: a.House, By: house.DeliveryBy{Tool: "reelhouse", Version: a.Version}, Changed: a.Changes.Changed,
		Log: a.Log,
	}}
	return kit.Station{
		Key:    key,
		Name:   "Delivery",
		Hint:   "What goes out, to whom, and proved complete.",
		Files:  files,
		Mends:  []string{"delivery"},
		Keeps:  []string{"changes"},
		Run:    p.deliverer.Run,
		Fill:   p.fill,
		Count:  func(v *kit.View) int { return len(v.Production.Deliveries) },
		Routes: p.routes,
		Events: p.events,
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.POST("/recipe", a.add, kit.SmallForm())
	p.POST("/deliver", a.deliver, kit.SmallForm())
	p.POST("/delivered/:id/stop", a.stop, kit.SmallForm())
	p.POST("/delivered/:id/resume", a.resume, kit.SmallForm())
	p.GET("/download/:sequence", a.downloadSequence)
	p.GET("/download/:sequence/:frame", a.downloadFile)
	p.GET("/delivered/:id/package", a.download)
	p.GET("/delivered/:id/file/*", a.file)
}
