package trace

import (
	"image"
	"math"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"reelhouse/core/pass"
)

// The denoiser is that of Rousselle, Manzi and Zwicker ("Robust Denoising using Feature and Color Information", 2013)
// without its choice between several candidates: means over pixels around, weighed by how alike small patches of the
// picture are and how alike albedo, normal and depth, each measured by its own noise. Noise is what two halves of the
// samples disagree by; each half is weighed by what the other one looks like.
const (
	searchReach  = 5 // pixels around that are averaged
	patchReach   = 3 // around each, that are compared
	smoothReach  = 3 // over which noise is averaged
	denoiseReach = searchReach + patchReach + smoothReach + 1
	likeness     = 0.45 // how many times its noise a colour may differ
	guideLike    = 0.6  // and a guide
	guideLeast   = 1e-3 // of a guide's noise, squared
)

// guides of a pixel are albedo, normal and the logarithm of depth.
const guides = halfValues - 3

// noisy is what the denoiser works on, over the region.
type noisy struct {
	width, height int
	light         [2][][3]float32  // of both halves
	lightNoise    [][3]float32     // squares of the standard error of the mean of both
	guide         [2][]guideValues // of both halves; after measure, the first is their mean
	guideNoise    []guideValues    // likewise; after measure, what differences are divided by
	window        image.Rectangle
}

type guideValues [guides]float32

// keep takes in a tile's samples.
func (n *noisy) keep(p *rendering, t *tile) {
	if n == nil {
		return
	}
	c := &p.channels
	from := [halfValues]int{
		0, 1, 2, c.albedo, c.albedo + 1, c.albedo + 2, c.normals, c.normals + 1, c.normals + 2, c.guide,
	}
	for y := t.area.Min.Y; y < t.area.Max.Y; y++ {
		for x := t.area.Min.X; x < t.area.Max.X; x++ {
			if !image.Pt(x, y).In(p.window) {
				continue
			}
			i := (y-t.area.Min.Y)*t.area.Dx() + x - t.area.Min.X
			at := (y-p.region.Min.Y)*n.width + x - p.region.Min.X
			sums := t.sums[i*c.n:][:c.n]
			first := sums[c.halves+halfValues]
			for k := range halfValues {
				a, b := sums[c.halves+k], sums[from[k]]-sums[c.halves+k]
				second := t.weights[i] - first
				if second <= 0 { // a single sample
					b, second = a, first
				}
				for half, v := range [2]float64{a / max(first, 1e-9), b / max(second, 1e-9)} {
					switch {
					case k < 3:
						n.light[half][at][k] = float32(v * p.world.gain)
					case k == halfValues-1:
						n.guide[half][at][k-3] = float32(math.Log1p(max(0, v)))
					default:
						n.guide[half][at][k-3] = float32(v)
					}
				}
			}
		}
	}
}

func (p *rendering) newNoisy() *noisy {
	n := &noisy{width: p.region.Dx(), height: p.region.Dy(), window: p.window.Intersect(p.region).Sub(p.region.Min)}
	pixels := n.width * n.height
	n.lightNoise, n.guideNoise = make([][3]float32, pixels), make([]guideValues, pixels)
	for half := range 2 {
		n.light[half], n.guide[half] = make([][3]float32, pixels), make([]guideValues, pixels)
	}
	return n
}

// bands lets all cores work on rows of the window.
func (n *noisy) bands(do func(from, to int)) {
	const high = 16
	var next atomic.Int64
	var wait sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		wait.Go(func() {
			for {
				from := n.window.Min.Y + high*(int(next.Add(1))-1)
				if from >= n.window.Max.Y {
					return
				}
				do(from, min(from+high, n.window.Max.Y))
			}
		})
	}
	wait.Wait()
}

// around calls do for the pixels around one that its noise is averaged over.
func (n *noisy) around(x, y int, do func(at int)) {
	for v := max(n.window.Min.Y, y-smoothReach); v <= min(n.window.Max.Y-1, y+smoothReach); v++ {
		for u := max(n.window.Min.X, x-smoothReach); u <= min(n.window.Max.X-1, x+smoothReach); u++ {
			do(v*n.width + u)
		}
	}
}

