// Package pixel holds pictures as numbers: planes of 32-bit floats, and what turns them into bytes.
//
// Light is linear with BT.709 primaries; colour is encoded once, for viewing (Encode). Alpha is coverage
// and colour is premultiplied by it.
package pixel

import (
	"fmt"
	"image"
	"math"
	"slices"
)

// A Plane is one channel of an image: Width*Height values, top row first.
type Plane struct {
	Name string
	Half bool // stored as a 16-bit half in float files; otherwise as a 32-bit float
	Data []float32
}

// An Image is planes of one size.
type Image struct {
	Width, Height int
	Planes        []Plane
}

// New returns a black image with planes of the given names.
func New(width, height int, names ...string) *Image {
	img := &Image{Width: width, Height: height}
	for _, n := range names {
		img.Planes = append(img.Planes, Plane{Name: n, Data: make([]float32, width*height)})
	}
	return img
}

// Plane returns the plane of a name, or nil.
func (img *Image) Plane(name string) *Plane {
	if i := slices.IndexFunc(img.Planes, func(p Plane) bool { return p.Name == name }); i >= 0 {
		return &img.Planes[i]
	}
	return nil
}

// Clone returns a copy with data of its own.
func (img *Image) Clone() *Image {
	out := &Image{Width: img.Width, Height: img.Height}
	for _, p := range img.Planes {
		p.Data = slices.Clone(p.Data)
		out.Planes = append(out.Planes, p)
	}
	return out
}

// Select returns an image with the named planes, sharing their data.
func (img *Image) Select(names ...string) (*Image, error) {
	out := &Image{Width: img.Width, Height: img.Height}
	for _, n := range names {
		p := img.Plane(n)
		if p == nil {
			return nil, fmt.Errorf("the image has no channel %s", n)
		}
		out.Planes = append(out.Planes, *p)
	}
	return out, nil
}

// Stats describes the values of one plane; NaN and infinite values are counted and left out of the rest.
type Stats struct {
	Min      float64 `json:"min"`
	Max      float64 `json:"max"`
	Mean     float64 `json:"mean"`
	NaN      int     `json:"nan"`
	Infinite int     `json:"infinite"`
}

// Add adds what was measured of further n values to that of m.
func (s Stats) Add(m int, t Stats, n int) Stats {
	m, n = m-s.NaN-s.Infinite, n-t.NaN-t.Infinite
	switch {
	case m <= 0:
		s.Min, s.Max, s.Mean = t.Min, t.Max, t.Mean
	case n > 0:
		s.Min, s.Max = min(s.Min, t.Min), max(s.Max, t.Max)
		s.Mean += (t.Mean - s.Mean) * float64(n) / float64(m+n)
	}
	s.NaN, s.Infinite = s.NaN+t.NaN, s.Infinite+t.Infinite
	return s
}

// Stats measures the plane.
func (p Plane) Stats() Stats {
	s := Stats{Min: math.Inf(1), Max: math.Inf(-1)}
	sum, n := 0.0, 0
	for _, v32 := range p.Data {
		v := float64(v32)
		switch {
		case math.IsNaN(v):
			s.NaN++
		case math.IsInf(v, 0):
			s.Infinite++
		default:
			s.Min, s.Max = min(s.Min, v), max(s.Max, v)
			sum += v
			n++
		}
	}
	if n == 0 {
		s.Min, s.Max = 0, 0
	} else {
		s.Mean = sum / float64(n)
	}
	return s
}

// Crop returns a part of the image.
func (img *Image) Crop(r image.Rectangle) *Image {
	out := New(r.Dx(), r.Dy())
	for _, p := range img.Planes {
		part := Plane{Name: p.Name, Half: p.Half, Data: make([]float32, r.Dx()*r.Dy())}
		for y := range r.Dy() {
			copy(part.Data[y*r.Dx():(y+1)*r.Dx()], p.Data[(r.Min.Y+y)*img.Width+r.Min.X:])
		}
		out.Planes = append(out.Planes, part)
	}
	return out
}

// Paste puts another image's planes into those of the same order, with its top left corner at x, y.
func (img *Image) Paste(part *Image, x, y int) {
	for i, p := range part.Planes {
		for row := range part.Height {
			copy(img.Planes[i].Data[(y+row)*img.Width+x:][:part.Width], p.Data[row*part.Width:])
		}
	}
}
