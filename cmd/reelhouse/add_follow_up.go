package main

import (
	"time"

	"github.com/spf13/cobra"

	"reelhouse/house"
	"reelhouse/store"
)

// followCommand adds a follow-up to what was sent before.
func followCommand() *cobra.Command {
	var with string
	cmd := onTargets(
		"follow",
		"Let something be made from what was sent before: an inspection, checksums, a matte, a grade, …",
		"What is rendered of the targets gets the follow-up, as `send --follow-up` gives it, where it has none of "+
			"that "+
			"kind. A matte or a grade that has changed since is made once more, under a name with a number.",
		func(h *house.House, scope store.Scope) (int, error) {
			p, err := h.Record.Production(scope.Production)
			if err != nil {
				return 0, err
			}
			wanted, err := h.WantedFollowUps(p.Production, []string{with}, func(text string) (time.Time, error) {
				return startTime(text, time.Now())
			})
			if err != nil {
				return 0, &usageError{err}
			}
			return h.Follow(scope, wanted[0])
		},
	)
	cmd.Flags().
		StringVar(&with, "with", "", "the follow-up: its kind, and what it is to be, such as \"inspection loop=yes\", "+
			"\"grade name=night\"")
	return cmd
}
