package trace

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"sync"
	"time"

	"reelhouse/core/imagefile"
	"reelhouse/core/job"
	"reelhouse/core/scene"
)

// Outside is what performing a job needs of the world.
type Outside struct {
	Open  func(path string) (io.ReadCloser, error)
	Write func(path string, data []byte) error
	Now   func() time.Time
	Say   func(job.Message) // is never called by two goroutines at once
}

// Perform renders every frame of a job and writes every file, as the renderer contract wants.
func Perform(ctx context.Context, j job.Job, o Outside) error {
	file, err := o.Open(j.Scene)
	if err != nil {
		return fmt.Errorf("scene file: %w", err)
	}
	s, err := scene.Read(file)
	file.Close()
	if err != nil {
		return err
	}
	for _, note := range s.Notes {
		o.Say(job.Message{Event: job.Warning, Text: note})
	}
	model := Prepare(s)
	for _, f := range j.Frames {
		if err := performFrame(ctx, model, j, f, o); err != nil {
			return fmt.Errorf("frame %d: %w", f.Number, err)
		}
	}
	o.Say(job.Message{Event: job.Finished})
	return nil
}

func performFrame(ctx context.Context, model *Model, j job.Job, f job.Frame, o Outside) error {
	began := o.Now()
	o.Say(job.Message{Event: job.Started, Frame: f.Number})
	world := model.At(j.Rate.Seconds(f.Number, j.FirstFrame), j.View.Look)
	settings := Settings{
		Size: j.Size, Region: j.Region.Rectangle(), Passes: j.Passes, Samples: j.Samples, Filter: j.Filter,
		Frame: f.Number, DepthBackground: j.DepthBackground,
	}
	var mutex sync.Mutex
	said := 0.0
	img, err := world.Render(ctx, j.View.Camera, settings, func(done float64) {
		mutex.Lock()
		defer mutex.Unlock()
		if done >= said+0.1 {
			said = done
			o.Say(job.Message{Event: job.Progress, Frame: f.Number, Progress: done})
		}
	})
	if err != nil {
		return err
	}
	for _, out := range f.Files {
		var b bytes.Buffer
		if err := imagefile.Encode(&b, out.Format, img, out.Passes, imagefile.Header{Rate: j.Rate, Frame: f.Number, Facts: j.Facts}); err != nil {
			return fmt.Errorf("%s: %w", out.Path, err)
		}
		if err := o.Write(out.Path, b.Bytes()); err != nil {
			return err
		}
		o.Say(job.Message{Event: job.Wrote, Frame: f.Number, Path: out.Path, Bytes: int64(b.Len()), Seconds: o.Now().Sub(began).Seconds()})
	}
	return nil
}
