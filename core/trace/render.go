package trace

import (
	"context"
	"fmt"
	"image"
	"math"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/look"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
)

// DefaultOcclusion is the radius of occlusion that is not stated, in metres.
const DefaultOcclusion = 2.0

// MaxSamples is the most samples along one edge of a pixel.
const MaxSamples = 64

// Settings say what to render.
type Settings struct {
	Size            raster.Size
	PixelAspect     float64 // a pixel's width over its height; 0 for 1
	Fit             raster.Fit
	Background      Background
	Region          image.Rectangle // the part of the picture wanted; empty for all of it
	Passes          []pass.Code
	Setup           camera.Setup
	FramesPerSecond float64 // how long a shutter angle is; 0 for 24
	Samples         int     // along each edge of a pixel: 2 is 2 x 2
	Filter          pixel.Filter
	Frame           int     // changes the pattern of noise from frame to frame
	DepthBackground float64 // metres, where there is no surface
	Depth           pass.DepthStyle
	// OcclusionRadius is how far, in metres, the pass of occlusion looks; 0 for DefaultOcclusion.
	OcclusionRadius float64
}

// A Background is what the camera sees where there is no surface. The zero value is the look's sky.
type Background struct {
	Transparent bool
	Plain       bool     // Colour, instead of the sky
	Colour      geom.Vec // linear light, as it stands in the picture
}

// Check says what is wrong with the settings, or nil.
func (s Settings) Check() error {
	switch {
	case !s.Size.Valid():
		return fmt.Errorf("a picture of %v cannot be rendered", s.Size)
	case s.Samples < 1 || s.Samples > MaxSamples:
		return fmt.Errorf("%d samples a pixel edge; 1 to %d are possible", s.Samples, MaxSamples)
	case !(s.OcclusionRadius >= 0) || math.IsInf(s.OcclusionRadius, 0):
		return fmt.Errorf("a radius of occlusion of %v m is no distance", s.OcclusionRadius)
	case len(s.Passes) == 0:
		return fmt.Errorf("no pass is asked for")
	case !s.Region.In(image.Rect(0, 0, s.Size.Width, s.Size.Height)):
		return fmt.Errorf("region %v lies outside the picture of %v", s.Region, s.Size)
	case math.IsNaN(s.DepthBackground) || math.IsInf(s.DepthBackground, 0):
		return fmt.Errorf("the background's depth is not a finite number")
	}
	for _, code := range s.Passes {
		if _, err := pass.Find(code); err != nil {
			return err
		}
	}
	if err := s.Depth.Check(); err != nil {
		return err
	}
	if err := s.Fit.Check(); err != nil {
		return err
	}
	if err := s.Setup.Check(); err != nil {
		return err
	}
	return s.Filter.Check()
}

// Render renders the named camera's picture. The image has the planes of the passes, by the names of
// pass.ChannelNames, and the region's size. progress is called with 0 to 1, from several goroutines. It
// ends early with ctx's error.
func (w *World) Render(ctx context.Context, name string, s Settings, progress func(float64)) (*pixel.Image, error) {
	if err := s.Check(); err != nil {
		return nil, err
	}
	view, window, projection, err := w.aim(name, s)
	if err != nil {
		return nil, err
	}
	if s.Region.Empty() {
		s.Region = image.Rect(0, 0, s.Size.Width, s.Size.Height)
	}
	if gain, own := s.Setup.Gain(s.FramesPerSecond); own {
		exposed := *w
		exposed.gain = gain
		w = &exposed
	}
	p := &rendering{
		world: w, settings: s, window: window.Picture,
		projection: projection, opening: view.Lens, focus: view.Focus,
		image: pixel.New(s.Region.Dx(), s.Region.Dy()),
	}
	for _, code := range pass.Sorted(s.Passes) {
		described, _ := pass.Find(code)
		for _, name := range described.ChannelNames() {
			p.image.Planes = append(p.image.Planes, pixel.Plane{Name: name, Half: !described.Data, Data: make([]float32, p.image.Width*p.image.Height)})
		}
		p.wants(described)
	}
	if err := p.look(name); err != nil {
		return nil, err
	}
	var next, done atomic.Int64
	var broken atomic.Value // the error of a row that could not be rendered
	var wg sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		wg.Go(func() {
			defer func() {
				if r := recover(); r != nil {
					broken.Store(fmt.Errorf("the renderer broke down: %v", r))
				}
			}()
			for ctx.Err() == nil {
				y := int(next.Add(1)) - 1
				if y >= p.image.Height {
					return
				}
				p.row(y)
				progress(float64(done.Add(1)) / float64(p.image.Height))
			}
		})
	}
	wg.Wait()
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	if err, ok := broken.Load().(error); ok {
		return nil, err
	}
	return p.image, nil
}

