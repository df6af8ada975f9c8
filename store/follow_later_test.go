package store

import (
	"errors"
	"testing"

	"reelhouse/core/plan"
	"reelhouse/core/queue"
)

// What was sent gets a follow-up later: at once where all is good, and otherwise when it is; none twice.
func TestAFollowUpIsAddedLater(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{}, "1-2", "1")
	takes(t, s, "1/0/quay/hd/1", "ab")
	takes(t, s, "1/0/quay/hd/2", "ab")
	first := Scope{Production: b.Plan.Production, Sequence: b.Sequences[0].ID}
	n, err := s.AddFollowUp(first, sums)
	must(t, err)
	if n != 1 {
		t.Errorf("%d sequences have it", n)
	}
	if _, err := s.AddFollowUp(first, sums); !errors.Is(err, ErrNothing) {
		t.Errorf("a second one: %v", err)
	}
	takes(t, s, "1/0/quay/hd/sums", "cd")
	n, err = s.AddFollowUp(Scope{Production: b.Plan.Production, Batch: b.ID}, sums)
	must(t, err)
	if n != 1 {
		t.Errorf("of the batch %d more have it", n)
	}
	takes(t, s, "1/1/quay/hd/1", "ab")
	takes(t, s, "1/1/quay/hd/sums", "cd")
	takes(t, s, "", "")
	b, err = s.Batch(b.ID)
	must(t, err)
	if b.FollowUps != 2 || b.Sums[queue.Good] != 5 || !b.Finished() {
		t.Errorf("there are %d follow-ups, and %v", b.FollowUps, b.Sums)
	}
	counted(t, s, b, 0)
	q, has, err := s.FollowUpOf(b.Sequences[0].ID, "sums")
	if err != nil || !has || q.Follows != b.Sequences[0].ID {
		t.Errorf("it is %+v, %v, %v", q, has, err)
	}
}

func TestWhatCannotBeAddedLater(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{}, "1-2")
	chained := FollowUp{FollowUp: plan.FollowUp{Kind: "total", Follows: "values", Extensions: []string{"txt"}}}
	one := 1
	for name, c := range map[string]struct {
		scope Scope
		f     FollowUp
		want  error
	}{
		"of one that is not there": {Scope{Production: b.Plan.Production, Batch: b.ID}, chained, ErrNothing},
		"of a frame": {Scope{Production: b.Plan.Production, Sequence: b.Sequences[0].ID,
			Frame: &one}, sums, ErrNothing},
		"of another production":      {Scope{Production: "OTHER", Batch: b.ID}, sums, ErrNotFound},
		"of a batch that is none":    {Scope{Production: b.Plan.Production, Batch: 99}, sums, ErrNotFound},
		"of a sequence that is none": {Scope{Production: b.Plan.Production, Sequence: 99}, sums, ErrNotFound},
	} {
		if n, err := s.AddFollowUp(c.scope, c.f); !errors.Is(err, c.want) || n != 0 {
			t.Errorf("%s: %d, %v", name, n, err)
		}
	}
	held := values
	held.Held = true
	_, err := s.AddFollowUp(Scope{Production: b.Plan.Production, Batch: b.ID}, held)
	must(t, err)
	takes(t, s, "1/0/quay/hd/1", "ab")
	takes(t, s, "1/0/quay/hd/2", "ab")
	takes(t, s, "", "")
}
