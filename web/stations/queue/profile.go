package queue

import (
	"fmt"
	"sync"
	"time"

	"reelhouse/store"
	"reelhouse/web/kit"
)

// A batch of many sequences, or a sequence of many frames, has a strip with what its frames have taken along it.

// fewStretches is from how many sequences on a batch has one.
const fewStretches = 6

// profileOf returns the strip of all sequences of a batch, nil where that tells nothing that their own ones do not.
func (a *page) profileOf(code string, b store.Batch) (*kit.Profile, error) {
	if b.Parts < fewStretches {
		return nil, nil
	}
	all, err := a.House.Record.SequenceStretches(b.ID, kit.MostStretches)
	if err != nil {
		return nil, err
	}
	name := func(s store.Stretch) string {
		if s.First == s.Last {
			return s.Name
		}
		return fmt.Sprintf("%s and %d more", s.Name, s.Last-s.First)
	}
	p := kit.ProfileOf(all, kit.StripWidth, name, func(s store.Stretch) string {
		return fmt.Sprintf("/p/%s/queue?open=%d&alone=%d#batch-%d", code, b.ID, s.Sequence, b.ID)
	})
	return &p, nil
}

// framesProfile returns the strip of all frames of a sequence.
func (a *page) framesProfile(code string, q store.Sequence) (*kit.Profile, error) {
	all, err := a.long.stretches(a.House.Record, q)
	if err != nil {
		return nil, err
	}
	name := func(s store.Stretch) string {
		if s.First == s.Last {
			return fmt.Sprintf("frame %d", s.First)
		}
		return fmt.Sprintf("frames %d to %d", s.First, s.Last)
	}
	p := kit.ProfileOf(all, kit.StripWidth, name, func(s store.Stretch) string {
		return logLink(code, q.Task(s.First, 0).String(), 0, 0, "")
	})
	return &p, nil
}

// longSequence is from how many frames on adding them up takes so long that it is not done at each change, and longRest
// how long what was added up holds.
const (
	longSequence = 50_000
	longRest     = 15 * time.Second
)

// longSequences keeps what the frames of the sequence that was looked at last add up to. The zero value keeps nothing.
type longSequences struct {
	mutex sync.Mutex
	id    int64
	at    time.Time
	all   []store.Stretch
}

func (l *longSequences) stretches(record *store.Store, q store.Sequence) ([]store.Stretch, error) {
	if q.Counts.Total() < longSequence {
		return record.FrameStretches(q.ID, kit.MostStretches)
	}
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if l.id == q.ID && time.Since(l.at) < longRest {
		return l.all, nil
	}
	all, err := record.FrameStretches(q.ID, kit.MostStretches)
	if err == nil {
		l.id, l.at, l.all = q.ID, time.Now(), all
	}
	return all, err
}
