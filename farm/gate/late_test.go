package gate

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"testing"
	"time"

	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/farm"
	"reelhouse/farm/wire"
	"reelhouse/store"
)

// back connects a node again, and returns what it is to have, as the answer to its first beat.
func (s *stranger) back(has int64) wire.Tasks {
	s.t.Helper()
	s.ask(wire.HelloTo+s.token.Name, hello(), &s.welcome)
	if s.welcome.Refused != "" {
		s.t.Fatal(s.welcome.Refused)
	}
	var t wire.Tasks
	s.ask(wire.BeatTo+s.token.Name, wire.Beat{Have: []wire.Held{{Lease: has, Progress: 1}}}, &t)
	return t
}

// away waits until what a node has was taken from it, since nothing was heard of it.
func (s *stranger) away() {
	s.t.Helper()
	for range patience {
		if s.gate.find(s.token.Name) == nil {
			s.until(func(f store.Frame) bool { return f.State == queue.Ready })
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
	s.t.Fatal("it is still waited for")
}

// What a node has done while it was away for too long is taken, if nobody was faster.
func TestWhatIsDoneLateIsTakenIfNobodyWasFaster(t *testing.T) {
	g := openedFor(t, "1001", time.Second)
	s := g.joined("a")
	e := s.lease()
	s.away()
	if tasks := s.back(e.Lease); !slices.Equal(tasks.Leases, []int64{e.Lease}) {
		t.Fatalf("%+v", tasks)
	}
	for range patience { // the house makes its errand first
		if code, _ := s.http("GET", fmt.Sprintf("/errand/%d", e.Lease), nil); code == 200 {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	s.do(e.Lease, 1)
	g.until(func(f store.Frame) bool { return f.State == queue.Good })
	if f := g.frame(); f.Attempts != 1 || f.Node != "a" || f.Lease != e.Lease {
		t.Errorf("%+v", f)
	}
	s.refused(0)
}

// Somebody was faster, somebody else says that it is his, or it would come out otherwise by now: then it is refused.
func TestWhatIsDoneLateIsNobodyElses(t *testing.T) {
	for name, meanwhile := range map[string]func(g *gated, s *stranger, e wire.Errand){
		"another one has it": func(g *gated, s *stranger, e wire.Errand) { g.joined("b").lease() },
		"another one says it": func(g *gated, s *stranger, e wire.Errand) {
			if tasks := g.joined("b").back(e.Lease); len(tasks.Leases) != 0 {
				t.Errorf("%+v", tasks)
			}
			if _, err := g.house.Record.Apply(store.Scope{Production: "TEST", Batch: g.b.ID}, queue.Hold); err != nil {
				t.Error(err)
			}
		},
		"another renderer": func(g *gated, s *stranger, e wire.Errand) {
			other := renderer.Print()
			other.Version = "2"
			if _, err := g.house.Record.SetRenderer(other); err != nil {
				t.Error(err)
			}
		},
		"paused": func(g *gated, s *stranger, e wire.Errand) {
			if err := g.house.Record.Pause(); err != nil {
				t.Error(err)
			}
		},
	} {
		t.Run(name, func(t *testing.T) {
			g := openedFor(t, "1001", time.Second)
			s := g.joined("a")
			e := s.lease()
			s.away()
			meanwhile(g, s, e)
			if tasks := s.back(e.Lease); slices.Contains(tasks.Leases, e.Lease) {
				t.Errorf("it has it again: %+v", tasks)
			}
		})
	}
}

// A house that is started again tells its nodes that they still have what they have, before its errands are there.
func TestANodeKeepsWhatItHasOverARestart(t *testing.T) {
	g := opened(t, "1001")
	s := g.joined("a")
	e := s.lease()
	l, err := g.house.Record.LeaseNow(e.Lease)
	if err != nil {
		t.Fatal(err)
	}
	log := slog.New(slog.DiscardHandler)
	like := farm.Node{
		House: g.house, Hub: g.gate.Hub, Renderer: renderer, Works: work.Catalogue{}, Timeout: time.Hour, Log: log,
	}
	options := g.gate.Options
	options.Like, options.Address = like.Like, "127.0.0.1:0"
	again, err := Open(t.Context(), options)
	if err != nil {
		t.Fatal(err)
	}
	defer again.Close()
	if !again.Keeps(l) {
		t.Fatal("it does not keep it")
	}
	record, err := g.house.Record.FindNode("a")
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	again.ctx = ctx
	o := again.join(record, hello())
	defer func() { o.end(); o.node.Settled() }()
	if tasks := o.tasks(); !slices.Equal(tasks.Leases, []int64{e.Lease}) {
		t.Errorf("%+v", tasks)
	}
}
