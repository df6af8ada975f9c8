package main

import (
	"context"
	"errors"
	"time"

	"github.com/spf13/cobra"

	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/store"
)

// lookEvery is how often a batch that is waited for is looked at.
const lookEvery = 500 * time.Millisecond

func waitCommand() *cobra.Command {
	var data string
	var asJSON bool
	var timeout time.Duration
	cmd := &cobra.Command{
		Use: "wait BATCH", Short: "Wait until nothing of a batch is left to render", Args: cobra.ExactArgs(1),
		Long: "Waits until every frame is good, failed, lost, held or dropped, or waits for something that comes of " +
			"none of the others. Exits with 0 if all are good or dropped, 3 if not, and 5 if --timeout has passed " +
			"before.",
		RunE: func(cmd *cobra.Command, args []string) error {
			a, err := queue.ParseAddress(args[0])
			if err != nil || a.Shot != "" {
				return usagef("name a batch by its number")
			}
			ctx := cmd.Context()
			if timeout > 0 {
				var stop context.CancelFunc
				ctx, stop = context.WithTimeout(ctx, timeout)
				defer stop()
			}
			return beside(data, func(h *house.House) error {
				b, err := untilSettled(ctx, h, a.Batch)
				if b.ID == 0 {
					return err
				}
				if asJSON {
					err = errors.Join(err, printJSON(cmd.OutOrStdout(), lineOf(b)))
				} else {
					err = errors.Join(err, printQueue(cmd.OutOrStdout(), []queuedLine{lineOf(b)}))
				}
				switch {
				case errors.Is(err, context.DeadlineExceeded):
					return exitTimedOut
				case err != nil:
					return err
				case b.Sums[queue.Good]+b.Sums[queue.Dropped] < b.Sums.Total():
					return exitFound
				}
				return nil
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	cmd.Flags().DurationVar(&timeout, "timeout", 0, "wait no longer than this; 0 for however long it takes")
	return cmd
}

// untilSettled returns a batch when nothing of it is left, or when ctx ends, as it is then.
func untilSettled(ctx context.Context, h *house.House, id int64) (store.Batch, error) {
	look := time.NewTicker(lookEvery)
	defer look.Stop()
	for {
		b, err := h.Record.BatchAlone(id)
		if err != nil {
			return b, err
		}
		if moves, err := h.Record.Moves(id); err != nil || !moves {
			return b, err
		}
		select {
		case <-ctx.Done():
			return b, ctx.Err()
		case <-look.C:
		}
	}
}
