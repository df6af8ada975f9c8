package farm

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"runtime"

	"golang.org/x/sync/singleflight"

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
)

// Thumbs makes small pictures of views, by the same renderer and child process as frames, and keeps them.
type Thumbs struct {
	House    *house.House
	Renderer Renderer

	group singleflight.Group
	turn  chan struct{} // one at a time, so that frames are not held up
}

// NewThumbs returns an empty shelf.
func NewThumbs(h *house.House, r Renderer) *Thumbs {
	return &Thumbs{House: h, Renderer: r, turn: make(chan struct{}, 1)}
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

// File returns the path of the picture, a PNG, and renders it first if it must. When the caller goes away,
// the rendering goes on for the next one who asks.
func (s *Thumbs) File(ctx context.Context, t Thumb) (string, error) {
	path := filepath.Join(s.House.Thumbs(), t.Key()+".png")
	if _, err := os.Stat(path); err == nil {
		return path, nil
	}
	done := s.group.DoChan(path, func() (any, error) { return nil, s.render(context.WithoutCancel(ctx), t, path) })
	select {
	case <-ctx.Done():
		return "", ctx.Err()
	case r := <-done:
		return path, r.Err
	}
}

func (s *Thumbs) render(ctx context.Context, t Thumb, path string) error {
	s.turn <- struct{}{}
	defer func() { <-s.turn }()
	ctx, cancel := context.WithTimeout(ctx, DefaultTimeout)
	defer cancel()
	temp := path + house.PartMark + "0"
	defer os.Remove(temp)
	beauty := []pass.Code{pass.Beauty}
	picture := output.PNG.Usual()
	picture.Depth = output.Eight
	j := job.Job{
		Version: job.Version, Scene: s.House.ScenePath(t.Scene), SceneUnit: t.Scene.Unit, SceneNumber: t.Scene.Number, Environment: s.House.EnvironmentPath(t.Environment),
		View: job.View{Name: t.Camera, Camera: t.Camera, Setup: t.Setup, Look: t.Look}, Rate: t.Rate, FirstFrame: t.FirstFrame,
		Size: t.Size, Fit: t.Fit, Background: t.Background, Passes: beauty, Samples: 3, Filter: pixel.Gaussian,
		Frames: []job.Frame{{Number: t.Frame, Files: []job.File{{Path: temp, Encoding: picture, Passes: beauty}}}},
	}
	if err := s.Renderer.Run(ctx, s.House.Work(), j, runtime.NumCPU(), func(job.Message) {}, NewLog()); err != nil {
		return fmt.Errorf("small picture of %s: %w", t.Camera, err)
	}
	return os.Rename(temp, path)
}