// Specks are pixels of which one half of the samples has seen so much more light than the other one, and than all
// pixels around, that it was met by chance.
const (
	speckTimes = 3.0
	speckLeast = 0.1 // of exposed light
)

// sweep puts what the other half has seen in the place of specks.
func (n *noisy) sweep() {
	bright := func(v [3]float32) float32 { return v[0] + v[1] + v[2] }
	var swept [2][][3]float32
	for half := range swept {
		swept[half] = slices.Clone(n.light[half])
	}
	n.bands(func(from, to int) {
		for y := from; y < to; y++ {
			for x := n.window.Min.X; x < n.window.Max.X; x++ {
				at := y*n.width + x
				for half := range swept {
					own, other := bright(n.light[half][at]), bright(n.light[1-half][at])
					if own < speckTimes*other+3*speckLeast {
						continue
					}
					around := float32(0)
					for v := max(n.window.Min.Y, y-1); v <= min(n.window.Max.Y-1, y+1); v++ {
						for u := max(n.window.Min.X, x-1); u <= min(n.window.Max.X-1, x+1); u++ {
							if u != x || v != y {
								around = max(around, bright(n.light[half][v*n.width+u]))
							}
						}
					}
					if own > around {
						swept[half][at] = n.light[1-half][at]
					}
				}
			}
		}
	})
	n.light = swept
}

// measure finds the noise of everything.
func (n *noisy) measure() {
	n.bands(func(from, to int) {
		for y := from; y < to; y++ {
			for x := n.window.Min.X; x < n.window.Max.X; x++ {
				light, guide, count := &n.lightNoise[y*n.width+x], &n.guideNoise[y*n.width+x], float32(0)
				n.around(x, y, func(at int) {
					for c := range light {
						d := n.light[0][at][c] - n.light[1][at][c]
						light[c] += d * d / 4
					}
					for k := range guide {
						d := n.guide[0][at][k] - n.guide[1][at][k]
						guide[k] += d * d / 4
					}
					count++
				})
				for c := range light {
					light[c] /= count
				}
				for k := range guide {
					guide[k] /= count
				}
			}
		}
	})
	for i := range n.guide[0] {
		for k := range guides {
			n.guide[0][i][k] = (n.guide[0][i][k] + n.guide[1][i][k]) / 2
		}
	}
}

// denoise fills the denoised pass.
func (p *rendering) denoise() {
	n, planes := p.noisy, p.out[pass.Denoised]
	if n.window.Empty() || p.stopped.Load() {
		return
	}
	n.sweep()
	n.measure()
	n.bands(func(from, to int) { n.smooth(from, to, planes, &p.stopped) })
}

// A smoothing is rows of the picture whose noise is being taken away.
type smoothing struct {
	*noisy
	from, to    int // rows
	width, high int // of what is compared: patchReach rows more on both sides
	alike       []float32
	different   []float32
	across      []float32
	sums        [2][][4]float32 // light and weight, of both halves
}

// smooth fills the rows from..to of the picture.
func (n *noisy) smooth(from, to int, planes [][]float32, stopped *atomic.Bool) {
	s := &smoothing{noisy: n, from: from, to: to, width: n.window.Dx(), high: to - from + 2*patchReach}
	s.alike = make([]float32, s.width*(to-from))
	s.different, s.across = make([]float32, s.width*s.high), make([]float32, s.width*s.high)
	for half := range s.sums {
		s.sums[half] = make([][4]float32, s.width*(to-from))
	}
	for dy := -searchReach; dy <= searchReach; dy++ {
		for dx := -searchReach; dx <= searchReach; dx++ {
			if stopped.Load() {
				return
			}
			s.guided(dx, dy)
			for half := range 2 {
				s.compare(half, dx, dy)
				s.sumAcross()
				s.gather(half, dx, dy)
			}
		}
	}
	for i := range s.sums[0] {
		at := (from+i/s.width)*n.width + n.window.Min.X + i%s.width
		a, b := &s.sums[0][i], &s.sums[1][i]
		for c := range 3 {
			planes[c][at] = (a[c]/a[3] + b[c]/b[3]) / 2
		}
	}
}

// columns returns the columns of the window, counted from its left edge, whose pixels dx away lie in it, too.
func (s *smoothing) columns(dx int) (from, to int) { return max(0, -dx), min(s.width, s.width-dx) }

