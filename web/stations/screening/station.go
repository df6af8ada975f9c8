// Package screening is the screening room, in which finished frames are looked at.
package screening

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/house/waiting"
	"reelhouse/web/kit"
)

//go:embed *.html *.js
var files embed.FS

const key kit.Key = "screening"

// A page answers for the station.
type page struct {
	*kit.App
	frames  *waiting.Shelf[*pixel.Image]  // that were shown last
	decoded *waiting.Shelf[*picture.File] // that were asked last, see opened
	reading *waiting.Line
}

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{
		App: a, frames: waiting.NewShelf(cacheFrames, cacheBytes, size), reading: waiting.NewLine(readAtOnce),
		decoded: waiting.NewShelf(decodedFiles, decodedBytes, decodedSize),
	}
	return kit.Station{
		Key:   key,
		Name:  "Screening",
		Hint:  "Look at what is finished.",
		Files: files,
		Fill:  p.fill,
		Dark:  true,
		Keys: []kit.Shortcut{
			{Keys: []string{",", "."}, Does: "a frame back, a frame on"},
			{Keys: []string{"Space"}, Does: "play and stop"},
			{Keys: []string{"[", "]"}, Does: "the pass before, the next pass"},
			{Keys: []string{"-", "+"}, Does: "half a stop darker, brighter"},
		},
		Routes: p.routes,
		Count:  good,
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.GET("/screen/:sequence", a.screenFrames)
	p.GET("/screen/:sequence/:frame/probe", a.probe)
	p.GET("/screen/:sequence/:frame/:pass", a.screenPicture)
}

// good counts the frames that can be looked at.
func good(v *kit.View) int {
	n := 0
	for _, b := range v.Batches {
		n += b.GoodFrames()
	}
	return n
}
