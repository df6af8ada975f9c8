// Package review keeps what people decide when they look at frames: verdicts on frames of a sequence, with a note and a
// mark that is drawn on one of them.
//
// Of the verdicts on a frame the last one counts that was not taken back. What is approved is protected: such a frame
// takes no other verdict until its approval is taken back. A retake is answered by the batch that makes it again.
package review

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"reelhouse/core/frame"
)

// A Kind is what is said of frames.
type Kind string

// The kinds of verdicts.
const (
	Approved Kind = "approved" // good as it is
	Retake   Kind = "retake"   // to be made again
	Question Kind = "question" // somebody has to look at it, or to say something
)

// Kinds returns all kinds, in the order in which they are shown.
func Kinds() []Kind { return []Kind{Approved, Retake, Question} }

// ParseKind reads a kind.
func ParseKind(text string) (Kind, error) {
	k := Kind(strings.ToLower(strings.TrimSpace(text)))
	if !slices.Contains(Kinds(), k) {
		return "", fmt.Errorf("%q is no verdict; there are approved, retake and question", text)
	}
	return k, nil
}

// Bounds of a verdict.
const (
	MostNote    = 2000 // bytes of a note
	MostStrokes = 100
	MostPoints  = 4000 // of all strokes
)

// A Verdict is what somebody has decided of frames of a sequence.
type Verdict struct {
	ID       int64     `json:"id"`
	Sequence int64     `json:"sequence"`
	Frames   frame.Set `json:"frames"`
	Kind     Kind      `json:"verdict"`
	Note     string    `json:"note,omitempty"`
	Marks    Marks     `json:"marks,omitempty"`   // drawn on the frame Marked
	Marked   int       `json:"marked,omitempty"`  // 0 without marks
	By       string    `json:"by,omitempty"`      // "" for somebody without a name
	Given    time.Time `json:"given"`             // when
	TakenBy  string    `json:"takenBy,omitempty"` // who has taken it back
	Taken    time.Time `json:"taken,omitzero"`    // when; the zero time if it stands
	Answered int64     `json:"answered,omitempty"`
}

// Stands reports whether it was not taken back.
func (v Verdict) Stands() bool { return v.Taken.IsZero() }

// Open reports whether something is to be done about it: a retake that is not made yet, or a question.
func (v Verdict) Open() bool { return v.Stands() && v.Kind != Approved && v.Answered == 0 }

// Check says what is wrong with a verdict that is to be given on a picture of a size, or nil.
func (v Verdict) Check(width, height int) error {
	switch {
	case !slices.Contains(Kinds(), v.Kind):
		return fmt.Errorf("%q is no verdict; there are approved, retake and question", v.Kind)
	case v.Frames.Empty():
		return fmt.Errorf("name the frames that the verdict is on")
	case len(v.Note) > MostNote:
		return fmt.Errorf("the note is too long; %d letters are possible", MostNote)
	case v.Kind == Question && strings.TrimSpace(v.Note) == "" && len(v.Marks) == 0:
		return fmt.Errorf("say in the note what the question is")
	case len(v.Marks) > 0 && !v.Frames.Contains(v.Marked):
		return fmt.Errorf("the mark is on frame %d, which is none of those that the verdict is on", v.Marked)
	}
	return v.Marks.Check(width, height)
}

// Standing returns what counts of verdicts, which come in the order in which they were given: each with the frames of
// which no later one was given. Those of which nothing is left, or that were taken back, are left out.
func Standing(all []Verdict) []Verdict {
	var counts []Verdict
	var later frame.Set
	for i := len(all) - 1; i >= 0; i-- {
		v := all[i]
		if !v.Stands() {
			continue
		}
		left := v.Frames.Minus(later)
		if whole, err := frame.Union(later, v.Frames); err == nil {
			later = whole
		}
		if v.Frames = left; !left.Empty() {
			counts = append(counts, v)
		}
	}
	slices.Reverse(counts)
	return counts
}

// On returns the frames of which the standing verdict is of a kind; all come in the order in which they were given.
func On(all []Verdict, kind Kind) frame.Set {
	var on frame.Set
	for _, v := range Standing(all) {
		if v.Kind == kind {
			on, _ = frame.Union(on, v.Frames)
		}
	}
	return on
}

// Protected says why a verdict cannot be given beside those that were: frames that are approved take no other one. It
// is nil if it can.
func (v Verdict) Protected(all []Verdict) error {
	if v.Kind == Approved {
		return nil
	}
	for _, was := range Standing(all) {
		if frames := was.Frames.Common(v.Frames); was.Kind == Approved && !frames.Empty() {
			return fmt.Errorf("%s approved by %s; take that back first, or leave them out", nameFrames(frames),
				Name(was.By))
		}
	}
	return nil
}

func nameFrames(s frame.Set) string {
	if s.Count() == 1 {
		return fmt.Sprintf("frame %s is", s)
	}
	return fmt.Sprintf("frames %s are", s)
}

// Name returns what somebody is called.
func Name(by string) string {
	if by == "" {
		return "somebody"
	}
	return by
}
