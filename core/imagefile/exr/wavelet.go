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
	squares, pair := squares16, pair16
	if most < 1<<14 {
		squares, pair = squares14, pair14
	}
	for p := 1; 2*p <= min(g.across, g.down); p *= 2 {
		g.level(p, squares, pair)
	}
}

// unwavelet undoes wavelet.
func (g grid) unwavelet(most int) {
	squares, pair := unsquares16, unpair16
	if most < 1<<14 {
		squares, pair = unsquares14, unpair14
	}
	p := 1
	for 2*p <= min(g.across, g.down) {
		p *= 2
	}
	for p /= 2; p >= 1; p /= 2 {
		g.level(p, squares, pair)
	}
}

// level visits every square of words p apart, and the pairs that are left over at the right and at the bottom.
func (g grid) level(p int, squares func(top, bottom []uint16, right, n int), pair func(a, b uint16) (uint16, uint16)) {
	w := g.words
	right, below, n := p*g.stepX, p*g.stepY, g.across/(2*p)
	y := 0
	for ; y+2*p <= g.down; y += 2 * p {
		squares(w[y*g.stepY:], w[y*g.stepY+below:], right, n)
		if g.across&p != 0 {
			at := y*g.stepY + 2*n*right
			w[at], w[at+below] = pair(w[at], w[at+below])
		}
	}
	if g.down&p != 0 {
		for x := range n {
			at := y*g.stepY + 2*x*right
			w[at], w[at+right] = pair(w[at], w[at+right])
		}
	}
}

// squares14 treats n squares in two rows: their corners are right apart.
func squares14(top, bottom []uint16, right, n int) {
	for at := 0; n > 0; n, at = n-1, at+2*right {
		a, b := pair14(top[at], top[at+right])
		c, d := pair14(bottom[at], bottom[at+right])
		top[at], bottom[at] = pair14(a, c)
		top[at+right], bottom[at+right] = pair14(b, d)
	}
}

func squares16(top, bottom []uint16, right, n int) {
	for at := 0; n > 0; n, at = n-1, at+2*right {
		a, b := pair16(top[at], top[at+right])
		c, d := pair16(bottom[at], bottom[at+right])
		top[at], bottom[at] = pair16(a, c)
		top[at+right], bottom[at+right] = pair16(b, d)
	}
}

func unsquares14(top, bottom []uint16, right, n int) {
	if right == 1 { // three quarters of all squares, and nothing is left out between them
		top, bottom = top[:2*n], bottom[:2*n]
		for len(top) >= 2 && len(bottom) >= 2 {
			a, c := unpair14(top[0], bottom[0])
			b, d := unpair14(top[1], bottom[1])
			top[0], top[1] = unpair14(a, b)
			bottom[0], bottom[1] = unpair14(c, d)
			top, bottom = top[2:], bottom[2:]
		}
		return
	}
	for at := 0; n > 0; n, at = n-1, at+2*right {
		a, c := unpair14(top[at], bottom[at])
		b, d := unpair14(top[at+right], bottom[at+right])
		top[at], top[at+right] = unpair14(a, b)
		bottom[at], bottom[at+right] = unpair14(c, d)
	}
}

func unsquares16(top, bottom []uint16, right, n int) {
	for at := 0; n > 0; n, at = n-1, at+2*right {
		a, c := unpair16(top[at], bottom[at])
		b, d := unpair16(top[at+right], bottom[at+right])
		top[at], top[at+right] = unpair16(a, b)
		bottom[at], bottom[at+right] = unpair16(c, d)
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
	x := int(a ^ 0x8000)
	mean, difference := (x+int(b))>>1, x-int(b)
	return uint16(mean + difference>>63&0x8000), uint16(difference)
}

// unpair16 undoes pair16.
func unpair16(l, h uint16) (a, b uint16) {
	second := l - h>>1
	return (h + second) ^ 0x8000, second
}
