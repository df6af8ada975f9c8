package trace

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"io"
	"sync"
	"time"

	"reelhouse/core/imagefile"
	"reelhouse/core/job"
	"reelhouse/core/lens"
	"reelhouse/core/look"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
	"reelhouse/core/stamp"
)

// Outside is what performing a job needs of the world.
type Outside struct {
	Open  func(path string) (io.ReadCloser, error)
	Write func(path string, data []byte) error
	// Create begins a file that is written bit by bit; nil where files are only written whole.
	Create func(path string) (File, error)
	Now    func() time.Time
	Say    func(job.Message) // is never called by two goroutines at once
	// Memory returns the most bytes that the program has taken so far; nil where nobody knows.
	Memory func() int64
}

func (o Outside) memory() int64 {
	if o.Memory == nil {
		return 0
	}
	return o.Memory()
}

// Perform renders every frame of a job and writes every file, as the renderer contract wants.
func Perform(ctx context.Context, j job.Job, o Outside) error {
	file, err := o.Open(j.Scene)
	if err != nil {
		return fmt.Errorf("scene file: %w", err)
	}
	s, err := scene.ReadOne(file, j.SceneNumber)
	file.Close()
	if err != nil {
		return err
	}
	var around *Environment
	if j.Environment != "" {
		if around, err = openEnvironment(j.Environment, o); err != nil {
			return fmt.Errorf("environment: %w", err)
		}
	}
	for _, note := range s.Notes {
		o.Say(job.Message{Event: job.Warning, Text: note})
	}
	model := Prepare(j.View.Look.Dressed(s.Scaled(j.SceneUnit)))
	for _, f := range j.Frames {
		if err := performFrame(ctx, model, around, j, f, o); err != nil {
			return fmt.Errorf("frame %d: %w", f.Number, err)
		}
	}
	o.Say(job.Message{Event: job.Finished})
	return nil
}

func openEnvironment(path string, o Outside) (*Environment, error) {
	file, err := o.Open(path)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	data, err := io.ReadAll(file)
	if err != nil {
		return nil, err
	}
	return DecodeEnvironment(data)
}

// DecodeEnvironment reads a picture file as an environment.
func DecodeEnvironment(data []byte) (*Environment, error) {
	p, err := picture.Decode(data)
	if err != nil {
		return nil, err
	}
	return NewEnvironment(p.Image)
}

func performFrame(ctx context.Context, model *Model, around *Environment, j job.Job, f job.Frame, o Outside) error {
	began := o.Now()
	o.Say(job.Message{Event: job.Started, Frame: f.Number})
	open := 0.0
	if j.View.Setup.Blur {
		open = j.View.Setup.ShutterSeconds(j.Rate.PerSecond())
	}
	world := model.During(j.Rate.Seconds(f.Number, j.FirstFrame), open, j.View.Look, around)
	background, err := BackgroundOf(j.Background)
	if err != nil {
		return err
	}
	settings := Settings{
		Size: j.Size, PixelAspect: j.PixelAspect, Fit: j.Fit, Background: background, Region: j.Region.Rectangle(), Passes: j.Passes, LightGroups: j.LightGroups,
		Samples: j.Samples, Filter: j.Filter, Effort: j.Effort, OtherFilter: j.OtherFilter,
		Setup: j.View.Setup, FramesPerSecond: j.Rate.PerSecond(), Frame: f.Number, DepthBackground: j.DepthBackground, Depth: j.Depth, OcclusionRadius: j.OcclusionRadius,
	}
	_, optics, err := world.CameraPose(j.View.Camera)
	if err != nil {
		return err
	}
	h := picture.Header{Rate: j.Rate, Frame: f.Number, PixelAspect: j.PixelAspect, FocalLength: j.View.Setup.FocalOf(optics)}
	_, _, projection, err := world.aim(j.View.Camera, settings)
	if err != nil {
		return err
	}
	h.Attributes = cameraAttributes(projection, j.Size)
	region := j.Region.Rectangle()
	if !region.Empty() && !j.CutOut {
		h.Window, h.Display = region, image.Rect(0, 0, j.Size.Width, j.Size.Height)
	}
	tiling := j.Tiles
	if region.Empty() {
		tiling = tiling.For(j.Size)
	} else {
		tiling = tiling.For(raster.Size{Width: region.Dx(), Height: region.Dy()})
	}
	if !tiling.Single() && o.Create != nil && j.Effort.Seconds == 0 { // a time limit is for all of a picture at once
		return tiled(ctx, world, settings, tiling, j, f, h, o)
	}
	img, stats, err := world.RenderWatched(ctx, j.View.Camera, settings, watching(f.Number, o))
	if err != nil {
		return err
	}
	f.Facts = append(f.Facts[:len(f.Facts):len(f.Facts)], effortFacts(j, stats)...)
	return writeWhole(img, h, j, f, f.Files, began, stats, o, world)
}

