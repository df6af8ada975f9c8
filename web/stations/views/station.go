// Package views is the station of cameras, looks, rigs and environments.
package views

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/assets"
	"reelhouse/web/kit"
)

//go:embed *.html *.js
var files embed.FS

const key kit.Key = "views"

// A page answers for the station.
type page struct{ *kit.App }

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{a}
	return kit.Station{
		Key:    key,
		Name:   "Views",
		Hint:   "Each view is a camera under a look.",
		Files:  files,
		Shared: []string{"pick.js"},
		Mends:  []string{"rig", "environment", "look", "view"},
		Keeps:  []string{"as", "look", "frame", "side", "size", "all", "beside1", "beside2", "beside3"},
		Fill:   p.fill,
		Keys: []kit.Shortcut{
			{Keys: []string{"[", "]"}, Does: "the view before, the next view"},
			{Keys: []string{"Enter"}, Does: "on the picture, pick what is in its middle; with Shift, measure to it"},
			{Keys: []string{"←", "→", "↑", "↓"}, Does: "on the plan, move the camera by 0.1 m; with Shift, by 1 m"},
		},
		Routes: p.routes,
		Count:  func(v *kit.View) int { return len(v.Production.ShotViews()) },
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.GET("/pick", a.pick)
	p.GET("/sights", a.sights)
	p.GET("/cameras", a.exportCameras)
	p.POST("/environment", a.bringEnvironment, kit.Form(assets.MostEnvironmentBytes+1<<20))
}
