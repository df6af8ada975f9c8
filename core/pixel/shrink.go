package pixel

// Shrink returns the image at a smaller size. Each new pixel is the mean of the area that it covers, which
// keeps light; premultiplied colour stays premultiplied. A size that is not smaller in either direction
// returns the image itself.
func (img *Image) Shrink(width, height int) *Image {
	width, height = min(width, img.Width), min(height, img.Height)
	if width == img.Width && height == img.Height {
		return img
	}
	out := &Image{Width: width, Height: height}
	columns, rows := covers(img.Width, width), covers(img.Height, height)
	line := make([]float64, img.Width)
	for _, p := range img.Planes {
		q := Plane{Name: p.Name, Half: p.Half, Data: make([]float32, width*height)}
		for y, row := range rows {
			clear(line)
			for i, share := range row.shares {
				from := p.Data[(row.first+i)*img.Width:]
				for x := range line {
					line[x] += share * float64(from[x])
				}
			}
			for x, column := range columns {
				sum := 0.0
				for i, share := range column.shares {
					sum += share * line[column.first+i]
				}
				q.Data[y*width+x] = float32(sum)
			}
		}
		out.Planes = append(out.Planes, q)
	}
	return out
}

// A cover is the old pixels under a new one, and the share of each; the shares add up to 1.
type cover struct {
	first  int
	shares []float64
}

func covers(from, to int) []cover {
	list := make([]cover, to)
	for i := range list {
		// New pixel i covers i*from to (i+1)*from, in units of 1/to of an old pixel.
		lo, hi := i*from, (i+1)*from
		c := cover{first: lo / to}
		for k := c.first; k*to < hi; k++ {
			c.shares = append(c.shares, float64(min(hi, (k+1)*to)-max(lo, k*to))/float64(from))
		}
		list[i] = c
	}
	return list
}
