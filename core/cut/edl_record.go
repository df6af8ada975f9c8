package cut

import (
	"cmp"
	"container/heap"
	"errors"
	"fmt"
	"slices"
)

// finish makes the cut of all events.
func (e *edlReader) finish() error {
	var kept []*edlEvent
	for i := range e.events {
		v := &e.events[i]
		if v.not == "has no frames" {
			next := i+1 < len(e.events) && e.events[i+1].number == v.number && e.events[i+1].transition
			if !next {
				e.reading.dropped("%sline %d: event %s has no frames", v.list, v.line, v.number)
			}
		}
		if v.not != "" {
			continue
		}
		if sources := v.out - v.in; !v.timed && sources != v.clip.Length {
			v.clip.Speed = Speed{sources, v.clip.Length}
			if sources == 0 || sources == 1 {
				v.clip.Speed = Hold
			}
			e.reading.changed(
				"%sline %d: %d source frames fill %d record frames, which is taken for a speed",
				v.list,
				v.line,
				sources,
				v.clip.Length,
			)
		}
		if v.clip.Shot != "" && !v.fullReel && v.clip.Reel == shortReel(v.clip.Shot) {
			v.clip.Reel = "" // the writer of these lists put the shot's code in its place
		}
		kept = append(kept, v)
	}
	if len(kept) == 0 {
		return errors.New("the list has no events of pictures")
	}
	first := e.first(kept)
	c := &e.reading.Cut
	c.Start, c.Name = first, e.reading.Name
	day := e.recordDay()
	since := func(n int) int {
		if n -= first; n < 0 {
			n += day
		}
		return n
	}
	tracks := map[int][]*edlEvent{}
	for _, v := range kept {
		v.clip.Record = since(v.clip.Record)
		tracks[v.track] = append(tracks[v.track], v)
		for len(c.Tracks) <= v.track {
			c.Tracks = append(c.Tracks, Track{})
		}
	}
	for k := range c.Tracks {
		c.Tracks[k].Clips = e.recorded(tracks[k])
	}
	for _, b := range e.black {
		if k := min(b[0], len(c.Tracks)-1); since(b[1])+b[2]-b[1] > c.Tracks[k].End() {
			c.Tracks[k].Until = since(b[1]) + b[2] - b[1]
		}
	}
	if n := c.Length(); n > day {
		return fmt.Errorf("its record timecodes pass midnight and go on for %d frames; a day has %d", n, day)
	}
	return nil
}

// recordDay returns how many frames a day of record timecode has.
func (e *edlReader) recordDay() int {
	if e.record != nil {
		return e.record.Day()
	}
	return e.count.Day()
}

// first returns the timecode at which the record begins, in frames after midnight. In a list that passes midnight it is
// the one after the longest time in which nothing is recorded.
func (e *edlReader) first(kept []*edlEvent) int {
	var spans [][2]int
	for _, v := range kept {
		spans = append(spans, [2]int{v.clip.Record, v.clip.End()})
	}
	for _, b := range e.black {
		spans = append(spans, [2]int{b[1], b[2]})
	}
	slices.SortFunc(spans, func(a, b [2]int) int { return cmp.Compare(a[0], b[0]) })
	if !e.over {
		return spans[0][0]
	}
	day, first, longest, end := e.recordDay(), spans[0][0], 0, 0
	for _, s := range spans {
		end = max(end, s[1]-day) // what passes midnight reaches into the day's beginning
	}
	for _, s := range spans {
		if s[0]-end > longest {
			first, longest = s[0], s[0]-end
		}
		end = max(end, s[1])
	}
	return first % day
}

// recorded lays the events of one channel on a track. Where they meet, the later one of the list is recorded over the
// earlier one.
func (e *edlReader) recorded(events []*edlEvent) []Clip {
	slices.SortStableFunc(events, func(a, b *edlEvent) int { return cmp.Compare(a.clip.Record, b.clip.Record) })
	meet, end := false, 0
	for _, v := range events {
		meet = meet || v.clip.Record < end
		end = max(end, v.clip.End())
	}
	clips := []Clip{}
	if !meet {
		for _, v := range events {
			clips = append(clips, v.clip)
		}
		return clips
	}
	var cuts []int // frames at which events begin or end
	for _, v := range events {
		cuts = append(cuts, v.clip.Record, v.clip.End())
	}
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	seen := map[*edlEvent]int{} // frames
	var open lastFirst
	next := 0
	var last *edlEvent
	for i, at := range cuts[:len(cuts)-1] {
		for ; next < len(events) && events[next].clip.Record == at; next++ {
			heap.Push(&open, events[next])
		}
		for len(open) > 0 && open[0].clip.End() <= at {
			heap.Pop(&open)
		}
		if len(open) == 0 {
			last = nil
			continue
		}
		v := open[0]
		if part := v.clip.Part(at, cuts[i+1]); v == last {
			clips[len(clips)-1].Length += part.Length
		} else {
			clips = append(clips, part)
		}
		last = v
		seen[v] += cuts[i+1] - at
	}
	for _, v := range events {
		if lost := v.clip.Length - seen[v]; lost > 0 {
			e.reading.dropped(
				"%sline %d: of event %s %d of %d frames, which a later event of its channel is recorded over", v.list,
				v.line, v.number, lost, v.clip.Length,
			)
		}
	}
	return clips
}

// lastFirst is a heap of events, the last one of the list on top.
type lastFirst []*edlEvent

func (h lastFirst) Len() int           { return len(h) }
func (h lastFirst) Less(i, j int) bool { return h[i].place > h[j].place }
func (h lastFirst) Swap(i, j int)      { h[i], h[j] = h[j], h[i] }
func (h *lastFirst) Push(v any)        { *h = append(*h, v.(*edlEvent)) }
func (h *lastFirst) Pop() any {
	last := (*h)[len(*h)-1]
	*h = (*h)[:len(*h)-1]
	return last
}
