// Package output is the station of outputs: formats, encodings, burn-ins, and the names of files.
package output

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/web/kit"
)

//go:embed *.html *.js
var files embed.FS

const key kit.Key = "output"

// A page answers for the station.
type page struct{ *kit.App }

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{a}
	return kit.Station{
		Key:   key,
		Name:  "Output",
		Hint:  "Outputs, and the names of their files.",
		Files: files,
		Mends: []string{"output", "names"},
		Fill:  p.fill,
		Keys: []kit.Shortcut{
			{Keys: []string{"Tab"}, Does: "in a name pattern, take the first completion of a field"},
		},
		Routes: p.routes,
		Count:  func(v *kit.View) int { return v.Totals.Files },
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.GET("/names", a.names)
	p.GET("/stamp", a.stampPreview)
}
