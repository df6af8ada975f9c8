package trace

import "math/bits"

// A sampler gives the random numbers of one sample of one pixel. Each pair of dimensions is the first two of Sobol's
// sequence (1967), shuffled and scrambled by hashes of pixel, dimension and frame as Owen has it (Burley, "Practical
// Hash-based Owen Scrambling", 2020); so the samples of a pixel spread evenly, however many there are, and nothing
// depends on what was drawn before.
type sampler struct {
	pixel  uint64 // hash of pixel and frame
	sample uint32
}

// Dimensions of the camera's ray, and of what else is gathered where it ends.
const (
	dimPixel = iota
	dimFocus
	dimTime
	dimOpen
	dimShadowSky
	dimShadowLamp
	dimPath
)

// Dimensions of each vertex of a path, counted from dimPath.
const (
	dimLobe = iota
	dimScatter
	dimLamp
	dimLampPlace
	dimSky
	dimGlow
	dimGlowPlace
	dimRoulette
	dimFaint
	dimSource
	dimsOfVertex
)

// vertex returns a dimension of a path's vertex.
func vertex(bounce, dimension int) int { return dimPath + bounce*dimsOfVertex + dimension }

func newSampler(x, y, frame int) sampler {
	return sampler{pixel: mix(uint64(uint32(x))<<32 | uint64(uint32(y)) ^ mix(uint64(int64(frame))))}
}

// mix is the finaliser of SplitMix64 (Steele, Lea and Flood, 2014).
func mix(x uint64) uint64 {
	x += 0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

// pair returns two numbers in 0 to 1 (1 excluded).
func (s *sampler) pair(dimension int) (float64, float64) {
	h := mix(s.pixel + uint64(dimension)*0xd1342543de82ef95)
	i := bits.Reverse32(scramble(bits.Reverse32(s.sample), uint32(h)))
	// The second dimension: Pascal's triangle modulo 2, which is made of five steps, upside down.
	second := i
	second ^= second >> 1 & 0x55555555
	second ^= second >> 2 & 0x33333333
	second ^= second >> 4 & 0x0f0f0f0f
	second ^= second >> 8 & 0x00ff00ff
	second ^= second >> 16
	u, v := scramble(i, uint32(h>>32)), scramble(second, uint32(h>>32)*0x9e3779b9^uint32(h))
	return unit(u), unit(v)
}

// one returns one number in 0 to 1 (1 excluded).
func (s *sampler) one(dimension int) float64 {
	h := mix(s.pixel + uint64(dimension)*0xd1342543de82ef95)
	i := bits.Reverse32(scramble(bits.Reverse32(s.sample), uint32(h)))
	return unit(scramble(i, uint32(h>>32)))
}

func unit(reversed uint32) float64 { return float64(bits.Reverse32(reversed)) / (1 << 32) }

// scramble is Owen's scrambling of a number whose bits stand in reverse, by a hash that lets each bit be changed by
// those below it alone (Laine and Karras, 2011; with the constants of Vegdahl, 2021).
func scramble(x, seed uint32) uint32 {
	x ^= x * 0x3d20adea
	x += seed
	x *= seed>>16 | 1
	x ^= x * 0x05526c56
	x ^= x * 0x53a22864
	return x
}
