package kit

import (
	"strings"

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
	Paused          bool
	Elsewhere       string // what other productions have under way, "" for nothing
}

// RunningOf says what is being rendered now, of the batches given; if that is nothing, of those of other productions.
func (a *App) RunningOf(batches []store.Batch) (r Running, err error) {
	since, err := a.House.Record.Paused()
	if err != nil {
		return r, err
	}
	r.Paused = !since.IsZero()
	var seconds float64
	left, good := 0, 0
	for _, b := range batches {
		counts := b.Counts()
		n, err := a.House.Record.Left(b)
		if err != nil {
			return r, err
		}
		if n == 0 {
			continue
		}
		r.Active = true
		if r.Batch != "" {
			r.Batch += ", "
		}
		r.Batch += b.Name
		r.Good += counts[queue.Good]
		r.Total += counts.Total() - counts[queue.Dropped]
		left += n
		seconds += b.Seconds
		good += b.GoodFrames()
	}
	r.Trouble = a.Node.Trouble()
	if !r.Active {
		r.Elsewhere, err = a.elsewhere()
		return r, err
	}
	r.Percent = 100 * r.Good / max(1, r.Total)
	if d, ok := queue.Remaining(left, seconds/float64(max(1, good)), a.Node.SlotCount()); ok {
		r.Left = Duration(d)
	}
	return r, nil
}

// elsewhere names what is under way in any production, "" for nothing.
func (a *App) elsewhere() (string, error) {
	queued, err := a.House.Record.Queued(false)
	if err != nil {
		return "", err
	}
	var names []string
	for _, b := range queued {
		if c := b.Counts(); c[queue.Rendering]+c[queue.Checking] > 0 {
			names = append(names, b.Plan.Production+": "+b.Name)
		}
	}
	return strings.Join(names, ", "), nil
}
