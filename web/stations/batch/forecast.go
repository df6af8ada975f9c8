package batch

import (
	"slices"
	"time"

	"reelhouse/core/plan"
	"reelhouse/house"
	"reelhouse/web/kit"
)

// A forecast is when a batch will be done, by what it rests on.
type forecast struct {
	Seconds, Least, Most float64 // on this node's places
	Basis                string
	Places               int       // frames rendered side by side
	Queue                float64   // seconds of work before it
	Now, NowLatest       time.Time // done, if it is sent now
	Night, NightLatest   time.Time // done, if it begins at seven in the evening
	Begins               time.Time // when that is
	Free                 float64   // bytes; negative if that is not known
}

// nightBegins is the hour after which machines are free, by the server's clock.
const nightBegins = 19

// forecastOf works out when a batch will be done.
func (a *page) forecastOf(d house.Draft) (forecast, error) {
	t, places := d.Batch.Totals(), float64(a.Node.SlotCount())
	f := forecast{
		Seconds: t.Seconds / places,
		Least:   t.Least / places,
		Most:    t.Most / places,
		Places:  a.Node.SlotCount(),
		Free:    a.House.VolumeState(d.Batch.Volume).Free,
	}
	busy, err := a.House.Backlog()
	if err != nil {
		return f, err
	}
	f.Queue = busy / places
	measured, own := d.Measure.Frames, 0
	for view, r := range d.Measure.Views {
		if slices.ContainsFunc(d.Batch.Sequences, func(s plan.Sequence) bool { return s.View == view }) {
			own += r.Frames
		}
	}
	switch {
	case measured == 0:
		f.Basis = "a guess, until frames were measured"
	case own == 0:
		f.Basis = kit.Plural(measured, "measured frame", "measured frames") + " of other views"
	default:
		f.Basis = kit.Plural(own, "measured frame", "measured frames") + " of these views"
	}
	after := func(from time.Time, seconds float64) time.Time {
		return from.Add(time.Duration(seconds * float64(time.Second)))
	}
	now := time.Now()
	f.Now, f.NowLatest = after(now, f.Queue+f.Seconds), after(now, f.Queue+f.Most)
	f.Begins = time.Date(now.Year(), now.Month(), now.Day(), nightBegins, 0, 0, 0, now.Location())
	if f.Begins.Before(now) {
		f.Begins = f.Begins.AddDate(0, 0, 1)
	}
	start := f.Begins
	if queued := after(now, f.Queue); queued.After(start) {
		start = queued
	}
	f.Night, f.NightLatest = after(start, f.Seconds), after(start, f.Most)
	return f, nil
}
