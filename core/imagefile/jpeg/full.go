package jpeg

import (
	"image/color"
	"math"
	"slices"

	"reelhouse/core/imagefile"
)

// zigzag is the order of coefficients in a file (T.81, figure A.6).
var zigzag = [64]uint8{
	0, 1, 8, 16, 9, 2, 3, 10, 17, 24, 32, 25, 18, 11, 4, 5, 12, 19, 26, 33, 40, 48, 41, 34, 27, 20, 13, 6, 7, 14, 21,
	28,
	35, 42, 49, 56, 57, 50, 43, 36, 29, 22, 15, 23, 30, 37, 44, 51, 58, 59, 52, 45, 38, 31, 39, 46, 53, 60, 61, 54, 47,
	55, 62, 63,
}

// quantisation holds the examples for luminance and chrominance (T.81, tables K.1 and K.2), line by line.
var quantisation = [2][64]uint8{
	{
		16, 11, 10, 16, 24, 40, 51, 61, 12, 12, 14, 19, 26, 58, 60, 55, 14, 13, 16, 24, 40, 57, 69, 56, 14, 17, 22, 29,
		51, 87, 80, 62,
		18, 22, 37, 56, 68, 109, 103, 77, 24, 35, 55, 64, 81, 104, 113, 92, 49, 64, 78, 87, 103, 121, 120, 101, 72, 92,
		95, 98, 112, 100, 103, 99,
	},
	{
		17, 18, 24, 47, 99, 99, 99, 99, 18, 21, 26, 66, 99, 99, 99, 99, 24, 26, 56, 99, 99, 99, 99, 99, 47, 66, 99, 99,
		99, 99, 99, 99,
		99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99, 99,
		99, 99, 99, 99,
	},
}

// A codeSpec is a Huffman table: how many codes there are of each length, and their symbols (T.81, annex C).
type codeSpec struct {
	counts  [16]uint8
	symbols []uint8
}

