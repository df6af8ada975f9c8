package main

import (
	"encoding/json"
	"fmt"
	"io"
	"text/tabwriter"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/store"
	"reelhouse/web/kit"
)

func planCommand() *cobra.Command {
	var data, code string
	var asJSON bool
	var narrow narrowing
	cmd := &cobra.Command{
		Use: "plan", Short: "Print every file sequence of the current set-up", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return reading(data, code, func(h *house.House, p production.Production) error {
				p, err := narrow.of(p)
				if err != nil {
					return err
				}
				return printPlan(cmd.OutOrStdout(), cmd.ErrOrStderr(), h, p, asJSON)
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().StringVar(&code, "production", "", "code of the production; needed when there are several")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	narrow.flags(cmd.Flags())
	return cmd
}

// only returns the code that was asked for or, without one, that of the only production.
func only(h *house.House, code string) (string, error) {
	if code != "" {
		return code, nil
	}
	codes, err := h.Record.Codes()
	switch {
	case err != nil:
		return "", err
	case len(codes) == 0:
		return "", fmt.Errorf("there is no production yet")
	case len(codes) > 1:
		return "", fmt.Errorf("there are several productions; name one with --production: %v", codes)
	}
	return codes[0], nil
}

// chosen returns the production that was asked for or, without a code, the only one.
func chosen(h *house.House, code string) (store.Revision, error) {
	code, err := only(h, code)
	if err != nil {
		return store.Revision{}, err
	}
	return h.Record.Production(code)
}

// reading opens a house beside a server that may run, and does work with the production that was asked for.
func reading(data, code string, work func(h *house.House, p production.Production) error) error {
	h, err := house.Open(data, true)
	if err != nil {
		return err
	}
	defer h.Close()
	p, err := chosen(h, code)
	if err != nil {
		return err
	}
	return work(h, p.Production)
}

func printPlan(out, complaints io.Writer, h *house.House, p production.Production, asJSON bool) error {
	d, err := h.Draft(p)
	if err != nil {
		return err
	}
	for _, problem := range d.Problems {
		fmt.Fprintf(complaints, "%s: %s\n", problem.Where, problem.Message)
	}
	if len(d.Problems) > 0 {
		if asJSON {
			fmt.Fprintln(out, "[]")
		}
		return exitFound
	}
	for _, f := range d.Findings {
		fmt.Fprintf(complaints, "%s: %s: %s\n", f.Severity, f.Where, f.Message)
	}
	if asJSON {
		e := json.NewEncoder(out)
		e.SetIndent("", "  ")
		rows := d.Batch.Rows()
		if rows == nil {
			rows = []plan.Row{}
		}
		return e.Encode(rows)
	}
	table := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	fmt.Fprintln(table, "SHOT\tVIEW\tSIZE\tOUTPUT\tPIXELS\tPASS\tFRAMES\tCOUNT\tTILES\tFIRST FILE\tLAST FILE")
	for _, r := range d.Batch.Rows() {
		tiles := "-"
		if r.Tiles > 0 {
			tiles = fmt.Sprint(r.Tiles)
		}
		fmt.Fprintf(
			table, "%s\t%s\t%s\t%s\t%dx%d\t%s\t%s\t%d\t%s\t%s\t%s\n", r.Shot, r.View, r.Size, r.Output, r.Width,
			r.Height, r.Pass, r.Frames, r.Count, tiles, r.FirstPath, r.LastPath,
		)
	}
	t := d.Batch.Totals()
	fmt.Fprintf(
		table, "\n%d shots, %d sequences, %d frames, %d files, about %s and %s of rendering\n", t.Shots,
		t.Sequences, t.Frames, t.Files, humanize.Bytes(uint64(t.Bytes)),
		kit.Duration(time.Duration(t.Seconds*float64(time.Second))),
	)
	return table.Flush()
}
