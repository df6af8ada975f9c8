package shots

import (
	"cmp"
	"slices"

	"reelhouse/core/frame"
	"reelhouse/core/production"
	"reelhouse/web/kit"
)

// A chart shows each shot as a bar over the scene's frames, for an SVG of a fixed width.
type chart struct {
	Code          string // of the production
	Width, Height int
	Left, Scale   float64 // where First begins, and the width of a frame
	First         int
	Ticks         []chartTick
	Bars          []chartBar
	SceneX        float64
	SceneWidth    float64
	SceneFirst    int
	SceneLast     int
	Bare          []kit.ChartPart // frames of the scene that no shot in the batch shows
	BareY         int
	BareFrames    frame.Set
	BareCount     int
	Snaps         []int // frames at which ranges begin, or end before
}

type chartTick struct {
	X     float64
	Frame int
}

type chartBar struct {
	Y        int
	Code     string
	Name     string
	Count    int
	Text     frame.Set
	Out      bool
	Parts    []kit.ChartPart
	Handles  []kit.ChartPart
	Shared   []kit.ChartPart // frames that the next shot in the table shows, too
	Overlap  int             // how many those are
	From, To int
	X, End   float64
}

// Wide is the width of the whole range.
func (b chartBar) Wide() float64 { return b.End - b.X }

const (
	chartLeft, chartRight = 96.0, 16.0
	chartRow, chartTop    = 20, 22
)

// newChart draws shots of a production, in their order.
func newChart(p production.Production, shots []production.RenderedShot, sceneLast int) chart {
	c := chart{Code: p.Code, Width: 1000, Left: chartLeft, SceneFirst: p.FirstFrame, SceneLast: sceneLast}
	first, last := p.FirstFrame, max(sceneLast, p.FirstFrame+1)
	for _, s := range shots {
		if frames, rendered := s.Shot.Frames, s.Rendered(); !rendered.Empty() {
			first, last = min(first, frames.First(), rendered.First()), max(last, frames.Last(), rendered.Last())
		}
	}
	c.First, c.Scale = first, (float64(c.Width)-chartLeft-chartRight)/float64(last-first+1)
	step := 1
	for _, nice := range []int{2, 5, 10, 12, 24, 48, 100, 240, 500, 1000, 5000, 10000, 100000, 1000000} {
		if float64(step)*c.Scale < 60 {
			step = nice
		}
	}
	for n := first; n <= last; n += step {
		c.Ticks = append(c.Ticks, chartTick{c.x(n), n})
	}
	c.SceneX, c.SceneWidth = c.x(p.FirstFrame), c.x(sceneLast+1)-c.x(p.FirstFrame)
	for i, r := range shots {
		s := r.Shot
		bar := chartBar{
			Y: chartTop + i*chartRow, Code: s.Code, Name: s.Name, Count: r.Own().Count(), Text: s.Frames,
			Out:   !s.InBatch,
			Parts: c.parts(r.Own()), Handles: c.parts(r.Rendered().Minus(r.Own())),
			From: s.Frames.First(), To: s.Frames.Last(),
		}
		bar.X, bar.End = c.x(bar.From), c.x(bar.To+1)
		if i+1 < len(shots) {
			shared := r.Own().Common(shots[i+1].Own())
			bar.Shared, bar.Overlap = c.parts(shared), shared.Count()
		}
		c.Bars = append(c.Bars, bar)
		c.Snaps = append(c.Snaps, bar.From, bar.To+1)
	}
	c.Snaps = append(c.Snaps, p.FirstFrame, sceneLast+1)
	slices.Sort(c.Snaps)
	c.Snaps = slices.Compact(c.Snaps)
	c.BareY = chartTop + len(shots)*chartRow
	c.Height = c.BareY + 6
	c.bare(p)
	return c
}

func (c *chart) x(n int) float64 { return chartLeft + float64(n-c.First)*c.Scale }

// parts returns where the frames of a set are drawn. A run with a step is drawn frame by frame while the frames can be
// told apart.
func (c *chart) parts(set frame.Set) []kit.ChartPart {
	var parts []kit.ChartPart
	for _, r := range set.Runs() {
		if float64(r.Step)*c.Scale >= 3 && r.Step > 1 {
			for n := r.First; n <= r.Last; n += r.Step {
				parts = append(parts, kit.ChartPart{X: c.x(n), Width: max(1.5, c.Scale-1)})
			}
			continue
		}
		parts = append(parts, kit.ChartPart{X: c.x(r.First), Width: max(2, c.x(r.Last+1)-c.x(r.First))})
	}
	return parts
}

// bare finds the frames at which the scene moves and that lie in no shot's range.
func (c *chart) bare(p production.Production) {
	var spans []frame.Run
	for _, s := range p.Shots {
		if s.InBatch && !s.Frames.Empty() {
			spans = append(spans, frame.Run{First: s.Frames.First(), Last: s.Frames.Last()})
		}
	}
	if len(spans) == 0 || c.SceneLast < c.SceneFirst {
		return
	}
	slices.SortFunc(spans, func(a, b frame.Run) int { return cmp.Compare(a.First, b.First) })
	var open []frame.Set
	next := c.SceneFirst
	for _, r := range append(spans, frame.Run{First: c.SceneLast + 1, Last: c.SceneLast + 1}) {
		if gap := frame.Of(next, min(r.First-1, c.SceneLast)); !gap.Empty() {
			open = append(open, gap)
		}
		next = max(next, r.Last+1)
	}
	if set, err := frame.Union(open...); err == nil && !set.Empty() {
		c.Bare, c.BareFrames, c.BareCount = c.parts(set), set, set.Count()
		c.Height += chartRow
	}
}
