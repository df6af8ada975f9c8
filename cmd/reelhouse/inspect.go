package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"reelhouse/core/frame"
	"reelhouse/core/inspect"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/screening"
	"reelhouse/house"
)

func inspectCommand() *cobra.Command {
	var asJSON, facts, loop bool
	var at, sequence, frames, pictures string
	cmd := &cobra.Command{
		Use: "inspect PATH...", Short: "Judge image files, or all of those below folders, or whole sequences",
		RunE: func(cmd *cobra.Command, args []string) error {
			switch {
			case sequence != "" && len(args) > 0:
				return usagef("--sequence takes one folder, file or pattern, and no further paths")
			case sequence != "":
				set, err := frame.Parse(frames)
				if frames != "" && err != nil {
					return &usageError{err}
				}
				want := inspect.Wanted{Frames: set, Loop: loop}
				return inspectSequences(cmd, sequence, want, pictures, asJSON)
			case len(args) == 0:
				return usagef("name files or folders, or a sequence with --sequence")
			}
			if cmd.Flags().Changed("at") {
				return valuesAt(cmd.OutOrStdout(), args, at, asJSON)
			}
			return inspectAll(cmd.OutOrStdout(), args, asJSON, facts)
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON: a list with an object a file, or an inspection")
	cmd.Flags().StringVar(&sequence, "sequence", "",
		"find what is wrong with the frames of sequences, by themselves and beside each other: those below a folder, "+
			"that of a file, or a pattern with (frame) in place of the number")
	cmd.Flags().StringVar(&frames, "frames", "", "which frames the sequence is to have, such as 1001-1048")
	cmd.Flags().BoolVar(&loop, "loop", false, "the sequence is to play as a loop")
	cmd.Flags().StringVar(&pictures, "pictures", "", "a new folder for a picture of each thing that is found")
	cmd.Flags().StringVar(
		&at, "at", "", "print what each file holds at a pixel, X,Y from the top left, in its own units, instead",
	)
	cmd.Flags().BoolVar(&facts, "facts", false, "also print what each file says about itself (JSON has it always)")
	return cmd
}

// pixelValues are what a file holds at a pixel of one of its parts.
type pixelValues struct {
	Path   string            `json:"path"`
	Part   int               `json:"part"` // from 1
	Name   string            `json:"name,omitempty"`
	Values []screening.Value `json:"values"`
}

// valuesAt prints what files hold at a pixel.
func valuesAt(out io.Writer, paths []string, at string, asJSON bool) error {
	across, down, ok := strings.Cut(at, ",")
	x, errX := strconv.Atoi(strings.TrimSpace(across))
	y, errY := strconv.Atoi(strings.TrimSpace(down))
	if !ok || errX != nil || errY != nil {
		return usagef("%q is no pixel; write its column and its line from the top left, such as 960,540", at)
	}
	all := []pixelValues{}
	for _, path := range paths {
		file, info, err := house.OpenPlain(path)
		if err != nil {
			return err
		}
		defer file.Close()
		f, err := picture.OpenLarge(file, info.Size(), picture.Limit)
		if err != nil {
			return fmt.Errorf("%s: %w", path, err)
		}
		for i, h := range f.Headers {
			values, err := screening.Values(f, i, x, y, nil, pass.DepthStyle{})
			if err != nil {
				return fmt.Errorf("%s: %w", path, err)
			}
			all = append(all, pixelValues{path, i + 1, h.Name, values})
		}
	}
	if asJSON {
		return json.NewEncoder(out).Encode(all)
	}
	for _, p := range all {
		fmt.Fprintf(out, "%s, part %d %s\n", p.Path, p.Part, p.Name)
		for _, v := range p.Values {
			fmt.Fprintf(out, "  %-20s %s %s\n", v.Pass, v.Channel, v.Text)
		}
	}
	return nil
}

// A judgedFile is a file with what was found.
type judgedFile struct {
	Path string `json:"path"`
	inspect.Report
}

// inspectAll judges every file, prints what it finds, and fails if any is not good.
func inspectAll(out io.Writer, paths []string, asJSON, facts bool) error {
	files, bad := 0, 0
	told := []judgedFile{}
	judge := func(path string) error {
		r, err := judged(path)
		if err != nil {
			return err
		}
		files++
		if !r.Good() {
			bad++
		}
		if asJSON {
			told = append(told, judgedFile{path, r})
			return nil
		}
		printReport(out, path, r)
		if facts {
			printFacts(out, r)
		}
		return nil
	}
	for _, path := range paths {
		err := filepath.WalkDir(path, func(p string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			if p == path ||
				slices.ContainsFunc(
					output.Kinds(),
					func(k output.Kind) bool { return strings.HasSuffix(p, "."+k.Ext) },
				) {
				return judge(p)
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	if asJSON {
		if err := json.NewEncoder(out).Encode(told); err != nil {
			return err
		}
	} else {
		fmt.Fprintf(out, "%d files, %d good, %d not\n", files, files-bad, bad)
	}
	if bad > 0 {
		return exitFound
	}
	return nil
}

// judged judges the file of a path, or what a link leads to. What is no plain file, such as a pipe, is bad.
func judged(path string) (inspect.Report, error) {
	real, err := filepath.EvalSymlinks(path)
	if err != nil {
		return inspect.Report{}, err
	}
	f, info, err := house.OpenPlain(real)
	if errors.Is(err, house.ErrNotPlain) {
		return inspect.Report{Problems: []string{house.ErrNotPlain.Error()}}, nil
	} else if err != nil {
		return inspect.Report{}, err
	}
	defer f.Close()
	return inspect.Judge(f, info.Size(), inspect.Expected{}), nil
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
	if p := r.Encoding.Primaries; p != "" {
		encode += ", " + p.Name()
	}
	if !r.CurveStated {
		encode = "no encode stated, taken for " + encode
	}
	fmt.Fprintf(
		out, "good  %s: %s, %d x %d, %s, %s\n", path, r.Encoding.Format.Kind().Name, r.Width, r.Height,
		strings.Join(channels, ", "), encode,
	)
}

// printFacts prints what a file says of each of its parts.
func printFacts(out io.Writer, r inspect.Report) {
	for i, p := range r.Parts {
		says := []string{
			fmt.Sprintf(
				"%d x %d pixels at %d, %d of %d x %d at %d, %d", p.Data.Width, p.Data.Height, p.Data.X, p.Data.Y,
				p.Display.Width, p.Display.Height, p.Display.X, p.Display.Y,
			),
		}
		if p.Storage != "" {
			says = append(says, p.Storage)
		}
		says = append(says, fmt.Sprintf("pixel aspect %g", p.PixelAspect))
		if p.Alpha != "" {
			says = append(says, p.Alpha+" alpha")
		}
		if len(r.Parts) > 1 {
			says = slices.Insert(says, 0, fmt.Sprintf("part %d of %d, %q", i+1, len(r.Parts), p.Name))
			for _, c := range p.Channels {
				says = append(says, c.Name+" "+c.Type)
			}
		}
		fmt.Fprintf(out, "      %s\n", strings.Join(says, "; "))
		for _, f := range p.Facts {
			fmt.Fprintf(out, "      %s: %s\n", f.Name, f.Value)
		}
	}
}
