package farm

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"time"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/job"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/house"
	"reelhouse/house/waiting"
)

// Thumbs makes small pictures of views, by the same renderer and child process as frames, and keeps them.
type Thumbs struct {
	House    *house.House
	Renderer Renderer

	line  *waiting.Line // one at a time, so that frames are not held up
	shelf *waiting.Shelf[string]
	most  int // files that are kept
}

// How many small pictures are kept on the disk, and how many are cleared away together when there are more.
const (
	mostThumbs  = 4000
	clearThumbs = 400
)

// NewThumbs returns an empty shelf.
func NewThumbs(h *house.House, r Renderer) *Thumbs {
	return &Thumbs{
		House:    h,
		Renderer: r,
		line:     waiting.NewLine(1),
		shelf:    waiting.NewShelf[string](1, 0, nil),
		most:     mostThumbs,
	}
}

// A Thumb says which small picture is wanted.
type Thumb struct {
	Scene      production.SceneFile
	Camera     string
	Setup      camera.Setup
	Look       look.Look
	Rate       frame.Rate
	FirstFrame int
	Frame      int
	Size       raster.Size // in square pixels
	Fit        raster.Fit
	Background look.Background
	// Environment is the map that the look names; the zero value for none.
	Environment production.EnvironmentFile
}

// Key names the picture by everything that it depends on.
func (t Thumb) Key() string {
	t.Scene = house.Key(t.Scene) // its name and its past change nothing
	text, err := json.Marshal(t)
	if err != nil {
		panic(err) // plain data; a number that is none was refused before
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:16])
}

// File returns the path of the picture, a PNG, and renders it first if it must. When nobody waits for it any more, the
// rendering ends.
func (s *Thumbs) File(ctx context.Context, t Thumb) (string, error) {
	path := filepath.Join(s.House.Thumbs(), t.Key()+".png")
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
			return path, errors.Join(s.render(ctx, t, path), s.clear())
		})
	})
}

// clear removes those pictures that nobody has looked at for longest, if there are too many.
func (s *Thumbs) clear() error {
	entries, err := os.ReadDir(s.House.Thumbs())
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
		if err := os.Remove(filepath.Join(s.House.Thumbs(), f.name)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

func (s *Thumbs) render(ctx context.Context, t Thumb, path string) error {
	ctx, cancel := context.WithTimeout(ctx, DefaultTimeout)
	defer cancel()
	temp := path + house.PartMark + "0"
	defer os.Remove(temp)
	beauty := []pass.Code{pass.Beauty}
	picture := output.PNG.Usual()
	picture.Depth = output.Eight
	j := job.Job{
		Version: job.Version, Scene: s.House.ScenePath(t.Scene), SceneUnit: t.Scene.Unit, SceneNumber: t.Scene.Number,
		Environment: s.House.EnvironmentPath(t.Environment),
		View: job.View{
			Name:   t.Camera,
			Camera: t.Camera,
			Setup:  t.Setup,
			Look:   t.Look,
		}, Rate: t.Rate, FirstFrame: t.FirstFrame,
		Size: t.Size, Fit: t.Fit, Background: t.Background, Passes: beauty, Samples: 3, Filter: pixel.Gaussian,
		Frames: []job.Frame{{Number: t.Frame, Files: []job.File{{Path: temp, Encoding: picture, Passes: beauty}}}},
	}
	if err := s.Renderer.Run(ctx, s.House.Work(), j, runtime.NumCPU(), func(job.Message) {}, NewLog()); err != nil {
		return fmt.Errorf("small picture of %s: %w", t.Camera, err)
	}
	return os.Rename(temp, path)
}
