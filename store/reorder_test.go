package store

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/plan"
	"reelhouse/core/queue"
)

// Somebody wants the ends first of a batch of which two frames are under way, another program asks for it, and changes
// their mind later.
func TestTheOrderOfAQueuedBatchIsChanged(t *testing.T) {
	file := filepath.Join(t.TempDir(), "record.db")
	s, err := Open(file)
	must(t, err)
	t.Cleanup(func() { s.Close() })
	b := send(t, s, 0, 1, "1-9", "1-5")
	var got []string
	take := func(n int) string {
		got = nil
		for range n {
			l := lease(t, s)
			if l == nil {
				break
			}
			got = append(got, fmt.Sprintf("%s/%d", l.Sequence.Spec.Shot, l.Number))
		}
		return strings.Join(got, " ")
	}
	if took := take(2); took != "0/1 0/2" {
		t.Fatal(took)
	}
	other, err := Open(file)
	must(t, err)
	must(t, other.Reorder("salt", b.ID, plan.EndsFirst))
	must(t, other.Close())
	if took := take(6); took != "0/5 0/9 1/1 1/3 1/5 0/3" {
		t.Errorf("with the ends first it is %s", took)
	}
	if order, err := s.FrameOrder(b.ID); err != nil || order != plan.EndsFirst {
		t.Errorf("the order is %q, %v", order, err)
	}
	must(t, s.Reorder("SALT", b.ID, plan.InOrder))
	if took := take(9); took != "0/4 0/6 0/7 0/8 1/2 1/4" {
		t.Errorf("in order again it is %s", took)
	}
	for _, q := range b.Sequences {
		frames, err := s.Frames(q.ID)
		must(t, err)
		if len(frames) != q.Spec.Frames.Count() ||
			slices.ContainsFunc(frames, func(f Frame) bool { return f.State != queue.Rendering }) {
			t.Errorf("the frames are %+v", frames)
		}
	}
	for what, err := range map[string]error{
		"an order that is none": s.Reorder("SALT", b.ID, "backwards"),
		"another production":    s.Reorder("REED", b.ID, plan.Coarse),
		"no batch":              s.Reorder("SALT", 99, plan.Coarse),
	} {
		if err == nil {
			t.Errorf("%s is taken", what)
		}
	}
	if err := s.Reorder("SALT", b.ID, "backwards"); !errors.Is(err, ErrNotPersons) {
		t.Error(err)
	}
	if _, err := s.FrameOrder(99); !errors.Is(err, ErrNotFound) {
		t.Error(err)
	}
}

// Frames that wait at a gate keep waiting, and the first, middle and last one come first all the same.
func TestAGateKeepsItsEndsFirst(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{Gate: true}, "1-9")
	must(t, s.Reorder("SALT", b.ID, plan.Coarse))
	for _, want := range []int{1, 5, 9} {
		if l := lease(t, s); l == nil || l.Number != want {
			t.Fatalf("not frame %d: %+v", want, l)
		}
	}
	if l := lease(t, s); l != nil {
		t.Errorf("frame %d came through the gate", l.Number)
	}
}

func TestALargeBatchKeepsItsOrder(t *testing.T) {
	s := open(t)
	b := send(t, s, 0, 1, fmt.Sprintf("1-%d", MostReordered+1))
	if err := s.Reorder("SALT", b.ID, plan.Coarse); !errors.Is(err, ErrNothing) {
		t.Errorf("a batch of %d frames: %v", MostReordered+1, err)
	}
}
