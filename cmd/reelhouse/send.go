package main

import (
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"reelhouse/core/plan"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/core/work"
	"reelhouse/house"
)

// exitCode ends the program when everything has been said already.
type exitCode int

func (e exitCode) Error() string { return "said already" }

// The exit codes of all commands; docs/command-line.md tells them.
const (
	exitFailed   exitCode = 1 // it could not be done
	exitUsage    exitCode = 2 // it was called wrongly
	exitFound    exitCode = 3 // it was done, and something was found
	exitRefused  exitCode = 4 // it was refused
	exitTimedOut exitCode = 5 // it took longer than it was given
)

func checkCommand() *cobra.Command {
	var data, code string
	var asJSON bool
	var narrow narrowing
	cmd := &cobra.Command{
		Use: "check", Short: "Judge what would be sent now", Args: cobra.NoArgs,
		Long: "Applies every rule to the batch that the current set-up makes. Exits with 0 if nothing was found, 3 " +
			"if it can be sent and should be looked at, 4 if it is refused, and 1 if it could not be judged.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			return reading(
				data,
				code,
				func(h *house.House, p production.Production) error {
					p, err := narrow.of(p)
					if err != nil {
						return err
					}
					return check(cmd.OutOrStdout(), h, p, asJSON)
				},
			)
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().StringVar(&code, "production", "", "code of the production; needed when there are several")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	narrow.flags(cmd.Flags())
	return cmd
}

func check(out io.Writer, h *house.House, p production.Production, asJSON bool) error {
	d, err := h.Draft(p)
	if err != nil {
		return err
	}
	state := preflight.StateOf(d.Findings, false)
	if len(d.Problems) > 0 {
		state = preflight.Refused
	}
	if asJSON {
		e := json.NewEncoder(out)
		e.SetIndent("", "  ")
		err = e.Encode(struct {
			State    preflight.State      `json:"state"`
			Problems []production.Problem `json:"problems"`
			Findings []preflight.Finding  `json:"findings"`
		}{state, append([]production.Problem{}, d.Problems...), append([]preflight.Finding{}, d.Findings...)})
		if err != nil {
			return err
		}
	} else {
		for _, problem := range d.Problems {
			fmt.Fprintf(out, "to fix: %s: %s\n", problem.Where, problem.Message)
		}
		for _, f := range d.Findings {
			aside := ""
			if f.Waived != "" {
				aside = " (waived: " + f.Waived + ")"
			}
			fmt.Fprintf(out, "%s: %s: %s [%s]%s\n", f.Severity, f.Where, f.Message, f.Rule, aside)
		}
		fmt.Fprintln(out, state)
	}
	switch state {
	case preflight.Refused:
		return exitRefused
	case preflight.Warned:
		return exitFound
	}
	return nil
}