// aim returns what the settings make of the named camera, what it shows, and its rays.
func (w *World) aim(name string, s Settings) (camera.View, raster.Window, lens.Projection, error) {
	pose, optics, err := w.CameraPose(name)
	if err != nil {
		return camera.View{}, raster.Window{}, lens.Projection{}, err
	}
	view, window, projection := s.projection(pose, optics)
	return view, window, projection, nil
}

// projection returns what the settings make of a camera, what it shows, and its rays.
func (s Settings) projection(pose geom.Affine, optics scene.Camera) (camera.View, raster.Window, lens.Projection) {
	if s.PixelAspect == 0 {
		s.PixelAspect = 1
	}
	view := s.Setup.Of(pose, optics)
	window := view.Window(s.Fit, s.Size, s.PixelAspect)
	return view, window, view.Projection(window, s.Size)
}

// grid sends rays evenly over a picture, until one of them is enough.
func (w *World) grid(picture image.Rectangle, p lens.Projection, columns, rows int, enough func(origin, direction geom.Vec, h *hit, found bool) bool) {
	for row := range rows {
		for column := range columns {
			x := float64(picture.Min.X) + (float64(column)+0.5)/float64(columns)*float64(picture.Dx())
			y := float64(picture.Min.Y) + (float64(row)+0.5)/float64(rows)*float64(picture.Dy())
			var h hit
			origin, direction := p.Ray(x, y)
			if enough(origin, direction, &h, w.seenFirst(origin, direction, &h)) {
				return
			}
		}
	}
}

// A rendering is one picture under way.
type rendering struct {
	world      *World
	settings   Settings
	window     image.Rectangle // the pixels that hold picture; outside are bars
	projection lens.Projection
	opening    float64 // radius of the lens in metres, 0 if everything is sharp
	focus      float64 // metres ahead
	image      *pixel.Image
	out        map[pass.Code][][]float32 // planes of each pass that is wanted
	// Planes that every sample asks for, nil where they are not wanted.
	beauty, object [][]float32
	surfaces       *surfaceSums // of albedo, emission, occlusion and shadow
	environment    [][]float32
	depth          [][]float32 // if it is filtered
	centred        []centred
	mattes         []matte
	next, before   *shifted // the frames around, for passes of motion
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
	case described.Code == pass.Beauty:
		p.beauty = planes
	case described.Code == pass.Object:
		p.object = planes
	case described.Code == pass.Environment:
		p.environment = planes
	case slices.Contains(ofSurfaces, described.Code):
		if p.surfaces == nil {
			p.surfaces = &surfaceSums{}
		}
		p.surfaces.want(described.Code, planes)
	case described.Code == pass.Depth && p.settings.Depth.Filtered:
		p.depth = planes
	case described.IsCryptomatte():
		p.mattes = append(p.mattes, p.world.newMatte(described.Code, planes))
	default:
		p.centred = append(p.centred, centred{described.Code, planes})
	}
}

func (p *rendering) row(y int) {
	for x := range p.image.Width {
		at := y*p.image.Width + x
		px, py := x+p.settings.Region.Min.X, y+p.settings.Region.Min.Y
		if !image.Pt(px, py).In(p.window) {
			p.bar(at)
			continue
		}
		if len(p.centred) > 0 {
			p.centre(at, px, py)
		}
		if p.beauty != nil || p.object != nil || p.surfaces != nil || p.environment != nil || p.depth != nil || len(p.mattes) > 0 {
			p.filtered(at, px, py)
		}
	}
}

