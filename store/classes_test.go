package store

import (
	"testing"

	"reelhouse/core/queue"
	"reelhouse/core/work"
)

// A licence is in use until the process that has it has ended, whatever a person does with its frame meanwhile.
func TestALicenceIsFreeWhenItsProcessHasEnded(t *testing.T) {
	s := open(t)
	b := send(t, s, 0, 1, "1-4")
	_, err := s.SetNeeds(scope(b), "licences=oak chunk=2", false)
	must(t, err)
	works := work.Catalogue{Licences: map[string]int{"oak": 1}}
	take := func() []*Lease {
		t.Helper()
		all, err := s.LeaseTogether(Offer{Node: "n", Takes: func(
			c work.Class, used work.Use, licences map[string]int,
		) (work.Settings, bool) {
			needs, _ := works.Of(c)
			return needs, works.Waits(needs, work.Node{Slots: 9, Cores: 9}, used, licences) == ""
		}})
		must(t, err)
		return all
	}
	first := take()
	if len(first) != 2 || len(take()) != 0 {
		t.Fatalf("%d frames were leased, and the licence is free", len(first))
	}
	_, err = s.Apply(Scope{Production: "SALT", Sequence: b.Sequences[0].ID, Frame: &first[0].Number}, queue.Hold)
	must(t, err)
	if got := take(); len(got) != 0 {
		t.Errorf("while its process is being ended the licence was given to frame %d", got[0].Number)
	}
	must(t, s.Ended(first[0].ID())) // its files cannot be removed yet
	if got := take(); len(got) == 0 {
		t.Error("the process has ended, and the licence is not free")
	}
}
