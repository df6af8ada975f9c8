package web

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
)

// eventPause is the least time between two rounds of live events.
const eventPause = 400 * time.Millisecond

// events streams what changes by itself, as server-sent events that hold HTML: "running" for the ticket
// line, "edited" when the production has another revision, "batch-N" for the progress of each batch. Only what has changed is sent.
func (a *app) events(c *echo.Context) error {
	code := c.Param("code")
	if _, err := a.House.Production(code); err != nil {
		return err
	}
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	control := http.NewResponseController(w)
	pages, ok := c.Echo().Renderer.(*pages)
	if !ok {
		return fmt.Errorf("the renderer has no partials")
	}
	changed, end := a.Hub().Listen()
	defer end()
	sent := map[string]string{}
	say := func(event, partial string, data any) error {
		text, err := pages.partial(partial, data)
		if err != nil || sent[event] == text {
			return err
		}
		sent[event] = text
		_, err = fmt.Fprintf(w, "event: %s\ndata: %s\n\n", event, strings.ReplaceAll(strings.TrimSpace(text), "\n", "\ndata: "))
		return err
	}
	tick := time.NewTicker(20 * time.Second)
	defer tick.Stop()
	for {
		batches, err := a.House.Batches(code)
		if err != nil {
			return err
		}
		if err := say("running", "running", a.running(batches)); err != nil {
			return err
		}
		p, err := a.House.Production(code)
		if err != nil {
			return err
		}
		if err := say("edited", "edited", p); err != nil {
			return err
		}
		if c.QueryParam("queue") != "" {
			for _, b := range batches {
				shown, err := a.showBatch(b)
				if err != nil {
					return err
				}
				if err := say(fmt.Sprintf("batch-%d", b.ID), "batch-progress", shown); err != nil {
					return err
				}
			}
		}
		if err := control.Flush(); err != nil {
			return nil // the browser has gone
		}
		pause := time.NewTimer(eventPause)
		select {
		case <-c.Request().Context().Done():
			pause.Stop()
			return nil
		case <-pause.C:
		}
		select {
		case <-c.Request().Context().Done():
			return nil
		case <-changed:
		case <-tick.C:
			fmt.Fprint(w, ": still here\n\n")
		}
	}
}
