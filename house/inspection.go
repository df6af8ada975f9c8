package house

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"

	"reelhouse/core/inspect"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/store"
)

// An Inspection is what is known of what is wrong with a sequence.
type Inspection struct {
	Task   store.Sequence // the follow-up that looks for it
	State  queue.State    // of that; "" if there is none
	Reason string         // why it has failed, or why it is out of date
	Path   string         // the file in which it stands
	Found  inspect.Inspection
}

// InspectionOf returns what was found in a sequence.
func (h *House) InspectionOf(sequence int64) (i Inspection, err error) {
	q, has, err := h.Record.FollowUpOf(sequence, work.Inspection)
	if err != nil || !has {
		return i, err
	}
	i.Task = q
	frames, err := h.Record.Frames(q.ID)
	if err != nil || len(frames) == 0 {
		return i, err
	}
	i.State, i.Reason = frames[0].State, frames[0].Reason
	if i.State != queue.Good && i.State != queue.Lost {
		return i, nil
	}
	i.Path = q.Spec.Files[0].Path.Frame(frames[0].Number)
	file, _, err := h.OpenOutput(i.Path)
	if errors.Is(err, fs.ErrNotExist) {
		i.State, i.Reason = queue.Lost, "its file is gone"
		return i, nil
	} else if err != nil {
		return i, err
	}
	defer file.Close()
	// A bit that was turned over would be read as another frame, or another place.
	recorded, err := h.Record.Files(q.ID, frames[0].Number)
	if err != nil {
		return i, err
	}
	sum := sha256.New()
	found, err := inspect.ReadInspection(io.TeeReader(file, sum))
	if err == nil {
		_, err = io.Copy(sum, file)
	}
	switch {
	case err != nil:
		i.State, i.Reason = queue.Lost, fmt.Sprintf("%s: %s", i.Path, err)
	case len(recorded) == 0 || recorded[0].SHA256 != hex.EncodeToString(sum.Sum(nil)):
		i.State, i.Reason = queue.Lost, i.Path+" is not what it was when it was made"
	default:
		i.Found = found
	}
	return i, nil
}

// Inspect lets a sequence, or all of a batch, be inspected that is not; and again where that has failed, was lost, or
// is out of date. It returns of how many sequences.
func (h *House) Inspect(scope store.Scope) (int, error) {
	wanted, err := h.WantedFollowUps(production.Production{}, []string{string(work.Inspection)}, nil)
	if err != nil {
		return 0, err
	}
	n, err := h.Record.AddFollowUp(scope, wanted[0])
	if !errors.Is(err, store.ErrNothing) || scope.Sequence == 0 {
		return n, err
	}
	i, err := h.InspectionOf(scope.Sequence)
	if err != nil {
		return 0, err
	}
	again := store.Scope{Production: scope.Production, Sequence: i.Task.ID}
	switch i.State {
	case queue.Good:
		return h.Record.MakeAgain(again, true)
	case queue.Failed, queue.Lost, queue.Dropped:
		return h.Record.Apply(again, queue.Retry)
	}
	return 0, fmt.Errorf("%w: it is being inspected", store.ErrNothing)
}
