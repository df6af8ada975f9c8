package trace

import (
	"context"
	"fmt"
	"image"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
	"reelhouse/core/scene"
)

// Stats tell what a rendering took.
type Stats struct {
	Rays    int64         // sent, of all kinds
	Samples int64         // over all pixels
	Pixels  int64         // that were sampled
	Took    time.Duration // from the first ray to the last
	Stopped bool          // by the time limit, before all samples were taken
}

// Progress is how far a rendering has come.
type Progress struct {
	Done float64 // 0 to 1
	Rays int64
}

// Render renders the named camera's picture. The image has the planes of the passes, by the names of
// pass.ChannelNames, and the region's size. progress is called with 0 to 1, from several goroutines. It
// ends early with ctx's error.
func (w *World) Render(ctx context.Context, name string, s Settings, progress func(float64)) (*pixel.Image, error) {
	img, _, err := w.RenderWatched(ctx, name, s, func(p Progress) { progress(p.Done) })
	return img, err
}

// RenderWatched is Render, and tells what it takes.
func (w *World) RenderWatched(
	ctx context.Context,
	name string,
	s Settings,
	watch func(Progress),
) (*pixel.Image, Stats, error) {
	if err := s.Check(); err != nil {
		return nil, Stats{}, err
	}
	p, err := w.begin(name, s)
	if err != nil {
		return nil, Stats{}, err
	}
	p.watch = watch
	stop := context.AfterFunc(ctx, func() { p.stopped.Store(true) })
	defer stop()
	began := s.now()
	if s.Effort.Seconds > 0 {
		p.clock, p.deadline = s.Clock, began.Add(time.Duration(s.Effort.Seconds*float64(time.Second)))
	}
	if err := p.run(ctx); err != nil {
		return nil, Stats{}, err
	}
	if p.channels.halves >= 0 {
		p.denoise()
	}
	stats := p.stats()
	stats.Took = s.now().Sub(began)
	return p.cropped(), stats, nil
}

// aim returns what the settings make of the named camera, what it shows, and its rays.
func (w *World) aim(name string, s Settings) (camera.View, raster.Window, lens.Projection, error) {
	pose, optics, err := w.CameraPose(name)
	if err != nil {
		return camera.View{}, raster.Window{}, lens.Projection{}, err
	}
	view, window, projection := s.projection(pose, optics, float64(s.Frame))
	return view, window, projection, nil
}

// projection returns what the settings make of a camera at a frame, or between two, what it shows, and its rays.
func (s Settings) projection(
	pose geom.Affine, optics scene.Camera, frame float64,
) (camera.View, raster.Window, lens.Projection) {
	if s.PixelAspect == 0 {
		s.PixelAspect = 1
	}
	view := s.Setup.At(frame).Of(pose, optics)
	window := view.Window(s.Fit, s.Size, s.PixelAspect)
	return view, window, view.Projection(window, s.Size)
}

// grid sends rays evenly over a picture, until one of them is enough.
func (t *tracer) grid(
	picture image.Rectangle,
	p lens.Projection,
	columns, rows int,
	enough func(origin, direction geom.Vec, h *hit, found bool) bool,
) {
	for row := range rows {
		for column := range columns {
			x := float64(picture.Min.X) + (float64(column)+0.5)/float64(columns)*float64(picture.Dx())
			y := float64(picture.Min.Y) + (float64(row)+0.5)/float64(rows)*float64(picture.Dy())
			var h hit
			origin, direction := p.Ray(x, y)
			if enough(origin, direction, &h, t.seenFirst(origin, direction, &h)) {
				return
			}
		}
	}
}

// A rendering is one picture under way.
type rendering struct {
	world       *World
	settings    Settings
	groups      *grouping
	sampler     pixel.Sampler
	region      image.Rectangle // that is rendered: what is wanted, and around it what a denoiser looks at
	window      image.Rectangle // the pixels that hold picture; outside are bars
	projection  lens.Projection
	moving      []lens.Projection // at even steps while the shutter is open; nil for a camera that stays
	opening     float64           // radius of the lens in metres, 0 if everything is sharp
	focus       float64           // metres ahead
	spread      float64           // of textures, by which each metre widens what is averaged
	most, least int               // samples of a pixel
	image       *pixel.Image
	channels    channels
	out         map[pass.Code][][]float32 // planes of each pass that is wanted
	centred     []centred
	means       []mean
	mattes      []matte
	next        *shifted // the frames around, for passes of motion
	before      *shifted
	noisy       *noisy // what a denoiser works on

	tiles    []*tile
	stopped  atomic.Bool
	deadline time.Time // zero for none
	clock    func() time.Time
	late     atomic.Bool
	watch    func(Progress)
	done     atomic.Int64 // samples
	asked    int64        // samples at most
	rays     atomic.Int64
	broken   atomic.Value // the error of a tile that could not be rendered
}

