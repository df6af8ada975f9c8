package main

import (
	"encoding/json"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"reelhouse/house"
)

func verifyCommand() *cobra.Command {
	var data string
	var what house.Verification
	var asJSON bool
	var megabytes float64
	cmd := &cobra.Command{
		Use: "verify [FOLDER]", Short: "Compare finished files with what was recorded when they were judged",
		Args: cobra.MaximumNArgs(1),
		Long: "Looks at every finished file: whether it is there, is a plain file, and has its size; with --deep " +
			"also whether its SHA-256 is " +
			"the recorded one. Frames with a file that is gone or has changed are lost from then on, and can be " +
			"retried; frames that were lost " +
			"and are whole again are good. It may run beside a server.\n\n" +
			"With a FOLDER, such as a delivery, every file of it is read and compared with the hash lists that it " +
			"carries (ASC MHL 2.0). That needs no data folder, on any machine.\n\n" +
			"Exits with 0 if everything is as it was recorded and nothing else lies below the output folder, 3 if " +
			"not, 1 if it could not be done.",
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 1 {
				for _, flag := range []string{"data", "deep", "production", "megabytes-per-second"} {
					if cmd.Flags().Changed(flag) {
						return &usageError{fmt.Errorf("--%s is not for a folder: all of it is read", flag)}
					}
				}
				return verifyFolder(cmd, args[0], asJSON)
			}
			h, err := house.Open(data, true)
			if err != nil {
				return err
			}
			defer h.Close()
			if what.Production != "" {
				p, err := h.Record.Production(what.Production)
				if err != nil {
					return err
				}
				what.Production = p.Code
			}
			if megabytes < 0 || megabytes > 0 && !what.Deep {
				return &usageError{fmt.Errorf("--megabytes-per-second bounds what --deep reads, and is above 0")}
			}
			what.BytesPerSecond = int64(megabytes * 1e6)
			v, err := h.Verify(cmd.Context(), what, nil)
			if err != nil {
				return err
			}
			if asJSON {
				e := json.NewEncoder(cmd.OutOrStdout())
				e.SetIndent("", "  ")
				err = e.Encode(v)
			} else {
				printVerified(cmd.OutOrStdout(), v)
			}
			if err == nil && !v.Clean() {
				return exitFound
			}
			return err
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().StringVar(&what.Production, "production", "", "code of one production; otherwise all are verified")
	cmd.Flags().BoolVar(&what.Deep, "deep", false, "read every file and compare its SHA-256")
	cmd.Flags().Float64Var(&megabytes, "megabytes-per-second", 0, "read no more than so much with --deep; 0 for all")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

func printVerified(out io.Writer, v house.Verified) {
	for _, l := range v.Lost {
		fmt.Fprintf(out, "lost        %s %s\n", l.Path, l.Fault)
	}
	for _, list := range []struct {
		what  string
		paths []string
	}{{"unread", v.Unread}, {"foreign", v.Foreign}, {"unfinished", v.Unfinished}} {
		for _, path := range list.paths {
			fmt.Fprintf(out, "%-11s %s\n", list.what, path)
		}
	}
	depth := "by size"
	if v.Deep {
		depth = "by SHA-256"
	}
	fmt.Fprintf(
		out,
		"%d frames, %d files compared %s: %d files lost, %d frames found again, %d files foreign, %d unfinished, %d "+
			"unread\n",
		v.Frames, v.Files, depth, len(v.Lost), v.Found, len(v.Foreign), len(v.Unfinished), len(v.Unread),
	)
}
