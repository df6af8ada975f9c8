package main

import (
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"reelhouse/core/inspect"
	"reelhouse/core/output"
)

func inspectCommand() *cobra.Command {
	var asJSON, facts bool
	cmd := &cobra.Command{
		Use: "inspect PATH...", Short: "Judge image files, or all of those below folders", Args: cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return inspectAll(cmd.OutOrStdout(), args, asJSON, facts)
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print one JSON object a file")
	cmd.Flags().BoolVar(&facts, "facts", false, "also print what each file says about itself (JSON has it always)")
	return cmd
}

// inspectAll judges every file, prints what it finds, and fails if any is not good.
func inspectAll(out io.Writer, paths []string, asJSON, facts bool) error {
	files, bad := 0, 0
	judge := func(path string) error {
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		r := inspect.Judge(data, inspect.Expected{})
		files++
		if !r.Good() {
			bad++
		}
		if asJSON {
			return json.NewEncoder(out).Encode(struct {
				Path string `json:"path"`
				inspect.Report
			}{path, r})
		}
		printReport(out, path, r)
		if facts {
			for _, f := range r.Facts {
				fmt.Fprintf(out, "      %s: %s\n", f.Name, f.Value)
			}
		}
		return nil
	}
	for _, path := range paths {
		err := filepath.WalkDir(path, func(p string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			if p == path || slices.ContainsFunc(output.Kinds(), func(k output.Kind) bool { return strings.HasSuffix(p, "."+k.Ext) }) {
				return judge(p)
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	if !asJSON {
		fmt.Fprintf(out, "%d files, %d good, %d not\n", files, files-bad, bad)
	}
	if bad > 0 {
		return errSaid
	}
	return nil
}

func printReport(out io.Writer, path string, r inspect.Report) {
	if !r.Good() {
		fmt.Fprintf(out, "BAD   %s: %s\n", path, strings.Join(r.Problems, "; "))
		return
	}
	var channels []string
	for _, c := range r.Channels {
		channels = append(channels, c.Name+" "+c.Type)
	}
	encode := r.Encoding.Curve.Name()
	if !r.CurveStated {
		encode = "no encode stated, taken for " + encode
	}
	fmt.Fprintf(out, "good  %s: %s, %d x %d, %s, %s\n", path, r.Encoding.Format.Kind().Name, r.Width, r.Height, strings.Join(channels, ", "), encode)
}