// codeSpecs are the examples for luminance and chrominance, of means (K.3.1) and of waves (K.3.2).
var codeSpecs = [4]codeSpec{
	{[16]uint8{0, 1, 5, 1, 1, 1, 1, 1, 1}, []uint8{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11}},
	{[16]uint8{0, 2, 1, 3, 3, 2, 4, 3, 5, 5, 4, 4, 0, 0, 1, 125}, []uint8{
		0x01, 0x02, 0x03, 0x00, 0x04, 0x11, 0x05, 0x12, 0x21, 0x31, 0x41, 0x06, 0x13, 0x51, 0x61, 0x07, 0x22, 0x71,
		0x14, 0x32, 0x81, 0x91, 0xa1, 0x08,
		0x23, 0x42, 0xb1, 0xc1, 0x15, 0x52, 0xd1, 0xf0, 0x24, 0x33, 0x62, 0x72, 0x82, 0x09, 0x0a, 0x16, 0x17, 0x18,
		0x19, 0x1a, 0x25, 0x26, 0x27, 0x28,
		0x29, 0x2a, 0x34, 0x35, 0x36, 0x37, 0x38, 0x39, 0x3a, 0x43, 0x44, 0x45, 0x46, 0x47, 0x48, 0x49, 0x4a, 0x53,
		0x54, 0x55, 0x56, 0x57, 0x58, 0x59,
		0x5a, 0x63, 0x64, 0x65, 0x66, 0x67, 0x68, 0x69, 0x6a, 0x73, 0x74, 0x75, 0x76, 0x77, 0x78, 0x79, 0x7a, 0x83,
		0x84, 0x85, 0x86, 0x87, 0x88, 0x89,
		0x8a, 0x92, 0x93, 0x94, 0x95, 0x96, 0x97, 0x98, 0x99, 0x9a, 0xa2, 0xa3, 0xa4, 0xa5, 0xa6, 0xa7, 0xa8, 0xa9,
		0xaa, 0xb2, 0xb3, 0xb4, 0xb5, 0xb6,
		0xb7, 0xb8, 0xb9, 0xba, 0xc2, 0xc3, 0xc4, 0xc5, 0xc6, 0xc7, 0xc8, 0xc9, 0xca, 0xd2, 0xd3, 0xd4, 0xd5, 0xd6,
		0xd7, 0xd8, 0xd9, 0xda, 0xe1, 0xe2,
		0xe3, 0xe4, 0xe5, 0xe6, 0xe7, 0xe8, 0xe9, 0xea, 0xf1, 0xf2, 0xf3, 0xf4, 0xf5, 0xf6, 0xf7, 0xf8, 0xf9, 0xfa,
	}},
	{[16]uint8{0, 3, 1, 1, 1, 1, 1, 1, 1, 1, 1}, []uint8{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11}},
	{[16]uint8{0, 2, 1, 2, 4, 4, 3, 4, 7, 5, 4, 4, 0, 1, 2, 119}, []uint8{
		0x00, 0x01, 0x02, 0x03, 0x11, 0x04, 0x05, 0x21, 0x31, 0x06, 0x12, 0x41, 0x51, 0x07, 0x61, 0x71, 0x13, 0x22,
		0x32, 0x81, 0x08, 0x14, 0x42, 0x91,
		0xa1, 0xb1, 0xc1, 0x09, 0x23, 0x33, 0x52, 0xf0, 0x15, 0x62, 0x72, 0xd1, 0x0a, 0x16, 0x24, 0x34, 0xe1, 0x25,
		0xf1, 0x17, 0x18, 0x19, 0x1a, 0x26,
		0x27, 0x28, 0x29, 0x2a, 0x35, 0x36, 0x37, 0x38, 0x39, 0x3a, 0x43, 0x44, 0x45, 0x46, 0x47, 0x48, 0x49, 0x4a,
		0x53, 0x54, 0x55, 0x56, 0x57, 0x58,
		0x59, 0x5a, 0x63, 0x64, 0x65, 0x66, 0x67, 0x68, 0x69, 0x6a, 0x73, 0x74, 0x75, 0x76, 0x77, 0x78, 0x79, 0x7a,
		0x82, 0x83, 0x84, 0x85, 0x86, 0x87,
		0x88, 0x89, 0x8a, 0x92, 0x93, 0x94, 0x95, 0x96, 0x97, 0x98, 0x99, 0x9a, 0xa2, 0xa3, 0xa4, 0xa5, 0xa6, 0xa7,
		0xa8, 0xa9, 0xaa, 0xb2, 0xb3, 0xb4,
		0xb5, 0xb6, 0xb7, 0xb8, 0xb9, 0xba, 0xc2, 0xc3, 0xc4, 0xc5, 0xc6, 0xc7, 0xc8, 0xc9, 0xca, 0xd2, 0xd3, 0xd4,
		0xd5, 0xd6, 0xd7, 0xd8, 0xd9, 0xda,
		0xe2, 0xe3, 0xe4, 0xe5, 0xe6, 0xe7, 0xe8, 0xe9, 0xea, 0xf2, 0xf3, 0xf4, 0xf5, 0xf6, 0xf7, 0xf8, 0xf9, 0xfa,
	}},
}

// A code is a Huffman code and its length.
type code struct {
	bits   uint32
	length uint8
}

// codes makes the codes of a table by their symbols (T.81, annex C.2).
func (s codeSpec) codes() *[256]code {
	var codes [256]code
	next, at := uint32(0), 0
	for i, n := range s.counts {
		for range n {
			codes[s.symbols[at]] = code{next, uint8(i + 1)}
			next++
			at++
		}
		next <<= 1
	}
	return &codes
}

// scaled returns a quantisation table at a quality: the examples at 50, half of them at 75, as is common practice.
func scaled(table [64]uint8, quality int) (out [64]uint8) {
	percent := 200 - 2*quality
	if quality < 50 {
		percent = 5000 / quality
	}
	for i, v := range table {
		out[i] = uint8(min(255, max(1, (int(v)*percent+50)/100)))
	}
	return out
}

// An encoder writes one baseline file with three components of the same size.
type encoder struct {
	quality int
	out     []byte
	hold    uint32
	have    int
}

