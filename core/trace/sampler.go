package trace

// A sampler gives the random numbers of one sample of one pixel. Each dimension has its own shift,
// hashed from pixel and frame, to which sample s adds s times the steps of the R2 sequence (Roberts,
// "The Unreasonable Effectiveness of Quasirandom Sequences", 2018); so the samples of a pixel spread
// evenly, and nothing depends on what was drawn before.
type sampler struct {
	pixel  uint64 // hash of pixel and frame
	sample int
}

// Dimensions; lights take two each from dimLight on.
const (
	dimLens    = 0
	dimGlow    = 2
	dimAmbient = 4
	dimMirror  = 6 // and two for each further bounce
	dimFocus   = 12
	dimOpen    = 14
	dimLight   = 16
)

const (
	stepU = 0.7548776662466927
	stepV = 0.5698402909980532
)

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
	u := float64(h>>32)/(1<<32) + float64(s.sample)*stepU
	v := float64(h&0xffffffff)/(1<<32) + float64(s.sample)*stepV
	return u - float64(int(u)), v - float64(int(v))
}
