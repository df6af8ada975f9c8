package shots

import (
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/production"
)

func TestTheChartShowsEveryShot(t *testing.T) {
	p := production.New("TEST", "Test")
	p.Shots = []production.Shot{
		{
			Code:    "010",
			Frames:  frame.MustParse("1001-1048"),
			InBatch: true,
		}, {Code: "020", Frames: frame.MustParse("1010-1020x5")},
		{Code: "030", Frames: frame.MustParse("1001-1100,!1050-1060"), InBatch: true},
	}
	c := newChart(p, p.Resolve().Shots, 1144)
	if len(c.Bars) != 3 || len(c.Bars[0].Parts) != 1 || len(c.Bars[1].Parts) != 3 || len(c.Bars[2].Parts) != 2 ||
		!c.Bars[1].Out {
		t.Errorf("bars are %+v", c.Bars)
	}
	for _, b := range c.Bars {
		for _, part := range b.Parts {
			if part.X < chartLeft-0.01 || part.X+part.Width > float64(c.Width) {
				t.Errorf("%s reaches outside: %+v", b.Code, part)
			}
		}
	}
	if c.Bars[0].Overlap != 3 || len(c.Bars[0].Shared) != 3 || c.Bars[2].Overlap != 0 {
		t.Errorf("frames that two shots share: %+v", c.Bars)
	}
	if c.BareFrames.String() != "1101-1144" || c.BareCount != 44 {
		t.Errorf("frames of the scene in no shot: %s", c.BareFrames)
	}
	p.Handles = 8
	if h := newChart(p, p.Resolve().Shots, 1144).Bars[0].Handles; len(h) != 2 {
		t.Errorf("handles are drawn as %+v", h)
	}
	if len(c.Ticks) < 5 || len(c.Ticks) > 30 {
		t.Errorf("%d ticks", len(c.Ticks))
	}
}
