package frame

import (
	"fmt"
	"slices"
	"strconv"
)

// collect returns the set of frames that come in ascending order.
func collect(all func(yield func(int) bool)) Set {
	var b builder
	for n := range all {
		b.add(n)
	}
	return Set{b.done()}
}

// SetOf returns the set of frames given in ascending order.
func SetOf(ascending []int) Set { return collect(slices.Values(ascending)) }

// Thin returns every n-th frame of the set, counted from its first; the set itself for n below 2. It holds
// floor((count-1)/n) + 1 frames.
func (s Set) Thin(n int) Set {
	if n < 2 {
		return s
	}
	if len(s.runs) == 1 {
		r := s.runs[0]
		return steps(r.First, r.Last, r.Step*n)
	}
	i := 0
	return collect(func(yield func(int) bool) {
		for f := range s.All() {
			if i++; (i-1)%n == 0 && !yield(f) {
				return
			}
		}
	})
}

// steps returns first, first+step, ... as far as last.
func steps(first, last, step int) Set {
	var b builder
	b.addRun(Run{first, first + (last-first)/step*step, step})
	return Set{b.done()}
}

// Ends returns the first, the middle and the last frame; of an even number the later of both in the middle.
func (s Set) Ends() Set {
	if s.Count() < 3 {
		return s
	}
	return collect(slices.Values([]int{s.First(), s.At(s.Count() / 2), s.Last()}))
}

// Shift returns the set moved by a number of frames.
func (s Set) Shift(by int) (Set, error) {
	if s.Empty() {
		return s, nil
	}
	if s.First()+by < -MaxNumber || s.Last()+by > MaxNumber {
		return s, fmt.Errorf("frames %s moved by %d would reach beyond frame %d", s, by, MaxNumber)
	}
	moved := slices.Clone(s.runs)
	for i := range moved {
		moved[i].First, moved[i].Last = moved[i].First+by, moved[i].Last+by
	}
	return Set{moved}, nil
}

// Reach returns the set from first to last: what lies outside is left out, and what is missing at the ends is added in
// the step that the set has there. A set of one frame is taken for a range.
func (s Set) Reach(first, last int) (Set, error) {
	switch {
	case s.Empty():
		return s, fmt.Errorf("there are no frames to trim")
	case last < first:
		return s, fmt.Errorf("the last frame %d lies before the first, %d", last, first)
	case first < -MaxNumber || last > MaxNumber:
		return s, fmt.Errorf("a range from %d to %d reaches beyond frame %d", first, last, MaxNumber)
	case last-first >= MaxCount:
		return s, fmt.Errorf("%d frames; a set holds at most %d", last-first+1, MaxCount)
	}
	if last < s.First() || first > s.Last() { // nothing is left of it
		return steps(first, last, s.runs[0].Step), nil
	}
	head, tail := s.runs[0], s.runs[len(s.runs)-1]
	start := s.First() - max(0, s.First()-first)/head.Step*head.Step
	end := s.Last() + max(0, last-s.Last())/tail.Step*tail.Step
	return collect(func(yield func(int) bool) {
		for n := start; n < s.First(); n += head.Step {
			if !yield(n) {
				return
			}
		}
		for n := range s.All() {
			if n >= first && n <= last && !yield(n) {
				return
			}
		}
		for n := s.Last() + tail.Step; n <= end; n += tail.Step {
			if !yield(n) {
				return
			}
		}
	}), nil
}

// Split returns the frames before a number, and those from it on.
func (s Set) Split(at int) (before, from Set) {
	part := func(keep func(int) bool) Set {
		return collect(func(yield func(int) bool) {
			for n := range s.All() {
				if keep(n) && !yield(n) {
					return
				}
			}
		})
	}
	return part(func(n int) bool { return n < at }), part(func(n int) bool { return n >= at })
}

// Minus returns the frames of s that are not in t.
func (s Set) Minus(t Set) Set {
	return collect(func(yield func(int) bool) {
		for n := range s.All() {
			if !t.Contains(n) && !yield(n) {
				return
			}
		}
	})
}

// Common returns the frames that are in both sets.
func (s Set) Common(t Set) Set {
	if s.Empty() || t.Empty() || s.Last() < t.First() || t.Last() < s.First() {
		return Set{}
	}
	return collect(func(yield func(int) bool) {
		for n := range s.All() {
			if t.Contains(n) && !yield(n) {
				return
			}
		}
	})
}

// Union returns the frames that are in at least one of the sets.
func Union(sets ...Set) (Set, error) {
	var runs []Run
	for _, s := range sets {
		runs = append(runs, s.runs...)
	}
	all, err := combine(runs, nil)
	if err != nil {
		return Set{}, err
	}
	union := Set{all}
	if n := union.Count(); n > MaxCount {
		return Set{}, fmt.Errorf("%s frames; a set holds at most %d", strconv.Itoa(n), MaxCount)
	}
	return union, nil
}

// Coarse returns all frames of the set in an order in which those that come first are spread over all of it: the ends,
// then the middle, then the middles between what is there, and so on.
func (s Set) Coarse() []int {
	all := slices.Collect(s.All())
	if len(all) < 3 {
		return all
	}
	out := make([]int, 0, len(all))
	out = append(out, all[0], all[len(all)-1])
	type gap struct{ from, to int }
	for gaps := []gap{{0, len(all) - 1}}; len(gaps) > 0; {
		var next []gap
		for _, g := range gaps {
			if g.to-g.from < 2 {
				continue
			}
			middle := (g.from + g.to + 1) / 2
			out = append(out, all[middle])
			next = append(next, gap{g.from, middle}, gap{middle, g.to})
		}
		gaps = next
	}
	return out
}
