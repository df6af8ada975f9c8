package trace

import (
	"image"
	"math"
	"runtime"
	"sync"
	"sync/atomic"

	"reelhouse/core/pass"
)

// The denoiser is that of Rousselle, Manzi and Zwicker ("Robust Denoising using Feature and Color Information", 2013) without its choice between
// several candidates: means over pixels around, weighed by how alike small patches of the picture are and how alike albedo, normal and depth, each measured by
// its own noise. Noise is what two halves of the samples disagree by; each half is weighed by what the other one looks like.
const (
	searchReach  = 7 // pixels around that are averaged
	patchReach   = 3 // around each, that are compared
	smoothReach  = 3 // over which noise is averaged
	denoiseReach = searchReach + patchReach + smoothReach
	likeness     = 0.45 // how many times its noise a colour may differ
	guideLike    = 0.6  // and a guide
	guideLeast   = 1e-3 // of a guide's noise, squared
)

// noisy is what the denoiser works on, over the region. The halves hold light, then features.
type noisy struct {
	width, height int
	halves        [2][halfValues][]float32
	noise         [halfValues][]float32 // squares of the standard error of the mean of both
	window        image.Rectangle
}

// keep takes in a tile's samples.
func (n *noisy) keep(p *rendering, t *tile) {
	if n == nil {
		return
	}
	c := &p.channels
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
				from := [halfValues]int{0, 1, 2, c.albedo, c.albedo + 1, c.albedo + 2, c.normals, c.normals + 1, c.normals + 2, c.guide}[k]
				a, b := sums[c.halves+k], sums[from]-sums[c.halves+k]
				second := t.weights[i] - first
				if second <= 0 { // a single sample
					b, second = a, first
				}
				v := [2]float64{a / max(first, 1e-9), b / max(second, 1e-9)}
				for half := range v {
					switch {
					case k < 3:
						v[half] *= p.world.gain
					case k == halfValues-1:
						v[half] = math.Log1p(max(0, v[half]))
					}
					n.halves[half][k][at] = float32(v[half])
				}
			}
		}
	}
}

