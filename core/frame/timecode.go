package frame

import (
	"fmt"
	"strconv"
	"strings"
)

// A Count is how frames are numbered as timecode: the rate, and whether numbers are dropped so that the
// timecode keeps up with the clock (SMPTE ST 12-1). Dropping exists for 29.97 and 59.94 only.
type Count struct {
	Rate Rate
	Drop bool
}

// Counts returns the counts in use, in the order in which they are offered. The rates over 1001 and the
// dropping are those of SMPTE ST 12-1.
func Counts() []Count {
	whole := func(n int) Count { return Count{Rate: Rate{n, 1}} }
	over := func(n int, drop bool) Count { return Count{Rate{n * 1000, 1001}, drop} }
	return []Count{
		whole(24), over(24, false), whole(25), over(30, true), over(30, false), whole(30),
		whole(48), whole(50), over(60, true), over(60, false), whole(60),
	}
}

// CanDrop reports whether timecode of the rate can drop numbers.
func (r Rate) CanDrop() bool { return r == Rate{30000, 1001} || r == Rate{60000, 1001} }

func (c Count) String() string {
	switch {
	case c.Drop:
		return c.Rate.String() + " drop"
	case c.Rate.CanDrop():
		return c.Rate.String() + " non-drop"
	}
	return c.Rate.String()
}

// Nominal returns how many frames a timecode second has: the rate, rounded up.
func (c Count) Nominal() int {
	if c.Rate.Denominator <= 0 {
		return 0
	}
	return (c.Rate.Numerator + c.Rate.Denominator - 1) / c.Rate.Denominator
}

// dropped returns how many numbers are skipped at each minute that is not a tenth one.
func (c Count) dropped() int {
	if !c.Drop {
		return 0
	}
	return c.Nominal() / 15 // 2 of 30, 4 of 60
}

// Day returns the number of frames in 24 hours of timecode.
func (c Count) Day() int {
	minutes := 24 * 60
	return minutes*60*c.Nominal() - (minutes-minutes/10)*c.dropped()
}

// A Timecode is hours, minutes, seconds and frames. The zero value is midnight.
type Timecode struct {
	Hours, Minutes, Seconds, Frames int
	Drop                            bool
}

// String writes HH:MM:SS:FF, with a semicolon before the frames where numbers are dropped.
func (t Timecode) String() string {
	mark := ':'
	if t.Drop {
		mark = ';'
	}
	width := 2
	if t.Frames > 99 {
		width = 3
	}
	return fmt.Sprintf("%02d:%02d:%02d%c%0*d", t.Hours, t.Minutes, t.Seconds, mark, width, t.Frames)
}

// Timecode returns the timecode of the n-th frame after midnight. It goes on at midnight after 24 hours,
// and backwards from there for negative n. The zero Count has no timecode but midnight.
func (c Count) Timecode(n int) Timecode {
	nominal, day := c.Nominal(), c.Day()
	if nominal == 0 {
		return Timecode{}
	}
	n = ((n % day) + day) % day
	if drop := c.dropped(); drop > 0 {
		minute := 60*nominal - drop // a minute that drops
		tens := 10*minute + drop
		n += n / tens * 9 * drop
		if rest := (n - n/(600*nominal)*(600*nominal)); rest >= 60*nominal {
			n += (rest - 60*nominal + minute) / minute * drop
		}
	}
	return Timecode{n / nominal / 3600 % 24, n / nominal / 60 % 60, n / nominal % 60, n % nominal, c.Drop}
}

// Number returns how many frames after midnight a timecode stands.
func (c Count) Number(t Timecode) int {
	minutes := t.Hours*60 + t.Minutes
	return (minutes*60+t.Seconds)*c.Nominal() + t.Frames - (minutes-minutes/10)*c.dropped()
}

// ParseTimecode reads HH:MM:SS:FF, with : or ; before the frames. Numbers that the count drops are refused.
// Its errors are *SyntaxError.
func (c Count) ParseTimecode(text string) (Timecode, error) {
	fail := func(at int, format string, args ...any) (Timecode, error) {
		return Timecode{}, &SyntaxError{text, at, fmt.Sprintf(format, args...)}
	}
	t := Timecode{Drop: c.Drop}
	parts := [...]struct {
		into  *int
		limit int
		name  string
	}{{&t.Hours, 24, "hours"}, {&t.Minutes, 60, "minutes"}, {&t.Seconds, 60, "seconds"},
		{&t.Frames, c.Nominal(), "frames"}}
	at := 0
	for i, p := range parts {
		end := len(text)
		if i < 3 {
			mark := strings.IndexAny(text[at:], ":;")
			if mark < 0 {
				return fail(len(text), "a timecode has four numbers: HH:MM:SS:FF")
			}
			if end = at + mark; text[end] == ';' && i < 2 {
				return fail(end, "only the frames may stand behind ';'")
			}
		}
		n, err := strconv.ParseUint(strings.TrimSpace(text[at:end]), 10, 16)
		switch {
		case err != nil:
			return fail(at, "%q is not a number of %s", text[at:end], p.name)
		case int(n) >= p.limit:
			return fail(at, "%d %s; at most %d are possible", n, p.name, p.limit-1)
		}
		*p.into = int(n)
		at = end + 1
	}
	if drop := c.dropped(); t.Frames < drop && t.Seconds == 0 && t.Minutes%10 != 0 {
		return fail(
			0, "%s is one of the numbers that drop-frame timecode skips; the next frame is %02d:%02d:00;%02d", t,
			t.Hours, t.Minutes, drop,
		)
	}
	return t, nil
}

// A Clock ties frame numbers to timecode and to seconds: frame First begins at 0 s and bears timecode Start.
type Clock struct {
	Count
	First int
	Start Timecode
}

// Timecode returns the timecode of frame n.
func (c Clock) Timecode(n int) Timecode { return c.Count.Timecode(c.Number(c.Start) + n - c.First) }

// Frame returns the frame of a timecode: the first one at or after the clock's first frame, within a day.
func (c Clock) Frame(t Timecode) int {
	day := c.Day()
	if day == 0 {
		return c.First
	}
	return c.First + ((c.Number(t)-c.Number(c.Start))%day+day)%day
}

// Seconds returns the time at which frame n begins.
func (c Clock) Seconds(n int) float64 { return c.Rate.Seconds(n, c.First) }

// At returns the frame that is shown at a time in seconds.
func (c Clock) At(seconds float64) int {
	position := seconds * c.Rate.PerSecond()
	n := int(position)
	if float64(n) > position {
		n--
	}
	if position-float64(n) > 1-1e-6 { // 2.000 s is typed for what begins at 1.9999999 s
		n++
	}
	return c.First + n
}