// begin sets up a rendering.
func (w *World) begin(name string, s Settings) (*rendering, error) {
	view, window, projection, err := w.aim(name, s)
	if err != nil {
		return nil, err
	}
	whole := image.Rect(0, 0, s.Size.Width, s.Size.Height)
	if s.Region.Empty() {
		s.Region = whole
	}
	if gain, own := s.Setup.Gain(s.FramesPerSecond); own {
		exposed := *w
		exposed.gain = gain
		w = &exposed
	}
	p := &rendering{
		world: w, settings: s, groups: noGroups, sampler: s.Filter.Sampler(), region: s.Region, window: window.Picture,
		projection: projection, opening: view.Lens, focus: view.Focus,
		most: s.Samples * s.Samples, spread: projection.PixelAngle() / float64(s.Samples),
	}
	p.least = p.most
	if s.Effort.Noise > 0 {
		least := s.Effort.Least
		if least == 0 {
			least = sampling.UsualLeast
		}
		p.least = min(p.most, least*least)
	}
	p.moving, err = w.cameraMoves(name, s)
	if err != nil {
		return nil, err
	}
	if slices.Contains(s.Passes, pass.Denoised) {
		p.region = s.Region.Inset(-denoiseReach).Intersect(whole)
	}
	p.image = pixel.New(p.region.Dx(), p.region.Dy())
	p.channels.none()
	for _, code := range pass.Sorted(s.Passes) {
		described, _ := pass.Find(code)
		for _, name := range described.ChannelNames() {
			p.image.Planes = append(
				p.image.Planes,
				pixel.Plane{Name: name, Half: !described.Data, Data: make([]float32, p.image.Width*p.image.Height)},
			)
		}
		p.wants(described)
	}
	p.findMeans()
	if p.channels.halves >= 0 {
		p.noisy = p.newNoisy()
	}
	p.cut()
	return p, p.look(name)
}

// cameraMoves returns the projections of a camera that moves while the shutter is open; nil for one that stays.
func (w *World) cameraMoves(name string, s Settings) ([]lens.Projection, error) {
	if w.open == 0 || !s.Setup.Blur || s.Setup.Stand != nil {
		return nil, nil
	}
	source, err := camera.SourceOf(w.model.scene, name)
	if err != nil {
		return nil, err
	}
	var all []lens.Projection
	for i, pose := range w.poses(moveSteps) {
		frame := float64(s.Frame) + w.open*s.perSecond()*(float64(i)/moveSteps-midway)
		_, _, projection := s.projection(source.Pose(pose), source.Optics, frame)
		all = append(all, projection)
	}
	if !slices.ContainsFunc(all, func(p lens.Projection) bool { return p != all[0] }) {
		return nil, nil
	}
	return all, nil
}

// at returns the projection at a time while the shutter is open.
func (p *rendering) at(time float64) *lens.Projection {
	if p.moving == nil {
		return &p.projection
	}
	at := time * float64(len(p.moving)-1)
	k := min(int(at), len(p.moving)-2)
	between := lens.Between(p.moving[k], p.moving[k+1], at-float64(k))
	return &between
}

// wants makes room for a pass.
func (p *rendering) wants(described pass.Pass) {
	var planes [][]float32
	for _, name := range described.ChannelNames() {
		planes = append(planes, p.image.Plane(name).Data)
	}
	if p.out == nil {
		p.out = map[pass.Code][][]float32{}
	}
	p.out[described.Code] = planes
	switch {
	case described.IsCryptomatte():
		p.mattes = append(p.mattes, p.world.newMatte(described.Code, planes))
	case !p.channels.want(described.Code, &p.settings):
		p.centred = append(p.centred, centred{described.Code, planes})
	}
	if _, ok := described.Code.LightGroup(); ok && p.groups == noGroups {
		p.groups = p.world.newGrouping(p.settings.LightGroups)
	}
}

