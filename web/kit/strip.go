package kit

import (
	"fmt"

	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/store"
)

// A Strip is one cell a frame, or one cell a run of frames in the same state when there are many. It is the
// same on the batch sheet, in the queue and in the screening room.
type Strip struct {
	Width, Height float64
	Cells         []stripCell
}

type stripCell struct {
	X, Width    float64
	State       queue.State
	First, Last int
	Count       int
	Link        string // where a click leads, "" for nowhere
	Jump        bool   // a click is a jump to this frame
	Mark        string // path of the state's inner shape
	Title       string
}

const (
	StripWidth  = 960.0 // in the queue and the screening room
	sheetWidth  = 300.0 // in a cell of the batch sheet
	StripHeight = 20.0
	CellWidth   = 18.0 // widest cell
	leastCell   = 6.0  // narrower cells are run together
)

// StripOf draws frames over a width; link, if not nil, gives each single frame's link.
func StripOf(frames []store.Frame, width float64, link func(store.Frame) string, jump bool) Strip {
	return stripOf(frames, width, link, jump, leastCell)
}

// RunsOf draws frames over a width, those that are beside each other in one state as one cell; link gives the link of
// the first of them.
func RunsOf(frames []store.Frame, width float64, link func(store.Frame) string) Strip {
	return stripOf(frames, width, link, false, width+1)
}

// stripOf draws frames over a width. Cells that would be narrower than least are run together.
func stripOf(frames []store.Frame, width float64, link func(store.Frame) string, jump bool, least float64) Strip {
	s := Strip{Width: width, Height: StripHeight}
	if len(frames) == 0 {
		return s
	}
	each := min(CellWidth, width/float64(len(frames)))
	var groups [][]store.Frame
	for i, f := range frames {
		if last := len(groups) - 1; each < least && i > 0 && groups[last][0].State == f.State {
			groups[last] = append(groups[last], f)
			continue
		}
		groups = append(groups, []store.Frame{f})
	}
	x := 0.0
	for _, g := range groups {
		first, last := g[0], g[len(g)-1]
		c := stripCell{
			X:     x + 0.75,
			Width: max(1, each*float64(len(g))-1.5),
			State: first.State,
			First: first.Number,
			Last:  last.Number,
			Count: len(g),
			Jump:  jump,
		}
		c.Title = fmt.Sprintf("frame %d: %s", first.Number, first.State)
		if len(g) > 1 {
			c.Title = fmt.Sprintf("frames %d to %d: %d %s", first.Number, last.Number, len(g), first.State)
		}
		if first.Reason != "" {
			c.Title += ", " + first.Reason
		}
		if link != nil {
			c.Link = link(first)
		}
		c.Mark = Mark(first.State, c.X, c.Width)
		s.Cells = append(s.Cells, c)
		x += each * float64(len(g))
	}
	return s
}

// PlannedStrip draws frames that are not sent yet; those that are in place already, or on their way, as such.
func PlannedStrip(set frame.Set, d plan.Diff) Strip {
	const enough, most = 1000, 20_000 // more are one cell anyway
	if set.Count() > enough && !d.Known() || set.Count() > most {
		return StripOf([]store.Frame{{Number: set.First(), State: queue.Ready}}, sheetWidth, nil, false).spread(set)
	}
	var frames []store.Frame
	for n := range set.All() {
		f := store.Frame{Number: n, State: queue.Ready, Reason: "new"}
		switch {
		case d.Good.Contains(n):
			f.State, f.Reason = queue.Good, "in place already"
		case d.Coming.Contains(n):
			f.State, f.Reason = queue.Rendering, "queued already"
		}
		frames = append(frames, f)
	}
	return StripOf(frames, sheetWidth, nil, false)
}

// spread makes one cell stand for all frames of a set.
func (s Strip) spread(set frame.Set) Strip {
	c := &s.Cells[0]
	c.Width, c.First, c.Last, c.Count = sheetWidth-1.5, set.First(), set.Last(), set.Count()
	c.Title = fmt.Sprintf("frames %d to %d: %d new", c.First, c.Last, c.Count)
	return s
}

// Mark returns the inner shape of a state, so that no one depends on colour: hatching, a half, three quarters, a full
// cell, a cross, a notch, two bars.
func Mark(s queue.State, x, w float64) string {
	const h = StripHeight
	box := func(x, y, w, h float64) string { return fmt.Sprintf("M%.1f %.1fh%.1fv%.1fh%.1fz", x, y, w, h, -w) }
	switch s {
	case queue.Rendering:
		return box(x, h/2, w, h/2-1)
	case queue.Checking:
		return box(x, h/4, w, 3*h/4-1)
	case queue.Good:
		return box(x, 1, w, h-2)
	case queue.Lost:
		left, right := x+w*0.2, x+w*0.8
		return fmt.Sprintf("M%.1f 4L%.1f %.1fM%.1f 4L%.1f %.1f", left, right, h-4, right, left, h-4)
	case queue.Failed:
		return fmt.Sprintf(
			"M%.1f 1h%.1fl%.1f %.1fl%.1f %.1fv%.1fh%.1fz", x, w*0.25, w*0.25, h*0.4, w*0.25, -h*0.4, h-2, -w*0.75,
		)
	case queue.Held:
		return box(x+w*0.22, 5, w*0.2, h-10) + box(x+w*0.58, 5, w*0.2, h-10)
	case queue.Blocked:
		path := ""
		for y := 4.0; y < h+w; y += 5 {
			path += fmt.Sprintf("M%.1f %.1fL%.1f %.1f", x, min(h-1, y), x+min(w, y), max(1, y-w))
		}
		return path
	}
	return ""
}
