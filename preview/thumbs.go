package preview

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"time"

	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/house"
	"reelhouse/house/waiting"
)

// Thumbs makes small pictures of views, by the same renderer and child process as frames, and keeps them.
type Thumbs struct {
	house *house.House
	// render makes what a job asks for, in a child process.
	render func(ctx context.Context, j job.Job) error

	line  *waiting.Line // one at a time, so that frames are not held up
	shelf *waiting.Shelf[string]
	most  int // files that are kept
}

// thumbTimeout is how long one small picture may take.
const thumbTimeout = time.Hour

// How many small pictures are kept on the disk, and how many are cleared away together when there are more.
const (
	mostThumbs  = 4000
	clearThumbs = 400
)

// NewThumbs returns an empty shelf. render makes what a job asks for.
func NewThumbs(h *house.House, render func(ctx context.Context, j job.Job) error) *Thumbs {
	return &Thumbs{
		house: h, render: render, line: waiting.NewLine(1), shelf: waiting.NewShelf[string](1, 0, nil),
		most: mostThumbs,
	}
}

// File returns the path of the picture, a PNG, and renders it first if it must. When nobody waits for it any more, the
// rendering ends.
func (s *Thumbs) File(ctx context.Context, t Request) (string, error) {
	path := filepath.Join(s.house.Thumbs(), t.Key()+".png")
	if _, err := os.Stat(path); err == nil {
		now := time.Now()
		os.Chtimes(path, now, now) // what is looked at is kept longest
		return path, nil
	}
	return s.shelf.Get(ctx, path, func(ctx context.Context) (string, error) {
		return waiting.In(ctx, s.line, func() (string, error) {
			if _, err := os.Stat(path); err == nil {
				return path, nil
			}
			return path, errors.Join(s.make(ctx, t, path), s.clear())
		})
	})
}

// clear removes those pictures that nobody has looked at for longest, if there are too many.
func (s *Thumbs) clear() error {
	entries, err := os.ReadDir(s.house.Thumbs())
	if err != nil || len(entries) <= s.most {
		return err
	}
	type aged struct {
		name string
		at   time.Time
	}
	var files []aged
	for _, e := range entries {
		if info, err := e.Info(); err == nil && info.Mode().IsRegular() {
			files = append(files, aged{e.Name(), info.ModTime()})
		}
	}
	slices.SortFunc(files, func(a, b aged) int { return a.at.Compare(b.at) })
	for _, f := range files[:min(len(files), len(entries)-s.most+clearThumbs*s.most/mostThumbs)] {
		if err := os.Remove(filepath.Join(s.house.Thumbs(), f.name)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

func (s *Thumbs) make(ctx context.Context, t Request, path string) error {
	ctx, cancel := context.WithTimeout(ctx, thumbTimeout)
	defer cancel()
	temp := path + house.PartMark + "0"
	defer os.Remove(temp)
	beauty := []pass.Code{pass.Beauty}
	picture := output.PNG.Usual()
	picture.Depth = output.Eight
	j := job.Job{
		Version: job.Version, Scene: s.house.Assets.ScenePath(t.Scene), SceneUnit: t.Scene.Unit,
		SceneNumber: t.Scene.Number,
		Environment: s.house.Assets.EnvironmentPath(t.Environment),
		View: job.View{
			Name:   t.Camera,
			Camera: t.Camera,
			Setup:  t.Setup,
			Look:   t.Look,
		}, Rate: t.Rate, FirstFrame: t.FirstFrame,
		Size: t.Size, Fit: t.Fit, Background: t.Background, Passes: beauty, Samples: 3, Filter: pixel.Gaussian,
		Frames: []job.Frame{{Number: t.Frame, Files: []job.File{{Path: temp, Encoding: picture, Passes: beauty}}}},
	}
	if err := s.render(ctx, j); err != nil {
		return fmt.Errorf("small picture of %s: %w", t.Camera, err)
	}
	return os.Rename(temp, path)
}
