package kit

import (
	"testing"

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
