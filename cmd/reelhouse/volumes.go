package main

import (
	"cmp"
	"encoding/json"
	"fmt"
	"text/tabwriter"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"reelhouse/house"
)

// volumeLine is what is said of a volume. Free is in bytes, negative if it is not known.
type volumeLine struct {
	Code   string  `json:"code"`
	Name   string  `json:"name"`
	Folder string  `json:"folder"` // or the address of the bucket
	Free   float64 `json:"free"`
	Fault  string  `json:"fault,omitempty"`
}

func volumesCommand() *cobra.Command {
	var data string
	var asJSON bool
	cmd := &cobra.Command{
		Use: "volumes", Short: "Say where files can be written to, and how much room there is", Args: cobra.NoArgs,
		Long: "Lists the data folder and the volumes of the server's configuration, with their free space, and " +
			"whether they can be written.\n\nExits with 0 if all can be written, 3 if not.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			h, err := house.Open(data, true)
			if err != nil {
				return err
			}
			defer h.Close()
			var lines []volumeLine
			faulty := false
			for _, v := range h.Volumes() {
				state := h.VolumeState(v.Code)
				faulty = faulty || state.Fault != ""
				lines = append(lines, volumeLine{v.Code, v.Name, cmp.Or(v.Bucket, v.Folder), state.Free, state.Fault})
			}
			if asJSON {
				e := json.NewEncoder(cmd.OutOrStdout())
				e.SetIndent("", "  ")
				err = e.Encode(lines)
			} else {
				table := tabwriter.NewWriter(cmd.OutOrStdout(), 0, 0, 2, ' ', 0)
				fmt.Fprintln(table, "code\tname\tfree\tfolder\tstate")
				for _, l := range lines {
					fmt.Fprintf(
						table, "%s\t%s\t%s\t%s\t%s\n", cmp.Or(l.Code, "-"), l.Name, freeSpace(l.Free), l.Folder,
						cmp.Or(l.Fault, "can be written"),
					)
				}
				err = table.Flush()
			}
			if err == nil && faulty {
				return exitFound
			}
			return err
		},
	}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

func freeSpace(bytes float64) string {
	if bytes < 0 {
		return "-"
	}
	return humanize.Bytes(uint64(bytes))
}