// encode returns the file without what JFIF and Exif add.
func (e *encoder) encode(p imagefile.Part) []byte {
	tables := [2][64]uint8{scaled(quantisation[0], e.quality), scaled(quantisation[1], e.quality)}
	e.out = []byte{0xff, markerStart}
	for i, t := range tables {
		data := []byte{byte(i)}
		for _, place := range zigzag {
			data = append(data, t[place])
		}
		e.out = appendSegment(e.out, markerTables, data)
	}
	frame := []byte{8, byte(p.Height() >> 8), byte(p.Height()), byte(p.Width() >> 8), byte(p.Width()), 3}
	scan := []byte{3}
	for i := range 3 {
		frame = append(frame, byte(i+1), 0x11, byte(min(i, 1))) // every component at every pixel
		scan = append(scan, byte(i+1), byte(min(i, 1)*0x11))
	}
	e.out = appendSegment(e.out, markerFrame, frame)
	var codes [4]*[256]code
	for i, s := range codeSpecs {
		e.out = appendSegment(e.out, markerCodes, slices.Concat([]byte{byte(i%2<<4 | i/2)}, s.counts[:], s.symbols))
		codes[i] = s.codes()
	}
	e.out = appendSegment(e.out, markerScan, append(scan, 0, 63, 0))
	var before [3]int
	for y := 0; y < p.Height(); y += 8 {
		for x := 0; x < p.Width(); x += 8 {
			blocks := differences(p, x, y)
			for i := range blocks {
				kind := min(i, 1)
				e.block(&blocks[i], &tables[kind], codes[2*kind], codes[2*kind+1], &before[i])
			}
		}
	}
	e.put(1<<7-1, 7) // fill up the last byte
	return append(e.out, 0xff, markerEnd)
}

// differences returns a block of light and colour differences (T.871, section 7), each less 128. Behind the picture its
// last line and column stand again.
func differences(p imagefile.Part, x, y int) (blocks [3][64]float64) {
	for j := range 8 {
		for i := range 8 {
			at := min(y+j, p.Height()-1)*p.Width() + min(x+i, p.Width()-1)
			l, cb, cr := color.RGBToYCbCr(p.Planes[0][at], p.Planes[1][at], p.Planes[2][at])
			for k, v := range [3]uint8{l, cb, cr} {
				blocks[k][8*j+i] = float64(v) - 128
			}
		}
	}
	return blocks
}

// cosines are those of the transform (T.81, A.3.3), with the factors.
var cosines = func() (c [8][8]float64) {
	for u := range 8 {
		for x := range 8 {
			c[u][x] = math.Cos(float64((2*x+1)*u)*math.Pi/16) / 2
			if u == 0 {
				c[u][x] /= math.Sqrt2
			}
		}
	}
	return c
}()

// transform replaces values by their cosine coefficients.
func transform(block *[64]float64) {
	var lines [64]float64
	for y := range 8 {
		for u := range 8 {
			sum := 0.0
			for x := range 8 {
				sum += cosines[u][x] * block[8*y+x]
			}
			lines[8*y+u] = sum
		}
	}
	for u := range 8 {
		for v := range 8 {
			sum := 0.0
			for y := range 8 {
				sum += cosines[v][y] * lines[8*y+u]
			}
			block[8*v+u] = sum
		}
	}
}

// block writes one block: the difference of its mean to the one before, and its waves (T.81, F.1.2).
func (e *encoder) block(block *[64]float64, table *[64]uint8, means, waves *[256]code, before *int) {
	transform(block)
	mean := int(math.Round(block[0] / float64(table[0])))
	e.value(means, 0, mean-*before)
	*before = mean
	zeros := 0
	for _, place := range zigzag[1:] {
		v := int(math.Round(block[place] / float64(table[place])))
		if v == 0 {
			zeros++
			continue
		}
		for ; zeros > 15; zeros -= 16 {
			e.code(waves, 0xf0)
		}
		e.value(waves, uint8(zeros<<4), v)
		zeros = 0
	}
	if zeros > 0 {
		e.code(waves, 0)
	}
}

// value writes the code of a run of zeros and of the bits of v, and then these bits.
func (e *encoder) value(codes *[256]code, run uint8, v int) {
	size, bits := 0, v
	for n := max(v, -v); n > 0; n >>= 1 {
		size++
	}
	if v < 0 {
		bits--
	}
	e.code(codes, run|uint8(size))
	e.put(uint32(bits)&(1<<size-1), size)
}

func (e *encoder) code(codes *[256]code, symbol uint8) {
	c := codes[symbol]
	e.put(c.bits, int(c.length))
}

// put appends bits; a byte of ones is followed by a zero byte.
func (e *encoder) put(bits uint32, n int) {
	if n == 0 {
		return
	}
	e.hold |= bits << (32 - e.have - n)
	for e.have += n; e.have >= 8; e.have -= 8 {
		b := byte(e.hold >> 24)
		e.out = append(e.out, b)
		if b == 0xff {
			e.out = append(e.out, 0)
		}
		e.hold <<= 8
	}
}
