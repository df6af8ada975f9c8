package main

import (
	"context"
	"io"
	"os"
	"slices"

	"github.com/spf13/cobra"

	"reelhouse/core/followup"
	"reelhouse/core/framefile"
	"reelhouse/core/job"
	"reelhouse/core/plan"
	"reelhouse/core/work"
	"reelhouse/farm"
	"reelhouse/house"
)

// followUpCommand makes what this program itself can make from files that are there.
func followUpCommand() *cobra.Command {
	cmd := childCommand(
		"follow-up ORDER.json",
		"Make what follows a sequence (a node does it; see docs/renderer-contract.md)",
		func(ctx context.Context, path string, say func(job.Message)) error {
			f, err := os.Open(path)
			if err != nil {
				return err
			}
			order, err := job.ReadFollowUp(f)
			f.Close()
			if err != nil {
				return err
			}
			if order.Picture != nil {
				return followup.DoPictures(ctx, order, followup.PictureDisk{
					Open: openInput, Create: createSynced, Table: framefile.Tables(openFile),
				}, say)
			}
			return followup.Do(order, followup.Disk{Open: openInput, Create: createOutput}, say)
		},
	)
	cmd.Hidden = true
	return cmd
}

func openInput(path string) (followup.File, int64, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, 0, err
	}
	info, err := f.Stat()
	if err != nil {
		f.Close()
		return nil, 0, err
	}
	return f, info.Size(), nil
}

func createOutput(path string) (io.WriteCloser, error) { return os.Create(path) }

// following returns the kinds of follow-ups that the configuration declares, and those that ship.
func (c configuration) following() ([]work.Following, error) {
	all := house.ShippedFollowUps()
	for _, k := range c.Kinds {
		shipped := slices.ContainsFunc(all, func(f work.Following) bool { return f.Kind == string(k.Name) })
		if slices.Contains(shippedKinds, k.Name) || shipped {
			continue // of which only the needs are said
		}
		all = append(all, k.following())
	}
	return all, work.CheckFollowUps(all)
}

func (k configuredKind) following() work.Following {
	f := plan.FollowUp{
		Kind: string(k.Name), Follows: k.Follows, ByFrame: k.By == byFrame, Extensions: k.Extensions,
		Parameters: k.Parameters,
	}
	return work.Following{FollowUp: f, Program: k.Renderer().Print(), Note: k.Note}
}

// byFrame and bySequence are what a kind says of how it is done.
const (
	byFrame    = "frame"
	bySequence = "sequence"
)

// Renderer returns the program of a declared kind, as the farm starts it.
func (k configuredKind) Renderer() farm.Renderer {
	return farm.Renderer{Name: string(k.Name), Command: k.Command, Args: k.Args, Version: k.Version}
}

// followUpPrograms returns the programs of all kinds of follow-ups.
func (c configuration) followUpPrograms(self string, supervisor []string) map[string]farm.Renderer {
	all := map[string]farm.Renderer{}
	for _, f := range house.ShippedFollowUps() {
		all[f.Kind] = farm.Renderer{
			Name: f.Program.Name, Version: f.Program.Version, Command: self, Args: []string{"follow-up",
				"--with-parent"},
			Supervisor: supervisor,
		}
	}
	for _, k := range c.Kinds {
		if k.Command != "" {
			r := k.Renderer()
			r.Supervisor = supervisor
			all[r.Name] = r
		}
	}
	return all
}
