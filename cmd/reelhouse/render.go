package main

import (
	"context"
	"io"
	"os"
	"runtime"
	"runtime/debug"
	"time"

	"github.com/spf13/cobra"

	"reelhouse/core/framefile"
	"reelhouse/core/job"
	"reelhouse/core/trace"
)

func renderCommand() *cobra.Command {
	return childCommand("render JOB.json", "Render a job of the renderer contract (the stand-in renderer)", performFile)
}

func performFile(ctx context.Context, path string, say func(job.Message)) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	j, err := job.Read(f)
	f.Close()
	if err != nil {
		return err
	}
	return trace.Perform(ctx, j, trace.Outside{
		Open:     openFile,
		Create:   createSynced,
		Prepared: limitMemory,
		Memory:   peakMemory,
		Now:      time.Now,
		Say:      say,
	})
}

func openFile(path string) (io.ReadCloser, error) { return os.Open(path) }

// limitMemory lets the program clear up earlier rather than take more than so many bytes beside what it holds now; 0
// for any.
func limitMemory(bytes int64) {
	if bytes <= 0 {
		return
	}
	var now runtime.MemStats
	runtime.ReadMemStats(&now)
	debug.SetMemoryLimit(int64(now.HeapAlloc) + bytes)
}

func assembleCommand() *cobra.Command {
	return childCommand(
		"assemble ASSEMBLY.json", "Put a frame together from its tiles (a node does it; see docs/renderer-contract.md)",
		assembleFile,
	)
}

func assembleFile(ctx context.Context, path string, say func(job.Message)) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	a, err := job.ReadAssembly(f)
	f.Close()
	if err != nil {
		return err
	}
	limitMemory(a.Memory)
	began, number := time.Now(), a.Frames[0].Number
	say(job.Message{Event: job.Started, Frame: number})
	done := func(share float64) {
		say(job.Message{Event: job.Progress, Frame: number, Progress: share, Memory: peakMemory()})
	}
	err = framefile.Assemble(
		ctx,
		a,
		os.ReadFile,
		done,
		framefile.Outside{
			Create: createSynced,
			Table:  framefile.Tables(openFile),
			Wrote: func(path string, bytes int64) {
				say(
					job.Message{
						Event:   job.Wrote,
						Frame:   number,
						Path:    path,
						Bytes:   bytes,
						Seconds: time.Since(began).Seconds(),
						Memory:  peakMemory(),
					},
				)
			},
		},
	)
	if err == nil {
		say(job.Message{Event: job.Finished})
	}
	return err
}
