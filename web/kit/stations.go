package kit

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"
	"sync"

	"github.com/labstack/echo/v5"

	"reelhouse/core/production"
)

// A Key names a page in addresses: /p/CODE/KEY.
type Key string

// NoStation is what a page is under that belongs to no station of the order of work.
const NoStation Key = "-"

// A Station is one page of the order of work, or a page beside it. Its templates and scripts lie in its own folder.
type Station struct {
	Key  Key
	Name string
	Hint string // what one does there, in a sentence
	// Under is the station whose page this is, for one without a place of its own in the order of work; NoStation for a
	// page that belongs to none.
	Under Key
	// Run does what is done without anybody's asking, until ctx ends. Nil for nothing.
	Run func(ctx context.Context)
	// Files has its templates, *.html, one of which defines "sheet", and its scripts, *.js, which its page loads.
	Files fs.FS
	// Shared names scripts of the kit that its page loads, too.
	Shared []string
	// Bare pages are of no production: they have no address among its pages, and nothing stands around them.
	Bare bool
	// Dark pages judge pictures: their sheet has no margins, and nothing colours what lies around the picture.
	Dark bool
	// Keys are what keys do on its page, beside those that every page has.
	Keys []Shortcut
	// Fill adds to a view what the templates show, as View.Page. Nil for nothing.
	Fill func(v *View) error
	// Count is how many things there are. Only pages without a place in the order of work have none.
	Count func(v *View) int
	// Wrong is how many things are wrong here, beside the problems that it mends. Nil for none.
	Wrong func(v *View) int
	// Mends are the kinds of parts whose problems are put right here. The first station mends all that no other does.
	Mends []string
	// Keeps are the parts of its address that stay as they are when something is changed on the page.
	Keeps []string
	// Routes adds what it answers beside its page to the routes of a production. Nil for nothing.
	Routes func(p *echo.Group)
	// Events adds its live events. Nil for none.
	Events func(w Watched, add func(event, template string, data any) error) error
}

// A Shortcut is keys that do the same, or that belong together.
type Shortcut struct {
	Keys []string
	Does string
}

// Scripts returns the addresses of the scripts that its page loads.
func (s Station) Scripts() []string {
	var all []string
	for _, name := range s.Shared {
		all = append(all, "/static/"+name)
	}
	own, _ := fs.Glob(s.Files, "*.js") // the pattern is good
	for _, name := range own {
		all = append(all, path.Join("/static", string(s.Key), name))
	}
	return all
}

// Run begins what stations do without anybody's asking, until ctx ends.
func (a *App) Run(ctx context.Context, running *sync.WaitGroup) {
	for _, s := range a.stations {
		if s.Run != nil {
			running.Go(func() { s.Run(ctx) })
		}
	}
}

// Open takes the stations in, in the order of work, and checks that each is whole.
func (a *App) Open(stations ...Station) error {
	var faults []error
	keys := map[Key]bool{NoStation: true, "": true}
	for _, s := range stations {
		keys[s.Key] = true
	}
	seen := map[Key]bool{}
	for i, s := range stations {
		fault := func(text string, values ...any) {
			faults = append(faults, fmt.Errorf("station %d, %q: %s", i+1, s.Key, fmt.Sprintf(text, values...)))
		}
		switch {
		case s.Key == "" || seen[s.Key]:
			fault("it needs a key of its own")
		case s.Name == "" || s.Files == nil:
			fault("it needs a name, and templates")
		case s.Under == "" && (s.Count == nil || s.Hint == ""):
			fault("in the order of work it needs a count and a hint")
		case !keys[s.Under]:
			fault("there is no station %q that it could be under", s.Under)
		}
		for _, name := range s.Shared {
			if _, err := fs.Stat(Static, "static/"+name); err != nil {
				fault("the kit has no script %s", name)
			}
		}
		seen[s.Key] = true
	}
	if err := errors.Join(faults...); err != nil {
		return err
	}
	a.stations = stations
	pages, err := parsePages(stations)
	a.pages = pages
	return err
}

// Stations returns the pages of a production in the order of work.
func (a *App) Stations() []Station {
	return slices.DeleteFunc(slices.Clone(a.stations), func(s Station) bool { return s.Bare })
}

// find returns the station of a key.
func (a *App) find(key Key) (Station, bool) {
	i := slices.IndexFunc(a.stations, func(s Station) bool { return s.Key == key })
	if i < 0 {
		return Station{}, false
	}
	return a.stations[i], true
}

// stationOf returns the station at which a problem is put right, by the kind of part that has it.
func stationOf(stations []Station, p production.Problem) Key {
	for _, s := range stations {
		for _, kind := range s.Mends {
			if strings.HasPrefix(p.Where, kind) {
				return s.Key
			}
		}
	}
	return stations[0].Key
}
