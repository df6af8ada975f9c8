// Package screening is the screening room, in which finished frames are looked at.
package screening

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/assets"
	"reelhouse/core/grade"
	"reelhouse/core/matte"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/house/waiting"
	"reelhouse/preview"
	"reelhouse/web/kit"
)

//go:embed *.html *.js
var files embed.FS

const key kit.Key = "screening"

// A page answers for the station.
type page struct {
	*kit.App
	frames  *waiting.Shelf[*pixel.Image]  // that were shown last
	bands   *waiting.Shelf[*pixel.Image]  // of which tiles were cut last
	decoded *waiting.Shelf[*picture.File] // that were asked last, see opened
	reels   *waiting.Shelf[reel]          // of movies that were shown last
	small   *waiting.Shelf[[]byte]        // pictures of places, and of frames on the wall, as files
	reading *waiting.Line
	viewing *preview.Viewings
	ranks   *waiting.Shelf[*matte.Ranks] // of Cryptomattes that were picked from last
	ahead   chan int64                   // a sequence that somebody looks at, and of which viewing files are made
}

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{
		App: a, frames: waiting.NewShelf(cacheFrames, cacheBytes, size), reading: waiting.NewLine(readAtOnce),
		bands:   waiting.NewShelf(cacheFrames, bandBytes, size),
		decoded: waiting.NewShelf(decodedFiles, decodedBytes, decodedSize),
		reels:   waiting.NewShelf(keptReels, reelBytes, reel.size),
		ranks:   waiting.NewShelf(cacheFrames, rankBytes, (*matte.Ranks).Size),
		viewing: preview.NewViewings(a.House), ahead: make(chan int64, 1),
		small: waiting.NewShelf(smallPictures, smallBytes, func(b []byte) int64 { return int64(len(b)) }),
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
			{Keys: []string{"<", ">"}, Does: "play from this frame on, as far as this frame"},
			{Keys: []string{"A", "R", "Q"}, Does: "approve, retake, ask about the frames that are named"},
			{Keys: []string{"d"}, Does: "draw on the frame, and stop drawing"},
			{Keys: []string{"t"}, Does: "swap the two that are compared"},
			{Keys: []string{"i", "o"}, Does: "larger, smaller"},
			{Keys: []string{"f", "x"}, Does: "all of the picture, a pixel for a pixel"},
		},
		Routes: p.routes,
		Run:    p.makeViewings,
		Events: p.events,
		Count:  good,
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.GET("/screen/:sequence", a.screenFrames)
	p.GET("/verdicts/:format", a.exportVerdicts)
	p.POST("/references", a.bringReference, kit.Form(assets.MostReferenceBytes+1<<16))
	p.POST("/references/:reference/remove", a.removeReference, kit.SmallForm())
	p.GET("/references/:reference/:frame/play/:pass", a.playReference)
	p.GET("/references/:reference/:frame/:pass", a.showReference)
	p.GET("/screen/:sequence/:frame/against/:pass", a.against)
	p.POST("/lost", a.renderLost, kit.SmallForm())
	p.POST("/retakes", a.sendRetakes, kit.SmallForm())
	p.GET("/screen/:sequence/verdicts", a.showVerdicts)
	p.POST("/screen/:sequence/verdicts", a.decide, kit.SmallForm())
	p.POST("/screen/:sequence/verdicts/:verdict/back", a.takeBack, kit.SmallForm())
	p.GET("/screen/:sequence/mattes", a.showMattes)
	p.POST("/screen/:sequence/mattes", a.changeMattes, kit.Form(mostNamesForm))
	p.GET("/screen/:sequence/:frame/names", a.names)
	p.GET("/screen/:sequence/:frame/matte", a.mattePicture)
	p.GET("/screen/:sequence/:frame/measure", a.measure)
	p.GET("/screen/:sequence/along", a.measureAlong)
	p.GET("/screen/:sequence/grading", a.showGrading)
	p.POST("/screen/:sequence/grading", a.changeGrading, kit.SmallForm())
	p.POST("/screen/:sequence/grading/corrections", a.importCorrections, kit.Form(grade.MostFileBytes+1<<16))
	p.GET("/grades/:grade/:format", a.exportCorrections)
	p.GET("/screen/:sequence/:frame/lights", a.lights)
	p.GET("/screen/:sequence/:frame/graded", a.gradedPicture)
	p.GET("/screen/:sequence/findings", a.showFindings)
	p.POST("/screen/:sequence/inspect", a.inspect, kit.SmallForm())
	p.GET("/screen/:sequence/:frame/probe", a.probe)
	p.GET("/screen/:sequence/:frame/play/:pass", a.play)
	p.GET("/screen/:sequence/:frame/around", a.around)
	p.GET("/screen/:sequence/:frame/spread/:pass", a.spread)
	p.GET("/screen/:sequence/:frame/tile/:pass", a.tile)
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
