package jpeg

import (
	"image"
	"image/color"
)

// leastColumns of colour differences are spread smoothly; fewer are repeated, as common decoders do.
const leastColumns = 3

// colours converts the first lines of an image into planes of R, G and B. Colour differences that stand for two or four
// pixels lie in the middle between them (T.871, section 7 and its figure), so each pixel takes three quarters of the
// nearest one and one quarter of the next, along each direction. Rounding alternates, as is common practice, so that it
// does not drift.
func colours(planes [][]byte, src *image.YCbCr) {
	width, height := src.Rect.Dx(), src.Rect.Dy()
	across, down := 1, 1
	switch src.SubsampleRatio {
	case image.YCbCrSubsampleRatio422:
		across = 2
	case image.YCbCrSubsampleRatio420:
		across, down = 2, 2
	case image.YCbCrSubsampleRatio440:
		down = 2
	}
	columns, lines := (width+across-1)/across, (height+down-1)/down
	smooth := across == 2 && columns >= leastColumns || across == 1 && down == 2
	var spread [2][]byte
	sums := make([]int, columns)
	for i := range spread {
		spread[i] = make([]byte, 2*columns)
	}
	for y := range height {
		for i, differences := range [2][]byte{src.Cb, src.Cr} {
			near := y / down
			if !smooth {
				continue
			}
			line := differences[near*src.CStride:][:columns]
			if across == 1 { // two lines share a difference; the upper of them is rounded down at halves
				far, round := min(max(near+y%2*2-1, 0), lines-1), 1+y%2
				for x, v := range differences[far*src.CStride:][:columns] {
					spread[i][x] = byte((3*int(line[x]) + int(v) + round) / 4)
				}
				continue
			}
			weight := 1
			for x, v := range line {
				sums[x] = int(v)
			}
			if down == 2 {
				far := min(max(near+y%2*2-1, 0), lines-1)
				weight = 4
				for x, v := range differences[far*src.CStride:][:columns] {
					sums[x] = 3*sums[x] + int(v)
				}
			}
			between(spread[i], sums, weight)
		}
		for x := range width {
			var cb, cr byte
			if smooth {
				cb, cr = spread[0][x], spread[1][x]
			} else {
				at := src.COffset(src.Rect.Min.X+x, src.Rect.Min.Y+y)
				cb, cr = src.Cb[at], src.Cr[at]
			}
			at := y*width + x
			planes[0][at], planes[1][at], planes[2][at] = color.YCbCrToRGB(src.Y[y*src.YStride+x], cb, cr)
		}
	}
}

// between spreads values, which are weight times too large, to twice as many.
func between(dst []byte, values []int, weight int) {
	last := len(values) - 1
	first, second := 2*weight, 2*weight-1 // what rounds the left and the right one
	if weight == 1 {
		first, second = 1, 2
	}
	for x, v := range values {
		dst[2*x] = byte((3*v + values[max(x-1, 0)] + first) / (4 * weight))
		dst[2*x+1] = byte((3*v + values[min(x+1, last)] + second) / (4 * weight))
	}
}