// A mean is planes that hold means of values just as they are.
type mean struct {
	planes [][]float32
	at     int
}

func (p *rendering) findMeans() {
	c := &p.channels
	for _, m := range append([]averaged{
		{pass.Albedo, c.albedo, 3}, {pass.GuideAlbedo, c.albedo, 3}, {pass.Object, c.object, 3},
		{pass.GuideNormal, c.normals, 3},
		{pass.Occlusion, c.open, 1}, {pass.Shadow, c.shade, 1}, {pass.GuideDepth, c.guide, 1}, {pass.Depth, c.deep, 1},
	}, c.data...) {
		planes := p.out[m.code]
		if planes != nil && m.at >= 0 &&
			!slices.ContainsFunc(p.centred, func(o centred) bool { return o.code == m.code }) {
			p.means = append(p.means, mean{planes, m.at})
		}
	}
}

// Sizes of the tiles that are rendered at once.
const (
	tileEdge  = 32
	splatEdge = 64 // where samples of the tiles around are taken again
)

// cut cuts the region into tiles.
func (p *rendering) cut() {
	edge, reach := tileEdge, 0
	if p.settings.Effort.Splat {
		edge, reach = splatEdge, int(p.settings.Filter.Radius()+0.5)
	}
	for y := p.region.Min.Y; y < p.region.Max.Y; y += edge {
		for x := p.region.Min.X; x < p.region.Max.X; x += edge {
			t := &tile{area: image.Rect(x, y, x+edge, y+edge).Intersect(p.region)}
			t.source = t.area.Inset(-reach).Intersect(p.window)
			p.tiles = append(p.tiles, t)
			p.asked += int64(t.source.Dx() * t.source.Dy() * p.most)
		}
	}
}

// rounds returns how many samples a pixel has after each round: all at once, unless it may be done earlier.
func (p *rendering) rounds() []int {
	var all []int
	switch {
	case !p.deadline.IsZero():
		for n := 1; n < p.most; n *= 2 {
			all = append(all, n)
		}
	case p.least < p.most:
		for n := p.least; n < p.most; n *= 2 {
			all = append(all, n)
		}
	}
	return append(all, p.most)
}

// run renders all tiles. With a time limit, all get their first samples before any gets its next.
func (p *rendering) run(ctx context.Context) error {
	rounds := p.rounds()
	if p.deadline.IsZero() {
		p.each(func(w *worker, t *tile) {
			for _, upTo := range rounds {
				w.round(t, upTo)
			}
			w.finish(t)
		})
	} else {
		for i, upTo := range rounds {
			if p.late.Load() {
				break
			}
			p.each(func(w *worker, t *tile) {
				w.timed = i > 0
				w.round(t, upTo)
			})
		}
		p.each(func(w *worker, t *tile) { w.finish(t) })
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	if err, ok := p.broken.Load().(error); ok {
		return err
	}
	p.watch(Progress{1, p.rays.Load()})
	return nil
}

// each lets all cores work on the tiles.
func (p *rendering) each(do func(w *worker, t *tile)) {
	var next atomic.Int64
	var wait sync.WaitGroup
	for range min(len(p.tiles), runtime.GOMAXPROCS(0)) {
		wait.Go(func() {
			defer func() {
				if r := recover(); r != nil {
					p.broken.Store(fmt.Errorf("the renderer broke down: %v", r))
					p.stopped.Store(true)
				}
			}()
			w := p.newWorker()
			for !p.stopped.Load() {
				i := int(next.Add(1)) - 1
				if i >= len(p.tiles) {
					return
				}
				do(w, p.tiles[i])
				p.rays.Add(w.rays)
				w.rays = 0
				p.watch(Progress{min(1, float64(p.done.Load())/float64(max(1, p.asked))), p.rays.Load()})
			}
		})
	}
	wait.Wait()
}

func (p *rendering) stats() Stats {
	s := Stats{Rays: p.rays.Load(), Stopped: p.late.Load()}
	for _, t := range p.tiles {
		s.Pixels += int64(t.source.Dx() * t.source.Dy())
		s.Samples += t.counted
	}
	return s
}

// cropped returns the part of the picture that is wanted.
func (p *rendering) cropped() *pixel.Image {
	if p.region == p.settings.Region {
		return p.image
	}
	return p.image.Crop(p.settings.Region.Sub(p.region.Min))
}
