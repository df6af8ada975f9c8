package trace

import (
	"image"
	"math"
	"slices"

	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/pass"
)

// Channels say where in a sample's values those of each pass stand; -1 where they are not wanted. The first five are
// always there: light, and the shares that are cut out and that show the background.
type channels struct {
	n                                                         int
	parts                                                     [parts]int
	groups, albedo, object, open, shade, deep, normals, guide int
	// of what a denoiser compares, gathered by every second sample alone
	halves          int
	count, variance bool
	data            []averaged
}

// averaged is a data pass that is averaged over pixels, and where its values stand.
type averaged struct {
	code  pass.Code
	at, n int
}

const (
	atLight = 0
	atHoles = 3
	atBare  = 4
	common  = 5
)

func (c *channels) none() {
	*c = channels{
		n:       common,
		groups:  -1,
		albedo:  -1,
		object:  -1,
		open:    -1,
		shade:   -1,
		deep:    -1,
		normals: -1,
		guide:   -1,
		halves:  -1,
	}
	for i := range c.parts {
		c.parts[i] = -1
	}
}

// room returns where n more values stand.
func (c *channels) room(at *int, n int) {
	if *at < 0 {
		*at = c.n
		c.n += n
	}
}

// want makes room for a pass that is averaged over the pixel; false if it is not one.
func (c *channels) want(code pass.Code, s *Settings) bool {
	for i, of := range partPasses {
		if code == of {
			c.room(&c.parts[i], 3)
			return true
		}
	}
	if _, ok := code.LightGroup(); ok {
		c.room(&c.groups, 3*(len(s.LightGroups)+1))
		return true
	}
	if slices.Contains(s.OtherFilter, code) {
		described, _ := pass.Find(code)
		if described.Filtered {
			return false
		}
		c.data = append(c.data, averaged{code, c.n, len(described.Channels)})
		c.n += len(described.Channels)
		return true
	}
	switch code {
	case pass.Beauty:
	case pass.Albedo, pass.GuideAlbedo:
		c.room(&c.albedo, 3)
	case pass.Object:
		c.room(&c.object, 3)
	case pass.Occlusion:
		c.room(&c.open, 1)
	case pass.Shadow:
		c.room(&c.shade, 1)
	case pass.GuideNormal:
		c.room(&c.normals, 3)
	case pass.GuideDepth:
		c.room(&c.guide, 1)
	case pass.SampleCount:
		c.count = true
	case pass.Variance:
		c.variance = true
	case pass.Denoised:
		c.room(&c.albedo, 3)
		c.room(&c.normals, 3)
		c.room(&c.guide, 1)
		c.room(&c.halves, halfValues+1)
	case pass.Depth:
		if !s.Depth.Filtered {
			return false
		}
		c.room(&c.deep, 1)
	default:
		return false
	}
	return true
}

// halfValues is how many values a denoiser compares: light, albedo, normal and depth.
const halfValues = 10

// A tile is a part of the picture that one goroutine renders: the pixels of area from samples of those of source.
type tile struct {
	area, source image.Rectangle
	taken        []int32   // samples of each pixel of source
	ended        []bool    // pixels that are done
	sums         []float64 // values of each pixel of area
	weights      []float64
	mattes       [][]shares // by matte and pixel
	light        []moments  // of each pixel of source
	counted      int64      // samples
}

// moments are sums of a pixel's own light, and of its squares.
type moments struct {
	sum, square       geom.Vec
	bright, brightest float64 // sums of brightness and of its square
}

// A worker renders tiles, one after the other.
type worker struct {
	*tracer
	p      *rendering
	timed  bool // the time limit may end a round
	values []float64
	ids    [mostMattes]float32
	tally  tally
}

func (p *rendering) newWorker() *worker {
	w := &worker{tracer: p.world.tracer(), p: p, values: make([]float64, p.channels.n)}
	w.clamp, w.groups = p.settings.Effort.Clamp, p.groups
	if p.channels.groups >= 0 {
		w.tally.groups = make([]geom.Vec, len(p.settings.LightGroups)+1)
	}
	return w
}

