// Package queue is the queue: what was sent, how far it is, and what went wrong.
package queue

import (
	"embed"

	"github.com/labstack/echo/v5"

	"reelhouse/core/queue"
	"reelhouse/web/kit"
)

//go:embed *.html *.js
var files embed.FS

const key kit.Key = "queue"

// A page answers for the station.
type page struct {
	*kit.App
	check verification
	sums  sums
}

// Station returns the station.
func Station(a *kit.App) kit.Station {
	p := &page{App: a, sums: newSums()}
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
		Keeps: []string{
			"of",
			"state",
			"kind",
			"node",
			"find",
			"finished",
			"alone",
			"log",
			"attempt",
			"line",
			"words",
			"in",
		},
		Keys: []kit.Shortcut{
			{Keys: []string{"h", "g"}, Does: "hold or release the open batch, or the one that has the focus"},
			{Keys: []string{"t", "x"}, Does: "retry what has failed in it, or drop what is left of it"},
			{Keys: []string{"n"}, Does: "open the next failure"},
			{Keys: []string{"Enter"}, Does: "on a batch, open it"},
		},
	}
}

// routes are what it answers beside its page.
func (a *page) routes(p *echo.Group) {
	p.POST("/act", a.act, kit.SmallForm())
	p.POST("/verify", a.verify, kit.SmallForm())
	p.POST("/priority", a.priority, kit.SmallForm())
	p.POST("/order", a.order, kit.SmallForm())
	p.POST("/needs", a.needs, kit.SmallForm())
	p.POST("/pause", a.pause, kit.SmallForm())
	p.POST("/node", a.node, kit.SmallForm())
	p.POST("/token", a.token, kit.SmallForm())
	p.POST("/failures", a.retryReason, kit.SmallForm())
	p.POST("/again", a.again, kit.SmallForm())
	p.POST("/archive", a.archive, kit.SmallForm())
	p.GET("/frame/:sequence/:frame", a.frame)
	p.GET("/rendered/:node", a.rendered)
	p.GET("/log/:sequence/:frame", a.logFile)
}

// failed counts the frames that have failed.
func failed(v *kit.View) int {
	n := 0
	for _, b := range v.Batches {
		n += b.Counts()[queue.Failed]
	}
	return n
}
