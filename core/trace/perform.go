package trace

import (
	"context"
	"fmt"
	"io"
	"math"
	"slices"
	"sync"
	"time"

	"reelhouse/core/framefile"
	"reelhouse/core/imagefile"
	"reelhouse/core/job"
	"reelhouse/core/lens"
	"reelhouse/core/look"
	"reelhouse/core/lut"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
)

// Outside is what performing a job needs of the world.
type Outside struct {
	Open   func(path string) (io.ReadCloser, error)
	Create func(path string) (framefile.File, error)
	Now    func() time.Time
	Say    func(job.Message) // is never called by two goroutines at once
	// Prepared hears when the scene stands, with how many bytes rendering should do with beside it, 0 for any; nil
	// where nobody minds.
	Prepared func(memory int64)
	// Memory returns the most bytes that the program has taken so far; nil where nobody knows.
	Memory func() int64

	table func(path string) (*lut.Transform, error) // reads look-up tables
}

func (o Outside) memory() int64 {
	if o.Memory == nil {
		return 0
	}
	return o.Memory()
}

// Perform renders every frame of a job and writes every file, as the renderer contract wants.
func Perform(ctx context.Context, j job.Job, o Outside) error {
	o.table = framefile.Tables(o.Open)
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
	if o.Prepared != nil {
		o.Prepared(j.Memory)
	}
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

// linesAtOnce is how many lines of an environment's file are decoded together.
const linesAtOnce = 256

// DecodeEnvironment reads a picture file as an environment.
func DecodeEnvironment(data []byte) (*Environment, error) {
	f, err := picture.Open(data)
	if err != nil {
		return nil, err
	}
	width, height := f.Headers[0].Width(), f.Headers[0].Height()
	e, err := blankEnvironment(width, height)
	if err != nil {
		return nil, err
	}
	for y := 0; y < height; y += linesAtOnce {
		p, err := f.Lines(0, y, min(y+linesAtOnce, height))
		if err == nil {
			err = e.lines(y, p.Image)
		}
		if err != nil {
			return nil, err
		}
	}
	e.weigh()
	return e, nil
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
		Clock: o.Now,
		Size:  j.Size, PixelAspect: j.PixelAspect, Fit: j.Fit, Background: background, Region: j.Region.Rectangle(),
		Passes: j.Passes, LightGroups: j.LightGroups,
		Samples: j.Samples, Filter: j.Filter, Effort: j.Effort, OtherFilter: j.OtherFilter,
		Setup: j.View.Setup, FramesPerSecond: j.Rate.PerSecond(), Frame: f.Number, DepthBackground: j.DepthBackground,
		Depth: j.Depth, OcclusionRadius: j.OcclusionRadius,
	}
	_, optics, err := world.CameraPose(j.View.Camera)
	if err != nil {
		return err
	}
	h := picture.Header{
		Rate:        j.Rate,
		Frame:       f.Number,
		PixelAspect: j.PixelAspect,
		FocalLength: j.View.Setup.At(float64(f.Number)).FocalOf(optics),
	}
	_, window, projection, err := world.aim(j.View.Camera, settings)
	if err != nil {
		return err
	}
	h.Attributes = cameraAttributes(projection, j.Size)
	h.Attributes = append(h.Attributes, shownAttributes(j, optics, window)...)
	files := framefile.Frame{Job: j, Frame: f, Header: h, Mattes: world.cryptomattes}
	area := j.Area()
	tiling := j.Tiles.For(raster.Size{Width: area.Dx(), Height: area.Dy()})
	if !tiling.Single() && j.Effort.Seconds == 0 { // a time limit is for all of a picture at once
		return tiled(ctx, world, settings, tiling, files, began, o)
	}
	img, stats, err := world.RenderWatched(ctx, j.View.Camera, settings, watching(f.Number, o))
	if err != nil {
		return err
	}
	if j.Effort.Noise > 0 { // which is told here, since a frame in tiles is the same file
		mean := float64(stats.Samples) / float64(max(1, stats.Pixels))
		o.Say(
			job.Message{
				Event: job.Note,
				Frame: f.Number,
				Text:  fmt.Sprintf("%.1f samples a pixel of at most %d", mean, j.Samples*j.Samples),
			},
		)
	}
	files.Frame.Facts = append(f.Facts[:len(f.Facts):len(f.Facts)], effortFacts(j, stats)...)
	return files.WriteWhole(img, f.Files, o.Now().Sub(began), o.files(f.Number, began, &stats))
}

// cameraAttributes are what OpenEXR files say of a camera, as the project's "Standard Attributes" have it: where things
// lie for it, and in the display window.
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

// shownAttributes are what OpenEXR files say of the lens and of what the picture shows, and in which axes normals
// stand. The film back has a standard attribute, in millimetres (from memory); the others stand under our prefix.
func shownAttributes(j job.Job, optics scene.Camera, window raster.Window) imagefile.Attributes {
	var all imagefile.Attributes
	add := func(name string, value any) { all = append(all, imagefile.Attribute{Name: name, Value: value}) }
	setup := j.View.Setup
	switch wide, high := setup.BackOf(optics); {
	case setup.Panorama:
		add(picture.CameraPrefix+"fieldOfView", imagefile.V2f{360, 180})
	case wide == 0:
		add(picture.CameraPrefix+"extent", imagefile.V2f{float32(window.Width()), float32(window.Height())})
	default:
		add("sensorOverallDimensions", imagefile.V2f{float32(wide), float32(high)})
		sees := lens.AnglesIn(window)
		add(
			picture.CameraPrefix+"fieldOfView",
			imagefile.V2f{float32(lens.Degrees(sees.Across)), float32(lens.Degrees(sees.Up))},
		)
	}
	add(picture.CameraPrefix+"clipping", imagefile.V2f{0, float32(math.Inf(1))}) // nothing is cut off
	if slices.Contains(j.Passes, pass.Normal) {
		add(picture.CameraPrefix+"normal", "world axes, right-handed, +Y up")
	}
	if slices.Contains(j.Passes, pass.CameraNormal) {
		add(picture.CameraPrefix+"cameranormal", "camera axes: x to its right, y up, z towards it; right-handed")
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
			Event: job.Progress, Frame: frame, Progress: p.Done, Remaining: took * (1 - p.Done) / p.Done,
			RaysPerSecond: float64(p.Rays) / max(1e-9, took),
			Memory:        o.memory(),
		})
	}
}

// effortFacts say what a time limit has left undone.
func effortFacts(j job.Job, s Stats) []job.Fact {
	if !s.Stopped {
		return nil
	}
	mean := float64(s.Samples) / float64(max(1, s.Pixels))
	return []job.Fact{
		{Name: "samples", Value: fmt.Sprintf("%.1f a pixel of at most %d", mean, j.Samples*j.Samples)},
		{Name: "stopped", Value: fmt.Sprintf("by its time limit of %g s", j.Effort.Seconds)},
	}
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
