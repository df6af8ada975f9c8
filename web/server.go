// Package web is the house's face: Echo handlers, html/template pages, htmx fragments and live events. A
// handler reads the request, asks the core or the record, and renders a template; it computes nothing.
package web

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"reelhouse/assets"
	"reelhouse/core/cut"
	"reelhouse/core/pixel"
	"reelhouse/core/preset"
	"reelhouse/core/shotlist"
	"reelhouse/house"
	"reelhouse/house/waiting"
	"reelhouse/preview"
	"reelhouse/store"
)

//go:embed static
var static embed.FS

// A Node renders what is in the queue.
type Node interface {
	SlotCount() int
	// Trouble is what keeps it from rendering, in words, "" for nothing.
	Trouble() string
	// Progress is how far a frame is, or its tile, from 0 to 1.
	Progress(sequence int64, number, tile int) float64
}

// Changes are told to whoever listens.
type Changes interface {
	Changed()
	Listen() (changed <-chan struct{}, end func())
}

// A Server serves one house.
type Server struct {
	House *house.House
	Node  Node
	// Changes tells what has changed in the queue or in a production.
	Changes Changes
	Thumbs  *preview.Thumbs
	// Previews are the pictures that are rendered in this process.
	Previews *preview.Previews
	Log      *slog.Logger
	// Listening is where it is served, and Hosts are further names that it goes by. What is asked for under another
	// name is not answered.
	Listening net.Addr
	Hosts     []string
}

// policy allows nothing but what the binary itself ships.
const policy = "default-src 'self'; img-src 'self' blob: data:; object-src 'none'; base-uri 'none'; frame-ancestors " +
	"'none'; form-action 'self'"

// Serve serves on the listener until ctx ends.
func Serve(ctx context.Context, l net.Listener, s Server) error {
	s.Listening = l.Addr()
	handler, err := Handler(s)
	if err != nil {
		l.Close()
		return err
	}
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

// Handler returns everything that the server answers.
func Handler(s Server) (http.Handler, error) {
	_, e, err := newApp(s)
	return e, err
}

func newApp(s Server) (*app, *echo.Echo, error) {
	pages, err := parsePages()
	if err != nil {
		return nil, nil, err
	}
	files, err := fs.Sub(static, "static")
	if err != nil {
		return nil, nil, err
	}
	a := &app{
		Server: s, pages: pages, frames: waiting.NewShelf(cacheFrames, cacheBytes, size),
		reading: waiting.NewLine(readAtOnce),
	}
	e := echo.New()
	e.Logger = s.Log
	e.Renderer = pages
	e.HTTPErrorHandler = a.failed
	e.Use(middleware.Recover(), hosts(s.Listening, s.Hosts))
	e.Use(func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			h := c.Response().Header()
			h.Set("Content-Security-Policy", policy)
			h.Set("X-Content-Type-Options", "nosniff")
			h.Set("Referrer-Policy", "same-origin")
			return next(c)
		}
	})
	e.Use(echo.WrapMiddleware(http.NewCrossOriginProtection().Handler))
	e.StaticFS("/static", files)
	e.GET("/metrics", echo.WrapHandler(promhttp.HandlerFor(a.metrics(), promhttp.HandlerOpts{})))
	a.routes(e)
	return a, e, nil
}

// An app is what the handlers share.
type app struct {
	Server
	frames  *waiting.Shelf[*pixel.Image] // that were shown last
	reading *waiting.Line
	pages   *pages
	live    live
	check   verification
}

// mostForm is the largest form without a file, in bytes: one that ticks all shots of a film.
const mostForm = 4 << 20