// round takes samples of a tile until every pixel has as many, or is done.
func (w *worker) round(t *tile, upTo int) {
	p := w.p
	if t.taken == nil {
		n, pixels := t.source.Dx()*t.source.Dy(), t.area.Dx()*t.area.Dy()
		t.taken, t.ended, t.light = make([]int32, n), make([]bool, n), make([]moments, n)
		t.sums, t.weights = make([]float64, pixels*p.channels.n), make([]float64, pixels)
		t.mattes = make([][]shares, len(p.mattes))
		for i := range t.mattes {
			t.mattes[i] = make([]shares, pixels)
		}
	}
	if !p.needsSamples() {
		return
	}
	for y := t.source.Min.Y; y < t.source.Max.Y; y++ {
		for x := t.source.Min.X; x < t.source.Max.X; x++ {
			i := (y-t.source.Min.Y)*t.source.Dx() + x - t.source.Min.X
			if t.ended[i] {
				continue
			}
			if w.timed && p.overdue() {
				return
			}
			from := int(t.taken[i])
			s := newSampler(x, y, p.settings.Frame)
			for k := from; k < upTo; k++ {
				if k&15 == 15 && p.stopped.Load() {
					return
				}
				s.sample = uint32(k)
				w.sample(t, x, y, i, &s)
			}
			t.taken[i] = int32(upTo)
			t.counted += int64(upTo - from)
			if t.ended[i] = upTo >= p.most || upTo >= p.least && p.settings.Effort.Noise > 0 &&
				t.light[i].noise(upTo) < p.settings.Effort.Noise; t.ended[i] {
				p.done.Add(int64(p.most - from))
			} else {
				p.done.Add(int64(upTo - from))
			}
		}
		if p.stopped.Load() {
			return
		}
	}
}

// needsSamples reports whether any pass is averaged over pixels.
func (p *rendering) needsSamples() bool {
	_, beauty := p.out[pass.Beauty]
	return beauty || p.channels.n > common || p.channels.count || p.channels.variance || len(p.mattes) > 0
}

// overdue reports whether the time limit is over.
func (p *rendering) overdue() bool {
	if !p.late.Load() && p.clock().After(p.deadline) {
		p.late.Store(true)
	}
	return p.late.Load()
}

// dimmest is the brightness below which noise is weighed as if it were there, so that black need not be free of it.
const dimmest = 0.05

// noise returns the standard error of the brightness, as a share of it.
func (m *moments) noise(n int) float64 {
	mean := m.bright / float64(n)
	variance := max(0, m.brightest/float64(n)-mean*mean) / float64(max(1, n-1))
	return math.Sqrt(variance) / (mean + dimmest)
}

// sample takes one sample of a pixel of the tile's source, and gives it to the pixels of the area that the filter
// reaches.
func (w *worker) sample(t *tile, px, py, i int, s *sampler) {
	p := w.p
	u, v := s.pair(dimPixel)
	dx, dy, weight := u-0.5, v-0.5, 1.0
	splat := p.settings.Effort.Splat
	if !splat {
		var minusX, minusY bool
		dx, minusX = p.sampler.Sample(u)
		dy, minusY = p.sampler.Sample(v)
		if minusX != minusY {
			weight = -1
		}
	}
	x, y := float64(px)+0.5+dx, float64(py)+0.5+dy
	w.time = midway
	if p.world.open > 0 {
		w.time = s.one(dimTime)
	}
	projection := p.at(w.time)
	origin, direction := projection.Ray(x, y)
	if p.opening > 0 {
		u, v := s.pair(dimFocus)
		origin, direction = projection.Blurred(x, y, p.opening, p.focus, u, v)
	}
	w.look(&met{origin: origin, direction: direction, x: x, y: y, projection: projection}, s)
	m := &t.light[i]
	light := geom.Vec{X: w.values[0], Y: w.values[1], Z: w.values[2]}.Scale(p.world.gain)
	m.sum, m.square = m.sum.Add(light), m.square.Add(light.Mul(light))
	bright := min(10, (light.X+light.Y+light.Z)/3) // what is far beyond white need not be told apart
	m.bright, m.brightest = m.bright+bright, m.brightest+bright*bright
	if w.p.channels.halves >= 0 {
		w.half(int(s.sample))
	}
	if !splat {
		w.give(t, (py-t.area.Min.Y)*t.area.Dx()+px-t.area.Min.X, weight)
		return
	}
	reach := p.settings.Filter.Radius()
	for cy := max(t.area.Min.Y, int(math.Ceil(y-reach-0.5))); cy < t.area.Max.Y && float64(cy)+0.5 < y+reach; cy++ {
		across := p.settings.Filter.Weight(y - float64(cy) - 0.5)
		for cx := max(t.area.Min.X, int(math.Ceil(x-reach-0.5))); cx < t.area.Max.X && float64(cx)+0.5 < x+reach; cx++ {
			if weight := across * p.settings.Filter.Weight(x-float64(cx)-0.5); weight != 0 {
				w.give(t, (cy-t.area.Min.Y)*t.area.Dx()+cx-t.area.Min.X, weight)
			}
		}
	}
}

// give adds the values of a sample to a pixel.
func (w *worker) give(t *tile, at int, weight float64) {
	t.weights[at] += weight
	into := t.sums[at*len(w.values):][:len(w.values)]
	if weight == 1 {
		for k, v := range w.values {
			into[k] += v
		}
	} else {
		for k, v := range w.values {
			into[k] += weight * v
		}
	}
	for k := range t.mattes {
		if w.ids[k] != 0 && weight > 0 {
			t.mattes[k][at].add(w.ids[k], weight)
		}
		if weight > 0 {
			t.mattes[k][at].all += weight
		}
	}
}

