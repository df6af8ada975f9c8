package store

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/review"
)

func TestVerdictsAreKept(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{}, "1-9")
	id, code := b.Sequences[0].ID, b.Plan.Production
	for n := 1; n <= 5; n++ {
		takes(t, s, fmt.Sprintf("1/0/quay/hd/%d", n), "ab")
	}
	give := func(kind review.Kind, frames, note string) (int64, error) {
		return s.Decide(
			code,
			review.Verdict{Sequence: id, Kind: kind, Frames: frame.MustParse(frames), Note: note},
			ann,
		)
	}
	approval, err := give(review.Approved, "1-2", "")
	must(t, err)
	retake, err := give(review.Retake, "3-4", " too dark ")
	must(t, err)
	for says, try := range map[string]func() (int64, error){
		"are approved by Ann": func() (int64, error) { return give(review.Retake, "2-3", "") },
		"frames 6 are not":    func() (int64, error) { return give(review.Retake, "5-6", "") },
		"has no frames 10":    func() (int64, error) { return give(review.Approved, "10", "") },
		"what the question":   func() (int64, error) { return give(review.Question, "5", "") },
	} {
		says = strings.Replace(says, "are approved", "is approved", 1)
		if _, err := try(); !errors.Is(err, ErrNothing) || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	if _, err := s.Decide("OTHER", review.Verdict{Sequence: id, Kind: review.Approved, Frames: frame.Of(5, 5)},
		ann); !errors.Is(err, ErrNotFound) {
		t.Errorf("of another production: %v", err)
	}
	if _, err := s.Decide(code, review.Verdict{Sequence: 99, Kind: review.Approved, Frames: frame.Of(5, 5)},
		ann); !errors.Is(err, ErrNotFound) {
		t.Errorf("of no sequence: %v", err)
	}
	all, err := s.Verdicts(id)
	if err != nil || len(all) != 2 || all[1].ID != retake || all[1].Note != "too dark" || all[1].By != "Ann" ||
		all[1].Given.IsZero() {
		t.Errorf("%+v, %v", all, err)
	}
	if by, approved, err := s.Approver(id, 2); err != nil || !approved || by != "Ann" {
		t.Errorf("%s, %v, %v", by, approved, err)
	}
	if _, approved, err := s.Approver(id, 3); err != nil || approved {
		t.Error("a frame that is not approved is")
	}
	if open, err := s.VerdictsOf(strings.ToLower(code), true); err != nil || len(open[id]) != 2 {
		t.Errorf("%+v, %v", open, err)
	}
	marks, err := s.Marks()
	must(t, err)
	if v, err := s.TakeBack(code, approval, bo); err != nil || v.TakenBy != "Bo" {
		t.Errorf("%+v, %v", v, err)
	}
	if now, err := s.Marks(); err != nil || now == marks {
		t.Error("nobody would hear of it")
	}
	if _, err := s.TakeBack(code, approval, bo); !errors.Is(err, ErrNothing) {
		t.Errorf("twice: %v", err)
	}
	if _, err := s.TakeBack("OTHER", retake, bo); !errors.Is(err, ErrNotFound) {
		t.Errorf("of another production: %v", err)
	}
	if _, err := give(review.Retake, "2-3", ""); err != nil {
		t.Errorf("after the approval was taken back: %v", err)
	}
}

func TestARetakeIsAnsweredOnce(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{}, "1-2")
	takes(t, s, "1/0/quay/hd/1", "ab")
	id, err := s.Decide(b.Plan.Production, review.Verdict{Sequence: b.Sequences[0].ID, Kind: review.Retake,
		Frames: frame.Of(1, 1)}, ann)
	must(t, err)
	next := b.Plan
	next.Sequences = nil
	if _, err := s.Send(next, Sending{Answers: []int64{id}}); err != nil {
		t.Fatal(err)
	}
	before, err := s.LastBatch()
	must(t, err)
	if _, err := s.Send(next, Sending{Answers: []int64{id}}); !errors.Is(err, ErrNothing) {
		t.Errorf("twice: %v", err)
	}
	if after, err := s.LastBatch(); err != nil || after != before {
		t.Error("a batch was sent that answers nothing")
	}
}
