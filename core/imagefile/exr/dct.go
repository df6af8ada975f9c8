package exr

import "math"

// The orthonormal cosine transform of 8 values, and of 8 x 8: factors are half the cosines of multiples of pi/16. pi
// has the few digits of the reference decoder, or values beside much larger ones would come back otherwise.
const pi = 3.14159

var (
	dctA = float32(0.5 * math.Cos(pi/4))
	dctB = float32(0.5 * math.Cos(pi/16))
	dctC = float32(0.5 * math.Cos(pi/8))
	dctD = float32(0.5 * math.Cos(3*pi/16))
	dctE = float32(0.5 * math.Cos(5*pi/16))
	dctF = float32(0.5 * math.Cos(3*pi/8))
	dctG = float32(0.5 * math.Cos(7*pi/16))
)

type square [64]float32

// undct turns coefficients into values, in place. Lines from rows on are zero.
func (s *square) undct(rows int) {
	a, b, c, d, e, f, g := dctA, dctB, dctC, dctD, dctE, dctF, dctG
	for y := range rows {
		r := s[8*y : 8*y+8 : 8*y+8]
		b0 := b*r[1] + d*r[3] + e*r[5] + g*r[7]
		b1 := d*r[1] - g*r[3] - b*r[5] - e*r[7]
		b2 := e*r[1] - b*r[3] + g*r[5] + d*r[7]
		b3 := g*r[1] - e*r[3] + d*r[5] - b*r[7]
		t0, t3 := a*(r[0]+r[4]), a*(r[0]-r[4])
		t1, t2 := c*r[2]+f*r[6], f*r[2]-c*r[6]
		g0, g1, g2, g3 := t0+t1, t3+t2, t3-t2, t0-t1
		r[0], r[1], r[2], r[3] = g0+b0, g1+b1, g2+b2, g3+b3
		r[4], r[5], r[6], r[7] = g3-b3, g2-b2, g1-b1, g0-b0
	}
	if rows <= 4 {
		s.fewRows()
		return
	}
	for x := range 8 {
		r0, r1, r2, r3, r4, r5, r6, r7 := s[x], s[x+8], s[x+16], s[x+24], s[x+32], s[x+40], s[x+48], s[x+56]
		b0 := b*r1 + d*r3 + e*r5 + g*r7
		b1 := d*r1 - g*r3 - b*r5 - e*r7
		b2 := e*r1 - b*r3 + g*r5 + d*r7
		b3 := g*r1 - e*r3 + d*r5 - b*r7
		t0, t3 := a*(r0+r4), a*(r0-r4)
		t1, t2 := c*r2+f*r6, f*r2-c*r6
		g0, g1, g2, g3 := t0+t1, t3+t2, t3-t2, t0-t1
		s[x], s[x+8], s[x+16], s[x+24] = g0+b0, g1+b1, g2+b2, g3+b3
		s[x+32], s[x+40], s[x+48], s[x+56] = g3-b3, g2-b2, g1-b1, g0-b0
	}
}

// fewRows turns the columns of a block whose lower four lines are zero.
func (s *square) fewRows() {
	a, b, c, d, e, f, g := dctA, dctB, dctC, dctD, dctE, dctF, dctG
	for x := range 8 {
		r0, r1, r2, r3 := a*s[x], s[x+8], s[x+16], s[x+24]
		b0, b1, b2, b3 := b*r1+d*r3, d*r1-g*r3, e*r1-b*r3, g*r1-e*r3
		t1, t2 := c*r2, f*r2
		g0, g1, g2, g3 := r0+t1, r0+t2, r0-t2, r0-t1
		s[x], s[x+8], s[x+16], s[x+24] = g0+b0, g1+b1, g2+b2, g3+b3
		s[x+32], s[x+40], s[x+48], s[x+56] = g3-b3, g2-b2, g1-b1, g0-b0
	}
}

// dct undoes undct.
func (s *square) dct() {
	for y := range 8 {
		r := s[8*y : 8*y+8 : 8*y+8]
		r[0], r[1], r[2], r[3], r[4], r[5], r[6], r[7] = dct8(r[0], r[1], r[2], r[3], r[4], r[5], r[6], r[7])
	}
	for x := range 8 {
		s[x], s[x+8], s[x+16], s[x+24], s[x+32], s[x+40], s[x+48], s[x+56] =
			dct8(s[x], s[x+8], s[x+16], s[x+24], s[x+32], s[x+40], s[x+48], s[x+56])
	}
}

func dct8(r0, r1, r2, r3, r4, r5, r6, r7 float32) (c0, c1, c2, c3, c4, c5, c6, c7 float32) {
	s0, s1, s2, s3 := r0+r7, r1+r6, r2+r5, r3+r4
	d0, d1, d2, d3 := r0-r7, r1-r6, r2-r5, r3-r4
	c0, c4 = dctA*((s0+s3)+(s1+s2)), dctA*((s0+s3)-(s1+s2))
	c2, c6 = dctC*(s0-s3)+dctF*(s1-s2), dctF*(s0-s3)-dctC*(s1-s2)
	c1 = dctB*d0 + dctD*d1 + dctE*d2 + dctG*d3
	c3 = dctD*d0 - dctG*d1 - dctB*d2 - dctE*d3
	c5 = dctE*d0 - dctB*d1 + dctG*d2 + dctD*d3
	c7 = dctG*d0 - dctE*d1 + dctD*d2 - dctB*d3
	return
}

// zigzag is the order in which coefficients stand in a file: from the corner of the slowest waves, diagonal by
// diagonal (as in ITU-T T.81, figure A.6).
var zigzag = [64]uint8{
	0, 1, 8, 16, 9, 2, 3, 10, 17, 24, 32, 25, 18, 11, 4, 5, 12, 19, 26, 33, 40, 48, 41, 34, 27, 20, 13, 6, 7, 14, 21,
	28,
	35, 42, 49, 56, 57, 50, 43, 36, 29, 22, 15, 23, 30, 37, 44, 51, 58, 59, 52, 45, 38, 31, 39, 46, 53, 60, 61, 54, 47,
	55, 62, 63,
}

// Light and colour difference of BT.709, and back, as the file layout has them.
func toDifference(r, g, b float32) (y, cb, cr float32) {
	return 0.2126*r + 0.7152*g + 0.0722*b, -0.1146*r - 0.3854*g + 0.5000*b, 0.5000*r - 0.4542*g - 0.0458*b
}

func fromDifference(y, cb, cr float32) (r, g, b float32) {
	return y + 1.5747*cr, y - 0.1873*cb - 0.4682*cr, y + 1.8556*cb
}
