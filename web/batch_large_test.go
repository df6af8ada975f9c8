package web

import (
	"fmt"
	"runtime"
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
)

// feature fills a production with as many shots as a whole film has: 2000 in 4 sizes and 12 passes, one file each, of 104 frames: ten million files.
func feature(p *production.Production) {
	for _, code := range []string{"square", "tall"} {
		size, _ := raster.Published(code)
		p.Sizes = append(p.Sizes, size)
	}
	p.Outputs[0].Packing = output.Files
	p.PassLists[1].Passes = []pass.Code{
		pass.Beauty, pass.DiffuseDirect, pass.DiffuseIndirect, pass.SpecularDirect, pass.SpecularIndirect, pass.Emission, pass.Environment, pass.Depth, pass.Normal, pass.Position, pass.Albedo, pass.Object,
	}
	p.Usual = production.Usual{Sizes: []string{"scope", "hd", "square", "tall"}, PassList: "comp", Outputs: []string{"master"}}
	p.Shots = nil
	for i := range 2000 {
		p.Shots = append(p.Shots, production.Shot{Code: fmt.Sprintf("%05d", 10*(i+1)), Name: fmt.Sprintf("Shot %d", i+1), View: p.Views[0].Code, Frames: frame.Of(1001, 1104), InBatch: true})
	}
}

// BenchmarkFeature plans, checks and sums a film.
func BenchmarkFeature(b *testing.B) {
	s := newSite(b)
	p := s.production().Production
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
	s := newSite(b)
	if _, err := s.house.Record.Edit("TEST", store.Making{Summary: "a film"}, func(p *production.Production) error { feature(p); return nil }); err != nil {
		b.Fatal(err)
	}
	for i := range 3 {
		began := time.Now()
		code, body := s.get("/p/TEST/batch")
		b.Logf("sheet %d: %d, %d kB, %v", i, code, len(body)/1000, time.Since(began))
		began = time.Now()
		code, body = s.get("/p/TEST/batch/rows?from=0")
		b.Logf("rows %d: %d, %d kB, %v", i, code, len(body)/1000, time.Since(began))
	}
	for b.Loop() {
		s.get("/p/TEST/batch")
	}
	b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s/sheet")
}
