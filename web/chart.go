package web

import (
	"reelhouse/core/frame"
	"reelhouse/core/production"
)

// A chart shows each shot as a bar over the scene's frames, for an SVG of a fixed width.
type chart struct {
	Width, Height int
	Ticks         []chartTick
	Bars          []chartBar
	SceneX        float64
	SceneWidth    float64
}

type chartTick struct {
	X     float64
	Frame int
}

type chartBar struct {
	Y     int
	Code  string
	Name  string
	Count int
	Text  frame.Set
	Out   bool
	Parts []chartPart
	Label float64
}

type chartPart struct{ X, Width float64 }

const (
	chartLeft, chartRight = 96.0, 16.0
	chartRow, chartTop    = 20, 22
)

func newChart(p production.Production, sceneLast int) chart {
	c := chart{Width: 1000}
	first, last := p.FirstFrame, max(sceneLast, p.FirstFrame+1)
	for _, s := range p.Shots {
		if !s.Frames.Empty() {
			first, last = min(first, s.Frames.First()), max(last, s.Frames.Last())
		}
	}
	scale := (float64(c.Width) - chartLeft - chartRight) / float64(last-first+1)
	x := func(n int) float64 { return chartLeft + float64(n-first)*scale }
	step := 1
	for _, nice := range []int{2, 5, 10, 12, 24, 48, 100, 240, 500, 1000, 5000, 10000, 100000, 1000000} {
		if float64(step)*scale < 60 {
			step = nice
		}
	}
	for n := first; n <= last; n += step {
		c.Ticks = append(c.Ticks, chartTick{x(n), n})
	}
	c.SceneX, c.SceneWidth = x(p.FirstFrame), x(sceneLast+1)-x(p.FirstFrame)
	for i, s := range p.Shots {
		bar := chartBar{Y: chartTop + i*chartRow, Code: s.Code, Name: s.Name, Count: s.Frames.Count(), Text: s.Frames, Out: !s.InBatch}
		for _, r := range s.Frames.Runs() {
			// A stepped run is drawn frame by frame while the frames can be told apart.
			if float64(r.Step)*scale >= 3 && r.Step > 1 {
				for n := r.First; n <= r.Last; n += r.Step {
					bar.Parts = append(bar.Parts, chartPart{x(n), max(1.5, scale-1)})
				}
				continue
			}
			bar.Parts = append(bar.Parts, chartPart{x(r.First), max(2, x(r.Last+1)-x(r.First))})
		}
		c.Bars = append(c.Bars, bar)
	}
	c.Height = chartTop + len(p.Shots)*chartRow + 6
	return c
}
