// Package web serves Reelhouse's pages: it puts the stations in the order of work, and opens the doors. What pages are
// made with is web/kit; each page is a package below web/stations. A handler reads the request, asks house or the
// record, and renders a template; it computes nothing.
package web

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"sync"
	"syscall"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"reelhouse/house"
	"reelhouse/preview"
	"reelhouse/store"
	"reelhouse/web/kit"
	"reelhouse/web/stations/batch"
	"reelhouse/web/stations/cut"
	"reelhouse/web/stations/delivery"
	"reelhouse/web/stations/history"
	"reelhouse/web/stations/home"
	"reelhouse/web/stations/output"
	"reelhouse/web/stations/passes"
	"reelhouse/web/stations/queue"
	"reelhouse/web/stations/scenes"
	"reelhouse/web/stations/screening"
	"reelhouse/web/stations/shots"
	"reelhouse/web/stations/standards"
	"reelhouse/web/stations/views"
)

// order is the order of work: every station, and every page beside it.
var order = []func(*kit.App) kit.Station{
	standards.Station,
	scenes.Station,
	views.Station,
	shots.Station,
	cut.Station,
	history.Station,
	passes.Station,
	output.Station,
	batch.Station,
	queue.Station,
	screening.Station,
	delivery.Station,
	home.Page,
}

// A Server serves one house.
type Server struct {
	House *house.House
	Node  kit.Node
	// Changes tells what has changed in the queue or in a production.
	Changes kit.Changes
	Thumbs  *preview.Thumbs
	// Previews are the pictures that are rendered in this process.
	Previews *preview.Previews
	Log      *slog.Logger
	// Listening is where it is served, and Hosts are further names that it goes by. What is asked for under another
	// name is not answered.
	Listening net.Addr
	Hosts     []string
	// Version is of the program.
	Version string
	// Figures are further ones for Prometheus.
	Figures []prometheus.Collector
}

// policy allows nothing but what the binary itself ships.
const policy = "default-src 'self'; img-src 'self' blob: data:; object-src 'none'; base-uri 'none'; frame-ancestors " +
	"'none'; form-action 'self'"

// Serve serves on the listener until ctx ends.
func Serve(ctx context.Context, l net.Listener, s Server) error {
	s.Listening = l.Addr()
	app, handler, err := New(s)
	if err != nil {
		l.Close()
		return err
	}
	var running sync.WaitGroup
	defer running.Wait()
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	app.Run(ctx, &running)
	return echo.StartConfig{
		Listener: l, HideBanner: true, HidePort: true, GracefulTimeout: 3 * time.Second,
		BeforeServeFunc: func(h *http.Server) error {
			h.BaseContext = func(net.Listener) context.Context { return ctx } // ends the live events
			h.ReadHeaderTimeout = 10 * time.Second
			h.ErrorLog = slog.NewLogLogger(s.Log.Handler(), slog.LevelWarn)
			return nil
		},
	}.Start(ctx, handler)
}

// Handler returns everything that the server answers. It fails if a station is not whole.
func Handler(s Server) (http.Handler, error) {
	_, e, err := New(s)
	return e, err
}

// New returns what the handlers share, and everything that they answer.
func New(s Server) (*kit.App, *echo.Echo, error) {
	app := &kit.App{
		House: s.House, Node: s.Node, Changes: s.Changes, Thumbs: s.Thumbs, Previews: s.Previews, Log: s.Log,
		Version: s.Version,
	}
	var all []kit.Station
	for _, station := range order {
		all = append(all, station(app))
	}
	if err := app.Open(all...); err != nil {
		return nil, nil, err
	}
	e := echo.New()
	e.Logger = s.Log
	e.Renderer = app.Renderer()
	e.HTTPErrorHandler = failed(s.Log)
	e.Use(middleware.Recover(), kit.Hosts(s.Listening, s.Hosts))
	e.Use(guarded)
	e.Use(echo.WrapMiddleware(http.NewCrossOriginProtection().Handler))
	if err := serveFiles(e, all); err != nil {
		return nil, nil, err
	}
	e.GET("/metrics", echo.WrapHandler(promhttp.HandlerFor(metrics(s, app), promhttp.HandlerOpts{})))
	home.Routes(app, e)
	app.Routes(e.Group("/p/:code", kit.OwnPages, kit.KnowAuthor))
	return app, e, nil
}

// serveFiles serves the kit's static files, and the scripts of each station below its key.
func serveFiles(e *echo.Echo, all []kit.Station) error {
	shared, err := fs.Sub(kit.Static, "static")
	if err != nil {
		return err
	}
	for _, s := range all {
		own, err := fs.Glob(s.Files, "*.js")
		if err != nil {
			return err
		}
		for _, name := range own {
			e.FileFS("/static/"+string(s.Key)+"/"+name, name, s.Files)
		}
	}
	e.StaticFS("/static", shared)
	return nil
}

// guarded keeps browsers from running, and from framing, what the binary does not ship.
func guarded(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		return next(c)
	}
}

// failed answers errors: in words, with the page's frame where a page was asked for. What was sent already stays.
func failed(log *slog.Logger) echo.HTTPErrorHandler {
	return func(c *echo.Context, err error) {
		status, text := http.StatusInternalServerError, "Something went wrong in the server; its log says what."
		var he *echo.HTTPError
		switch {
		case errors.Is(err, store.ErrNotFound):
			status, text = http.StatusNotFound, "There is nothing here: "+err.Error()+"."
		case errors.As(err, &he):
			status, text = he.Code, fmt.Sprint(he.Message)
		case echo.StatusCode(err) != 0:
			status, text = echo.StatusCode(err), http.StatusText(echo.StatusCode(err))+"."
		case errors.Is(err, context.Canceled), errors.Is(err, syscall.EPIPE), errors.Is(err, syscall.ECONNRESET):
			return // nobody reads the answer any more
		}
		if status >= 500 {
			log.Error("request failed", "method", c.Request().Method, "path", c.Request().URL.Path, "error", err)
		}
		if r, ok := c.Response().(*echo.Response); ok && r.Committed {
			return
		}
		if c.Request().Header.Get("HX-Request") != "" {
			c.Response().Header().Set("HX-Retarget", "#notice")
			c.Response().Header().Set("HX-Reswap", "innerHTML")
			err = c.Render(http.StatusOK, "notice", text) // htmx shows only answers that succeed
		} else {
			err = c.Render(status, "error", map[string]any{"Title": http.StatusText(status), "Text": text})
		}
		if err != nil {
			log.Error("an error could not be shown", "error", err)
		}
	}
}
