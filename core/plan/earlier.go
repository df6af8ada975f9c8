package plan

import (
	"slices"

	"reelhouse/core/fingerprint"
	"reelhouse/core/frame"
	"reelhouse/core/production"
)

// An Earlier is a sequence of a batch that was sent.
type Earlier struct {
	ID     int64 // of the sequence
	Name   string
	Labels []production.Label // names of its frames
	Print  fingerprint.Print  // of the sequence; unknown if it was sent before fingerprints were kept
	Good   frame.Set          // frames whose files are in place
	Coming frame.Set          // frames that will still be rendered
}

// Diff is what a sequence means beside what was sent earlier under the same paths. Every frame of the sequence is in
// one of the sets.
type Diff struct {
	New     frame.Set
	Good    frame.Set // in place already, with the same set-up
	Coming  frame.Set // on their way already, with the same set-up
	Changed frame.Set // in place or on their way, with another set-up
	Unknown frame.Set // in place or on their way, and it is not known with which set-up
	By      []string  // names of the batches that have them
	// Other is a path that was used with another set-up, "" for none.
	Other string
}

// Known reports whether anything of the sequence was sent earlier.
func (n Diff) Known() bool { return len(n.By) > 0 }

// Against compares every sequence, as its renderer would render it, which by returns by its place, with what was sent
// earlier under the same path, which sent returns by a path's key.
func (b Batch) Against(by func(place int) fingerprint.Renderer, sent func(key string) []Earlier) []Diff {
	all := make([]Diff, len(b.Sequences))
	for i, s := range b.Sequences {
		all[i] = s.against(func() fingerprint.Print { return b.Fingerprint(s, by(i)) }, sent)
	}
	return all
}

func (s Sequence) against(own func() fingerprint.Print, sent func(key string) []Earlier) Diff {
	n := Diff{New: s.Frames}
	seen := map[int64]bool{}
	for _, f := range s.Files {
		for _, e := range sent(f.Path.Key()) {
			if seen[e.ID] {
				continue
			}
			seen[e.ID] = true
			good, coming := s.Frames.Common(e.Good), s.Frames.Common(e.Coming)
			if good.Empty() && coming.Empty() && e.Good.Empty() && e.Coming.Empty() {
				continue // nothing of it was or will be made
			}
			n.By = append(n.By, e.Name)
			if !e.Print.Known() {
				n.Unknown = together(n.Unknown, good, coming)
				continue
			}
			// Frames that were given another name since are other frames.
			same, renamed := e.Print == own(), s.renamed(e.Labels, good, coming)
			if !same || !renamed.Empty() {
				changed := renamed
				if !same {
					changed = together(good, coming)
				}
				n.Changed = together(n.Changed, changed)
				n.Other = f.Path.Frame(s.Frames.First())
				good, coming = good.Minus(changed), coming.Minus(changed)
			}
			n.Good, n.Coming = together(n.Good, good), together(n.Coming, coming)
		}
	}
	if !n.Known() {
		return n
	}
	n.Coming = n.Coming.Minus(n.Good)
	n.Changed = n.Changed.Minus(n.Good).Minus(n.Coming)
	n.Unknown = n.Unknown.Minus(n.Good).Minus(n.Coming).Minus(n.Changed)
	n.New = s.Frames.Minus(n.Good).Minus(n.Coming).Minus(n.Changed).Minus(n.Unknown)
	return n
}

// renamed returns the frames of sets whose names differ from those that they were sent with.
func (s Sequence) renamed(sent []production.Label, sets ...frame.Set) frame.Set {
	if slices.Equal(s.Labels, sent) {
		return frame.Set{}
	}
	before := Sequence{Labels: sent}.names()
	now := s.names()
	var other []int
	for n := range together(sets...).All() {
		if before[n] != now[n] {
			other = append(other, n)
		}
	}
	return frame.SetOf(other)
}

// together returns all frames of sets that are parts of one.
func together(sets ...frame.Set) frame.Set {
	all, err := frame.Union(sets...)
	if err != nil {
		panic(err) // no more frames than the set has that they are parts of
	}
	return all
}

// Without returns the batch without the frames that are in place or on their way already; sequences of which nothing is
// left are left out.
func (b Batch) Without(news []Diff) Batch {
	var left []Sequence
	for i, s := range b.Sequences {
		if s.Frames = news[i].New; !s.Frames.Empty() {
			s.Own = s.Own.Common(s.Frames)
			left = append(left, s)
		}
	}
	b.Sequences = left
	return b
}

// An Order is which frames of a batch are rendered first.
type Order string

// The orders.
const (
	InOrder   Order = ""       // sequence by sequence, frame by frame
	EndsFirst Order = "ends"   // first, middle and last frames of all sequences, then the rest
	Coarse    Order = "coarse" // frames spread over all sequences, then those between, and so on
)

// Orders returns all orders.
func Orders() []Order { return []Order{InOrder, EndsFirst, Coarse} }

// Name returns what the order is called.
func (o Order) Name() string {
	switch o {
	case EndsFirst:
		return "first, middle and last frames of all sequences first"
	case Coarse:
		return "coarse to fine"
	}
	return "in order"
}

// A Turn is a frame and the wave in which it is rendered: all of one wave come before those of the next, whatever
// sequence they are of.
type Turn struct {
	Frame, Wave int
}

// Turns returns the frames of a set in the order in which they are rendered.
func (o Order) Turns(set frame.Set) []Turn {
	turns := make([]Turn, 0, set.Count())
	switch o {
	case EndsFirst:
		ends := set.Ends()
		for n := range ends.All() {
			turns = append(turns, Turn{n, 0})
		}
		for n := range set.Minus(ends).All() {
			turns = append(turns, Turn{n, 1})
		}
	case Coarse:
		// The ends are the first wave; each further one has twice as many frames as the one before.
		wave, left := 0, 2
		for i, n := range set.Coarse() {
			if i >= left {
				wave, left = wave+1, i+1<<wave
			}
			turns = append(turns, Turn{n, wave})
		}
	default:
		for n := range set.All() {
			turns = append(turns, Turn{n, 0})
		}
	}
	return turns
}
