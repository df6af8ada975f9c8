// Package queue is the queue: what was sent, how far it is, and what went wrong.
package queue

import (
	"embed"
	"fmt"

	"github.com/labstack/echo/v5"

	"reelhouse/core/queue"
	"reelhouse/store"
	"reelhouse/web/kit"
)

//go:embed *.html
var files embed.FS

const key kit.Key = "queue"

// A page answers for the station.
type page struct {
	*kit.App
	check verification
}

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{App: a}
	return kit.Station{
		Key:    key,
		Name:   "Queue",
		Hint:   "What was sent, as it goes.",
		Files:  files,
		Fill:   p.fill,
		Routes: p.routes,
		Count:  func(v *kit.View) int { return len(v.Batches) },
		Wrong:  failed,
		Events: p.events,
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.POST("/act", a.act, kit.SmallForm())
	p.POST("/verify", a.verify, kit.SmallForm())
	p.POST("/priority", a.priority, kit.SmallForm())
	p.GET("/frame/:sequence/:frame", a.frame)
}

// failed counts the frames that have failed.
func failed(v *kit.View) int {
	n := 0
	for _, b := range v.Batches {
		n += b.Counts()[queue.Failed]
	}
	return n
}

// events adds "batch-N" for the progress of each batch, and "verified" for that of a verification.
func (a *page) events(
	p store.Revision, batches []store.Batch, add func(event, template string, data any) error,
) error {
	if err := add("verified", "queue/verified", a.verifying(p.Code)); err != nil {
		return err
	}
	for _, b := range batches {
		shown, err := a.showBatch(b)
		if err != nil {
			return err
		}
		if err := add(fmt.Sprintf("batch-%d", b.ID), "queue/batch-progress", shown); err != nil {
			return err
		}
	}
	return nil
}
