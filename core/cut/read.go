package cut

import (
	"fmt"
	"math"
	"strings"

	"reelhouse/core/frame"
)

// A Reading is a cut that was read from a file, with what became of it.
type Reading struct {
	Cut     Cut      `json:"cut"`
	Name    string   `json:"name"`
	Changed []string `json:"changed"` // what is kept otherwise
	Dropped []string `json:"dropped"` // what is not kept

	said map[string]bool
	more [2]int // changes and losses that are only counted
}

// maxSaid is how many changes, and how many losses, are told one by one.
const maxSaid = 500

func (r *Reading) changed(format string, args ...any) { r.say(&r.Changed, 0, format, args) }
func (r *Reading) dropped(format string, args ...any) { r.say(&r.Dropped, 1, format, args) }

// say tells something once.
func (r *Reading) say(into *[]string, kind int, format string, args []any) {
	if len(*into) >= maxSaid {
		r.more[kind]++
		return
	}
	text := fmt.Sprintf(format, args...)
	if r.said == nil {
		r.said = map[string]bool{}
	}
	if !r.said[text] {
		r.said[text] = true
		*into = append(*into, text)
	}
}

// finished returns the reading with the number of what was only counted.
func (r Reading) finished() Reading {
	for kind, into := range []*[]string{&r.Changed, &r.Dropped} {
		if n := r.more[kind]; n > 0 {
			*into = append(*into, fmt.Sprintf("and %d more", n))
		}
	}
	r.said, r.more = nil, [2]int{}
	return r
}

// A Mistake is what cannot be read, and in which line, from 1.
type Mistake struct {
	Line    int
	Message string
}

func (m *Mistake) Error() string { return fmt.Sprintf("line %d: %s", m.Line, m.Message) }

// MaxBytes is the largest file that is read.
const MaxBytes = 64 << 20

// known returns codes by their small letters.
func known(codes []string) map[string]string {
	known := map[string]string{}
	for _, code := range codes {
		known[strings.ToLower(code)] = code
	}
	return known
}

// match returns the code that one of the names stands for: the whole name, or what comes before the first mark in it.
func match(known map[string]string, names ...string) string {
	for _, name := range names {
		name = strings.ToLower(strings.TrimSpace(name))
		if code, ok := known[name]; ok {
			return code
		}
		if i := strings.IndexAny(name, "_ .-"); i > 0 {
			if code, ok := known[name[:i]]; ok {
				return code
			}
		}
	}
	return ""
}

// sourceFrame returns the scene's frame of a source timecode in frames after midnight, the nearest to the clock's first
// one.
func sourceFrame(c frame.Clock, number int) int {
	day := c.Day()
	if day == 0 {
		return c.First
	}
	by := (number - c.Number(c.Start)) % day
	switch {
	case by > day/2:
		by -= day
	case by < -day/2:
		by += day
	}
	return c.First + by
}

// sourceNumber returns the source timecode of a scene's frame, in frames after midnight; it is below 0 before that.
func sourceNumber(c frame.Clock, n int) int { return c.Number(c.Start) + n - c.First }

// ParseSpeed returns a speed in per cent as a fraction: 100 is the usual one, 0 holds a frame, below 0 it runs
// backwards.
func ParseSpeed(percent float64) (Speed, error) {
	if !(math.Abs(percent) <= 100*maxSpeed) {
		return Speed{}, fmt.Errorf("a speed of %g %% is beyond %d times", percent, maxSpeed)
	}
	if percent == 100 {
		return Speed{}, nil
	}
	return speedOf(percent / 100), nil
}

// speedOf returns the fraction that is nearest to a speed.
func speedOf(v float64) Speed {
	for under := 1; under <= 1001; under++ {
		if over := math.Round(v * float64(under)); math.Abs(over/float64(under)-v) < 1e-6 {
			return Speed{int(over), under}
		}
	}
	return Speed{int(math.Round(v * 1000)), 1000}
}