// cameraAttributes are what OpenEXR files say of a camera, as the project's "Standard Attributes" has it: where things lie for it, and in the whole picture.
func cameraAttributes(p lens.Projection, size raster.Size) imagefile.Attributes {
	single := func(m lens.Matrix) (out imagefile.M44f) {
		for i, v := range m {
			out[i] = float32(v)
		}
		return out
	}
	all := imagefile.Attributes{{Name: "worldToCamera", Value: single(p.ToCamera())}}
	if m, ok := p.ToNDC(size); ok {
		all = append(all, imagefile.Attribute{Name: "worldToNDC", Value: single(m)})
	}
	return all
}

// watching says how far a frame has come, each time that a tenth more is done.
func watching(frame int, o Outside) func(Progress) {
	var mutex sync.Mutex
	said, began := 0.0, o.Now()
	return func(p Progress) {
		mutex.Lock()
		defer mutex.Unlock()
		if p.Done < said+0.1 {
			return
		}
		said = p.Done
		took := o.Now().Sub(began).Seconds()
		o.Say(job.Message{
			Event: job.Progress, Frame: frame, Progress: p.Done, Remaining: took * (1 - p.Done) / p.Done, RaysPerSecond: float64(p.Rays) / max(1e-9, took),
			Memory: o.memory(),
		})
	}
}

// effortFacts say what cannot be told from the job: how much was done before a time limit or at a noise.
func effortFacts(j job.Job, s Stats) []job.Fact {
	var facts []job.Fact
	mean := float64(s.Samples) / float64(max(1, s.Pixels))
	if j.Effort.Noise > 0 || s.Stopped {
		facts = append(facts, job.Fact{Name: "samples", Value: fmt.Sprintf("%.1f a pixel of at most %d", mean, j.Samples*j.Samples)})
	}
	if s.Stopped {
		facts = append(facts, job.Fact{Name: "stopped", Value: fmt.Sprintf("by its time limit of %g s", j.Effort.Seconds)})
	}
	return facts
}

// encodeFile makes one file of a rendered frame: reduced, stamped, encoded.
func encodeFile(img *pixel.Image, h picture.Header, j job.Job, f job.Frame, out job.File, rendered time.Duration) ([]byte, error) {
	img, err := picture.Select(img, out.Passes)
	if err != nil {
		return nil, err
	}
	if out.Size != (raster.Size{}) {
		h.Window, h.Display = image.Rectangle{}, image.Rectangle{} // a part of a reduced picture is a picture of its own
		img = img.Resize(out.Size.Width, out.Size.Height, out.Kernel, filteredPlanes(out.Passes, j.Depth))
	}
	if out.Stamp.On {
		img = img.Clone()
		squeeze := j.PixelAspect
		if squeeze == 0 {
			squeeze = 1
		}
		if err := out.Stamp.Timed(rendered).Draw(img, squeeze); err != nil {
			return nil, err
		}
	}
	var b bytes.Buffer
	facts := append(j.Facts[:len(j.Facts):len(j.Facts)], f.Facts...)
	if out.Stamp.On && out.Stamp.Has(stamp.RenderTime) {
		facts = append(facts, job.Fact{Name: stamp.RenderTime, Value: stamp.Took(rendered)})
	}
	h.Facts = facts
	err = picture.Encode(&b, out.Encoding, img, out.Passes, h)
	return b.Bytes(), err
}

// filteredPlanes answers which planes of the passes hold values that may be averaged.
func filteredPlanes(passes []pass.Code, depth pass.DepthStyle) func(plane string) bool {
	filtered := map[string]bool{}
	for _, code := range passes {
		described, err := pass.Find(code)
		if err != nil {
			continue
		}
		for _, name := range described.ChannelNames() {
			filtered[name] = described.Filtered || code == pass.Depth && depth.Filtered
		}
	}
	return func(plane string) bool { return filtered[plane] }
}

// BackgroundOf returns the background that a production, or a look, asks for.
func BackgroundOf(b look.Background) (Background, error) {
	switch b.Kind {
	case look.Transparent:
		return Background{Transparent: true}, nil
	case look.PlainColour:
		light, err := b.Light()
		return Background{Plain: true, Colour: light}, err
	}
	return Background{}, nil
}
