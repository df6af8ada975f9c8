package web_test

import (
	"fmt"
	"net/url"
	"runtime"
	"strings"
	"testing"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/store"
	"reelhouse/web/webtest"
)

// feature fills a production with as many shots as a whole film has: 2000 in 4 sizes and 12 passes, one file each, of
// 104 frames: ten million files.
func feature(p *production.Production) {
	for _, code := range []string{"square", "tall"} {
		size, _ := raster.Published(code)
		p.Sizes = append(p.Sizes, size)
	}
	p.Outputs[0].Packing = output.Files
	p.PassLists[1].Passes = []pass.Code{
		pass.Beauty, pass.DiffuseDirect, pass.DiffuseIndirect, pass.SpecularDirect, pass.SpecularIndirect,
		pass.Emission, pass.Environment, pass.Depth, pass.Normal, pass.Position, pass.Albedo, pass.Object,
	}
	p.ShotDefaults = production.ShotDefaults{
		Sizes:    []string{"scope", "hd", "square", "tall"},
		PassList: "comp",
		Outputs:  []string{"master"},
	}
	p.Shots = nil
	for i := range 2000 {
		p.Shots = append(
			p.Shots,
			production.Shot{
				Code:    fmt.Sprintf("%05d", 10*(i+1)),
				Name:    fmt.Sprintf("Shot %d", i+1),
				View:    p.Views[0].Code,
				Frames:  frame.Of(1001, 1104),
				InBatch: true,
			},
		)
	}
}

// BenchmarkFeature plans, checks and sums a film.
func BenchmarkFeature(b *testing.B) {
	s := webtest.New(b)
	p := s.Production().Production
	feature(&p)
	b.ReportAllocs()
	var files int
	for b.Loop() {
		batch, err := plan.Build(p, plan.Measure{})
		if err != nil {
			b.Fatal(err)
		}
		preflight.Check(batch, preflight.Facts{Cameras: []string{"cam"}, LastFrame: 1200, FreeBytes: -1})
		files = batch.Totals().Files
	}
	b.ReportMetric(float64(files)*float64(b.N)/b.Elapsed().Seconds()/1e6, "Mfiles/s")
	b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s/batch")
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	b.ReportMetric(float64(m.Sys)/1e6, "MB-taken")
}

// BenchmarkFeatureSheet opens the batch sheet of a film, at first and again.
func BenchmarkFeatureSheet(b *testing.B) {
	s := webtest.New(b)
	if _, err := s.House.Record.Edit("TEST", store.Making{Summary: "a film"},
		func(p *production.Production) error { feature(p); return nil }); err != nil {
		b.Fatal(err)
	}
	for i := range 3 {
		began := time.Now()
		code, body := s.Get("/p/TEST/batch")
		b.Logf("sheet %d: %d, %d kB, %v", i, code, len(body)/1000, time.Since(began))
		began = time.Now()
		code, body = s.Get("/p/TEST/batch/rows?from=0")
		b.Logf("rows %d: %d, %d kB, %v", i, code, len(body)/1000, time.Since(began))
	}
	for b.Loop() {
		s.Get("/p/TEST/batch")
	}
	b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s/sheet")
}

// long makes a production one of ten thousand shots.
func long(p *production.Production) {
	p.ShotDefaults = production.ShotDefaults{
		Sizes: []string{"scope"}, PassList: "minimum", Outputs: []string{p.Outputs[0].Code},
	}
	p.Shots = nil
	for i := range 10_000 {
		first := 1001 + 100*i
		p.Shots = append(p.Shots, production.Shot{
			Code: fmt.Sprintf(
				"%05d", 10*(i+1),
			), Name: fmt.Sprintf("Shot %d", i+1), View: p.Views[0].Code, Frames: frame.Of(first, first+47),
			InBatch: true,
		})
	}
}

// BenchmarkLongProduction edits a production of ten thousand shots, and opens every page of it. Numbers are
// milliseconds.
func BenchmarkLongProduction(b *testing.B) {
	s := webtest.New(b)
	if _, err := s.House.Record.Edit("TEST", store.Making{Summary: "a film"},
		func(p *production.Production) error { long(p); return nil }); err != nil {
		b.Fatal(err)
	}
	took := map[string]time.Duration{}
	step := func(name string, work func() (int, string)) {
		b.Helper()
		began := time.Now()
		code, body := work()
		took[name] += time.Since(began)
		if code != 200 || strings.Contains(body, "Not kept") {
			b.Fatalf("%s: %d\n%s", name, code, webtest.Said(body))
		}
	}
	s.Get("/p/TEST/shots") // the first look plans and checks all
	walks := 0
	for b.Loop() {
		walks++
		for _, page := range []string{"standards", "scenes", "views", "shots", "cut", "passes", "output", "batch",
			"queue", "screening", "history"} {
			step(page, func() (int, string) { return s.Get("/p/TEST/" + page) })
		}
		step("edit-shot", func() (int, string) {
			return s.Post(
				"/p/TEST/edit/shot.set",
				url.Values{
					"of": {"00100"}, "field": {"frames"}, "value": {fmt.Sprintf("1001-%d", 1010+walks)},
					"station": {"shots"},
				},
			)
		})
		step("edit-name", func() (int, string) {
			return s.Post(
				"/p/TEST/edit/shot.set",
				url.Values{
					"of": {"00100"}, "field": {"name"}, "value": {fmt.Sprint("Name ", walks)}, "station": {"shots"},
				},
			)
		})
		step("edit-all", func() (int, string) {
			return s.Post(
				"/p/TEST/edit/defaults.set",
				url.Values{
					"field": {"passList"}, "value": {[]string{"comp", "minimum"}[walks%2]}, "station": {"shots"},
				},
			)
		})
		step("undo", func() (int, string) { return 200, s.Undo("shots") })
	}
	for name, d := range took {
		b.ReportMetric(d.Seconds()*1000/float64(walks), "ms-"+name)
	}
}
