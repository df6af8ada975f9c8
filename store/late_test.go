package store

import (
	"errors"
	"testing"

	"reelhouse/core/queue"
)

// A frame and a tile that were lost are taken again under their leases, while nobody else has them.
func TestALostLeaseIsTakenAgainIfNobodyWasFaster(t *testing.T) {
	s := open(t)
	whole, tiled := send(t, s, 9, 1, "1"), sendTiles(t, s, Sending{}, 2, "1")
	offer := Offer{Node: "here"}
	for _, b := range []Batch{whole, tiled} {
		l := lease(t, s)
		if l.Sequence.BatchID != b.ID || (l.Tile != nil) != (b.ID == tiled.ID) {
			t.Fatalf("%+v", l)
		}
		was := *l
		if _, err := s.TakeAgain(&was, offer); !errors.Is(err, ErrLost) {
			t.Errorf("it was not lost: %v", err)
		}
		must(t, s.GiveBack(l))
		if _, err := s.TakeAgain(&was, offer); !errors.Is(err, ErrLost) {
			t.Errorf("what it left is not cleared away: %v", err)
		}
		must(t, s.Forget(l.ID()))
		again, err := s.TakeAgain(&was, offer)
		must(t, err)
		if again.ID() != was.ID() || again.Tries() != 1 || again.NodeName() != "here" ||
			again.TileIndex() != was.TileIndex() {
			t.Errorf("%+v", again)
		}
		must(t, s.Check(again))
		if b.ID == whole.ID {
			must(t, s.Accept(again, 1, filesOf(again, 9), ""))
			if _, err := s.TakeAgain(&was, offer); !errors.Is(err, ErrLost) {
				t.Errorf("it is good: %v", err)
			}
		}
	}
	// Whatever else it is but ready, it is lost.
	l := lease(t, s)
	was := *l
	must(t, s.GiveBack(l))
	must(t, s.Forget(l.ID()))
	for _, event := range []queue.Event{queue.Hold, queue.Drop} {
		_, err := s.Apply(scope(tiled), event)
		must(t, err)
		if _, err := s.TakeAgain(&was, offer); !errors.Is(err, ErrLost) {
			t.Errorf("%s: %v", event, err)
		}
	}
}
