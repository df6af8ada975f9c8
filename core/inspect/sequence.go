package inspect

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/raster"
)

// A Sequence takes the frames of an image sequence, one after the other, and finds what is wrong with them, by
// themselves and beside each other. Of each frame only some thousand numbers are kept.
type Sequence struct {
	want   Wanted
	frames []measured
	found  []Finding
	faulty []int // numbers of files that cannot be read
	known  map[[2]uint64]change
}

// Wanted is what is known of a sequence beforehand. The zero value is that of files of any origin.
type Wanted struct {
	Frames frame.Set   // the frames that there are to be; empty for every nth between the first and the last
	Size   raster.Size // zero for the one that most have
	Loop   bool        // it is to play as a loop
}

// A SequenceReport is what was found in a sequence.
type SequenceReport struct {
	Name     string    `json:"name,omitempty"` // of its files, the number in round brackets
	Frames   frame.Set `json:"frames"`         // that were read
	Width    int       `json:"width"`
	Height   int       `json:"height"`
	Channels []string  `json:"channels"`
	Findings []Finding `json:"findings"`
	// The step from the last frame to the first, as a share of the largest of the others; 0 where they are equal, or
	// there are too few frames.
	LoopStep float64 `json:"loopStep"`
}

// Clean reports whether nothing was found.
func (r SequenceReport) Clean() bool { return len(r.Findings) == 0 }

// Of returns what was found of a frame.
func (r SequenceReport) Of(number int) []Finding {
	var of []Finding
	for _, f := range r.Findings {
		if f.Frame == number {
			of = append(of, f)
		}
	}
	return of
}

// NewSequence returns one without frames.
func NewSequence(want Wanted) *Sequence { return &Sequence{want: want, known: map[[2]uint64]change{}} }

// Unreadable says that the file of a frame cannot be read.
func (s *Sequence) Unreadable(number int, err error) {
	s.faulty = append(s.faulty, number)
	s.found = append(s.found, Finding{Fault: Unreadable, Frame: number, Text: "it cannot be read: " + err.Error()})
}

// Report says what is wrong with the frames that were added, in the order of their numbers.
func (s *Sequence) Report() SequenceReport {
	slices.SortFunc(s.frames, func(a, b measured) int { return cmp.Compare(a.number, b.number) })
	r := SequenceReport{Channels: []string{}, Findings: slices.Clone(s.found)}
	var numbers []int
	for _, f := range s.frames {
		numbers = append(numbers, f.number)
		r.Findings = append(r.Findings, f.own...)
	}
	numbers = slices.Compact(numbers)
	r.Frames = frame.SetOf(numbers)
	r.Findings = append(r.Findings, s.numbers(append(numbers, s.faulty...))...)
	if len(s.frames) > 0 {
		size, channels := s.usual()
		r.Width, r.Height, r.Channels = size.Width, size.Height, channels
		r.Findings = append(r.Findings, s.unlike(size, channels)...)
		b := beside{frames: s.comparable(size), known: s.known}
		b.all()
		r.Findings = append(r.Findings, b.found...)
		r.LoopStep = b.loopStep
		if s.want.Loop && len(b.chain) > 2 {
			r.Findings = append(r.Findings, b.loop()...)
		}
	}
	if r.Findings == nil {
		r.Findings = []Finding{}
	}
	order := map[Fault]int{}
	for i, d := range Faults() {
		order[d.Fault] = i
	}
	slices.SortStableFunc(r.Findings, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(a.Frame, b.Frame), cmp.Compare(order[a.Fault], order[b.Fault]))
	})
	return r
}

// mostMissing is how many missing frames are told one by one.
const mostMissing = 1000

// numbers returns which frames are missing, and which are more than there are to be.
func (s *Sequence) numbers(all []int) []Finding {
	slices.Sort(all)
	there := frame.SetOf(slices.Compact(all))
	want := s.want.Frames
	if want.Empty() {
		want = expected(there)
	}
	var found []Finding
	missing := want.Minus(there)
	if n := missing.Count(); n > mostMissing {
		return []Finding{{
			Fault: Missing, Frame: missing.First(), Number: float64(n),
			Text: fmt.Sprintf("%s have no file", short(missing)),
		}}
	}
	for n := range missing.All() {
		found = append(found, Finding{Fault: Missing, Frame: n, Text: "this frame has no file"})
	}
	for n := range there.Minus(want).All() {
		found = append(found, Finding{
			Fault: Extra, Frame: n, Text: fmt.Sprintf("this number is not one of %s", short(want)),
		})
	}
	for i := 1; i < len(s.frames); i++ {
		if n := s.frames[i].number; n == s.frames[i-1].number {
			found = append(found, Finding{Fault: Extra, Frame: n, Text: "this number is there twice"})
		}
	}
	return found
}

// expected returns every nth frame between the first and the last; n is the step that comes most often.
func expected(there frame.Set) frame.Set {
	if there.Count() < 3 {
		return there
	}
	times, starts := map[int]int{}, map[int]int{}
	before, begun := 0, false
	for n := range there.All() {
		if begun {
			times[n-before]++
		}
		before, begun = n, true
	}
	step := 1
	for n, t := range times {
		if t > times[step] || t == times[step] && n < step {
			step = n
		}
	}
	phase := func(n int) int { return (n%step + step) % step }
	for n := range there.All() {
		starts[phase(n)]++
	}
	start := phase(there.First())
	for at, t := range starts {
		if t > starts[start] {
			start = at
		}
	}
	first, last := there.First(), there.Last()
	for phase(first) != start {
		first++
	}
	for phase(last) != start {
		last--
	}
	return frame.Of(first, last).Thin(step)
}

// short writes a set of frames, without its middle if that is long.
func short(s frame.Set) string {
	text := s.String()
	if len(text) > 40 {
		return fmt.Sprintf("the %d frames from %d to %d", s.Count(), s.First(), s.Last())
	}
	return text
}

// usual returns the size and the channels that most frames have.
func (s *Sequence) usual() (raster.Size, []string) {
	sizes, channels := map[raster.Size]int{}, map[string]int{}
	var size raster.Size
	var names string
	for _, f := range s.frames {
		at, of := raster.Size{Width: f.width, Height: f.height}, strings.Join(f.channels, "\n")
		sizes[at]++
		channels[of]++
		if sizes[at] > sizes[size] {
			size = at
		}
		if channels[of] > channels[names] {
			names = of
		}
	}
	if s.want.Size != (raster.Size{}) {
		size = s.want.Size
	}
	return size, strings.Split(names, "\n")
}

// unlike returns which frames have another size, or other channels.
func (s *Sequence) unlike(size raster.Size, channels []string) []Finding {
	var found []Finding
	for _, f := range s.frames {
		if f.width != size.Width || f.height != size.Height {
			found = append(found, Finding{
				Fault: WrongSize, Frame: f.number, Number: float64(f.width),
				Text: fmt.Sprintf("it has %d × %d pixels, not %s", f.width, f.height, size),
			})
		}
		if !slices.Equal(f.channels, channels) {
			found = append(found, Finding{
				Fault: Channels, Frame: f.number, Number: float64(len(f.channels)),
				Text: fmt.Sprintf("it has the channels %s, not %s", strings.Join(f.channels, ", "),
					strings.Join(channels, ", ")),
			})
		}
	}
	return found
}

// comparable returns the frames that can be held against each other.
func (s *Sequence) comparable(size raster.Size) []*measured {
	var all []*measured
	for i := range s.frames {
		if f := &s.frames[i]; f.lit && f.width == size.Width && f.height == size.Height {
			all = append(all, f)
		}
	}
	return all
}
