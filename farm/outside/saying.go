package outside

import (
	"context"
	"encoding/json"
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
	mostText  = 64 << 10  // of a message, in bytes; as JSON it may be six times that
	mostHeard = 10_000    // messages of a program that wait to be passed on
	heardOnce = 256 << 10 // of them in a message, in bytes of JSON, unless it is one alone
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
		m, text := s.next()
		if m.Number == 0 {
			return nil
		}
		id := fmt.Sprintf("said-%d-%d", s.lease, m.Number)
		if err := s.node.publish(ctx, wire.SaidTo+s.node.Token.Name, id, m); err != nil {
			return err
		}
		s.passed(m, text)
	}
}

// next returns as much of what is new as a message holds, and how long its text is in the log; without a number if
// there is nothing.
func (s *saying) next() (m wire.Said, text int) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	said := s.log.String()[s.sent:]
	if len(said) > mostText {
		said = said[:mostText]
		if end := strings.LastIndexByte(said, '\n'); end > 0 {
			said = said[:end+1]
		}
	}
	heard, size := 0, 0
	for heard < len(s.heard) {
		if size += sizeOf(s.heard[heard]); size > heardOnce && heard > 0 {
			break
		}
		heard++
	}
	if said == "" && heard == 0 {
		return m, 0
	}
	return wire.Said{
		Lease: s.lease, Number: s.number + 1, Text: strings.ToValidUTF8(said, "?"), Heard: s.heard[:heard],
	}, len(said)
}

// passed notes that a message of next is safe.
func (s *saying) passed(m wire.Said, text int) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.number, s.sent, s.heard = m.Number, s.sent+text, s.heard[len(m.Heard):]
}

// sizeOf returns how long a message of a program is as JSON.
func sizeOf(m job.Message) int {
	text, _ := json.Marshal(m) // which it came from
	return len(text)
}
