package kit

import (
	"reelhouse/core/queue"
	"reelhouse/store"
)

// Running is the live part of the ticket line.
type Running struct {
	Batch           string
	Good, Total     int
	Percent         int
	Left            string
	Trouble         string
	Active, Waiting bool
}

// RunningOf says what is being rendered now, of the batches given.
func (a *App) RunningOf(batches []store.Batch) Running {
	var r Running
	var seconds float64
	left, good := 0, 0
	for _, b := range batches {
		counts := b.Counts()
		if counts.Left() == 0 {
			continue
		}
		r.Active = true
		if r.Batch != "" {
			r.Batch += ", "
		}
		r.Batch += b.Name
		r.Good += counts[queue.Good]
		r.Total += counts.Total() - counts[queue.Dropped]
		left += counts.Left()
		seconds += b.MeanSeconds() * float64(counts[queue.Good])
		good += counts[queue.Good]
	}
	r.Trouble = a.Node.Trouble()
	if !r.Active {
		return r
	}
	r.Percent = 100 * r.Good / max(1, r.Total)
	if d, ok := queue.Remaining(left, seconds/float64(max(1, good)), a.Node.SlotCount()); ok {
		r.Left = Duration(d)
	}
	return r
}
