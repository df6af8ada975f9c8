package house

import (
	"fmt"
	"slices"
	"time"

	"reelhouse/core/followup"
	"reelhouse/core/production"
	"reelhouse/core/work"
	"reelhouse/store"
)

// ShippedFollowUps returns the kinds of follow-ups that every house has.
func ShippedFollowUps() []work.Following { return work.ShippedFollowUps(followup.Version) }

// FollowUps returns the kinds of follow-ups that this house has: those that its server last said, or those that ship.
func (h *House) FollowUps() ([]work.Following, error) {
	all, err := h.Record.FollowUps()
	if err == nil && len(all) == 0 {
		all = ShippedFollowUps()
	}
	return all, err
}

// WantedFollowUps reads which follow-ups are wanted of a batch of a production, each as work.ParseWish reads it; clock
// reads a time.
func (h *House) WantedFollowUps(
	p production.Production, wanted []string, clock func(text string) (time.Time, error),
) ([]store.FollowUp, error) {
	known, err := h.FollowUps()
	if err != nil {
		return nil, err
	}
	var wishes []work.Wish
	for _, text := range wanted {
		w, err := work.ParseWish(text, known)
		if err != nil {
			return nil, err
		}
		if w.FollowUp, err = ofPictures(w.FollowUp, p); err != nil {
			return nil, err
		}
		wishes = append(wishes, w)
	}
	if wishes, err = work.InOrder(wishes); err != nil {
		return nil, err
	}
	var all []store.FollowUp
	for _, w := range wishes {
		f := store.FollowUp{FollowUp: w.FollowUp, AfterBatch: w.After, Held: w.Held}
		if w.At != "" {
			if f.Start, err = clock(w.At); err != nil {
				return nil, fmt.Errorf("%s: %w", w.Kind, err)
			}
		}
		all = append(all, f)
	}
	return slices.Clip(all), nil
}
