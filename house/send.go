package house

import (
	"fmt"
	"log/slog"
	"slices"
	"strings"

	"reelhouse/core/edit"
	"reelhouse/core/plan"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/store"
)

// A Sending is how a production's draft is sent.
type Sending struct {
	By store.Author // who sends it
	store.Sending
	Trial plan.Trial
	// Again renders frames once more that are in place or on their way already. Otherwise they are left out.
	Again bool
	// Confirmed says that a person has confirmed that what is quick in the batch is meant so.
	Confirmed bool
}

// MostNote is the longest note of a batch, in bytes.
const MostNote = 2000

// usualName is what a batch is called without a name of its own.
func usualName(b plan.Batch) string {
	name := fmt.Sprintf("%s v%03d %s", b.Production, b.Version, b.Quality.Name)
	if b.Trial != plan.Whole {
		name += ", " + b.Trial.Name()
	}
	return name
}

// SendDraft sends what the production's current set-up makes, and returns the batch's number. What was waived is so
// for this batch only.
func (h *House) SendDraft(p production.Production, how Sending) (int64, error) {
	d, err := h.draft(p, how.Trial, true)
	if err != nil {
		return 0, err
	}
	b := d.Batch
	if how.Again {
		d = d.Again()
	} else if len(d.Diffs) > 0 {
		b = b.Without(d.Diffs)
	}
	if err := d.Refusal(how.Confirmed); err != nil {
		return 0, err
	}
	if how.Name = strings.TrimSpace(how.Name); how.Name == "" {
		how.Name = usualName(b)
	}
	if len(how.Name) > 200 || len(how.Note) > MostNote {
		return 0, fmt.Errorf("the name or the note of the batch is too long; 200 and %d letters are possible", MostNote)
	}
	how.Seen = &d.Seen
	by, err := h.renderersOf(b)
	if err != nil {
		return 0, err
	}
	how.Renderer, how.Others = by.usual, by.by
	id, err := h.Record.Send(b, how.Sending)
	if err != nil || len(p.Waivers) == 0 || how.Trial != plan.Whole {
		return id, err
	}
	// The batch is sent, whatever becomes of this.
	_, _, err = h.Do(p.Code, Editing{By: how.By}, edit.ClearWaivers{Batch: id})
	if err != nil {
		slog.Warn("findings that were waived for a batch stay so", "production", p.Code, "batch", id, "error", err)
	}
	return id, nil
}

// Again returns the draft as it is when all is rendered once more: that nothing is new is no reason then.
func (d Draft) Again() Draft {
	d.Findings = slices.DeleteFunc(
		slices.Clone(d.Findings),
		func(f preflight.Finding) bool { return f.Rule == preflight.NothingNew },
	)
	return d
}

// try returns a batch as a trial, in the first folder in which no trial was made.
func (h *House) try(b plan.Batch, t plan.Trial) (plan.Batch, error) {
	for number := 1; ; number++ {
		tried := b.Try(t, number)
		sent, err := h.anySent(tried)
		if err != nil || !sent {
			return tried, err
		}
	}
}
