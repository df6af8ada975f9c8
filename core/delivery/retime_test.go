package delivery

import (
	"fmt"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/production"
)

// Retimed by the nearest frame, worked out by hand: a second of 24 fps at 25, and at 12; three frames at 60.
func TestFramesAreRetimed(t *testing.T) {
	rate := func(n, d int) frame.Rate { return frame.Rate{Numerator: n, Denominator: d} }
	for _, c := range []struct {
		count    int
		from, to frame.Rate
		want     string
	}{
		{6, rate(24, 1), rate(12, 1), "[0 2 4]"}, {3, rate(24, 1), rate(60, 1), "[0 0 1 1 2 2 2 2]"},
		{4, rate(24, 1), rate(24, 1), "[0 1 2 3]"}, {4, rate(24, 1), frame.Rate{}, "[0 1 2 3]"},
		{1, rate(24, 1), rate(1, 1), "[0]"}, {0, rate(24, 1), rate(25, 1), "[]"},
	} {
		if got := fmt.Sprint(retimed(c.count, c.from, c.to)); got != c.want {
			t.Errorf("%d frames of %s at %s: %s, want %s", c.count, c.from, c.to, got, c.want)
		}
	}
	if got := retimed(24, rate(24, 1), rate(25, 1)); len(got) != 25 || got[24] != 23 || got[12] != 12 {
		t.Errorf("%v", got)
	}
	d := planned(t, production.Delivery{Rate: rate(48, 1)}, rendering(1, "010", "1001-1002", 1))
	if got := names(d); strings.Count(got, ".exr") != 4 || !strings.Contains(got, "1004.exr") ||
		d.Files[3].Frame != 1002 || d.Files[1].Frame != 1002 && d.Files[1].Frame != 1001 {
		t.Errorf("%s: %+v", got, d.Files)
	}
	if said := fmt.Sprint(d.Findings); !strings.Contains(said, "2 frames at 24 fps become 4 at 48 fps") {
		t.Error(said)
	}
}
