// Package batch is the batch sheet: everything that would be rendered, what is wrong with it, and sending it.
package batch

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/core/preflight"
	"reelhouse/web/kit"
)

//go:embed *.html *.js
var files embed.FS

const key kit.Key = "batch"

// A page answers for the station.
type page struct{ *kit.App }

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{a}
	return kit.Station{
		Key:    key,
		Name:   "Batch sheet",
		Hint:   "Read the whole batch, then send it.",
		Files:  files,
		Keeps:  []string{"filter", "group"},
		Fill:   p.fill,
		Routes: p.routes,
		Count:  func(v *kit.View) int { return v.Totals.Frames },
		Wrong:  refused,
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.GET("/batch/rows", a.batchRows)
	p.GET("/batch/paths", a.batchPaths)
	p.GET("/batch/sums", a.batchSums)
	p.POST("/send", a.send, kit.SmallForm())
	p.POST("/trial", a.sendTrial, kit.SmallForm())
}

// refused counts the findings that keep the batch from being sent. That all was sent already is nothing wrong.
func refused(v *kit.View) int {
	n := 0
	for _, f := range v.Draft.Findings {
		if f.Severity == preflight.Refuses && f.Waived == "" && f.Rule != preflight.NothingNew {
			n++
		}
	}
	return n
}
