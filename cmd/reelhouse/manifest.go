package main

import (
	"fmt"
	"io"
	"os"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"reelhouse/core/mhl"
	"reelhouse/house"
)

func manifestCommand() *cobra.Command {
	how := mhl.Making{Tool: "reelhouse", Process: "in-place"}
	var format string
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "manifest FOLDER",
		Short: "Add a hash list to a folder, by which anybody can see that it is complete",
		Args:  cobra.ExactArgs(1),
		Long: "Reads every file of a folder and writes its hashes to a list in ascmhl/, as version 2.0 of the ASC " +
			"Media Hash List has it, with a chain that proves the lists themselves. A folder that has lists already " +
			"is held against them: what has changed since is called failed in the new list. Needs no data folder.\n\n" +
			"Exits with 3 if something has changed or is gone since the lists before.",
		RunE: func(cmd *cobra.Command, args []string) error {
			how.Format, how.Created, how.Version = mhl.Format(format), time.Now().Truncate(time.Second), version
			if err := how.Format.Check(); err != nil {
				return &usageError{err}
			}
			how.Host, _ = os.Hostname()
			name, list, wrong, err := house.SealFolder(cmd.Context(), args[0], how, nil)
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			var bytes int64
			for _, f := range list.Files {
				bytes += f.Size
			}
			if asJSON {
				err = printJSON(cmd.OutOrStdout(), map[string]any{
					"list": mhl.Dir + "/" + name, "files": len(list.Files), "bytes": bytes,
					"wrong": append([]mhl.Fault{}, wrong...),
				})
			} else {
				printFaults(cmd.OutOrStdout(), wrong)
				fmt.Fprintf(cmd.OutOrStdout(), "%s/%s: %s, %s\n", mhl.Dir, name, count(len(list.Files), "file"),
					humanize.Bytes(uint64(bytes)))
			}
			if err == nil && len(wrong) > 0 {
				return exitFound
			}
			return err
		},
	}
	cmd.Flags().StringVar(&format, "hash", string(mhl.XXH64), "xxh64, xxh3, xxh128, md5, sha1 or c4")
	cmd.Flags().StringVar(&how.Author, "author", "", "who says so")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

// printFaults prints what is wrong with a folder, a line each.
func printFaults(out io.Writer, wrong []mhl.Fault) {
	for _, f := range wrong {
		fmt.Fprintf(out, "%-8s %s: %s\n", f.Kind, f.Path, f.Text)
	}
}

// verifyFolder compares a folder with its hash lists.
func verifyFolder(cmd *cobra.Command, folder string, asJSON bool) error {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return err
	}
	defer root.Close()
	r, err := mhl.Check(cmd.Context(), root.FS(), nil)
	if err != nil {
		return fmt.Errorf("%s: %w", folder, err)
	}
	if asJSON {
		err = printJSON(cmd.OutOrStdout(), r)
	} else {
		printFaults(cmd.OutOrStdout(), r.Wrong)
		fmt.Fprintf(
			cmd.OutOrStdout(), "%s, %s read and compared with %s: ", count(r.Files, "file"),
			humanize.Bytes(uint64(r.Bytes)), count(r.Generations, "hash list"),
		)
		if r.Clean() {
			fmt.Fprintln(cmd.OutOrStdout(), "complete and unchanged")
		} else {
			fmt.Fprintln(cmd.OutOrStdout(), count(len(r.Wrong), "fault"))
		}
	}
	if err == nil && !r.Clean() {
		return exitFound
	}
	return err
}

// count writes how many there are of something.
func count(n int, what string) string {
	if n != 1 {
		what += "s"
	}
	return fmt.Sprintf("%d %s", n, what)
}
