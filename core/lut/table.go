package lut

import (
	"fmt"
	"math"

	"reelhouse/core/pixel"
)

// A line is a table of one dimension for each of red, green and blue.
type line struct {
	entries    [3][]float32
	least, top [3]float64 // what its first and last entries stand for
	half       bool       // entries stand for all half floats, by their bits
}

func (l *line) words() string {
	if l.half {
		return "a table of all half floats"
	}
	return fmt.Sprintf("a table of %d entries", len(l.entries[0]))
}

func (l *line) of(c [3]float64) [3]float64 {
	for k, v := range c {
		table := l.entries[k]
		if l.half {
			c[k] = ofHalf(table, v)
			continue
		}
		at := within((v-l.least[k])/(l.top[k]-l.least[k])) * float64(len(table)-1)
		i := min(int(at), len(table)-2)
		low, high := float64(table[i]), float64(table[i+1])
		c[k] = low + (high-low)*(at-float64(i))
	}
	return c
}

const largestHalf = 65504

// ofHalf looks a value up in a table of all half floats: between the two that are next to it, entries are mixed.
func ofHalf(table []float32, v float64) float64 {
	if math.IsNaN(v) {
		return 0
	}
	v = max(-largestHalf, min(largestHalf, v))
	bits := pixel.ToHalf(float32(v))
	near := float64(pixel.FromHalf(bits))
	other := bits
	switch {
	case near == v:
		return float64(table[bits])
	case math.Abs(near) > math.Abs(v):
		other--
	default:
		other++
	}
	far := float64(pixel.FromHalf(other))
	if far == near || math.IsInf(far, 0) {
		return float64(table[bits])
	}
	return float64(table[bits]) + float64(table[other]-table[bits])*(v-near)/(far-near)
}

// A cube is a table of three dimensions, red slowest, blue fastest.
type cube struct {
	edge       int
	entries    [][3]float32
	least, top [3]float64 // what its first and last entries stand for
	trilinear  bool       // mixed from eight entries rather than four
}

func (c *cube) words() string { return fmt.Sprintf("a table of %d × %[1]d × %[1]d entries", c.edge) }

func (c *cube) of(in [3]float64) (out [3]float64) {
	var at [3]int
	var part [3]float64
	for k, v := range in {
		x := within((v-c.least[k])/(c.top[k]-c.least[k])) * float64(c.edge-1)
		at[k] = min(int(x), c.edge-2)
		part[k] = x - float64(at[k])
	}
	entry := func(r, g, b int) *[3]float32 { return &c.entries[((at[0]+r)*c.edge+at[1]+g)*c.edge+at[2]+b] }
	mix := func(weight float64, e *[3]float32) {
		for k := range out {
			out[k] += weight * float64(e[k])
		}
	}
	r, g, b := part[0], part[1], part[2]
	if c.trilinear {
		for i := range 8 {
			x, y, z := i>>2, i>>1&1, i&1
			mix(side(r, x)*side(g, y)*side(b, z), entry(x, y, z))
		}
		return out
	}
	// Of six tetrahedra that share the diagonal of greys, the one that the point lies in.
	first, second, third := 0, 1, 2
	if part[first] < part[second] {
		first, second = second, first
	}
	if part[second] < part[third] {
		second, third = third, second
	}
	if part[first] < part[second] {
		first, second = second, first
	}
	var corner [3]int
	mix(1-part[first], entry(0, 0, 0))
	corner[first] = 1
	mix(part[first]-part[second], entry(corner[0], corner[1], corner[2]))
	corner[second] = 1
	mix(part[second]-part[third], entry(corner[0], corner[1], corner[2]))
	mix(part[third], entry(1, 1, 1))
	return out
}

func side(part float64, far int) float64 {
	if far == 1 {
		return part
	}
	return 1 - part
}
