package main

import (
	"context"
	"errors"
	"fmt"
	"image/png"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"reelhouse/core/inspect"
	"reelhouse/core/output"
	"reelhouse/core/picture"
	"reelhouse/core/screening"
	"reelhouse/house"
)

// inspectSequences finds what is wrong with the sequences that a path names, prints it, and fails if anything is.
func inspectSequences(cmd *cobra.Command, named string, want inspect.Wanted, pictures string, asJSON bool) error {
	all, err := seriesAt(named)
	if err != nil {
		return err
	}
	if pictures != "" {
		if err := os.Mkdir(pictures, 0o777); err != nil {
			return err
		}
	}
	out := cmd.OutOrStdout()
	var found inspect.Inspection
	for _, series := range all {
		r, err := inspectSeries(cmd.Context(), cmd.ErrOrStderr(), series, want)
		if err != nil {
			return err
		}
		found.Sequences = append(found.Sequences, r)
		if !asJSON {
			printSequence(out, r)
		}
		if pictures != "" {
			if err := writePictures(pictures, len(found.Sequences), series, r); err != nil {
				return err
			}
		}
	}
	if asJSON {
		if err := inspect.Write(out, found); err != nil {
			return err
		}
	}
	if !found.Clean() {
		return exitFound
	}
	return nil
}

// seriesAt returns the sequences of files below a folder, that of a file, or those of a pattern.
func seriesAt(named string) ([]inspect.Series, error) {
	folder, of := named, ""
	info, err := os.Stat(named)
	switch {
	case strings.Contains(filepath.Base(named), "(frame"):
		folder, of = filepath.Dir(named), filepath.Base(named)
		if before, after, options := strings.Cut(of, "(frame:"); options { // the width of a number tells nothing here
			_, rest, closed := strings.Cut(after, ")")
			if !closed {
				return nil, usagef("%q: (frame:4) is without its closing bracket", named)
			}
			of = before + "(frame)" + rest
		}
	case err != nil:
		return nil, err
	case !info.IsDir():
		folder = filepath.Dir(named)
		series := inspect.SeriesOf([]string{filepath.Base(named)})
		if len(series) == 0 {
			return nil, usagef("%s has no number in its name, so that it is no frame of a sequence", named)
		}
		of = series[0].Name
	}
	var names []string
	err = filepath.WalkDir(folder, func(p string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && of != "" && p != folder:
			return filepath.SkipDir
		case !d.IsDir() && isPicture(p):
			names = append(names, filepath.ToSlash(p))
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	all := inspect.SeriesOf(names)
	if of != "" {
		all = slices.DeleteFunc(all, func(s inspect.Series) bool { return filepath.Base(s.Name) != of })
	}
	if len(all) == 0 {
		return nil, fmt.Errorf("%s: there is no picture with a number in its name", named)
	}
	return all, nil
}

// isPicture reports whether a file is named like a picture.
func isPicture(path string) bool {
	extension := strings.TrimPrefix(strings.ToLower(filepath.Ext(path)), ".")
	return slices.ContainsFunc(output.Kinds(), func(k output.Kind) bool { return k.Ext == extension })
}

// tellFrames is after how many frames it is told how far an inspection is.
const tellFrames = 100

func inspectSeries(
	ctx context.Context, progress io.Writer, series inspect.Series, want inspect.Wanted,
) (inspect.SequenceReport, error) {
	s, done := inspect.NewSequence(want), 0
	open := func(f inspect.SequenceFile) (inspect.Source, int64, error) {
		if err := ctx.Err(); err != nil {
			return nil, 0, err
		}
		return openPicture(f.Name)
	}
	s.Read(series.Files, runtime.GOMAXPROCS(0), open, func(inspect.SequenceFile) {
		if done++; done%tellFrames == 0 {
			fmt.Fprintf(progress, "%s: %d of %d frames\n", series.Name, done, len(series.Files))
		}
	})
	r := s.Report()
	r.Name = series.Name
	return r, ctx.Err()
}

// openPicture opens a file, or what a link leads to.
func openPicture(name string) (*os.File, int64, error) {
	real, err := filepath.EvalSymlinks(filepath.FromSlash(name))
	if err != nil {
		return nil, 0, err
	}
	f, info, err := house.OpenPlain(real)
	if err != nil {
		return nil, 0, err
	}
	return f, info.Size(), nil
}

func printSequence(out io.Writer, r inspect.SequenceReport) {
	fmt.Fprintf(out, "%s: %d frames", r.Name, r.Frames.Count())
	if !r.Frames.Empty() {
		fmt.Fprintf(out, " %s, %d x %d, %s", r.Frames, r.Width, r.Height, strings.Join(r.Channels, ", "))
	}
	if r.Clean() {
		fmt.Fprintln(out, ": nothing is found")
		return
	}
	fmt.Fprintln(out)
	for _, f := range r.Findings {
		where := ""
		if p := f.Place; p != nil {
			where = fmt.Sprintf(" at %d,%d, %d x %d pixels", p.X, p.Y, p.Width, p.Height)
		}
		fmt.Fprintf(out, "  %6d  %-18s %s%s\n", f.Frame, f.Fault.Described().Name, f.Text, where)
	}
}

// writePictures writes a picture of each thing that was found, if there is a file to make it from.
func writePictures(folder string, number int, series inspect.Series, r inspect.SequenceReport) error {
	for i, f := range r.Findings {
		at := slices.IndexFunc(series.Files, func(s inspect.SequenceFile) bool { return s.Frame == f.Frame })
		if at < 0 || f.Fault == inspect.Unreadable {
			continue
		}
		name := fmt.Sprintf("%d-%03d-%d-%s.png", number, i+1, f.Frame, f.Fault)
		err := writePicture(filepath.Join(folder, name), series.Files[at].Name, f)
		if err != nil && !errors.Is(err, screening.ErrNoLight) {
			return fmt.Errorf("%s: %w", name, err)
		}
	}
	return nil
}

func writePicture(path, of string, f inspect.Finding) error {
	in, bytes, err := openPicture(of)
	if err != nil {
		return err
	}
	defer in.Close()
	file, err := picture.OpenLarge(in, bytes, picture.Limit)
	if err != nil {
		return err
	}
	img, err := screening.Around(file, f.Place, screening.Plain(1, 1))
	if err != nil {
		return err
	}
	out, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666)
	if err != nil {
		return err
	}
	return errors.Join(png.Encode(out, img), out.Close())
}
