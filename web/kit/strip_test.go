package kit

import (
	"slices"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/store"
)

func TestAStripShowsEveryFrameOrRunsThemTogether(t *testing.T) {
	var frames []store.Frame
	for n := range 300 {
		state := queue.Good
		if n >= 200 {
			state = queue.Ready
		}
		frames = append(frames, store.Frame{Number: n, State: state})
	}
	if s := StripOf(frames[:50], StripWidth, nil, false); len(s.Cells) != 50 {
		t.Errorf("%d cells for 50 frames", len(s.Cells))
	}
	s := StripOf(frames, StripWidth, nil, false)
	if len(s.Cells) != 2 || s.Cells[0].Count != 200 || s.Cells[1].First != 200 ||
		s.Cells[0].Title != "frames 0 to 199: 200 good" {
		t.Errorf("%+v", s.Cells)
	}
}

// A strip of planned frames shows those that are in place, and those on their way, as such; very many are one cell.
func TestAPlannedStripShowsWhatIsInPlace(t *testing.T) {
	d := plan.Diff{By: []string{"batch 1"}, Good: frame.Of(1001, 1002), Coming: frame.Of(1003, 1003)}
	strip := PlannedStrip(frame.Of(1001, 1004), d)
	var states []queue.State
	for _, c := range strip.Cells {
		states = append(states, c.State)
	}
	if !slices.Equal(states, []queue.State{queue.Good, queue.Good, queue.Rendering, queue.Ready}) {
		t.Errorf("the cells are %v", states)
	}
	if strip := PlannedStrip(frame.Of(1, 5_000_000), plan.Diff{}); len(strip.Cells) != 1 ||
		strip.Cells[0].Count != 5_000_000 {
		t.Errorf("five million frames are %d cells", len(strip.Cells))
	}
}
