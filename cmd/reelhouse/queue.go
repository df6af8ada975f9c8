package main

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/store"
)

// queueCommands are the commands that look at the queue, and act on it. All of them work beside a server, which hears
// of what they change within two seconds.
func queueCommands() []*cobra.Command {
	all := []*cobra.Command{
		queueCommand(), waitCommand(), failuresCommand(), logCommand(), priorityCommand(), orderCommand(),
		needsCommand(),
		rerenderCommand(), followCommand(), verdictCommand(), verdictsCommand(), retakesCommand(),
		pauseCommand("pause", "Let no node take a task; what is under way goes on", (*store.Store).Pause),
		pauseCommand("resume", "Let nodes take tasks again", (*store.Store).Resume),
	}
	for _, a := range []struct {
		event queue.Event
		short string
	}{
		{queue.Hold, "Hold what is left of batches, sequences or frames"},
		{queue.Release, "Release what is held; where nothing is, open the gates that sequences wait at"},
		{queue.Retry, "Try again what has failed, is lost, or was dropped"},
		{queue.Drop, "Drop what is left; finished frames stay"},
	} {
		all = append(all, actCommand(a.event, a.short))
	}
	return all
}

// beside does work with the house of a folder, beside a server that may run.
func beside(data string, do func(h *house.House) error) error {
	h, err := house.Open(data, true)
	if err != nil {
		return err
	}
	defer h.Close()
	return do(h)
}

// queuedLine is what is said of a batch or a sequence.
type queuedLine struct {
	Address    string              `json:"address"`
	Production string              `json:"production"`
	Name       string              `json:"name,omitempty"`
	Priority   int                 `json:"priority"`
	Frames     string              `json:"frames,omitempty"`
	Counts     map[queue.State]int `json:"counts"`
	Total      int                 `json:"total"`
	Seconds    float64             `json:"seconds"`
	Bytes      int64               `json:"bytes"`
	Needs      string              `json:"needs,omitempty"`
	AtGate     bool                `json:"atGate,omitempty"` // it waits for its first, middle and last frame
	Trouble    string              `json:"trouble,omitempty"`
}

func lineOf(b store.Batch) queuedLine {
	return queuedLine{
		Address: strconv.FormatInt(b.ID, 10), Production: b.Plan.Production, Name: b.Name, Priority: b.Priority,
		Counts: b.Sums, Total: b.Sums.Total(), Seconds: b.Seconds, Bytes: b.Bytes, Trouble: b.Trouble,
	}
}

func queueCommand() *cobra.Command {
	var data string
	var asJSON, finished bool
	cmd := &cobra.Command{
		Use: "queue [BATCH[/SHOT/VIEW/SIZE]]", Short: "Say what is in the queue, or how far a batch is",
		Args: cobra.MaximumNArgs(1),
		Long: "Lists the batches of all productions that are not finished, in the order in which they are rendered, " +
			"or the sequences of one batch.",
		RunE: func(cmd *cobra.Command, args []string) error {
			return beside(data, func(h *house.House) error {
				lines, err := queued(h, args, finished)
				if err != nil {
					return err
				}
				if asJSON {
					return printJSON(cmd.OutOrStdout(), append([]queuedLine{}, lines...))
				}
				if since, err := h.Record.Paused(); err == nil && !since.IsZero() {
					fmt.Fprintf(cmd.OutOrStdout(), "paused since %s; `reelhouse resume` lets it go on\n",
						since.Local().Format(time.DateTime))
				}
				return printQueue(cmd.OutOrStdout(), lines)
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	cmd.Flags().BoolVar(&finished, "finished", false, "list finished batches, too")
	return cmd
}

// queued returns the lines of all batches, or of the sequences of one.
func queued(h *house.House, args []string, finished bool) ([]queuedLine, error) {
	var lines []queuedLine
	if len(args) == 0 {
		batches, err := h.Record.Queued(finished)
		for _, b := range batches {
			lines = append(lines, lineOf(b))
		}
		return lines, err
	}
	a, err := queue.ParseAddress(args[0])
	if err != nil {
		return nil, &usageError{err}
	}
	b, err := h.Record.Batch(a.Batch)
	if err != nil {
		return nil, err
	}
	following, err := h.Record.FollowUpsOf(a.Batch)
	if err != nil {
		return nil, err
	}
	for _, q := range slices.Concat(b.Sequences, following) {
		if a.Shot != "" && q.Address() != a.Sequence() {
			continue
		}
		class, err := h.Record.ClassOf(q.ID)
		if err != nil {
			return nil, err
		}
		lines = append(lines, queuedLine{
			Address: q.Address().String(), Production: b.Plan.Production, Priority: b.Priority,
			Frames: q.Spec.Frames.String(), Counts: q.Counts, Total: q.Counts.Total(), Seconds: q.Seconds,
			Bytes: q.Bytes, Needs: string(class.Override), AtGate: q.AtGate,
		})
	}
	if len(lines) == 0 {
		return nil, fmt.Errorf("sequence %s: %w", a.Sequence(), store.ErrNotFound)
	}
	return lines, nil
}

func printQueue(out io.Writer, lines []queuedLine) error {
	if len(lines) == 0 {
		fmt.Fprintln(out, "nothing is in the queue")
		return nil
	}
	table := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	fmt.Fprintln(table, "address\tproduction\tpriority\tgood\tframes\tothers\tname")
	for _, l := range lines {
		var others []string
		for _, state := range queue.States() {
			if n := l.Counts[state]; n > 0 && state != queue.Good {
				others = append(others, fmt.Sprintf("%d %s", n, state))
			}
		}
		if l.AtGate {
			others = append(others, "at the gate")
		}
		fmt.Fprintf(table, "%s\t%s\t%d\t%d\t%d\t%s\t%s\n", l.Address, l.Production, l.Priority, l.Counts[queue.Good],
			l.Total, cmp.Or(strings.Join(others, ", "), "-"), cmp.Or(l.Name, l.Frames))
	}
	return table.Flush()
}
