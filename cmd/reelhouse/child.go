package main

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"reelhouse/core/framefile"
	"reelhouse/core/job"
)

// childCommand returns a command that does what a file says, as a child process of a node does: it prints messages of the renderer contract.
func childCommand(use, short string, work func(ctx context.Context, path string, say func(job.Message)) error) *cobra.Command {
	var withParent bool
	cmd := &cobra.Command{
		Use: use, Short: short, Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			debug.SetGCPercent(400) // a short life with one large scene: memory is cheaper than collecting
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			finished := context.AfterFunc(ctx, func() { // what cannot be interrupted, such as preparing a large scene, is not waited for
				time.Sleep(stopWithin)
				os.Exit(1)
			})
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
				return errSaid
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&withParent, "with-parent", false, "end when standard input ends")
	return cmd
}

// stopWithin is how long a child that is asked to stop may take to clean up.
const stopWithin = 150 * time.Millisecond

// writeSynced writes a file and brings it safely to the disk; a file that could not be finished is removed.
func writeSynced(path string, data []byte) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	if err == nil {
		err = f.Sync()
	}
	if err = errors.Join(err, f.Close()); err != nil {
		os.Remove(path)
	}
	return err
}

// A syncedFile is one that is written bit by bit, and removed if it could not be finished.
type syncedFile struct{ *os.File }

func createSynced(path string) (framefile.File, error) {
	f, err := os.Create(path)
	if err != nil {
		return nil, err
	}
	return syncedFile{f}, nil
}

func (f syncedFile) Commit() (int64, error) {
	info, err := f.Stat()
	if err == nil {
		err = f.Sync()
	}
	if err = errors.Join(err, f.Close()); err != nil {
		os.Remove(f.Name())
		return 0, err
	}
	return info.Size(), nil
}

func (f syncedFile) Abandon() {
	f.Close()
	os.Remove(f.Name())
}
