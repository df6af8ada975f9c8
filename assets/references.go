package assets

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"reelhouse/core/imagefile/formats"
	"reelhouse/core/movie"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/review"
	"reelhouse/ffmpeg"
)

// Bounds of a reference.
const (
	MostReferenceBytes  = 512 << 20
	MostReferencePixels = 100_000_000
	mostReferenceMemory = 4 << 30 // for the first reading
)

// ReferencePath returns where a reference is kept.
func (l *Library) ReferencePath(r review.Reference) string {
	return l.path("references", filepath.Base(r.SHA256))
}

// ImportReference reads a picture in any format that is written here, or a movie that ffmpeg reads, and keeps it if it
// is a good one.
func (l *Library) ImportReference(ctx context.Context, name string, r io.Reader) (review.Reference, error) {
	ref := review.Reference{Name: filepath.Base(name)}
	a, err := l.arrive("references", name, r, MostReferenceBytes)
	if err != nil {
		return ref, err
	}
	defer a.end()
	ref.Bytes, ref.SHA256 = a.bytes, a.sha256
	if formats.Known(a.File, a.bytes) {
		if err := l.judge(a, AdmitReference); err != nil {
			return ref, err
		}
		if ref.Width, ref.Height, err = sizeOf(a.File, ref.Bytes); err != nil {
			return ref, a.wrong(err)
		}
	} else if err := l.judgeMovie(ctx, a, &ref); err != nil {
		return ref, a.wrong(err)
	}
	return ref, keepFile(a.File, l.ReferencePath(ref))
}

// judgeMovie reads a file that is no picture as a movie.
func (l *Library) judgeMovie(ctx context.Context, a *arrival, ref *review.Reference) (err error) {
	_, _, noPicture := formats.Open(a.File, a.bytes, 0)
	if a.bytes == 0 {
		return noPicture
	}
	l.admitting.Lock()
	defer l.admitting.Unlock()
	ref.Movie, ref.Width, ref.Height, err = l.Movies.Facts(ctx, a.File.Name())
	switch {
	case errors.Is(err, ffmpeg.ErrMissing):
		return fmt.Errorf("%w; and for a movie, %w", noPicture, err)
	case err != nil && ref.Movie.Frames == 0:
		return fmt.Errorf("as a picture, %w; as a movie, %w", noPicture, err)
	}
	return err
}

// MovieFrames decodes so many frames of a reference that moves from one on, counted from 0; fewer if it ends before.
func (l *Library) MovieFrames(ctx context.Context, r review.Reference, first, most int) ([]movie.Codes, error) {
	path := l.ReferencePath(r)
	if _, err := os.Stat(path); err != nil {
		return nil, fmt.Errorf("reference %s: %w", r.Name, err)
	}
	all, err := l.Movies.Frames(ctx, path, r.Movie, first, most)
	if err != nil {
		return nil, fmt.Errorf("reference %s, frame %d: %w", r.Name, first+1, err)
	}
	return all, nil
}

// Reference reads a reference that is a picture: its red, green and blue, as linear light.
func (l *Library) Reference(r review.Reference) (*pixel.Image, error) {
	f, err := os.Open(l.ReferencePath(r))
	if err != nil {
		return nil, fmt.Errorf("reference %s: %w", r.Name, err)
	}
	defer f.Close()
	light, err := lightOf(f)
	if err != nil {
		return nil, fmt.Errorf("reference %s: %w", r.Name, err)
	}
	return light, nil
}

// lightOf reads red, green and blue of a picture that is not too large.
func lightOf(f *os.File) (*pixel.Image, error) {
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	file, err := picture.OpenLarge(f, info.Size(), mostReferenceMemory/4)
	if err != nil {
		return nil, err
	}
	if h := file.Headers[0]; h.Width()*h.Height() > MostReferencePixels {
		return nil, fmt.Errorf(
			"it has %d × %d pixels; %d million are possible", h.Width(), h.Height(), MostReferencePixels/1_000_000,
		)
	}
	part, err := file.Part(0)
	if err != nil {
		return nil, err
	}
	light, err := part.Image.Select("R", "G", "B")
	if err != nil {
		return nil, fmt.Errorf("it holds no red, green and blue")
	}
	return light, nil
}