// half keeps what a denoiser compares, of every second sample.
func (w *worker) half(sample int) {
	at, c := w.p.channels.halves, &w.p.channels
	half := w.values[at : at+halfValues+1]
	if sample%2 == 1 {
		clear(half)
		return
	}
	copy(half, w.values[:3])
	copy(half[3:], w.values[c.albedo:c.albedo+3])
	copy(half[6:], w.values[c.normals:c.normals+3])
	half[9], half[10] = w.values[c.guide], 1
}

// look fills the values of a sample with what a ray of the camera meets.
func (w *worker) look(m *met, s *sampler) {
	p, c := w.p, &w.p.channels
	values, origin, direction, h := w.values, m.origin, m.direction, &m.hit
	clear(values)
	w.ids = [mostMattes]float32{}
	background := p.settings.Background
	ownSky := !background.Transparent && !background.Plain
	found := w.seenFirst(origin, direction, h)
	m.found = found
	var role look.Role
	if found {
		role = p.world.role(h)
	}
	w.tally.clear()
	w.tally.sprite = ownSky
	switch {
	case !p.lit():
	case role.Holdout:
		values[atHoles] = 1
	case role.Catcher:
		surf := w.surface(origin, direction, h, 0)
		lit := 1 - w.shadow(&surf, s)
		values[atBare] = lit
		if ownSky {
			w.tally.add(w.skyLight(direction).Scale(lit), partEnvironment, p.groups.sky)
		} else if background.Transparent {
			values[atHoles] = lit
		}
	case found || ownSky:
		w.follow(origin, direction, *h, s, p.settings.Effort.Bounces.OrUsual(), p.spread, &w.tally)
	default:
		values[atBare] = 1
		if background.Transparent {
			values[atHoles] = 1
		}
	}
	if background.Plain && values[atBare] > 0 {
		w.tally.add(background.Colour.Scale(values[atBare]/p.world.gain), partEnvironment, p.groups.sky)
	}
	put(values, atLight, w.tally.total)
	for i, at := range c.parts {
		if at >= 0 {
			put(values, at, w.tally.parts[i])
		}
	}
	if c.groups >= 0 {
		for i, light := range w.tally.groups {
			put(values, c.groups+3*i, light)
		}
	}
	metres := p.settings.DepthBackground
	if found {
		metres = m.projection.Depth(origin.Add(direction.Scale(h.distance)))
	}
	if c.deep >= 0 {
		values[c.deep] = p.settings.Depth.Value(metres)
	}
	if c.guide >= 0 {
		values[c.guide] = metres
	}
	if c.open >= 0 {
		values[c.open] = 1
	}
	if found && (c.albedo >= 0 || c.normals >= 0 || c.open >= 0 || c.shade >= 0 || len(c.data) > 0) {
		m.surface = w.surface(origin, direction, h, p.spread*h.distance)
	}
	for _, d := range c.data {
		w.data(d.code, m, values[d.at:d.at+d.n])
	}
	if !found {
		return
	}
	if c.object >= 0 {
		put(values, c.object, p.world.colors[h.node()])
	}
	for k := range p.mattes {
		w.ids[k] = p.mattes[k].id(h)
	}
	if c.albedo >= 0 {
		put(values, c.albedo, m.surface.base)
	}
	if c.normals >= 0 {
		put(values, c.normals, m.surface.normal)
	}
	if c.open >= 0 {
		values[c.open] = w.openness(&m.surface, p.settings.OcclusionRadius, s)
	}
	if c.shade >= 0 {
		values[c.shade] = w.shadow(&m.surface, s)
	}
}

// lit reports whether any pass is of light.
func (p *rendering) lit() bool {
	c := &p.channels
	if _, beauty := p.out[pass.Beauty]; beauty || c.groups >= 0 || c.halves >= 0 || c.count || c.variance {
		return true
	}
	for _, at := range c.parts {
		if at >= 0 {
			return true
		}
	}
	return false
}

func put(values []float64, at int, v geom.Vec) {
	values[at], values[at+1], values[at+2] = v.X, v.Y, v.Z
}

// openness returns 1 if nothing is near in a direction above a surface, chosen by its cosine.
func (t *tracer) openness(s *surface, radius float64, random *sampler) float64 {
	if radius == 0 {
		radius = DefaultOcclusion
	}
	u, v := random.pair(dimOpen)
	to := byCosine(s.normal, u, v)
	if to.Dot(s.face) <= 0 || t.blocked(s.above(to), to, radius) {
		return 0
	}
	return 1
}
