// Package passes is the station of render passes: which there are, what each costs, and which lists shots ask for.
package passes

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/web/kit"
)

//go:embed *.html *.js
var files embed.FS

const key kit.Key = "passes"

// A page answers for the station.
type page struct{ *kit.App }

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{a}
	return kit.Station{
		Key:    key,
		Name:   "Passes",
		Hint:   "What compositing will need, and nothing else.",
		Files:  files,
		Shared: []string{"pick.js"},
		Keys: []kit.Shortcut{
			{Keys: []string{"Space"}, Does: "on a box, tick it"},
			{Keys: []string{"←", "→", "↑", "↓"}, Does: "on a box, go to the one beside, above, below"},
		},
		Mends:  []string{"pass list", "light group", "depth"},
		Fill:   p.fill,
		Routes: p.routes,
		Count:  func(v *kit.View) int { return len(v.Production.PassLists) },
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.GET("/depths", a.measureDepth)
	p.GET("/wall", a.wallValues)
	p.GET("/wall/:pass", a.wallPicture)
}
