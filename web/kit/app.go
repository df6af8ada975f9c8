// Package kit is what every page of Reelhouse is made with: the layout around a page, components with the values that
// they are given, the binding of forms to commands, answers, live events, and pictures of views.
//
// A page is a Station, in a package of its own below web/stations: it says what its address, name and templates are,
// fills in what they show, and adds the routes that only it has. Stations know the kit, and not one another. The kit
// knows none of them by name: App.Open is given them in the order of work.
package kit

import (
	"embed"
	"log/slog"

	"github.com/labstack/echo/v5"

	"reelhouse/core/work"
	"reelhouse/house"
	"reelhouse/preview"
)

// Static holds the scripts, styles and fonts that pages share. Scripts of a station lie in its own folder.
//
//go:embed static
var Static embed.FS

// A Node renders what is in the queue.
type Node interface {
	SlotCount() int
	// Trouble is what keeps it from rendering, in words, "" for nothing.
	Trouble() string
	// Waits says why no node can take a task of a class now, "" if one can.
	Waits(class work.Class) string
	// Names are those of the nodes.
	Names() []string
	// LetsIn reports whether other machines are let in as nodes.
	LetsIn() bool
	// Usual returns what a task of a class needs, and what it would need if nobody had changed it.
	Usual(class work.Class) (now, usual work.Settings)
	// Progress is how far a frame is, or its tile, from 0 to 1.
	Progress(sequence int64, number, tile int) float64
	// Saying is what has been said at a frame, or its tile, that is under way; "" if it is not.
	Saying(sequence int64, number, tile int) string
}

// Changes are told to whoever listens.
type Changes interface {
	Changed()
	Listen() (changed <-chan struct{}, end func())
}

// An App is what the handlers of all pages share. It answers when its stations are opened.
type App struct {
	House *house.House
	Node  Node
	// Changes tells what has changed in the queue or in a production.
	Changes Changes
	Thumbs  *preview.Thumbs
	// Previews are the pictures that are rendered in this process.
	Previews *preview.Previews
	Log      *slog.Logger
	Version  string // of the program

	stations []Station
	pages    *pages
	live     live
}

// Routes adds what every production's pages answer, and what each station does, to the group of a production.
func (a *App) Routes(p *echo.Group) {
	p.GET("/events", a.events)
	p.GET("/thumb", a.thumb)
	p.GET("/preview", a.preview)
	p.POST("/undo", a.step(true), SmallForm())
	p.POST("/redo", a.step(false), SmallForm())
	p.POST("/author", a.named, SmallForm())
	p.POST("/edit/:command", a.edit, SmallForm())
	p.POST("/preset/:do", a.preset, SmallForm())
	p.GET("/preset/file", a.exportPreset)
	p.POST("/preset/file", a.importPreset, Form(mostPreset))
	for _, s := range a.Stations() {
		p.GET("/"+string(s.Key), a.page(s))
		if s.Routes != nil {
			s.Routes(p)
		}
	}
}

// Renderer renders templates for Echo.
func (a *App) Renderer() echo.Renderer { return a.pages }
