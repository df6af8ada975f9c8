package plan

import (
	"reflect"
	"slices"
	"sync"

	"reelhouse/core/cut"
	"reelhouse/core/output"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
)

// Built is a batch with what it was made from, so that the next one of the same production need not be planned as a
// whole: what a shot gives depends on the shot and on the ground, which is everything but the shots.
type Built struct {
	Batch  Batch
	ground production.Production // without its shots, and what makes no sequence another one
	shots  []production.Shot
	m      Measure
	spans  []span // of the sequences, shot by shot
	kept   []int  // by shots: its place in the batch before, -1 where it was planned anew
	before *Batch // that kept refers to; nil for none
}

// A span is a part of the sequences: from a place on, so many.
type span struct{ from, count int }

// groundOf returns a production without its shots, and without what its sequences do not show.
func groundOf(p production.Production) production.Production {
	p.Shots = nil
	p.Cut = cut.Cut{}
	p.Waivers, p.Preset, p.Title = nil, "", ""
	p.Deliveries, p.Mattes, p.Grades = nil, nil, nil
	if !slices.ContainsFunc(p.Outputs, func(o output.Output) bool { return o.Viewed }) {
		p.Picture.Viewing, p.LUTs = pixel.ViewSRGB, nil
	}
	return p
}

// Again makes the batch of a production that has no problems, and takes over from an earlier one, which may be nil,
// what shots give that are as they were.
func (e *Built) Again(r *production.Resolved, m Measure) *Built {
	m = m.Or()
	p := r.Production
	b := Batch{
		Production: p.Code, Title: p.Title, Version: p.Version, Quality: r.Quality, Rate: p.Rate,
		FirstFrame: p.FirstFrame, Scene: p.Scene,
		LightGroups: p.LightGroups, Region: p.Region, Waived: p.Waivers, Volume: p.Volume,
	}
	b.Standards = Standards{p.DropFrame, p.FirstTimecode, p.Picture.Background, p.Floor, p.Names.Rules}
	// What the next one is compared with is a copy, whatever becomes of the caller's.
	built := &Built{
		ground: groundOf(p).Copy(),
		shots:  slices.Clone(p.Shots),
		m:      m,
		spans:  make([]span, len(p.Shots)),
		kept:   make([]int, len(p.Shots)),
	}
	places := map[string]int{} // of the earlier shots, by their codes
	if e != nil && reflect.DeepEqual(e.ground, built.ground) && reflect.DeepEqual(e.m, m) {
		built.before = &e.Batch
		for i := range e.shots {
			places[e.shots[i].Code] = i
		}
	}
	// Shots are planned on all cores; the batch has them in their order.
	parts := make([][]Sequence, len(p.Shots))
	var group sync.WaitGroup
	for from := 0; from < len(p.Shots); from += shotsAtOnce {
		group.Go(func() {
			for i := from; i < min(from+shotsAtOnce, len(p.Shots)); i++ {
				shot := &p.Shots[i]
				place, known := places[shot.Code]
				if known && reflect.DeepEqual(*shot, e.shots[place]) {
					was := e.spans[place]
					built.kept[i], parts[i] = place, e.Batch.Sequences[was.from:was.from+was.count]
					continue
				}
				built.kept[i] = -1
				if shot.InBatch {
					parts[i] = b.sequences(p, r.Shots[i], m)
				}
			}
		})
	}
	group.Wait()
	all := 0
	for i, part := range parts {
		built.spans[i] = span{all, len(part)}
		all += len(part)
	}
	if all > 0 {
		b.Sequences = make([]Sequence, 0, all)
	}
	for _, part := range parts {
		b.Sequences = append(b.Sequences, part...)
	}
	built.Batch = b
	return built
}

// shotsAtOnce is how many shots are planned together.
const shotsAtOnce = 100

// Kept tells for each sequence its place in an earlier batch that it was taken over from, -1 for one that was planned
// anew; nil if nothing was taken over from that batch.
func (e *Built) Kept(before *Built) []int {
	if before == nil || e.before != &before.Batch {
		return nil
	}
	places := make([]int, len(e.Batch.Sequences))
	for i, place := range e.kept {
		for n := range e.spans[i].count {
			at := &places[e.spans[i].from+n]
			if *at = -1; place >= 0 {
				*at = before.spans[place].from + n
			}
		}
	}
	return places
}

// Since returns what has changed since an earlier batch of the same production; see Compare. Shots that were taken over
// from it are not looked at.
func (e *Built) Since(before *Built) Impact {
	if e.before != &before.Batch {
		return Compare(before.Batch, e.Batch)
	}
	was, is := before.Batch, e.Batch
	was.Sequences, is.Sequences = nil, nil
	same := map[int]bool{}
	for i, place := range e.kept {
		if place >= 0 {
			same[place] = true
			continue
		}
		s := e.spans[i]
		is.Sequences = append(is.Sequences, e.Batch.Sequences[s.from:s.from+s.count]...)
	}
	for place, s := range before.spans {
		if !same[place] {
			was.Sequences = append(was.Sequences, before.Batch.Sequences[s.from:s.from+s.count]...)
		}
	}
	impact := Compare(was, is)
	impact.Before, impact.After = before.Batch.Totals(), e.Batch.Totals()
	return impact
}
