// Package ffmpeg runs the programs that read movies, which are not part of the house: ffmpeg and ffprobe.
package ffmpeg

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"strings"
	"time"

	"reelhouse/core/movie"
)

// Programs are the commands by which the programs are started. Those that are not named are looked for on PATH.
type Programs struct {
	FFmpeg  string `json:"ffmpeg"`
	FFprobe string `json:"ffprobe"`
}

// ErrMissing is wrapped by the error about a program that is not there.
var ErrMissing = errors.New("movies need the programs ffmpeg and ffprobe on the server: install Debian's package " +
	"ffmpeg, or name both as \"movies\" in the configuration file")

// Missing returns an error if one of the programs is not there.
func (p Programs) Missing() error {
	for _, program := range []string{cmp.Or(p.FFmpeg, "ffmpeg"), cmp.Or(p.FFprobe, "ffprobe")} {
		if _, err := exec.LookPath(program); err != nil {
			return fmt.Errorf("%s is not there: %w", program, ErrMissing)
		}
	}
	return nil
}

// How long the programs may take, and what they may say.
const (
	probeWithin  = 2 * time.Minute
	decodeWithin = 2 * time.Minute
	endsWithin   = 5 * time.Second // after it was told to
	mostFacts    = 64 << 20
	mostWords    = 4 << 10
)

// Facts reads what a movie is, and how large its frames are, of which it decodes the first and the last one.
func (p Programs) Facts(ctx context.Context, path string) (f movie.Facts, width, height int, err error) {
	if err := p.Missing(); err != nil {
		return f, 0, 0, err
	}
	ctx, cancel := context.WithTimeout(ctx, probeWithin)
	defer cancel()
	var said []byte
	err = run(ctx, path, cmp.Or(p.FFprobe, "ffprobe"), movie.ProbeArguments(path), func(out io.Reader) error {
		var err error
		if said, err = io.ReadAll(io.LimitReader(out, mostFacts)); err == nil && len(said) == mostFacts {
			err = errors.New("it has too many frames")
		}
		return err
	})
	if err != nil {
		return f, 0, 0, err
	}
	if f, err = movie.ReadFacts(said); err != nil {
		return f, 0, 0, err
	}
	for _, n := range []int{0, f.Frames - 1} {
		codes, err := p.Frames(ctx, path, f, n, 1)
		if err != nil {
			return f, 0, 0, fmt.Errorf("its frame %d of %d: %w", n+1, f.Frames, err)
		}
		width, height = codes[0].Width, codes[0].Height
	}
	return f, width, height, nil
}

// Frames decodes so many frames of a movie from one on, counted from 0; fewer if it ends before, and one at least.
func (p Programs) Frames(ctx context.Context, path string, f movie.Facts, first, most int) ([]movie.Codes, error) {
	if err := p.Missing(); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, decodeWithin)
	defer cancel()
	var all []movie.Codes
	err := run(ctx, path, cmp.Or(p.FFmpeg, "ffmpeg"), f.DecodeArguments(path, first, most), func(out io.Reader) error {
		in := bufio.NewReaderSize(out, 1<<20)
		for len(all) < most {
			codes, err := movie.ReadCodes(in)
			if err == io.EOF {
				return nil
			} else if err != nil {
				return err
			}
			all = append(all, codes)
		}
		return nil
	})
	if err == nil && len(all) == 0 {
		err = errors.New("it cannot be decoded")
	}
	return all, err
}

// run runs a program for a file, and reads what it writes. If it fails, the error has the last of what it has
// complained of, without where the file lies.
func run(ctx context.Context, path, program string, args []string, read func(out io.Reader) error) error {
	cmd := exec.CommandContext(ctx, program, args...)
	cmd.WaitDelay = endsWithin
	words := &last{}
	cmd.Stderr = words
	out, err := cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("%s does not start: %w", program, err)
	}
	wrong := read(out)
	if wrong != nil { // it need not write on
		cmd.Process.Kill()
	}
	err = cmd.Wait()
	switch {
	case ctx.Err() != nil:
		return fmt.Errorf("%s is ended: %w", program, context.Cause(ctx))
	case wrong != nil:
		return wrong
	case err != nil:
		return fmt.Errorf("%s cannot read it: %s", program, strings.ReplaceAll(words.line(err), "file:"+path+": ", ""))
	}
	return nil
}

// last keeps the end of what is written to it.
type last struct{ b bytes.Buffer }

// Write implements io.Writer.
func (l *last) Write(p []byte) (int, error) {
	l.b.Write(p)
	if over := l.b.Len() - mostWords; over > 0 {
		l.b.Next(over)
	}
	return len(p), nil
}

// line returns the last line of it, or an error's words if there is none.
func (l *last) line(err error) string {
	lines := strings.Split(strings.TrimSpace(l.b.String()), "\n")
	if text := strings.ToValidUTF8(strings.TrimSpace(lines[len(lines)-1]), "?"); text != "" {
		return text
	}
	return err.Error()
}
