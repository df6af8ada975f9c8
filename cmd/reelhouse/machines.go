package main

import (
	"cmp"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"reelhouse/core/wake"
	"reelhouse/farm"
	"reelhouse/farm/gate"
	"reelhouse/farm/waker"
	"reelhouse/farm/wire"
	"reelhouse/house"
)

// machines are those that the configuration lets the server wake.
type machines struct {
	Command string   `json:"command"`
	Args    []string `json:"args"`
	Names   []string `json:"names"`
	Most    int      `json:"most"` // 0 for all
	Hours   []struct {
		From string `json:"from"`
		To   string `json:"to"`
		Most int    `json:"most"`
	} `json:"hours"`
	Tasks  int    `json:"tasks"`
	After  string `json:"after"`
	Idle   string `json:"idle"`
	Within string `json:"within"`
	Every  string `json:"every"`
}

// policy returns when they are woken.
func (m machines) policy() (wake.Policy, error) {
	p := wake.Usual()
	if m.Command == "" || len(m.Names) == 0 {
		return p, errors.New("a command that wakes them, and their names, are needed")
	}
	known := map[string]bool{}
	for _, name := range m.Names {
		if err := wire.CheckName(name); err != nil {
			return p, err
		}
		if known[name] {
			return p, fmt.Errorf("%s is there twice", name)
		}
		known[name] = true
	}
	p.Most, p.Tasks = cmp.Or(m.Most, len(m.Names)), cmp.Or(m.Tasks, p.Tasks)
	for _, one := range []struct {
		name, text string
		into       *time.Duration
	}{{"after", m.After, &p.After}, {"idle", m.Idle, &p.Idle}, {"within", m.Within, &p.Within}} {
		if one.text == "" {
			continue
		}
		var err error
		if *one.into, err = time.ParseDuration(one.text); err != nil {
			return p, fmt.Errorf("%s: %q is no time such as 10m", one.name, one.text)
		}
	}
	for _, h := range m.Hours {
		from, err := wake.ParseTime(h.From)
		if err != nil {
			return p, err
		}
		to, err := wake.ParseTime(h.To)
		if err != nil {
			return p, err
		}
		p.Hours = append(p.Hours, wake.Hours{From: from, To: to, Most: h.Most})
	}
	if _, err := m.every(); err != nil {
		return p, err
	}
	return p, p.Check()
}

// every is how often it is looked whether machines would help.
func (m machines) every() (time.Duration, error) {
	if m.Every == "" {
		return waker.UsualEvery, nil
	}
	d, err := time.ParseDuration(m.Every)
	if err != nil || d < 100*time.Millisecond {
		return 0, fmt.Errorf("every: %q is no time of 100 ms or more", m.Every)
	}
	return d, nil
}

// waker returns what wakes the machines of the configuration, nil for none.
func (f serverFlags) waker(h *house.House, hub *farm.Hub, let *gate.Gate, log *slog.Logger) (*waker.Waker, error) {
	c, err := f.configuration()
	if err != nil || c.Machines == nil {
		return nil, err
	}
	if let == nil {
		return nil, errors.New("machines can be woken only where nodes are let in; start with --farm HOST:PORT")
	}
	policy, err := c.Machines.policy()
	if err != nil {
		return nil, err
	}
	every, err := c.Machines.every()
	return &waker.Waker{
		House: h, Hub: hub, Connected: let.Nodes, Policy: policy, Command: c.Machines.Command, Args: c.Machines.Args,
		Names: c.Machines.Names, Every: every, Log: log,
	}, err
}
