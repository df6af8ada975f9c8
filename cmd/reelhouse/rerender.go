package main

import (
	"errors"

	"github.com/spf13/cobra"

	"reelhouse/core/frame"
	"reelhouse/house"
	"reelhouse/store"
)

func rerenderCommand() *cobra.Command {
	return onTargets(
		"rerender",
		"Render good frames once more, to see that the same bytes come out",
		"What is there stays, whatever comes out: the task BATCH/SHOT/VIEW/SIZE/repeat/FRAME is good if all files "+
			"have "+
			"the same bytes, and fails with what differs if not. Of follow-ups it makes those again that are out of "+
			"date, "+
			"or one that is named.",
		rerender,
	)
}

// rerender has the good frames of a target rendered once more, or made again.
func rerender(h *house.House, scope store.Scope) (int, error) {
	if scope.Sequence == 0 {
		b, err := h.Record.Batch(scope.Batch)
		if err != nil {
			return 0, err
		}
		sum := 0
		for _, q := range b.Sequences {
			n, err := h.Record.Repeat(q.ID, q.Spec.Frames)
			if err != nil && !errors.Is(err, store.ErrNothing) {
				return sum, err
			}
			sum += n
		}
		return sum, nil
	}
	q, err := h.Record.Sequence(scope.Sequence)
	if err != nil {
		return 0, err
	}
	if q.Follows > 0 {
		return h.Record.MakeAgain(scope, false)
	}
	frames := q.Spec.Frames
	if scope.Frame != nil {
		frames = frame.Of(*scope.Frame, *scope.Frame)
	}
	return h.Record.Repeat(q.ID, frames)
}
