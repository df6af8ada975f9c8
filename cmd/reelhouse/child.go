package main

import (
	"context"
	"encoding/json"
	"io"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"reelhouse/core/job"
)

// childCommand returns a command that does what a file says, as a child process of a node does: it prints messages of
// the renderer contract.
func childCommand(
	use, short string,
	work func(ctx context.Context, path string, say func(job.Message)) error,
) *cobra.Command {
	var withParent bool
	cmd := &cobra.Command{
		Use: use, Short: short, Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			debug.SetGCPercent(400) // a short life with one large scene: memory is cheaper than collecting
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			finished := context.AfterFunc(
				ctx,
				func() { // what cannot be interrupted, such as preparing a large scene, is not waited for
					time.Sleep(stopWithin)
					os.Exit(1)
				},
			)
			defer finished()
			if withParent {
				// Standard input ends when the node dies, however it dies.
				go func() {
					io.Copy(io.Discard, os.Stdin)
					os.Exit(1)
				}()
			}
			out := json.NewEncoder(cmd.OutOrStdout())
			err := work(ctx, args[0], func(m job.Message) { out.Encode(m) })
			if err != nil {
				out.Encode(job.Message{Event: job.Failed, Text: err.Error()})
				return exitFailed
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&withParent, "with-parent", false, "end when standard input ends")
	return cmd
}

// stopWithin is how long a child that is asked to stop may take to clean up.
const stopWithin = 150 * time.Millisecond
