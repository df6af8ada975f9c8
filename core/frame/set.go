package frame

import (
	"fmt"
	"iter"
	"slices"
	"strconv"
	"strings"
)

// Limits on what a Set may hold; they keep typed text from costing more than a moment.
const (
	MaxNumber = 99_999_999 // largest absolute frame number
	MaxCount  = 10_000_000 // most frames in one set
	maxRuns   = 100_000    // most runs in one set
	maxItems  = 5_000      // most ranges in one text
)

// A Run is the frames First, First+Step, ... up to Last, which is one of them. Step is at least 1.
type Run struct {
	First, Last, Step int
}

// Count returns how many frames the run holds.
func (r Run) Count() int { return (r.Last-r.First)/r.Step + 1 }

// Contains reports whether frame n is one of the run's.
func (r Run) Contains(n int) bool {
	return n >= r.First && n <= r.Last && (n-r.First)%r.Step == 0
}

func (r Run) String() string {
	if r.First == r.Last {
		return strconv.Itoa(r.First)
	}
	s := strconv.Itoa(r.First) + "-" + strconv.Itoa(r.Last)
	if r.Step > 1 {
		s += "x" + strconv.Itoa(r.Step)
	}
	return s
}

// A Set is a set of frame numbers. The zero value is the empty set. Two sets with the same frames
// have the same runs, so String is canonical.
type Set struct {
	runs []Run // ascending; the frames of one run all come before those of the next
}

// Of returns the set of all frames from first to last, both included. It is empty if last < first.
func Of(first, last int) Set {
	if last < first {
		return Set{}
	}
	return Set{runs: []Run{{first, last, 1}}}
}

// Count returns how many frames the set holds.
func (s Set) Count() int {
	n := 0
	for _, r := range s.runs {
		n += r.Count()
	}
	return n
}

// Empty reports whether the set holds no frame.
func (s Set) Empty() bool { return len(s.runs) == 0 }

// First returns the lowest frame, 0 for the empty set.
func (s Set) First() int {
	if s.Empty() {
		return 0
	}
	return s.runs[0].First
}

// Last returns the highest frame, 0 for the empty set.
func (s Set) Last() int {
	if s.Empty() {
		return 0
	}
	return s.runs[len(s.runs)-1].Last
}

// At returns the i-th frame in ascending order, i from 0 to Count()-1, and panics outside of that.
func (s Set) At(i int) int {
	rest := i
	for _, r := range s.runs {
		if n := r.Count(); rest < n {
			return r.First + rest*r.Step
		} else {
			rest -= n
		}
	}
	panic(fmt.Sprintf("frame: index %d outside a set of %d", i, s.Count()))
}

// Contains reports whether frame n is in the set.
func (s Set) Contains(n int) bool {
	i, found := slices.BinarySearchFunc(s.runs, n, func(r Run, n int) int { return r.Last - n })
	return found || i < len(s.runs) && s.runs[i].Contains(n)
}

// Runs returns the set's runs in ascending order.
func (s Set) Runs() []Run { return slices.Clone(s.runs) }

// All yields every frame in ascending order.
func (s Set) All() iter.Seq[int] {
	return func(yield func(int) bool) {
		for _, r := range s.runs {
			for n := r.First; n <= r.Last; n += r.Step {
				if !yield(n) {
					return
				}
			}
		}
	}
}

// WithHandles returns the set with n more frames' reach before its first and after its last frame, in the
// steps that the set has there. Handles are for cutting, so the empty set and a single frame have none.
func (s Set) WithHandles(n int) Set {
	if n <= 0 || s.Count() < 2 {
		return s
	}
	first, last := s.runs[0], s.runs[len(s.runs)-1]
	text := s.String()
	if k := n / first.Step; k > 0 {
		text += fmt.Sprintf(",%d-%dx%d", first.First-k*first.Step, first.First, first.Step)
	}
	if k := n / last.Step; k > 0 {
		text += fmt.Sprintf(",%d-%dx%d", last.Last, last.Last+k*last.Step, last.Step)
	}
	with, err := Parse(text)
	if err != nil { // beyond the largest frame number
		return s
	}
	return with
}

// Equal reports whether both sets hold the same frames.
func (s Set) Equal(t Set) bool { return slices.Equal(s.runs, t.runs) }

// String returns the canonical text of the set, which Parse reads back to an equal set.
func (s Set) String() string {
	parts := make([]string, len(s.runs))
	for i, r := range s.runs {
		parts[i] = r.String()
	}
	return strings.Join(parts, ",")
}

// MarshalText writes the canonical text.
func (s Set) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// UnmarshalText reads any text that Parse reads, and the empty text as the empty set.
func (s *Set) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*s = Set{}
		return nil
	}
	parsed, err := Parse(string(text))
	if err == nil {
		*s = parsed
	}
	return err
}

// builder collects ascending frames into canonical runs: each run is as long as it can be, taken
// from the left, and no run of two frames has a step (it is two single frames instead, so that the
// second of them may begin a longer run).
type builder struct {
	runs []Run
	open Run // Step 0: nothing yet; First == Last: one frame, its step undecided
}

func (b *builder) add(n int) {
	switch {
	case b.open.Step == 0:
		b.open = Run{n, n, 1}
	case b.open.First == b.open.Last:
		b.open = Run{b.open.First, n, n - b.open.First}
	case n-b.open.Last == b.open.Step:
		b.open.Last = n
	case b.open.Count() == 2 && b.open.Step > 1:
		b.runs = append(b.runs, Run{b.open.First, b.open.First, 1})
		b.open = Run{b.open.Last, n, n - b.open.Last}
	default:
		b.runs = append(b.runs, b.open)
		b.open = Run{n, n, 1}
	}
}

// addRun does what add would do for each frame of r, in constant time.
func (b *builder) addRun(r Run) {
	for n := r.First; n <= r.Last; n += r.Step {
		if b.open.stepped() && b.open.Step == r.Step && b.open.Last == n-r.Step {
			b.open.Last = r.Last
			return
		}
		b.add(n)
	}
}

// stepped reports whether the run has at least two frames, so that its step is decided.
func (r Run) stepped() bool { return r.Step > 0 && r.Last > r.First }

func (b *builder) done() []Run {
	switch {
	case b.open.Step == 0:
	case b.open.Count() == 2 && b.open.Step > 1:
		b.runs = append(b.runs, Run{b.open.First, b.open.First, 1}, Run{b.open.Last, b.open.Last, 1})
	default:
		b.runs = append(b.runs, b.open)
	}
	return b.runs
}
