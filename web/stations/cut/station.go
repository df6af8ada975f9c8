// Package cut is the page of the cut: what plays when, and for how long.
package cut

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/assets"
	"reelhouse/core/cut"
	"reelhouse/preview"
	"reelhouse/web/kit"
)

//go:embed *.html *.js
var files embed.FS

const key kit.Key = "cut"

// A page answers for the station.
type page struct {
	*kit.App
	movies *preview.QuickMovies
}

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{App: a, movies: &preview.QuickMovies{
		House: a.House, Previews: a.Previews, Changed: a.Changes.Changed, Log: a.Log,
	}}
	return kit.Station{
		Key:    key,
		Name:   "The cut",
		Under:  "shots",
		Files:  files,
		Keeps:  []string{"as", "head"},
		Fill:   p.fill,
		Run:    p.movies.Run,
		Events: p.events,
		Keys: []kit.Shortcut{
			{Keys: []string{"Space"}, Does: "play and stop"},
			{Keys: []string{",", "."}, Does: "a frame back, a frame on"},
			{Keys: []string{"↑", "↓"}, Does: "on a clip, go to the one before, the next"},
			{Keys: []string{"Enter"}, Does: "on a clip, open it"},
			{Keys: []string{"←", "→"}, Does: "on a clip, move it by a frame"},
		},
		Routes: p.routes,
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.GET("/cut/file", a.exportCut)
	p.GET("/cut/play", a.cutPlay)
	p.GET("/cut/sound", a.sound)
	p.GET("/cut/movie", a.movie)
	p.POST("/cut/movie", a.wantMovie, kit.SmallForm())
	p.POST("/cut/movie/stop", a.stopMovie, kit.SmallForm())
	p.POST("/cut/sound", a.bringSound, kit.Form(assets.MostSoundBytes+1<<16))
	p.POST("/cut/file", a.bringCut, kit.Form(cut.MaxBytes+1<<16))
}