func (p *rendering) newNoisy() *noisy {
	n := &noisy{width: p.region.Dx(), height: p.region.Dy(), window: p.window.Intersect(p.region).Sub(p.region.Min)}
	for k := range halfValues {
		for half := range n.halves {
			n.halves[half][k] = make([]float32, n.width*n.height)
		}
		n.noise[k] = make([]float32, n.width*n.height)
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

// measure finds the noise of everything.
func (n *noisy) measure() {
	n.bands(func(from, to int) {
		for y := from; y < to; y++ {
			for x := n.window.Min.X; x < n.window.Max.X; x++ {
				for k := range halfValues {
					sum, count := float32(0), float32(0)
					for v := max(n.window.Min.Y, y-smoothReach); v <= min(n.window.Max.Y-1, y+smoothReach); v++ {
						for u := max(n.window.Min.X, x-smoothReach); u <= min(n.window.Max.X-1, x+smoothReach); u++ {
							d := n.halves[0][k][v*n.width+u] - n.halves[1][k][v*n.width+u]
							sum += d * d / 4
							count++
						}
					}
					n.noise[k][y*n.width+x] = sum / count
				}
			}
		}
	})
}

// denoise fills the denoised pass.
func (p *rendering) denoise() {
	n, planes := p.noisy, p.out[pass.Denoised]
	if n.window.Empty() || p.stopped.Load() {
		return
	}
	n.measure()
	n.bands(func(from, to int) { n.smooth(from, to, planes, &p.stopped) })
	alpha := p.out[pass.Beauty]
	for i := range planes[3] {
		if alpha != nil {
			planes[3][i] = alpha[3][i]
		}
	}
}

// smooth fills the rows from..to of the picture.
func (n *noisy) smooth(from, to int, planes [][]float32, stopped *atomic.Bool) {
	left, right := n.window.Min.X, n.window.Max.X
	width := right - left
	high := to - from + 2*patchReach
	different := [2][]float32{make([]float32, width*high), make([]float32, width*high)}
	across := make([]float32, width*high)
	var sums [2][3][]float32
	var weights [2][]float32
	for half := range sums {
		weights[half] = make([]float32, width*(to-from))
		for c := range 3 {
			sums[half][c] = make([]float32, width*(to-from))
		}
	}
	alike := make([]float32, width*(to-from))
	for dy := -searchReach; dy <= searchReach; dy++ {
		for dx := -searchReach; dx <= searchReach; dx++ {
			if stopped.Load() {
				return
			}
			n.guided(from, to, dx, dy, alike)
			for half := range 2 {
				n.compare(half, from-patchReach, high, dx, dy, different[half])
				boxed(different[half], across, width, high)
				for y := from; y < to; y++ {
					v := y + dy
					if v < n.window.Min.Y || v >= n.window.Max.Y {
						continue
					}
					row := (y - from) * width
					for x := max(left, left-dx); x < min(right, right-dx); x++ {
						i := row + x - left
						sum := float32(0)
						for k := range 2*patchReach + 1 {
							sum += across[(y-from+k)*width+x-left]
						}
						// Pixels beyond the edges differ by nothing.
						w := min(alike[i], decay(sum/((2*patchReach+1)*(2*patchReach+1))))
						if w == 0 {
							continue
						}
						at := v*n.width + x + dx
						weights[half][i] += w
						for c := range 3 {
							sums[half][c][i] += w * n.halves[1-half][c][at] // the other half is averaged
						}
					}
				}
			}
		}
	}
	for y := from; y < to; y++ {
		for x := left; x < right; x++ {
			i, at := (y-from)*width+x-left, y*n.width+x
			for c := range 3 {
				planes[c][at] = (sums[0][c][i]/weights[0][i] + sums[1][c][i]/weights[1][i]) / 2
			}
		}
	}
}

// compare fills rows with how much pixels of one half differ from those dx and dy away, in squares of their noise, mean of the colours.
func (n *noisy) compare(half, top, high, dx, dy int, out []float32) {
	clear(out)
	left, right := n.window.Min.X, n.window.Max.X
	for r := range high {
		y := top + r
		if y < n.window.Min.Y || y >= n.window.Max.Y || y+dy < n.window.Min.Y || y+dy >= n.window.Max.Y {
			continue
		}
		for x := max(left, left-dx); x < min(right, right-dx); x++ {
			a, b := y*n.width+x, (y+dy)*n.width+x+dx
			sum := float32(0)
			for c := range 3 {
				// A half has twice the noise of both.
				d, va, vb := n.halves[half][c][a]-n.halves[half][c][b], 2*n.noise[c][a], 2*n.noise[c][b]
				sum += (d*d - (va + min(va, vb))) / (1e-8 + likeness*likeness*(va+vb))
			}
			out[r*(right-left)+x-left] = sum / 3
		}
	}
}

// boxed sums along rows, over patches.
func boxed(in, out []float32, width, high int) {
	for r := range high {
		row := in[r*width : (r+1)*width]
		for x := range row {
			sum := float32(0)
			for k := max(0, x-patchReach); k <= min(width-1, x+patchReach); k++ {
				sum += row[k]
			}
			out[r*width+x] = sum
		}
	}
}

// guided fills rows with how alike the guides of pixels are to those dx and dy away, 0 to 1.
func (n *noisy) guided(from, to, dx, dy int, out []float32) {
	left, right := n.window.Min.X, n.window.Max.X
	clear(out)
	for y := from; y < to; y++ {
		if y+dy < n.window.Min.Y || y+dy >= n.window.Max.Y {
			continue
		}
		for x := max(left, left-dx); x < min(right, right-dx); x++ {
			a, b := y*n.width+x, (y+dy)*n.width+x+dx
			most := float32(0)
			for k := 3; k < halfValues; k++ {
				d := (n.halves[0][k][a] + n.halves[1][k][a] - n.halves[0][k][b] - n.halves[1][k][b]) / 2
				va, vb := n.noise[k][a], n.noise[k][b]
				most = max(most, (d*d-(va+min(va, vb)))/(guideLike*guideLike*max(guideLeast, va)))
			}
			out[(y-from)*(right-left)+x-left] = decay(most)
		}
	}
}

// decay is e to the power of -x, 1 below 0 and 0 where it hardly counts.
func decay(x float32) float32 {
	switch {
	case x <= 0:
		return 1
	case x > 9:
		return 0
	}
	return float32(math.Exp(-float64(x)))
}
