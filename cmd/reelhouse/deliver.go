package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"reelhouse/core/delivery"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/store"
)

// A delivering is what deliver was asked for.
type delivering struct {
	to, by             string
	server             serverFlags
	dry, asJSON        bool
	onlyChanges, again bool
	wait               bool
}

func deliverCommand() *cobra.Command {
	var data, code string
	var list bool
	var how delivering
	cmd := &cobra.Command{
		Use: "deliver [NAME]", Short: "Hand on what a recipe names: files, tables of them, and what proves them",
		Args: cobra.MaximumNArgs(1),
		Long: "NAME is the code of a delivery of the production, which `reelhouse edit` makes by delivery.add and " +
			"delivery.set. Its files are copied to a folder, each held against what was judged, with manifest.csv, " +
			"manifest.json, manifest.html and a hash list (ASC MHL 2.0), and with the sheets, movies and pages " +
			"that the recipe names. What was begun and is not complete is " +
			"gone on with, as it was frozen, unless --anew is given; what is there already is not copied again.\n\n" +
			"Exits with 4 if the delivery is refused, and with 3 if --dry-run finds something to look at.",
		RunE: func(cmd *cobra.Command, args []string) error {
			if list != (len(args) == 0) {
				return &usageError{fmt.Errorf("name a delivery, or give --list")}
			}
			return reading(data, code, func(h *house.House, p production.Production) error {
				c, err := how.server.configuration()
				if err != nil {
					return err
				}
				h.Assets.Movies = c.Movies
				if err := h.SetDestinations(c.Destinations); err != nil {
					return fmt.Errorf("configuration %s: %w", how.server.config, err)
				}
				if list {
					return listDeliveries(cmd.OutOrStdout(), h, p, how.asJSON)
				}
				return how.deliver(cmd, h, p, args[0])
			})
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().StringVar(&code, "production", "", "code of the production; needed when there are several")
	cmd.Flags().BoolVar(&list, "list", false, "list the recipes, and what was handed on")
	cmd.Flags().StringVar(&how.to, "to", "", "folder, empty or not there yet, in place of one in the data folder")
	cmd.Flags().StringVar(&how.by, "by", "", "who hands it on")
	cmd.Flags().StringVar(&how.server.config, "config", "", "the server's configuration file, for its destinations "+
		"and programs")
	cmd.Flags().BoolVar(&how.dry, "dry-run", false, "say what would be handed on, and copy nothing")
	cmd.Flags().BoolVar(&how.onlyChanges, "changes", false, "only what is new or other than in the delivery before")
	cmd.Flags().BoolVar(&how.again, "anew", false, "begin another one though the last is not complete")
	cmd.Flags().BoolVar(&how.wait, "wait", false, "if somebody else copies it just now, wait until it is complete")
	cmd.Flags().BoolVar(&how.asJSON, "json", false, "print JSON")
	return cmd
}

func listDeliveries(out io.Writer, h *house.House, p production.Production, asJSON bool) error {
	all, err := h.Record.Deliveries(p.Code)
	if err != nil {
		return err
	}
	if asJSON {
		return printJSON(
			out,
			map[string]any{"recipes": append([]production.Delivery{}, p.Deliveries...), "delivered": all},
		)
	}
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "recipe\tname\tfor\twhat")
	for _, d := range p.Deliveries {
		fmt.Fprintf(w, "%s\t%s\t%s\t%s\n", d.Code, d.Name, d.For, d.Makings())
	}
	fmt.Fprintln(w, "\ndelivery\tfiles\tsize\tstate\tbegun\tfolder")
	for _, d := range all {
		state := "not complete"
		if d.Complete {
			state = "complete"
		}
		fmt.Fprintf(
			w,
			"%s %d\t%d\t%s\t%s\t%s\t%s\n",
			d.Recipe,
			d.Number,
			d.Files,
			humanize.Bytes(uint64(d.Bytes)),
			state,
			d.Begun.Local().Format("2006-01-02 15:04"),
			d.Folder,
		)
	}
	return w.Flush()
}

// deliver hands on what a recipe names, or goes on with it.
func (how delivering) deliver(cmd *cobra.Command, h *house.House, p production.Production, recipe string) error {
	out := cmd.OutOrStdout()
	all, err := h.Record.Deliveries(p.Code)
	if err != nil {
		return err
	}
	last := slices.IndexFunc(all, func(d store.Delivery) bool { return strings.EqualFold(d.Recipe, recipe) })
	if last >= 0 && !all[last].Complete && !how.again && !how.dry {
		begun := all[last]
		if to, err := filepath.Abs(how.to); how.to != "" && (err != nil || to != begun.Folder) {
			return fmt.Errorf("%s %d is not complete, and goes to %s; go on with it there, or give --anew", recipe,
				begun.Number, begun.Folder)
		}
		return how.copy(cmd, h, begun)
	}
	d, err := h.PlanDelivery(p, recipe)
	if err != nil {
		return err
	}
	former, before, known, err := h.FormerDelivery(p.Code, recipe)
	if err != nil {
		return err
	}
	changes := delivery.Compare(before.Contents(), d.Contents())
	if how.onlyChanges {
		if !known {
			return &usageError{fmt.Errorf("nothing was delivered by %s before; leave --changes out", recipe)}
		}
		if d = d.Only(append(changes.Added, changes.Changed...)); len(d.Contents()) == 0 {
			return fmt.Errorf("nothing has changed since %s %d", recipe, former.Number)
		}
	}
	if how.dry && how.asJSON {
		err = printJSON(out, map[string]any{"delivery": d, "changes": changes, "refused": d.Refused()})
	} else if !how.asJSON {
		printDelivery(out, d)
		if known {
			fmt.Fprintf(out, "since %s %d: %d added, %d changed, %d gone, %d the same\n", recipe, former.Number,
				len(changes.Added), len(changes.Changed), len(changes.Gone), changes.Same)
		}
	}
	switch {
	case err != nil:
		return err
	case d.Refused():
		return exitRefused
	case how.dry && len(d.Findings) > 0:
		return exitFound
	case how.dry:
		return nil
	}
	begun, err := h.BeginDelivery(d, how.to, store.Author{Name: how.by})
	if err != nil {
		return err
	}
	return how.copy(cmd, h, begun)
}

// copy does what is left of a delivery.
func (how delivering) copy(cmd *cobra.Command, h *house.House, begun store.Delivery) error {
	err := how.await(cmd.Context(), func(ctx context.Context) error {
		return h.Deliver(ctx, begun, house.DeliveryBy{Tool: "reelhouse", Version: version}, steps(cmd.ErrOrStderr()))
	})
	if err != nil {
		return fmt.Errorf("%s %d is not complete: %w; deliver it again to go on", begun.Recipe, begun.Number, err)
	}
	if begun, err = h.Record.Delivery(begun.ID); err != nil {
		return err
	}
	if how.asJSON {
		return printJSON(cmd.OutOrStdout(), begun)
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%s %d is complete: %s, %s in %s\n", begun.Recipe, begun.Number,
		count(begun.Files, "file"), humanize.Bytes(uint64(begun.Bytes)), begun.Folder)
	return nil
}

// await does something as soon as nobody else does it, if that is to be waited for.
func (how delivering) await(ctx context.Context, do func(ctx context.Context) error) error {
	look := time.NewTicker(time.Second)
	defer look.Stop()
	for {
		if err := do(ctx); !how.wait || !errors.Is(err, house.ErrDelivering) {
			return err
		}
		select {
		case <-ctx.Done():
			return context.Cause(ctx)
		case <-look.C:
		}
	}
}

// steps says what is done: each step when it begins, and how far it is every tenth part of it.
func steps(out io.Writer) func(house.DeliveryProgress) {
	var said house.DeliveryProgress
	return func(p house.DeliveryProgress) {
		if p.Step != said.Step || p.Percent()/10 > said.Percent()/10 {
			fmt.Fprintln(out, p)
			said = p
		}
	}
}

// printDelivery prints what a delivery holds, and what is wrong with it.
func printDelivery(out io.Writer, d delivery.Delivery) {
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	for _, p := range d.Parts {
		fmt.Fprintf(
			w,
			"%s\tv%03d\t%s\t%s\t%s\n",
			p.Title(),
			p.Version,
			p.Frames,
			p.Pixels,
			strings.Join(p.Formats, "; "),
		)
	}
	w.Flush()
	for _, f := range d.Findings {
		kind := "warning"
		if f.Refuses {
			kind = "refused"
		}
		if f.Part != "" {
			kind += ": " + f.Part
		}
		fmt.Fprintf(out, "%s: %s\n", kind, f.Text)
	}
	fmt.Fprintf(out, "%s, %s\n", count(len(d.Files), "file"), humanize.Bytes(uint64(d.Bytes())))
}
