// Package preview shows views while they are being set up: pictures that are rendered in this process, coarse at first
// and sharper while nothing changes, and what lies at a point of them. Nothing of it is delivered; that is what the
// farm is for.
package preview

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"

	"reelhouse/assets"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/trace"
	"reelhouse/house"
	"reelhouse/house/waiting"
)

// A Step is how sharp a picture is.
type Step struct {
	Part    int // the edges are divided by it
	Samples int // along each edge of a pixel
}

// Steps returns the steps of a picture that sharpens. The first one is there to be quick.
func Steps() []Step { return []Step{{3, 1}, {1, 1}, {1, 2}, {1, 4}} }

// How much is kept in memory: scenes made ready for rays, moments of them, and environments.
const (
	keptModels       = 2
	keptWorlds       = 6
	keptEnvironments = 3
	mostEnvironments = 2 << 30 // bytes
	keptSights       = 1000
	keptPasses       = 4
)

// quickAtOnce is how many first pictures, and points of pictures, are worked out side by side.
const quickAtOnce = 4

// Previews renders pictures of a house's scenes. It may be used by many goroutines at once. One picture is sharpened at
// a time, the one that was asked for last before the others; a first one, and what lies at a point, does not wait for
// that. What nobody waits for ends.
type Previews struct {
	house *house.House
	slow  *waiting.Line
	quick *waiting.Line

	models       *waiting.Shelf[*trace.Model]
	worlds       *waiting.Shelf[*trace.World]
	environments *waiting.Shelf[*trace.Environment]
	sights       *waiting.Shelf[trace.Sight]
	passes       *waiting.Shelf[Wall]
}

// New returns previews without anything in memory.
func New(h *house.House) *Previews {
	return &Previews{
		house: h, slow: waiting.NewLine(1), quick: waiting.NewLine(quickAtOnce),
		models:       waiting.NewShelf[*trace.Model](keptModels, 0, nil),
		worlds:       waiting.NewShelf[*trace.World](keptWorlds, 0, nil),
		environments: waiting.NewShelf(keptEnvironments, mostEnvironments, (*trace.Environment).Bytes),
		sights:       waiting.NewShelf[trace.Sight](keptSights, 0, nil),
		passes:       waiting.NewShelf[Wall](keptPasses, 0, nil),
	}
}

// Picture renders a picture at a step, as a PNG of 8 bits.
func (p *Previews) Picture(ctx context.Context, t Request, step Step) ([]byte, error) {
	line := p.slow
	if step == Steps()[0] {
		line = p.quick
	}
	return waiting.In(ctx, line, func() ([]byte, error) { return p.picture(ctx, t, step) })
}

func (p *Previews) picture(ctx context.Context, t Request, step Step) ([]byte, error) {
	w, err := p.world(ctx, t)
	if err != nil {
		return nil, err
	}
	s, err := settings(t, step)
	if err != nil {
		return nil, err
	}
	img, err := w.Render(ctx, t.Camera, s, func(float64) {})
	if err != nil {
		return nil, err
	}
	encoding := output.PNG.Usual()
	encoding.Depth, encoding.Level = output.Eight, 1
	var b bytes.Buffer
	err = picture.Encode(&b, encoding, img, s.Passes, picture.Header{})
	return b.Bytes(), err
}

// passSamples are the samples along a pixel's edge of Passes.
const passSamples = 2

// A Wall is a picture in every pass, and what the IDs of its Cryptomattes stand for.
type Wall struct {
	Image *pixel.Image
	Names map[float32]string
	Stats trace.Stats
}

// Passes renders every pass of a picture, to be looked at one by one, depth in metres; the last ones are kept.
func (p *Previews) Passes(
	ctx context.Context, t Request, a production.Production, depth pass.DepthSettings,
) (Wall, error) {
	return p.passes.Get(
		ctx,
		key(t.Key(), depth.Background, depth.OcclusionRadius, a.LightGroups),
		func(ctx context.Context) (Wall, error) {
			return waiting.In(ctx, p.slow, func() (Wall, error) { return p.wall(ctx, t, a, depth) })
		},
	)
}

func (p *Previews) wall(
	ctx context.Context, t Request, a production.Production, depth pass.DepthSettings,
) (Wall, error) {
	w, err := p.world(ctx, t)
	if err != nil {
		return Wall{}, err
	}
	s, err := settings(t, Step{1, passSamples})
	if err != nil {
		return Wall{}, err
	}
	names := map[float32]string{}
	s.Passes, s.DepthBackground, s.OcclusionRadius = nil, depth.Background, depth.OcclusionRadius
	s.LightGroups = a.LightGroups
	for _, described := range a.KnownPasses() {
		s.Passes = append(s.Passes, described.Code)
		if described.IsCryptomatte() {
			for _, name := range w.MatteNames(described.Code) {
				names[pass.ID(name)] = name
			}
		}
	}
	img, stats, err := w.RenderWatched(ctx, t.Camera, s, func(trace.Progress) {})
	return Wall{img, names, stats}, err
}

