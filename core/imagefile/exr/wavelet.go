package exr

// A grid is across by down words that stand stepX and stepY words apart.
type grid struct {
	words         []uint16
	across, stepX int
	down, stepY   int
}

// wavelet turns a grid, whose largest word is most, into means and differences: squares of neighbours first,
// then squares of their means, and so on ("PIZ compression").
func (g grid) wavelet(most int) {
	pair := pair16
	if most < 1<<14 {
		pair = pair14
	}
	square := func(a, b, c, d uint16) (uint16, uint16, uint16, uint16) {
		a, b = pair(a, b)
		c, d = pair(c, d)
		a, c = pair(a, c)
		b, d = pair(b, d)
		return a, b, c, d
	}
	for p := 1; 2*p <= min(g.across, g.down); p *= 2 {
		g.level(p, square, pair)
	}
}

// unwavelet undoes wavelet.
func (g grid) unwavelet(most int) {
	pair := unpair16
	if most < 1<<14 {
		pair = unpair14
	}
	square := func(a, b, c, d uint16) (uint16, uint16, uint16, uint16) {
		a, c = pair(a, c)
		b, d = pair(b, d)
		a, b = pair(a, b)
		c, d = pair(c, d)
		return a, b, c, d
	}
	p := 1
	for 2*p <= min(g.across, g.down) {
		p *= 2
	}
	for p /= 2; p >= 1; p /= 2 {
		g.level(p, square, pair)
	}
}

// level visits every square of words p apart, and the pairs that are left over at the right and at the bottom.
func (g grid) level(p int, square func(a, b, c, d uint16) (uint16, uint16, uint16, uint16), pair func(a, b uint16) (uint16, uint16)) {
	w := g.words
	right, below := p*g.stepX, p*g.stepY
	y := 0
	for ; y+2*p <= g.down; y += 2 * p {
		x := 0
		for ; x+2*p <= g.across; x += 2 * p {
			at := y*g.stepY + x*g.stepX
			w[at], w[at+right], w[at+below], w[at+below+right] = square(w[at], w[at+right], w[at+below], w[at+below+right])
		}
		if g.across&p != 0 {
			at := y*g.stepY + x*g.stepX
			w[at], w[at+below] = pair(w[at], w[at+below])
		}
	}
	if g.down&p != 0 {
		for x := 0; x+2*p <= g.across; x += 2 * p {
			at := y*g.stepY + x*g.stepX
			w[at], w[at+right] = pair(w[at], w[at+right])
		}
	}
}

// pair14 makes a mean and a difference of two words of fewer than 14 bits.
func pair14(a, b uint16) (l, h uint16) {
	x, y := int(int16(a)), int(int16(b))
	return uint16((x + y) >> 1), uint16(x - y)
}

// unpair14 undoes pair14.
func unpair14(l, h uint16) (a, b uint16) {
	high := int(int16(h))
	first := int(int16(l)) + high&1 + high>>1
	return uint16(first), uint16(first - high)
}

// pair16 makes a mean and a difference of all 16 bits, counting round.
func pair16(a, b uint16) (l, h uint16) {
	x := (int(a) + 0x8000) & 0xffff
	mean, difference := (x+int(b))>>1, x-int(b)
	if difference < 0 {
		mean = (mean + 0x8000) & 0xffff
	}
	return uint16(mean), uint16(difference & 0xffff)
}

// unpair16 undoes pair16.
func unpair16(l, h uint16) (a, b uint16) {
	mean, difference := int(l), int(h)
	second := (mean - difference>>1) & 0xffff
	return uint16(difference + second - 0x8000), uint16(second)
}
