package pixel

import (
	"math"
	"runtime"
	"sync"
	"sync/atomic"
)

// Resize returns the image with another number of pixels. Planes for which filtered answers yes are
// resampled by the kernel, in linear values, so that premultiplied colour stays premultiplied; the others,
// numbers that no mean makes sense of, take the nearest pixel. A nil filtered stands for all.
//
// Weights are normalised and cut off at the edges, so that an even picture stays even up to its border, and
// the mean of a picture is kept. Kernels with negative lobes may give values slightly outside of those that
// went in.
func (img *Image) Resize(width, height int, k Kernel, filtered func(plane string) bool) *Image {
	if width == img.Width && height == img.Height {
		return img
	}
	out := &Image{Width: width, Height: height}
	columns, rows := k.taps(img.Width, width), k.taps(img.Height, height)
	for _, p := range img.Planes {
		q := Plane{Name: p.Name, Half: p.Half, Data: make([]float32, width*height)}
		if filtered == nil || filtered(p.Name) {
			resample(q.Data, p.Data, img.Width, columns, rows)
		} else {
			nearest(q.Data, p.Data, img.Width, img.Height, width, height)
		}
		out.Planes = append(out.Planes, q)
	}
	return out
}

// A tap is the old pixels that make a new one, and the share of each; the shares add up to 1.
type tap struct {
	first  int
	shares []float64
}

// taps returns the tap of every new pixel along one edge.
func (k Kernel) taps(from, to int) []tap {
	if k == BoxKernel && to <= from {
		return covers(from, to)
	}
	scale := float64(from) / float64(to)
	wide := math.Max(1, scale) // a reduction widens the kernel
	list := make([]tap, to)
	for i := range list {
		centre := (float64(i) + 0.5) * scale
		first := max(0, int(math.Ceil(centre-k.Radius()*wide-0.5)))
		last := min(from-1, int(math.Floor(centre+k.Radius()*wide-0.5)))
		if last < first { // between two pixels that the kernel does not reach
			first = min(max(0, int(centre)), from-1)
			last = first
		}
		t, sum := tap{first: first}, 0.0
		for n := first; n <= last; n++ {
			w := k.Weight((float64(n) + 0.5 - centre) / wide)
			t.shares, sum = append(t.shares, w), sum+w
		}
		if sum == 0 {
			t.shares[0], sum = 1, 1
		}
		for n := range t.shares {
			t.shares[n] /= sum
		}
		list[i] = t
	}
	return list
}

// covers returns taps by the area that a new pixel covers, to the exact fraction.
func covers(from, to int) []tap {
	list := make([]tap, to)
	for i := range list {
		// New pixel i covers i*from to (i+1)*from, in units of 1/to of an old pixel.
		lo, hi := i*from, (i+1)*from
		c := tap{first: lo / to}
		for k := c.first; k*to < hi; k++ {
			c.shares = append(c.shares, float64(min(hi, (k+1)*to)-max(lo, k*to))/float64(from))
		}
		list[i] = c
	}
	return list
}

// resample fills dst from src, up and down first. Rows are shared out to all cores; each is computed in one
// order, so the result does not depend on their number.
func resample(dst, src []float32, width int, columns, rows []tap) {
	var next atomic.Int64
	var wg sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		wg.Go(func() {
			line := make([]float64, width)
			for {
				y := int(next.Add(1)) - 1
				if y >= len(rows) {
					return
				}
				clear(line)
				for i, share := range rows[y].shares {
					for x, v := range src[(rows[y].first+i)*width:][:width] {
						line[x] += share * float64(v)
					}
				}
				for x, column := range columns {
					sum := 0.0
					for i, share := range column.shares {
						sum += share * line[column.first+i]
					}
					dst[y*len(columns)+x] = float32(sum)
				}
			}
		})
	}
	wg.Wait()
}

func nearest(dst, src []float32, fromWidth, fromHeight, width, height int) {
	for y := range height {
		row := (2*y + 1) * fromHeight / (2 * height)
		for x := range width {
			dst[y*width+x] = src[row*fromWidth+(2*x+1)*fromWidth/(2*width)]
		}
	}
}
