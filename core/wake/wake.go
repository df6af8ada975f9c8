// Package wake decides when machines that cost money are woken to be nodes, and when they are sent to sleep. It knows
// nothing of how that is done.
package wake

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// A Policy says how many machines may be awake, and when.
type Policy struct {
	Most  int     // at once, where no hours say otherwise
	Hours []Hours // the first that a time lies in counts
	// Tasks is for how many waiting tasks one machine is woken.
	Tasks int
	// After is how long tasks have to wait before one is; Idle is how long a machine has nothing to do before it is
	// sent to sleep; Within is how long one may take to join.
	After, Idle, Within time.Duration
}

// Hours are times of a day between which so many machines may be awake. From later than To is over midnight; both the
// same is all day.
type Hours struct {
	From, To time.Duration // since midnight
	Most     int
}

// Usual returns what a policy is where nothing is said.
func Usual() Policy {
	return Policy{Most: 1, Tasks: 20, After: time.Minute, Idle: 10 * time.Minute, Within: 10 * time.Minute}
}

// mostMachines bounds a policy.
const mostMachines = 1000

// Check says what is wrong with a policy, or nil.
func (p Policy) Check() error {
	switch {
	case p.Most < 0 || p.Most > mostMachines:
		return fmt.Errorf("most is 0 to %d machines, and not %d", mostMachines, p.Most)
	case p.Tasks < 1:
		return fmt.Errorf("one machine is woken for 1 task or more, and not for %d", p.Tasks)
	case p.After < 0 || p.Idle <= 0 || p.Within <= 0:
		return fmt.Errorf("after, idle and within are times such as 10m")
	}
	for _, h := range p.Hours {
		if h.From < 0 || h.To < 0 || h.From >= day || h.To > day || h.Most < 0 || h.Most > mostMachines {
			return fmt.Errorf("hours are from 0:00 to 24:00, and 0 to %d machines", mostMachines)
		}
	}
	return nil
}

const day = 24 * time.Hour

// ParseTime reads a time of a day, as 6:30 or 22:00, since midnight.
func ParseTime(text string) (time.Duration, error) {
	hour, minute, cut := strings.Cut(text, ":")
	h, okay := number(hour, 24)
	m, fine := number(minute, 59)
	if !cut || !okay || !fine || len(minute) != 2 || h == 24 && m > 0 {
		return 0, fmt.Errorf("%q is no time of a day; it is written as 22:00", text)
	}
	return time.Duration(h)*time.Hour + time.Duration(m)*time.Minute, nil
}

// number reads a number of one or two digits.
func number(text string, most int) (n int, okay bool) {
	for _, r := range text {
		if r < '0' || r > '9' {
			return 0, false
		}
		n = 10*n + int(r-'0')
	}
	return n, len(text) >= 1 && len(text) <= 2 && n <= most
}

// MostAt returns how many machines may be awake at a time, by the clock of where that is.
func (p Policy) MostAt(now time.Time) int {
	since := time.Duration(now.Hour())*time.Hour + time.Duration(now.Minute())*time.Minute
	for _, h := range p.Hours {
		if h.From < h.To && since >= h.From && since < h.To || h.From >= h.To && (since >= h.From || since < h.To) {
			return h.Most
		}
	}
	return p.Most
}

// A Machine is one that can be woken, as it is now.
type Machine struct {
	Name  string
	Woken time.Time // when it was told to wake; the zero time if it sleeps
	Here  bool      // it has joined
	Tasks int       // in its hands
	Idle  time.Time // since when it has none; the zero time if it has
	Rests time.Time // until when it is not woken, since that did not work
}

// Now is what a decision is made from.
type Now struct {
	Time     time.Time
	Waiting  int       // tasks that nobody has
	Since    time.Time // since when some have waited; the zero time for never
	Free     int       // slots of nodes that are here and have nothing to do
	Machines []Machine
}

// A Step is something to be done with a machine.
type Step struct {
	Name string
	Do   Do
	Why  string
}

// Do is what is done with a machine.
type Do string

// What can be done: a machine that drains takes nothing more, and is sent to sleep when it has nothing.
const (
	Wake  Do = "wake"
	Drain Do = "drain"
	Sleep Do = "sleep"
)

// Decide returns what is to be done now.
func (p Policy) Decide(now Now) (steps []Step) {
	most := p.MostAt(now.Time)
	var awake, asleep []Machine
	for _, m := range now.Machines {
		if m.Woken.IsZero() {
			asleep = append(asleep, m)
		} else {
			awake = append(awake, m)
		}
	}
	// Those that have least to lose go first: not here yet, idle, then those with the fewest tasks.
	slices.SortStableFunc(awake, func(a, b Machine) int { return a.Tasks - b.Tasks })
	left := len(awake)
	for _, m := range awake {
		over := left > most
		switch {
		case !m.Here && now.Time.Sub(m.Woken) > p.Within:
			steps = append(steps, Step{m.Name, Sleep, fmt.Sprintf("it has not joined within %v", p.Within)})
			left--
		case over && m.Tasks > 0:
			steps = append(steps, Step{m.Name, Drain, fmt.Sprintf("%d may be awake at this hour", most)})
			left--
		case over:
			steps = append(steps, Step{m.Name, Sleep, fmt.Sprintf("%d may be awake at this hour", most)})
			left--
		case m.Here && m.Tasks == 0 && !m.Idle.IsZero() && now.Time.Sub(m.Idle) >= p.Idle:
			steps = append(steps, Step{m.Name, Sleep, fmt.Sprintf("it has had nothing to do for %v", p.Idle)})
			left--
		}
	}
	if now.Since.IsZero() || now.Time.Sub(now.Since) < p.After || len(steps) > 0 {
		return steps
	}
	coming := 0 // which will take tasks, too
	for _, m := range awake {
		if !m.Here {
			coming++
		}
	}
	want := (now.Waiting-now.Free+p.Tasks-1)/p.Tasks - coming
	for _, m := range asleep {
		if want <= 0 || left >= most {
			break
		}
		if now.Time.Before(m.Rests) {
			continue
		}
		steps = append(steps, Step{m.Name, Wake, fmt.Sprintf("%d tasks wait", now.Waiting)})
		want, left = want-1, left+1
	}
	return steps
}