func (a *app) routes(e *echo.Echo) {
	e.GET("/", a.home)
	e.POST("/productions", a.create, middleware.BodyLimit(mostForm))
	p := e.Group("/p/:code", ownPages, knowAuthor)
	p.GET("", a.production)
	p.GET("/events", a.events)
	p.GET("/thumb", a.thumb)
	p.GET("/preview", a.preview)
	p.GET("/pick", a.pick)
	p.GET("/sights", a.sights)
	p.GET("/depths", a.measureDepth)
	p.GET("/wall", a.wallValues)
	p.GET("/wall/:pass", a.wallPicture)
	for _, st := range stations {
		p.GET("/"+string(st.Key), a.station(st))
	}
	small := middleware.BodyLimit(mostForm)
	p.POST("/undo", a.step(true), small)
	p.POST("/redo", a.step(false), small)
	p.POST("/restore", a.restore, small)
	p.POST("/edit/:command", a.edit, small)
	p.POST("/author", a.named, small)
	p.POST("/scene", a.bringScene, middleware.BodyLimit(1<<30))
	p.POST("/scene/opaque", a.registerScene, middleware.BodyLimit(1<<30))
	p.POST("/environment", a.bringEnvironment, middleware.BodyLimit(assets.MostEnvironmentBytes+1<<20))
	p.GET("/shots/file", a.exportShots)
	p.GET("/shots/table", a.shotTable)
	p.POST("/shots/table", a.shotTable, middleware.BodyLimit(2*shotlist.MaxBytes+1<<16))
	p.POST("/trial", a.sendTrial, small)
	p.POST("/take", a.take, small)
	p.POST("/preset/:do", a.preset, small)
	p.GET("/preset/file", a.exportPreset)
	p.GET("/cameras", a.exportCameras)
	p.POST("/preset/file", a.importPreset, middleware.BodyLimit(preset.MaxFile+1<<16))
	p.GET("/names", a.names)
	p.GET("/clock", a.clock)
	p.GET("/retime", a.retime)
	p.GET("/stamp", a.stampPreview)
	p.GET("/cut/file", a.exportCut)
	p.GET("/cut/play", a.cutPlay)
	p.GET("/cut/sound", a.sound)
	p.POST("/cut/sound", a.bringSound, middleware.BodyLimit(assets.MostSoundBytes+1<<16))
	p.POST("/cut/file", a.bringCut, middleware.BodyLimit(cut.MaxBytes+1<<16))
	p.GET("/batch/rows", a.batchRows)
	p.GET("/batch/paths", a.batchPaths)
	p.GET("/batch/sums", a.batchSums)
	p.POST("/send", a.send, small)
	p.POST("/act", a.act, small)
	p.POST("/verify", a.verify, small)
	p.POST("/priority", a.priority, small)
	p.GET("/frame/:sequence/:frame", a.frame)
	p.GET("/screen/:sequence", a.screenFrames)
	p.GET("/screen/:sequence/:frame/probe", a.probe)
	p.GET("/screen/:sequence/:frame/:pass", a.screenPicture)
}

// failed answers errors: in words, with the page's frame where a page was asked for.
func (a *app) failed(c *echo.Context, err error) {
	if r, ok := c.Response().(*echo.Response); ok && r.Committed {
		return
	}
	status, text := http.StatusInternalServerError, "Something went wrong in the server; its log says what."
	var he *echo.HTTPError
	switch {
	case errors.Is(err, store.ErrNotFound):
		status, text = http.StatusNotFound, "There is nothing here: "+err.Error()+"."
	case errors.As(err, &he):
		status, text = he.Code, fmt.Sprint(he.Message)
	case echo.StatusCode(err) != 0:
		status, text = echo.StatusCode(err), http.StatusText(echo.StatusCode(err))+"."
	case errors.Is(err, context.Canceled):
		return
	}
	if status >= 500 {
		a.Log.Error("request failed", "method", c.Request().Method, "path", c.Request().URL.Path, "error", err)
	}
	if c.Request().Header.Get("HX-Request") != "" {
		c.Response().Header().Set("HX-Retarget", "#notice")
		c.Response().Header().Set("HX-Reswap", "innerHTML")
		err = c.Render(http.StatusOK, "notice", text) // htmx shows only answers that succeed
	} else {
		err = c.Render(status, "error", map[string]any{"Title": http.StatusText(status), "Text": text})
	}
	if err != nil {
		a.Log.Error("an error could not be shown", "error", err)
	}
}

// metrics counts frames by state for Prometheus.
func (a *app) metrics() *prometheus.Registry {
	r := prometheus.NewRegistry()
	r.MustRegister(frameCollector{a.House})
	return r
}

type frameCollector struct{ house *house.House }

var framesMetric = prometheus.NewDesc(
	"reelhouse_frames", "Frames in the queue, by state.", []string{"production", "state"}, nil,
)

func (f frameCollector) Describe(out chan<- *prometheus.Desc) { out <- framesMetric }

func (f frameCollector) Collect(out chan<- prometheus.Metric) {
	batches, err := f.house.Record.Batches("")
	if err != nil {
		out <- prometheus.NewInvalidMetric(framesMetric, err)
		return
	}
	sums := map[[2]string]int{}
	for _, b := range batches {
		for state, n := range b.Counts() {
			sums[[2]string{b.Plan.Production, string(state)}] += n
		}
	}
	for labels, n := range sums {
		out <- prometheus.MustNewConstMetric(framesMetric, prometheus.GaugeValue, float64(n), labels[0], labels[1])
	}
}
