package queue

import (
	"fmt"
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"

	"reelhouse/store"
	"reelhouse/web/kit"
)

// A batch of many sequences, or a sequence of many frames, has a strip with what its frames have taken along it.

// profileOf returns the strip of all sequences of a batch, nil where they are all shown with strips of their own.
func (a *page) profileOf(code string, b store.Batch) (*kit.Profile, error) {
	if b.Parts <= mostSequences {
		return nil, nil
	}
	all, err := a.sums.of(a.sums.batches, b.ID, b.Parts >= longBatch, func() ([]store.Stretch, error) {
		return a.House.Record.SequenceStretches(b.ID, kit.MostStretches)
	})
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
	p.Of = kit.Plural(b.Parts, "sequence", "sequences")
	return &p, nil
}

// framesProfile returns the strip of all frames of a sequence.
func (a *page) framesProfile(code string, q store.Sequence) (*kit.Profile, error) {
	all, err := a.sums.of(a.sums.sequences, q.ID, q.Counts.Total() >= longSequence, func() ([]store.Stretch, error) {
		return a.House.Record.FrameStretches(q.ID, kit.MostStretches)
	})
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
	p.Of = kit.Plural(q.Counts.Total(), "frame", "frames")
	return &p, nil
}

// longSequence and longBatch are from how many frames, or sequences, on adding them up takes so long that it is not
// done at each change; longRest is how long what was added up holds then.
const (
	longSequence = 50_000
	longBatch    = 500
	longRest     = 10 * time.Second
	keptSums     = 64
)

// sums keep what long sequences and batches have added up to, by their numbers.
type sums struct {
	sequences, batches *expirable.LRU[int64, []store.Stretch]
}

func newSums() sums {
	kept := func() *expirable.LRU[int64, []store.Stretch] {
		return expirable.NewLRU[int64, []store.Stretch](keptSums, nil, longRest)
	}
	return sums{kept(), kept()}
}

// of returns what is kept, or adds it up, and keeps that if it is long.
func (s sums) of(
	kept *expirable.LRU[int64, []store.Stretch], id int64, long bool, add func() ([]store.Stretch, error),
) ([]store.Stretch, error) {
	if all, known := kept.Get(id); known && long {
		return all, nil
	}
	all, err := add()
	if err == nil && long {
		kept.Add(id, all)
	}
	return all, err
}
