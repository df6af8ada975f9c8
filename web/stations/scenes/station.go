// Package scenes is the station at which a scene is imported, and looked over before cameras are set.
package scenes

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/web/kit"
)

//go:embed *.html
var files embed.FS

// mostScene is the largest scene that is imported, in bytes.
const mostScene = 1 << 30

const key kit.Key = "scenes"

// A page answers for the station.
type page struct{ *kit.App }

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{a}
	return kit.Station{
		Key:    key,
		Name:   "Scenes",
		Hint:   "The scene that the cameras look at.",
		Files:  files,
		Mends:  []string{"scene"},
		Fill:   p.fill,
		Routes: p.routes,
		Count:  func(v *kit.View) int { return kit.OneIf(v.Production.Scene.SHA256 != "") },
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.GET("/scene/picture", a.picture)
	p.POST("/scene", a.bringScene, kit.Form(mostScene))
	p.POST("/scene/opaque", a.registerScene, kit.Form(mostScene))
}