func sendCommand() *cobra.Command {
	var data, code, order, at, trial, needs string
	var asJSON bool
	var how house.Sending
	var narrow narrowing
	var followUps []string
	cmd := &cobra.Command{
		Use: "send", Short: "Send what the current set-up makes to the queue", Args: cobra.NoArgs,
		Long: "Sends the batch, and prints its number and how many frames it has. Frames that are in place or on " +
			"their way with the same set-up are left out. Exits with 4 if the batch is refused. A server that runs " +
			"takes it up by itself.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if how.Order = plan.Order(order); !slices.Contains(plan.Orders(), how.Order) {
				return usagef("there is no order %q of frames; there are ends and coarse", order)
			}
			if how.Trial = plan.Trial(trial); how.Trial != plan.Whole && !slices.Contains(plan.Trials(), how.Trial) {
				return usagef("there is no trial %q; there are first, tenth and ends", trial)
			}
			var err error
			if how.Needs, err = work.ParseOverride(needs); err != nil {
				return &usageError{err}
			}
			if at != "" {
				if how.Start, err = startTime(at, time.Now()); err != nil {
					return &usageError{err}
				}
			}
			return reading(data, code, func(h *house.House, p production.Production) error {
				p, err := narrow.of(p)
				if err != nil {
					return err
				}
				how.FollowUps, err = h.WantedFollowUps(p, followUps, func(text string) (time.Time, error) {
					return startTime(text, time.Now())
				})
				if err != nil {
					return &usageError{err}
				}
				return send(cmd.OutOrStdout(), cmd.ErrOrStderr(), h, p, how, asJSON)
			})
		},
	}
	dataFlag(cmd, &data)
	f := cmd.Flags()
	f.StringVar(&code, "production", "", "code of the production; needed when there are several")
	f.StringVar(&how.Name, "name", "", "what the batch is called")
	f.StringVar(&how.Note, "note", "", "a note that stays with the batch")
	f.IntVar(&how.Priority, "priority", 0, "higher ones come first")
	f.StringVar(
		&order, "order", "",
		"ends: first, middle and last frames first; coarse: a few of every sequence first; otherwise in order",
	)
	f.StringVar(&at, "at", "", "begin at a time: 19:00, or 2026-11-25T19:00:00+01:00")
	f.Int64Var(&how.AfterBatch, "after", 0, "begin when nothing of the batch of this number is left")
	f.BoolVar(&how.Held, "held", false, "begin when it is released")
	f.StringVar(&needs, "needs", "", "what its tasks need, as `reelhouse needs` says, such as \"cores=2 tries=5\"")
	f.StringArrayVar(
		&followUps,
		"follow-up",
		nil,
		"what is made from each sequence when it is good, such as checksums, "+
			"or \"values after=12 at=22:00 held\"; may be given several times",
	)
	f.BoolVar(&how.Gate, "gate", false,
		"render the first, middle and last frame of each sequence first, and the others when these are good")
	f.BoolVar(&asJSON, "json", false, "print JSON")
	f.StringVar(&trial, "trial", "", "send a few frames in files of their own: first, tenth or ends")
	f.BoolVar(&how.Again, "again", false, "render frames once more that are there already with the same set-up")
	f.StringArrayVar(
		&narrow.waive, "waive", nil, "RULE=REASON: send though a rule refuses or warns; may be given several times",
	)
	narrow.flags(f)
	f.BoolVar(&how.Confirmed, "quick-too", false, "send a final batch with something quick left on")
	return cmd
}

// send sends a production's draft, or says why it is refused.
func send(
	out, complaints io.Writer, h *house.House, p production.Production, how house.Sending, asJSON bool,
) error {
	how.Confirmed = how.Confirmed || how.Trial != plan.Whole // a trial is quick by itself
	d, err := h.Draft(p)
	if err != nil {
		return err
	}
	if how.Again {
		d = d.Again()
	}
	if reason := d.Refusal(how.Confirmed); reason != nil && how.Trial == plan.Whole {
		fmt.Fprintln(complaints, "refused:", reason)
		return exitRefused
	}
	id, err := h.SendDraft(p, how)
	if err != nil {
		return err
	}
	b, err := h.Record.BatchAlone(id)
	if err != nil {
		return err
	}
	if asJSON {
		return printJSON(out, sentBatch{id, b.Name, b.Frames(), b.Parts, b.FollowUps})
	}
	following := ""
	if b.FollowUps > 0 {
		following = fmt.Sprintf(", and %s", counted(b.FollowUps, "follow-up"))
	}
	_, err = fmt.Fprintf(
		out, "batch %d, %s: %d frames in %d sequences%s\n", id, b.Name, b.Frames(), b.Parts, following,
	)
	return err
}

// sentBatch is what is said of a batch that was sent.
type sentBatch struct {
	Batch     int64  `json:"batch"`
	Name      string `json:"name"`
	Frames    int    `json:"frames"`
	Sequences int    `json:"sequences"`
	FollowUps int    `json:"followUps"`
}

// startTime reads a time of the day, the next one of that kind, or a whole date.
func startTime(text string, now time.Time) (time.Time, error) {
	if t, err := time.Parse(time.RFC3339, text); err == nil {
		return t, nil
	}
	clock, err := time.Parse("15:04", strings.TrimSpace(text))
	if err != nil {
		return time.Time{}, fmt.Errorf("%q is no time; write 19:00, or 2026-11-25T19:00:00+01:00", text)
	}
	t := time.Date(now.Year(), now.Month(), now.Day(), clock.Hour(), clock.Minute(), 0, 0, now.Location())
	if t.Before(now) {
		t = t.AddDate(0, 0, 1)
	}
	return t, nil
}
