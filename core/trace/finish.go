package trace

import (
	"image"
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/pass"
)

// finish stores a tile's pixels.
func (w *worker) finish(t *tile) {
	p := w.p
	if p.stopped.Load() {
		return
	}
	w.time = midway
	for y := t.area.Min.Y; y < t.area.Max.Y; y++ {
		for x := t.area.Min.X; x < t.area.Max.X; x++ {
			at := (y-p.region.Min.Y)*p.image.Width + x - p.region.Min.X
			if !image.Pt(x, y).In(p.window) {
				p.bar(at)
				continue
			}
			if len(p.centred) > 0 {
				w.centre(at, x, y)
			}
			if p.needsSamples() {
				w.store(t, at, x, y)
			}
		}
	}
	p.noisy.keep(p, t)
	t.sums, t.weights, t.light, t.mattes, t.taken, t.ended = nil, nil, nil, nil, nil, nil
}

// bar fills a pixel beside the picture: black, opaque unless the background is transparent.
func (p *rendering) bar(at int) {
	for _, code := range []pass.Code{pass.Beauty, pass.Denoised} {
		if planes := p.out[code]; planes != nil && !p.settings.Background.Transparent {
			planes[3][at] = 1
		}
	}
	if planes := p.out[pass.Occlusion]; planes != nil {
		planes[0][at] = 1 // nothing is near
	}
	if planes := p.out[pass.GuideDepth]; planes != nil {
		planes[0][at] = float32(p.settings.DepthBackground)
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

// store stores the means of a pixel's samples.
func (w *worker) store(t *tile, at, x, y int) {
	p, c := w.p, &w.p.channels
	i := (y-t.area.Min.Y)*t.area.Dx() + x - t.area.Min.X
	sums, weight := t.sums[i*c.n:][:c.n], t.weights[i]
	if weight == 0 {
		weight = 1
	}
	value := func(k int) float64 { return sums[k] / weight }
	color := func(k int) geom.Vec { return geom.Vec{X: value(k), Y: value(k + 1), Z: value(k + 2)} }
	gain := p.world.gain
	light := color(atLight).Scale(gain)
	if planes := p.out[pass.Beauty]; planes != nil {
		store(planes, at, light)
		planes[3][at] = float32(1 - value(atHoles))
	}
	if planes := p.out[pass.Denoised]; planes != nil {
		planes[3][at] = float32(1 - value(atHoles))
	}
	var some []shareOf
	for k, from := range c.parts {
		if from >= 0 {
			some = append(some, shareOf{color(from).Scale(gain), p.out[partPasses[k]]})
		}
	}
	storeShares(some, at, light, len(some) == int(parts))
	if some = some[:0]; c.groups >= 0 {
		all := true
		for k := range len(p.settings.LightGroups) + 1 {
			code := pass.LightCode(pass.OtherLight)
			if k < len(p.settings.LightGroups) {
				code = pass.LightCode(p.settings.LightGroups[k].Code)
			}
			all = all && p.out[code] != nil
			some = append(some, shareOf{color(c.groups + 3*k).Scale(gain), p.out[code]})
		}
		storeShares(some, at, light, all)
	}
	for _, m := range p.means {
		for k, plane := range m.planes {
			plane[at] = float32(value(m.at + k))
		}
	}
	own := (y-t.source.Min.Y)*t.source.Dx() + x - t.source.Min.X
	if c.count {
		p.out[pass.SampleCount][0][at] = float32(t.taken[own])
	}
	if c.variance {
		store(p.out[pass.Variance], at, t.light[own].variance(int(t.taken[own])))
	}
	for k := range p.mattes {
		t.mattes[k][i].rank(p.mattes[k].planes, at)
	}
}

// variance returns the square of the mean's standard error.
func (m *moments) variance(n int) geom.Vec {
	of := func(sum, square float64) float64 {
		if n < 2 {
			return 0
		}
		mean := sum / float64(n)
		return max(0, square/float64(n)-mean*mean) / float64(n-1)
	}
	return geom.Vec{X: of(m.sum.X, m.square.X), Y: of(m.sum.Y, m.square.Y), Z: of(m.sum.Z, m.square.Z)}
}

// A shareOf is one of those that a picture's light is the sum of, and where it is stored; nil for nowhere.
type shareOf struct {
	light  geom.Vec
	planes [][]float32
}

// storeShares stores shares so that all of them together are the light exactly, added as single floats in any order:
// each is rounded to steps as coarse as those of the sum, and what that leaves goes to the largest. That takes all of
// them, and none below 0.
func storeShares(shares []shareOf, at int, light geom.Vec, all bool) {
	for axis := range 3 {
		total := float32(light.Axis(axis))
		step := float64(math.Nextafter32(abs32(total), math.MaxFloat32) - abs32(total))
		left, largest := float64(total), 0
		for i, s := range shares {
			v := s.light.Axis(axis)
			if all && step > 0 {
				v = math.Round(v/step) * step
			}
			left -= v
			if v > shares[largest].light.Axis(axis) {
				largest = i
			}
			if s.planes != nil {
				s.planes[axis][at] = float32(v)
			}
		}
		if all && len(shares) > 0 && left != 0 && shares[largest].planes != nil {
			shares[largest].planes[axis][at] += float32(left)
		}
	}
}

func store(planes [][]float32, at int, v geom.Vec) {
	planes[0][at], planes[1][at], planes[2][at] = float32(v.X), float32(v.Y), float32(v.Z)
}
