package outside

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"reelhouse/core/job"
	"reelhouse/farm"
	"reelhouse/farm/wire"
)

// A saying passes on what is said during an errand: its log, and the messages of its program.
type saying struct {
	node   *Node
	lease  int64
	writes []string

	mutex  sync.Mutex
	log    *farm.Log
	sent   int // bytes of the log
	number int // of messages
	heard  []job.Message
}

func newSaying(n *Node, lease int64, writes []string) *saying {
	return &saying{node: n, lease: lease, writes: writes}
}

// hear takes a message of the program.
func (s *saying) hear(m job.Message) {
	if m.Path != "" {
		i := slices.Index(s.writes, m.Path)
		if i < 0 {
			return
		}
		m.Path = wire.WritePath(i)
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if len(s.heard) < mostHeard {
		s.heard = append(s.heard, m)
	}
}

const (
	sayEvery  = time.Second
	mostText  = 128 << 10 // of a message, in bytes
	mostHeard = 10_000    // messages of a program that wait to be passed on
	heardOnce = 500       // in a message
)

// follow passes on what is said, now and then, until what it returns is called.
func (s *saying) follow(ctx context.Context, log *farm.Log) (stop func()) {
	s.log = log
	ctx, cancel := context.WithCancel(ctx)
	var group sync.WaitGroup
	group.Go(func() {
		every := time.NewTicker(sayEvery)
		defer every.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-every.C:
				_ = s.pass(ctx) // it is tried again
			}
		}
	})
	return func() { cancel(); group.Wait() }
}

// flush passes on what is left.
func (s *saying) flush(ctx context.Context) {
	if err := s.pass(ctx); err != nil {
		s.node.Log.Debug("what was said is not passed on", "lease", s.lease, "error", err)
	}
}

// pass passes on what is new.
func (s *saying) pass(ctx context.Context) error {
	for {
		s.mutex.Lock()
		all := s.log.String()
		text := all[s.sent:]
		if len(text) > mostText {
			text = text[:mostText]
			if end := strings.LastIndexByte(text, '\n'); end > 0 {
				text = text[:end+1]
			}
		}
		heard := s.heard[:min(len(s.heard), heardOnce)]
		if text == "" && len(heard) == 0 {
			s.mutex.Unlock()
			return nil
		}
		m := wire.Said{Lease: s.lease, Number: s.number + 1, Text: strings.ToValidUTF8(text, "?"), Heard: heard}
		s.mutex.Unlock()
		id := fmt.Sprintf("said-%d-%d", s.lease, m.Number)
		if err := s.node.publish(ctx, wire.SaidTo+s.node.Token.Name, id, m); err != nil {
			return err
		}
		s.mutex.Lock()
		s.number, s.sent, s.heard = m.Number, s.sent+len(text), s.heard[len(heard):]
		s.mutex.Unlock()
	}
}
