package wake

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

var noon = time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)

// The hours are worked out by hand.
func TestHoursAndNumbersHold(t *testing.T) {
	p := Usual()
	p.Most, p.Hours = 2, []Hours{{From: 20 * time.Hour, To: 6 * time.Hour, Most: 10}, {From: 12 * time.Hour,
		To: 13 * time.Hour}}
	for clock, want := range map[string]int{
		"19:59": 2, "20:00": 10, "23:59": 10, "0:00": 10, "5:59": 10, "6:00": 2, "12:00": 0, "12:59": 0, "13:00": 2,
	} {
		since, err := ParseTime(clock)
		if err != nil {
			t.Fatal(err)
		}
		if got := p.MostAt(noon.Truncate(24 * time.Hour).Add(since)); got != want {
			t.Errorf("at %s %d may be awake, not %d", clock, got, want)
		}
	}
	if all := (Policy{Hours: []Hours{{Most: 3}}}).MostAt(noon); all != 3 {
		t.Errorf("all day: %d", all)
	}
	for _, bad := range []string{"", "6", "6:5", "25:00", "24:01", "6:60", "-1:00", "6:000", "a:00", "006:00"} {
		if d, err := ParseTime(bad); err == nil {
			t.Errorf("%q is %v", bad, d)
		}
	}
}

func TestMachinesAreWokenAndSentToSleep(t *testing.T) {
	p := Usual()
	p.Most, p.Tasks = 3, 10
	ago := func(d time.Duration) time.Time { return noon.Add(-d) }
	asleep := func(names ...string) (all []Machine) {
		for _, n := range names {
			all = append(all, Machine{Name: n})
		}
		return all
	}
	for name, c := range map[string]struct {
		now  Now
		want string
	}{
		"nothing waits":       {Now{Machines: asleep("a", "b")}, ""},
		"not for long enough": {Now{Waiting: 50, Since: ago(59 * time.Second), Machines: asleep("a")}, ""},
		"one for each ten": {Now{Waiting: 11, Since: ago(time.Minute), Machines: asleep("a", "b", "c")},
			"wake a, wake b"},
		"no more than may be": {Now{Waiting: 500, Since: ago(time.Minute), Machines: asleep("a", "b", "c", "d")},
			"wake a, wake b, wake c"},
		"others are free": {Now{Waiting: 8, Free: 8, Since: ago(time.Hour), Machines: asleep("a")}, ""},
		"one comes already": {Now{Waiting: 8, Since: ago(time.Hour), Machines: append(asleep("b"),
			Machine{Name: "a", Woken: ago(time.Minute)})}, ""},
		"one that failed rests": {Now{Waiting: 8, Since: ago(time.Hour), Machines: append(asleep("b"),
			Machine{Name: "a", Rests: noon.Add(time.Minute)})}, "wake b"},
		"it does not come": {Now{Machines: []Machine{{Name: "a", Woken: ago(11 * time.Minute)}}}, "sleep a"},
		"it is idle": {Now{Machines: []Machine{
			{Name: "a", Woken: ago(time.Hour), Here: true, Idle: ago(10 * time.Minute)},
			{Name: "b", Woken: ago(time.Hour), Here: true, Idle: ago(9 * time.Minute)},
			{Name: "c", Woken: ago(time.Hour), Here: true, Tasks: 1},
		}}, "sleep a"},
		"too many for the hour": {Now{Machines: []Machine{
			{Name: "a", Woken: ago(time.Hour), Here: true, Tasks: 2}, {Name: "b", Woken: ago(time.Hour), Here: true},
			{Name: "c", Woken: ago(time.Hour), Here: true, Tasks: 1},
			{Name: "d", Woken: ago(time.Hour), Here: true, Tasks: 3},
			{Name: "e", Woken: ago(time.Hour), Here: true, Tasks: 3},
		}}, "sleep b, drain c"},
	} {
		c.now.Time = noon
		var got []string
		for _, s := range p.Decide(c.now) {
			got = append(got, fmt.Sprintf("%s %s", s.Do, s.Name))
		}
		if strings.Join(got, ", ") != c.want {
			t.Errorf("%s: %s, not %s", name, strings.Join(got, ", "), c.want)
		}
	}
}

func TestPoliciesAreChecked(t *testing.T) {
	if err := Usual().Check(); err != nil {
		t.Error(err)
	}
	for _, bad := range []func(p *Policy){
		func(p *Policy) { p.Most = -1 }, func(p *Policy) { p.Most = 1001 }, func(p *Policy) { p.Tasks = 0 },
		func(p *Policy) { p.Idle = 0 }, func(p *Policy) { p.Within = -1 }, func(p *Policy) { p.After = -1 },
		func(p *Policy) { p.Hours = []Hours{{From: 25 * time.Hour}} },
		func(p *Policy) { p.Hours = []Hours{{Most: -1}} },
	} {
		p := Usual()
		bad(&p)
		if p.Check() == nil {
			t.Errorf("%+v", p)
		}
	}
}

func FuzzParseTime(f *testing.F) {
	for _, text := range []string{"6:30", "24:00", "0:00", "::", "12:0x"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if d, err := ParseTime(text); err == nil && (d < 0 || d > 24*time.Hour) {
			t.Errorf("%q is %v", text, d)
		}
	})
}
