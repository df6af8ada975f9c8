package main

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"reelhouse/farm"
	"reelhouse/house"
)

// A nightly is when all finished files are verified, each day, and what that may take of the disks.
type nightly struct {
	At                 string  `json:"at"` // such as 02:30, by the machine's clock
	MegabytesPerSecond float64 `json:"megabytesPerSecond"`
}

// usualPace is how much a nightly verification reads, in megabytes a second, if nothing else is said.
const usualPace = 50

func (n nightly) check() error {
	if _, err := time.Parse("15:04", n.At); err != nil {
		return fmt.Errorf("verify: %q is no time of the day, such as 02:30", n.At)
	}
	if n.MegabytesPerSecond < 0 {
		return fmt.Errorf("verify: megabytesPerSecond lies above 0; left out, it is %d", usualPace)
	}
	return nil
}

// next returns when it begins next after a moment.
func (n nightly) next(after time.Time) time.Time {
	at, _ := time.Parse("15:04", n.At) // which was checked
	next := time.Date(after.Year(), after.Month(), after.Day(), at.Hour(), at.Minute(), 0, 0, after.Location())
	if !next.After(after) {
		next = next.AddDate(0, 0, 1)
	}
	return next
}

// run verifies all finished files every day, until ctx ends. What is lost is so on every page from then on.
func (n nightly) run(ctx context.Context, h *house.House, hub *farm.Hub, log *slog.Logger) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Until(n.next(time.Now()))):
		}
		n.verify(ctx, h, hub, log)
	}
}

func (n nightly) verify(ctx context.Context, h *house.House, hub *farm.Hub, log *slog.Logger) {
	pace := n.MegabytesPerSecond
	if pace == 0 {
		pace = usualPace
	}
	v, err := h.Verify(ctx, house.Verification{Deep: true, BytesPerSecond: int64(pace * 1e6)}, nil)
	hub.Changed()
	switch {
	case ctx.Err() != nil:
		return
	case err != nil:
		log.Error("files could not be verified", "error", err)
		return
	}
	log.Info("files verified", "frames", v.Frames, "files", v.Files, "lost", len(v.Lost), "found", v.Found,
		"unread", len(v.Unread), "foreign", len(v.Foreign), "unfinished", len(v.Unfinished))
	for _, l := range v.Lost {
		log.Warn("file lost", "path", l.Path, "fault", l.Fault)
	}
}
