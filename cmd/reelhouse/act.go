package main

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/house"
	"reelhouse/store"
)

// addressHelp says what targets are.
const addressHelp = "A target is a batch by its number, a sequence as BATCH/SHOT/VIEW/SIZE, or a frame as " +
	"BATCH/SHOT/VIEW/SIZE/FRAME, as `reelhouse queue` prints them; what follows a sequence has its KIND behind SIZE."

// targets returns what addresses name.
func targets(h *house.House, args []string) ([]store.Scope, error) {
	var all []store.Scope
	for _, text := range args {
		a, err := queue.ParseAddress(text)
		if err != nil {
			return nil, &usageError{err}
		}
		if a.Tile > 0 {
			return nil, usagef("%s: tiles are held, released, retried and dropped with their frame", text)
		}
		scope, err := h.Record.Named(a)
		if err != nil {
			return nil, err
		}
		all = append(all, scope)
	}
	return all, nil
}

// actLine says how many frames of a target have changed.
type actLine struct {
	Address string `json:"address"`
	Frames  int    `json:"frames"`
}

func actCommand(event queue.Event, short string) *cobra.Command {
	return onTargets(string(event), short, short+".", func(h *house.House, scope store.Scope) (int, error) {
		return h.Record.Apply(scope, event)
	})
}

// onTargets returns a command that does something with each of its targets, and says with how many tasks.
func onTargets(
	name, short, long string, do func(h *house.House, scope store.Scope) (int, error),
) *cobra.Command {
	var data string
	var asJSON bool
	cmd := &cobra.Command{
		Use: name + " TARGET...", Short: short, Args: cobra.MinimumNArgs(1),
		Long: long + " " + addressHelp + "\n\nExits with 3 if there was nothing to do for any of them.",
		RunE: func(cmd *cobra.Command, args []string) error {
			return beside(data, func(h *house.House) error {
				scopes, err := targets(h, args)
				if err != nil {
					return err
				}
				lines, all := []actLine{}, 0
				for i, scope := range scopes {
					n, err := do(h, scope)
					if err != nil && !errors.Is(err, store.ErrNothing) {
						return err
					}
					all += n
					lines = append(lines, actLine{args[i], n})
				}
				if asJSON {
					err = printJSON(cmd.OutOrStdout(), lines)
				} else {
					for _, l := range lines {
						fmt.Fprintf(cmd.OutOrStdout(), "%s: %s, %s\n", l.Address, name, counted(l.Frames, "frame"))
					}
				}
				if err == nil && all == 0 {
					return exitFound
				}
				return err
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

func priorityCommand() *cobra.Command {
	var data string
	var asJSON bool
	cmd := &cobra.Command{
		Use: "priority BATCH N", Short: "Change the place of a batch in the queue; higher ones come first",
		Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			a, err := queue.ParseAddress(args[0])
			if err != nil || a.Shot != "" {
				return usagef("name a batch by its number")
			}
			n, err := strconv.Atoi(args[1])
			if err != nil || n < -store.MostPriority || n > store.MostPriority {
				return usagef("a priority is a whole number from -%d to %d", store.MostPriority, store.MostPriority)
			}
			return beside(data, func(h *house.House) error {
				if err := h.Record.SetPriority(a.Batch, n); err != nil || !asJSON {
					return err
				}
				return printJSON(cmd.OutOrStdout(), map[string]any{"address": args[0], "priority": n})
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

func orderCommand() *cobra.Command {
	var data string
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "order BATCH in-order|ends|coarse",
		Short: "Change which frames of a batch come first; those under way are finished",
		Args:  cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			a, err := queue.ParseAddress(args[0])
			if err != nil || a.Shot != "" {
				return usagef("name a batch by its number")
			}
			order := plan.Order(args[1])
			if args[1] == "in-order" {
				order = plan.InOrder
			} else if order == plan.InOrder || !slices.Contains(plan.Orders(), order) {
				return usagef("there is no order %q of frames; there are in-order, ends and coarse", args[1])
			}
			return beside(data, func(h *house.House) error {
				b, err := h.Record.BatchAlone(a.Batch)
				if err == nil {
					err = h.Record.Reorder(b.Plan.Production, a.Batch, order)
				}
				if err != nil || !asJSON {
					return err
				}
				return printJSON(cmd.OutOrStdout(), map[string]any{"address": args[0], "order": args[1]})
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

func needsCommand() *cobra.Command {
	var data string
	var asJSON, reset bool
	cmd := &cobra.Command{
		Use: "needs TARGET [SETTING=VALUE...]", Short: "Say or change what tasks of a batch or a sequence need",
		Args: cobra.MinimumNArgs(1),
		Long: "Without settings it says what was changed. Settings are " + work.SettingNames() +
			". What is not named " +
			"stays; --reset takes everything back that was changed before. Tasks that are under way keep what they " +
			"took.",
		RunE: func(cmd *cobra.Command, args []string) error {
			needs, err := work.ParseOverride(strings.Join(args[1:], " "))
			if err != nil {
				return &usageError{err}
			}
			return beside(data, func(h *house.House) error {
				scopes, err := targets(h, args[:1])
				if err != nil {
					return err
				}
				if a, err := queue.ParseAddress(args[0]); err == nil && !a.Framed { // what follows is one task, perhaps
					scopes[0].Frame = nil
				}
				if scopes[0].Frame != nil {
					return usagef("needs are those of a batch, or of a sequence")
				}
				if needs != "" || reset {
					if _, err := h.Record.SetNeeds(scopes[0], needs, !reset); err != nil {
						return err
					}
				}
				lines, err := queued(h, args[:1], true)
				if err != nil {
					return err
				}
				if asJSON {
					return printJSON(cmd.OutOrStdout(), lines)
				}
				for _, l := range lines {
					fmt.Fprintf(cmd.OutOrStdout(), "%s: %s\n", l.Address, cmp.Or(l.Needs, "as usual"))
				}
				return nil
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	cmd.Flags().BoolVar(&reset, "reset", false, "take back what was changed before")
	return cmd
}

func pauseCommand(name, short string, do func(*store.Store) error) *cobra.Command {
	var data string
	var asJSON bool
	cmd := &cobra.Command{
		Use: name, Short: short, Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return beside(data, func(h *house.House) error {
				if err := do(h.Record); err != nil || !asJSON {
					return err
				}
				since, err := h.Record.Paused()
				return errors.Join(err, printJSON(cmd.OutOrStdout(), map[string]bool{"paused": !since.IsZero()}))
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}
