package kit

import (
	"fmt"
	"time"

	"github.com/dustin/go-humanize"

	"reelhouse/core/queue"
	"reelhouse/store"
)

// A Profile is a strip of many frames with what they have taken along it: the time of a frame, and the most memory.
type Profile struct {
	Strip
	Of                  string // what it is of, in words
	Times, Peaks        []profileBar
	MostTime, MostPeak  string // what the highest bars stand for, "" while nothing is good
	Height              float64
	TimesBase, PeakBase float64 // where the bars stand
}

type profileBar struct {
	X, Y, Width, Height float64
	Title               string
}

// Heights of the parts of a profile, in pixels.
const (
	profileBars = 26.0
	profileGap  = 6.0
)

// MostStretches is how many cells a profile has at most.
const MostStretches = 240

// ProfileOf draws stretches of frames over a width; name says what one is, and link where it leads.
func ProfileOf(all []store.Stretch, width float64, name, link func(store.Stretch) string) Profile {
	p := Profile{Strip: Strip{Width: width, Height: StripHeight}}
	p.TimesBase = StripHeight + profileGap + profileBars
	p.PeakBase = p.TimesBase + profileGap + profileBars
	p.Height = p.PeakBase + 1
	most, peak := 0.0, int64(0)
	for _, s := range all {
		most, peak = max(most, s.MeanSeconds()), max(peak, s.Peak)
	}
	if len(all) == 0 {
		return p
	}
	if most > 0 {
		p.MostTime = shortTime(most)
	}
	if peak > 0 {
		p.MostPeak = humanize.Bytes(uint64(peak))
	}
	each := min(CellWidth, width/float64(len(all)))
	for i, s := range all {
		state := s.State()
		c := stripCell{
			X: float64(i)*each + 0.5, Width: max(1, each-1), State: state, First: s.First, Last: s.Last,
			Count: s.Counts.Total(), Link: link(s), Title: name(s) + ": " + countsText(s.Counts),
		}
		c.Mark = Mark(state, c.X, c.Width)
		p.Cells = append(p.Cells, c)
		if mean := s.MeanSeconds(); mean > 0 {
			h := max(1, profileBars*mean/most)
			p.Times = append(p.Times, profileBar{
				c.X, p.TimesBase - h, c.Width, h, fmt.Sprintf("%s: %s per frame", name(s), shortTime(mean)),
			})
		}
		if s.Peak > 0 {
			h := max(1, profileBars*float64(s.Peak)/float64(peak))
			p.Peaks = append(p.Peaks, profileBar{
				c.X, p.PeakBase - h, c.Width, h, fmt.Sprintf("%s: peak %s", name(s), humanize.Bytes(uint64(s.Peak))),
			})
		}
	}
	return p
}

// shortTime is seconds as a person says them.
func shortTime(seconds float64) string {
	if seconds < 60 {
		return fmt.Sprintf("%.3g s", seconds)
	}
	return Duration(time.Duration(seconds * float64(time.Second)))
}

// countsText says how many frames are in which states.
func countsText(c queue.Counts) string {
	text := ""
	for _, s := range queue.States() {
		if c[s] > 0 {
			text += fmt.Sprintf(", %d %s", c[s], s)
		}
	}
	if text == "" {
		return "none"
	}
	return text[2:]
}