// inside reports whether a row lies in the window.
func (n *noisy) inside(y int) bool { return y >= n.window.Min.Y && y < n.window.Max.Y }

// guided finds how alike the guides of pixels are to those dx and dy away, 0 to 1.
func (s *smoothing) guided(dx, dy int) {
	clear(s.alike)
	left, right := s.columns(dx)
	for y := s.from; y < s.to; y++ {
		if !s.inside(y + dy) {
			continue
		}
		for x := left; x < right; x++ {
			a := y*s.noisy.width + x + s.window.Min.X
			b := a + dy*s.noisy.width + dx
			at, there, noise, other := &s.guide[0][a], &s.guide[0][b], &s.guideNoise[a], &s.guideNoise[b]
			most := float32(0)
			for k := range at {
				d, va := at[k]-there[k], noise[k]
				if over := d*d - va - min(va, other[k]); over > most*guideLike*guideLike*max(guideLeast, va) {
					most = over / (guideLike * guideLike * max(guideLeast, va))
				}
			}
			s.alike[(y-s.from)*s.width+x] = decay(most)
		}
	}
}

// compare finds how much pixels of one half differ from those dx and dy away, in squares of their noise, mean of the
// colours. Pixels beyond the edges differ by nothing.
func (s *smoothing) compare(half, dx, dy int) {
	clear(s.different)
	left, right := s.columns(dx)
	light := s.light[half]
	for r := range s.high {
		y := s.from - patchReach + r
		if !s.inside(y) || !s.inside(y+dy) {
			continue
		}
		for x := left; x < right; x++ {
			a := y*s.noisy.width + x + s.window.Min.X
			b := a + dy*s.noisy.width + dx
			at, there, noise, other := &light[a], &light[b], &s.lightNoise[a], &s.lightNoise[b]
			sum := float32(0)
			for c := range at {
				// A half has twice the noise of both.
				d, va, vb := at[c]-there[c], 2*noise[c], 2*other[c]
				sum += (d*d - (va + min(va, vb))) / (1e-8 + likeness*likeness*(va+vb))
			}
			s.different[r*s.width+x] = sum
		}
	}
}

// sumAcross sums along rows, over the width of patches.
func (s *smoothing) sumAcross() {
	for r := range s.high {
		row, out := s.different[r*s.width:][:s.width], s.across[r*s.width:][:s.width]
		for x := range row {
			if x < patchReach || x >= s.width-patchReach {
				sum := float32(0)
				for k := max(0, x-patchReach); k <= min(s.width-1, x+patchReach); k++ {
					sum += row[k]
				}
				out[x] = sum
				continue
			}
			p := row[x-patchReach:][:2*patchReach+1]
			out[x] = p[0] + p[1] + p[2] + p[3] + p[4] + p[5] + p[6]
		}
	}
}

// gather adds the light dx and dy away of one half, weighed by how alike patches of the other are.
func (s *smoothing) gather(half, dx, dy int) {
	left, right := s.columns(dx)
	const patch = 3 * (2*patchReach + 1) * (2*patchReach + 1) // values that were summed
	for y := s.from; y < s.to; y++ {
		if !s.inside(y + dy) {
			continue
		}
		for x := left; x < right; x++ {
			i := (y-s.from)*s.width + x
			weight := s.alike[i]
			if weight == 0 {
				continue
			}
			sum := float32(0)
			for k := range 2*patchReach + 1 {
				sum += s.across[(y-s.from+k)*s.width+x]
			}
			if weight = min(weight, decay(sum/patch)); weight == 0 {
				continue
			}
			from := &s.light[1-half][(y+dy)*s.noisy.width+x+dx+s.window.Min.X]
			into := &s.sums[half][i]
			into[0] += weight * from[0]
			into[1] += weight * from[1]
			into[2] += weight * from[2]
			into[3] += weight
		}
	}
}

// decay falls from 1 at 0 and below to 0 at 8, nearly as e to the power of -x.
func decay(x float32) float32 {
	if x <= 0 {
		return 1
	}
	if x >= 8 {
		return 0
	}
	x = 1 - x/8
	x *= x
	x *= x
	return x * x
}
