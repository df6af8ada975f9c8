package ffmpeg

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"reelhouse/core/movie"
)

// checkWithin is how long decoding a movie may take for its check.
const checkWithin = time.Hour

// found are encoders that were found, by program and codec: asking a program takes a tenth of a second.
var found sync.Map

// Encoder returns the first encoder of a codec that ffmpeg has.
func (p Programs) Encoder(ctx context.Context, c movie.Codec) (string, error) {
	if err := p.Missing(); err != nil {
		return "", err
	}
	key := [2]string{p.FFmpeg, string(c)}
	if name, known := found.Load(key); known {
		return name.(string), nil
	}
	ctx, cancel := context.WithTimeout(ctx, probeWithin)
	defer cancel()
	said, err := exec.CommandContext(ctx, cmp.Or(p.FFmpeg, "ffmpeg"), "-hide_banner", "-encoders").Output()
	if err != nil {
		return "", fmt.Errorf("ffmpeg does not say which encoders it has: %w", err)
	}
	words := strings.Fields(string(said))
	for _, name := range c.Kind().Encoders {
		if slices.Contains(words, name) {
			found.Store(key, name)
			return name, nil
		}
	}
	return "", fmt.Errorf("this ffmpeg cannot write %s: it has no %s", c.Kind().Name,
		strings.Join(c.Kind().Encoders, " or "))
}

// Encode writes a movie to a path, of frames that are written to what frames is given.
func (p Programs) Encode(
	ctx context.Context, e movie.Encoding, path string, frames func(ctx context.Context, w io.Writer) error,
) error {
	if err := p.Missing(); err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	cmd := exec.CommandContext(ctx, cmp.Or(p.FFmpeg, "ffmpeg"), e.EncodeArguments(path)...)
	cmd.WaitDelay = endsWithin
	words := &last{}
	cmd.Stderr = words
	in, err := cmd.StdinPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("ffmpeg does not start: %w", err)
	}
	made := frames(ctx, in)
	in.Close()
	if made != nil && ctx.Err() == nil && !broken(made) { // what it has is no movie
		cancel()
	}
	err = cmd.Wait()
	switch {
	case made != nil && !broken(made):
		return made
	case ctx.Err() != nil:
		return context.Cause(ctx)
	case err != nil:
		return fmt.Errorf("ffmpeg cannot write it: %s", strings.ReplaceAll(words.line(err), "file:"+path+": ", ""))
	}
	return made
}

// broken reports whether frames could not be written since the program had ended, which says why by itself.
func broken(err error) bool { return errors.Is(err, io.ErrClosedPipe) || isBrokenPipe(err) }

// Count returns how many frames of a movie can be decoded.
func (p Programs) Count(ctx context.Context, path string) (int, error) {
	if err := p.Missing(); err != nil {
		return 0, err
	}
	ctx, cancel := context.WithTimeout(ctx, checkWithin)
	defer cancel()
	var said []byte
	err := run(ctx, path, cmp.Or(p.FFprobe, "ffprobe"), movie.CountArguments(path), func(out io.Reader) error {
		var err error
		said, err = io.ReadAll(io.LimitReader(out, mostWords))
		return err
	})
	if err != nil {
		return 0, err
	}
	first, _, _ := strings.Cut(strings.TrimSpace(string(said)), "\n")
	n, err := strconv.Atoi(strings.Trim(first, ", \r"))
	if err != nil {
		return 0, fmt.Errorf("ffprobe does not say how many frames it has, but %q", first)
	}
	return n, nil
}

// Frame decodes one frame of a movie that was made, as it is compared; see movie.Compare.
func (p Programs) Frame(ctx context.Context, e movie.Encoding, path string, f movie.Facts, n int) ([]byte, error) {
	if err := p.Missing(); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, checkWithin)
	defer cancel()
	size := 8 * e.Size.Width * e.Size.Height
	var b bytes.Buffer
	err := run(ctx, path, cmp.Or(p.FFmpeg, "ffmpeg"), e.CheckArguments(path, f, n), func(out io.Reader) error {
		_, err := io.Copy(&b, io.LimitReader(out, int64(size)+1))
		return err
	})
	if err == nil && b.Len() != size {
		err = fmt.Errorf("its frame %d is decoded as %d bytes, and has %d", n+1, b.Len(), size)
	}
	return b.Bytes(), err
}