// bar fills a pixel beside the picture: black, opaque unless the background is transparent.
func (p *rendering) bar(at int) {
	if p.beauty != nil && !p.settings.Background.Transparent {
		p.beauty[3][at] = 1
	}
	if p.surfaces != nil && p.surfaces.occlusion != nil {
		p.surfaces.occlusion[0][at] = 1 // nothing is near
	}
	p.far(at)
}

// far fills the passes of distance where there is no surface.
func (p *rendering) far(at int) {
	if planes := p.out[pass.Depth]; planes != nil {
		planes[0][at] = float32(p.settings.Depth.Value(p.settings.DepthBackground))
	}
	if planes := p.out[pass.Distance]; planes != nil {
		planes[0][at] = float32(p.settings.DepthBackground)
	}
}

// filtered fills the passes that gather samples over the pixel: stratified in a square grid, spread as
// the filter weighs.
func (p *rendering) filtered(at, px, py int) {
	n := p.settings.Samples
	s := newSampler(px, py, p.settings.Frame)
	background := p.settings.Background
	ownSky := !background.Transparent && !background.Plain
	var light, object, around geom.Vec
	var sums surfaceSums
	if p.surfaces != nil {
		sums = *p.surfaces
	}
	deep := 0.0
	var shares [mostMattes]shares
	bare, holes := 0.0, 0.0 // samples that show the background, and those that are cut out
	for i := range n * n {
		s.sample = i
		u, v := s.pair(dimLens)
		dx := p.settings.Filter.Sample((float64(i%n) + u) / float64(n))
		dy := p.settings.Filter.Sample((float64(i/n) + v) / float64(n))
		origin, direction := p.projection.Ray(float64(px)+0.5+dx, float64(py)+0.5+dy)
		if p.opening > 0 {
			u, v := s.pair(dimFocus)
			origin, direction = p.projection.Blurred(float64(px)+0.5+dx, float64(py)+0.5+dy, p.opening, p.focus, u, v)
		}
		var h hit
		found := p.world.seenFirst(origin, direction, &h)
		var role look.Role
		if found {
			role = p.world.role(&h)
		}
		switch {
		case p.beauty == nil:
		case role.Holdout:
			holes++
		case role.Catcher:
			lit := 1 - p.world.shadow(origin, direction, &h, &s)
			if bare += lit; ownSky {
				light = light.Add(p.world.background(direction, 0).Scale(lit))
			}
		case found || ownSky:
			light = light.Add(p.world.seen(origin, direction, &h, 0, &s))
		default:
			bare++
		}
		if p.depth != nil {
			metres := p.settings.DepthBackground
			if found {
				metres = p.projection.Depth(origin.Add(direction.Scale(h.distance)))
			}
			deep += p.settings.Depth.Value(metres)
		}
		if !found {
			if sums.open++; p.environment != nil {
				around = around.Add(p.world.background(direction, 0))
			}
			continue
		}
		if p.object != nil {
			object = object.Add(p.world.colors[h.node()])
		}
		if p.surfaces != nil {
			sums.add(p, origin, direction, &h, &s)
		}
		for k := range p.mattes {
			shares[k].add(p.mattes[k].id(&h))
		}
	}
	share := 1 / float64(n*n)
	if p.beauty != nil {
		color := light.Scale(share * p.world.gain)
		if background.Transparent {
			holes += bare
		} else {
			color = color.Add(background.Colour.Scale(bare * share))
		}
		p.beauty[3][at] = float32(1 - holes*share) // sky or colour cover what nothing else does
		store(p.beauty, at, color)
	}
	if p.object != nil {
		store(p.object, at, object.Scale(share))
	}
	if p.depth != nil {
		p.depth[0][at] = float32(deep * share)
	}
	if p.environment != nil {
		store(p.environment, at, around.Scale(share*p.world.gain))
	}
	if p.surfaces != nil {
		sums.store(at, share, p.world.gain)
	}
	for k := range p.mattes {
		shares[k].rank(p.mattes[k].planes, at, share)
	}
}

func store(planes [][]float32, at int, v geom.Vec) {
	planes[0][at], planes[1][at], planes[2][at] = float32(v.X), float32(v.Y), float32(v.Z)
}
