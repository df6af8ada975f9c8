package main

import (
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/store"
)

// failureLine is frames that have failed for one kind of reason.
type failureLine struct {
	Reason    string   `json:"reason"`
	State     string   `json:"state"`
	Sequences int      `json:"sequences"`
	Frames    int      `json:"frames"`
	Tasks     []string `json:"tasks"`
}

func failuresCommand() *cobra.Command {
	var data string
	var asJSON bool
	cmd := &cobra.Command{
		Use: "failures BATCH", Short: "Say what has failed in a batch, by reasons", Args: cobra.ExactArgs(1),
		Long: "Exits with 0 if nothing has failed or is lost, 3 if something has.",
		RunE: func(cmd *cobra.Command, args []string) error {
			a, err := queue.ParseAddress(args[0])
			if err != nil {
				return &usageError{err}
			}
			return beside(data, func(h *house.House) error {
				lines, err := failures(h, a.Batch)
				if err != nil {
					return err
				}
				out := cmd.OutOrStdout()
				if asJSON {
					err = printJSON(out, append([]failureLine{}, lines...))
				} else {
					for _, l := range lines {
						fmt.Fprintf(
							out, "%s: %s of %s %s\n  %s\n", l.Reason, counted(l.Frames, "frame"),
							counted(l.Sequences, "sequence"), l.State, strings.Join(l.Tasks, "\n  "),
						)
					}
				}
				if err == nil && len(lines) > 0 {
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

// counted says how many of something there are.
func counted(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}

func failures(h *house.House, batch int64) ([]failureLine, error) {
	if _, err := h.Record.BatchAlone(batch); err != nil {
		return nil, err
	}
	groups, err := h.Record.Failures(batch)
	if err != nil {
		return nil, err
	}
	var lines []failureLine
	for _, g := range groups {
		l := failureLine{Reason: g.Reason, State: "failed", Sequences: g.Sequences, Frames: len(g.Frames)}
		if g.Lost {
			l.State = "lost"
		}
		for _, f := range g.Frames {
			q, err := h.Record.Sequence(f.SequenceID)
			if err != nil {
				return nil, err
			}
			l.Tasks = append(l.Tasks, q.Task(f.Number, 0).String())
		}
		lines = append(lines, l)
	}
	return lines, nil
}

func logCommand() *cobra.Command {
	var data string
	var asJSON bool
	cmd := &cobra.Command{
		Use: "log TASK", Short: "Print what was said during the attempts at a frame", Args: cobra.ExactArgs(1),
		Long: "A task is a frame, or a tile of one: BATCH/SHOT/VIEW/SIZE/FRAME[/TILE], or of a follow-up: " +
			"BATCH/SHOT/VIEW/SIZE/KIND[/FRAME]. Attempts come in their order.",
		RunE: func(cmd *cobra.Command, args []string) error {
			a, err := queue.ParseAddress(args[0])
			if err != nil || !a.Framed && a.FollowUp == "" {
				return usagef("name a task: BATCH/SHOT/VIEW/SIZE/FRAME, or BATCH/SHOT/VIEW/SIZE/KIND")
			}
			return beside(data, func(h *house.House) error {
				scope, err := h.Record.Named(a)
				if err != nil {
					return err
				}
				if scope.Frame == nil {
					return usagef("%s is done frame by frame; name one: %s/FRAME", a, a)
				}
				logs, err := h.Record.Logs(scope.Sequence, *scope.Frame)
				if err != nil {
					return err
				}
				return printLogs(cmd.OutOrStdout(), a, logs, asJSON)
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

// logLine is what was said during one attempt.
type logLine struct {
	Attempt int       `json:"attempt"`
	Tile    int       `json:"tile,omitempty"`
	Node    string    `json:"node"`
	Ended   time.Time `json:"ended"`
	Text    string    `json:"text"`
}

func printLogs(out io.Writer, a queue.Address, logs []store.Log, asJSON bool) error {
	lines := []logLine{}
	for i := len(logs) - 1; i >= 0; i-- {
		if l := logs[i]; a.Tile == 0 || l.Tile == a.Tile {
			lines = append(lines, logLine{l.Attempt, l.Tile, l.Node, l.Logged, l.Text})
		}
	}
	if asJSON {
		return printJSON(out, lines)
	}
	for _, l := range lines {
		fmt.Fprintf(out, "attempt %d on %s, ended %s\n%s\n", l.Attempt, l.Node, l.Ended.Local().Format(time.DateTime),
			l.Text)
	}
	if len(lines) == 0 {
		fmt.Fprintln(out, "nothing was said yet; the log comes when an attempt ends")
	}
	return nil
}