// Depths measures how deep a picture is over several frames.
func (p *Previews) Depths(ctx context.Context, t Request, frames []int) (trace.Depths, error) {
	return waiting.In(ctx, p.slow, func() (all trace.Depths, err error) {
		for _, n := range frames {
			if err := ctx.Err(); err != nil {
				return all, err
			}
			t.Frame = n
			w, err := p.moment(ctx, t, false)
			if err != nil {
				return all, err
			}
			s, err := settings(t, Step{1, 1})
			if err != nil {
				return all, err
			}
			d, err := w.Depths(t.Camera, s)
			if err != nil {
				return all, err
			}
			all.Add(d)
		}
		return all, nil
	})
}

// Pick returns what a picture shows at a place, given in parts of its width and height from the top left corner.
func (p *Previews) Pick(ctx context.Context, t Request, x, y float64) (trace.Picked, error) {
	return waiting.In(ctx, p.quick, func() (trace.Picked, error) {
		w, err := p.world(ctx, t)
		if err != nil {
			return trace.Picked{}, err
		}
		s, err := settings(t, Step{1, 1})
		if err != nil {
			return trace.Picked{}, err
		}
		return w.Pick(t.Camera, s, x*float64(s.Size.Width), y*float64(s.Size.Height))
	})
}

// Sight finds out whether the camera of a picture stands inside an object, or sees nothing.
func (p *Previews) Sight(ctx context.Context, t Request) (trace.Sight, error) {
	return p.sights.Get(ctx, t.Key(), func(ctx context.Context) (trace.Sight, error) {
		return waiting.In(ctx, p.quick, func() (trace.Sight, error) {
			w, err := p.moment(ctx, t, false)
			if err != nil {
				return trace.Sight{}, err
			}
			s, err := settings(t, Step{1, 1})
			if err != nil {
				return trace.Sight{}, err
			}
			return w.Sight(t.Camera, s)
		})
	})
}

func settings(t Request, step Step) (trace.Settings, error) {
	background, err := trace.BackgroundOf(t.Background)
	return trace.Settings{
		Size: raster.Size{
			Width:  max(1, t.Size.Width/step.Part),
			Height: max(1, t.Size.Height/step.Part),
		}, Fit: t.Fit, Background: background,
		Passes: []pass.Code{
			pass.Beauty,
		}, Setup: t.Setup, FramesPerSecond: t.Rate.PerSecond(), Samples: step.Samples, Filter: pixel.Box,
		Frame: t.Frame,
	}, err
}

// world returns the moment that a picture shows, and keeps it.
func (p *Previews) world(ctx context.Context, t Request) (*trace.World, error) {
	return p.moment(ctx, t, true)
}

func (p *Previews) moment(ctx context.Context, t Request, keep bool) (w *trace.World, err error) {
	defer func() {
		if r := recover(); r != nil {
			w, err = nil, fmt.Errorf("the preview broke down: %v", r)
		}
	}()
	if t.Scene.Opaque != nil {
		return nil, fmt.Errorf("%s can be read by its own renderer only", t.Scene.Name)
	}
	model, err := p.models.Get(
		ctx,
		key(assets.Key(t.Scene), t.Look.Dress()),
		func(context.Context) (*trace.Model, error) {
			s, err := p.house.Assets.Scene(t.Scene)
			if err != nil {
				return nil, err
			}
			return trace.Prepare(t.Look.Dressed(s)), nil
		},
	)
	if err != nil {
		return nil, err
	}
	around, err := p.environment(ctx, t.Environment)
	if err != nil {
		return nil, err
	}
	seconds := t.Rate.Seconds(t.Frame, t.FirstFrame)
	open := 0.0
	if t.Setup.Blur {
		open = t.Setup.ShutterSeconds(t.Rate.PerSecond())
	}
	if !keep {
		return model.At(seconds, t.Look, around), nil
	}
	of := key(assets.Key(t.Scene), unnamed(t.Look), t.Environment.SHA256, seconds, open)
	return p.worlds.Get(
		ctx,
		of,
		func(context.Context) (*trace.World, error) { return model.During(seconds, open, t.Look, around), nil },
	)
}

func (p *Previews) environment(ctx context.Context, e production.EnvironmentFile) (*trace.Environment, error) {
	if e.SHA256 == "" {
		return nil, nil
	}
	return p.environments.Get(ctx, e.SHA256, func(context.Context) (*trace.Environment, error) {
		data, err := os.ReadFile(p.house.Assets.EnvironmentPath(e))
		if err != nil {
			return nil, fmt.Errorf("environment %s: %w", e.Code, err)
		}
		return trace.DecodeEnvironment(data)
	})
}

// unnamed returns the look without what changes nothing in a picture.
func unnamed(l look.Look) look.Look {
	l.Code, l.Name, l.Base = "", "", ""
	return l
}

// key names something by all that it depends on.
func key(parts ...any) string {
	text, err := json.Marshal(parts)
	if err != nil {
		panic(err) // plain data; a number that is none was refused before
	}
	return string(text)
}
