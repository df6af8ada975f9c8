package frame

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// A SyntaxError says what is wrong in a typed set, and at which byte of the text (from 0).
type SyntaxError struct {
	Text    string
	Offset  int
	Problem string
}

func (e *SyntaxError) Error() string {
	return fmt.Sprintf("frames %q, at character %d: %s", e.Text, e.Offset+1, e.Problem)
}

// Parse reads a set in the syntax of the package comment. Its errors are *SyntaxError.
func Parse(text string) (Set, error) {
	fail := func(at int, format string, args ...any) (Set, error) {
		return Set{}, &SyntaxError{text, at, fmt.Sprintf(format, args...)}
	}
	if strings.TrimSpace(text) == "" {
		return fail(0, "no frames are given; write a range such as 1001-1048")
	}
	var in, out []Run
	offset := 0
	for item := range strings.SplitSeq(text, ",") {
		p := &itemParser{text: text, pos: offset, end: offset + len(item)}
		run, leftOut, err := p.item()
		if err != nil {
			return Set{}, err
		}
		if leftOut {
			out = append(out, run)
		} else {
			in = append(in, run)
		}
		offset += len(item) + 1
		if len(in)+len(out) > maxItems {
			return fail(0, "more than %d ranges", maxItems)
		}
	}
	runs, err := combine(in, out)
	if err != nil {
		return fail(0, "%s", err)
	}
	set := Set{runs}
	if set.Empty() {
		return fail(0, "no frame is left: everything is left out by '!'")
	}
	if n := set.Count(); n > MaxCount {
		return fail(0, "%d frames; a set holds at most %d", n, MaxCount)
	}
	return set, nil
}

// MustParse is Parse for texts known to be right; it panics on an error.
func MustParse(text string) Set {
	s, err := Parse(text)
	if err != nil {
		panic(err)
	}
	return s
}

type itemParser struct {
	text     string
	pos, end int
}

func (p *itemParser) fail(at int, format string, args ...any) error {
	return &SyntaxError{p.text, at, fmt.Sprintf(format, args...)}
}

func (p *itemParser) space() {
	for p.pos < p.end && strings.IndexByte(" \t\r\n", p.text[p.pos]) >= 0 {
		p.pos++
	}
}

func (p *itemParser) take(c byte) bool {
	if p.pos < p.end && p.text[p.pos] == c {
		p.pos++
		return true
	}
	return false
}

func (p *itemParser) number(what string) (int, error) {
	start := p.pos
	p.take('-')
	for p.pos < p.end && p.text[p.pos] >= '0' && p.text[p.pos] <= '9' {
		p.pos++
	}
	word := p.text[start:p.pos]
	if word == "" || word == "-" {
		if start >= p.end {
			return 0, p.fail(start, "%s is missing", what)
		}
		return 0, p.fail(start, "%s must be a whole number, not %q", what, strings.TrimSpace(p.text[start:p.end]))
	}
	n, err := strconv.Atoi(word)
	if err != nil || n > MaxNumber || n < -MaxNumber {
		return 0, p.fail(start, "%s is beyond %d", what, MaxNumber)
	}
	return n, nil
}

func (p *itemParser) item() (run Run, leftOut bool, err error) {
	p.space()
	leftOut = p.take('!')
	p.space()
	start := p.pos
	first, err := p.number("a frame number")
	if err != nil {
		return Run{}, false, err
	}
	run = Run{first, first, 1}
	p.space()
	if p.take('-') {
		p.space()
		lastAt := p.pos
		if run.Last, err = p.number("the last frame"); err != nil {
			return Run{}, false, err
		}
		if run.Last < run.First {
			return Run{}, false, p.fail(
				start, "the first frame %d comes after the last, %d; write %d-%d", run.First, run.Last, run.Last,
				run.First,
			)
		}
		p.space()
		if p.take('x') {
			stepAt := p.pos
			if run.Step, err = p.number("the step after 'x'"); err != nil {
				return Run{}, false, err
			}
			if run.Step < 1 {
				return Run{}, false, p.fail(stepAt, "the step must be 1 or more, not %d", run.Step)
			}
		}
		if run.Last-run.First > MaxCount*10 {
			return Run{}, false, p.fail(lastAt, "the range spans more than %d frames", MaxCount*10)
		}
		run.Last -= (run.Last - run.First) % run.Step
		if run.First == run.Last {
			run.Step = 1
		}
	}
	p.space()
	if p.pos < p.end {
		return Run{}, false, p.fail(p.pos, "%q was not expected here", p.text[p.pos:p.end])
	}
	return run, leftOut, nil
}

// combine returns the canonical runs of the frames that are in one of in and in none of out. It cuts
// the number line wherever a run begins or ends, and settles each piece by itself.
func combine(in, out []Run) ([]Run, error) {
	var cuts []int
	for _, r := range slices.Concat(in, out) {
		cuts = append(cuts, r.First, r.Last+1)
	}
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	var b builder
	for i := 0; i+1 < len(cuts); i++ {
		if err := b.piece(cuts[i], cuts[i+1]-1, covering(in, cuts[i]), covering(out, cuts[i])); err != nil {
			return nil, err
		}
	}
	return b.done(), nil
}

// covering returns the runs whose span holds n.
func covering(runs []Run, n int) []Run {
	var found []Run
	for _, r := range runs {
		if r.First <= n && n <= r.Last {
			found = append(found, r)
		}
	}
	return found
}

// piece adds the frames from lo to hi of in without out; every run given spans all of lo to hi.
func (b *builder) piece(lo, hi int, in, out []Run) error {
	if len(in) == 0 || slices.ContainsFunc(out, func(r Run) bool { return r.Step == 1 }) {
		return nil
	}
	if i := slices.IndexFunc(in, func(r Run) bool { return r.Step == 1 }); i >= 0 {
		in = in[i : i+1]
	}
	if len(in) == 1 && len(out) == 0 {
		r := in[0]
		r.First += (lo - r.First + r.Step - 1) / r.Step * r.Step
		r.Last = hi - (hi-r.First)%r.Step
		if r.First <= hi {
			b.addRun(r)
		}
		return nil
	}
	if hi-lo > MaxCount {
		return fmt.Errorf("ranges with steps overlap over more than %d frames", MaxCount)
	}
	holds := func(runs []Run, n int) bool {
		return slices.ContainsFunc(runs, func(r Run) bool { return r.Contains(n) })
	}
	for n := lo; n <= hi; n++ {
		if holds(in, n) && !holds(out, n) {
			b.add(n)
		}
		if len(b.runs) > maxRuns {
			return fmt.Errorf("the set falls into more than %d pieces", maxRuns)
		}
	}
	return nil
}
