package pixel

import (
	"math"
	"testing"
)

func TestEveryHalfComesBackAsItself(t *testing.T) {
	for i := range 1 << 16 {
		h := uint16(i)
		f := FromHalf(h)
		got := ToHalf(f)
		if f != f {
			if got&0x7c00 != 0x7c00 || got&0x3ff == 0 {
				t.Fatalf("NaN %#04x became %#04x", h, got)
			}
			continue
		}
		if got != h {
			t.Fatalf("%#04x = %v came back as %#04x", h, f, got)
		}
	}
}

// Halfway between two neighbours the even one wins (IEEE 754, round to nearest even).
func TestHalfRoundsToNearestEven(t *testing.T) {
	for i := range 0x7bff {
		lo, hi := FromHalf(uint16(i)), FromHalf(uint16(i+1))
		mid := lo + (hi-lo)/2
		want := uint16(i + i&1)
		if got := ToHalf(mid); got != want {
			t.Fatalf("%v, between %#04x and %#04x: got %#04x, want %#04x", mid, i, i+1, got, want)
		}
		if got := ToHalf(math.Nextafter32(mid, 0)); got != uint16(i) {
			t.Fatalf("just below %v: got %#04x, want %#04x", mid, got, i)
		}
		if got := ToHalf(math.Nextafter32(mid, 1e9)); got != uint16(i+1) {
			t.Fatalf("just above %v: got %#04x, want %#04x", mid, got, i+1)
		}
	}
	values := []float32{0, 1, -1, 1e-7, -1e-5, 65519, 65520, -1e9, float32(math.Inf(1)), float32(math.NaN()), 0.1}
	halves := make([]uint16, len(values))
	ToHalves(halves, values)
	for i, v := range values {
		if halves[i] != ToHalf(v) {
			t.Errorf("%v among others became %#04x, by itself %#04x", v, halves[i], ToHalf(v))
		}
	}
	if ToHalf(65520) != 0x7c00 || ToHalf(65519) != 0x7bff || ToHalf(float32(math.Inf(-1))) != 0xfc00 {
		t.Error("the largest values round wrongly")
	}
}

// Values of IEC 61966-2-1: linear 0.18 encodes to 0.4614, and encoding it twice gives 0.7093.
func TestEncodeWorkedValues(t *testing.T) {
	once := SRGB.Encode(0.18)
	if math.Abs(once-0.4614) > 0.00005 {
		t.Errorf("0.18 encodes to %.5f, want 0.4614", once)
	}
	if twice := SRGB.Encode(once); math.Abs(twice-0.7093) > 0.00015 {
		t.Errorf("encoded twice %.5f, want 0.7093", twice)
	}
	// ITU-R BT.1886 with black at 0 and white at 1: L = V^2.4, so that half the code is 0.1895 of the light.
	if got := BT1886.Decode(0.5); math.Abs(got-0.18946) > 0.00005 {
		t.Errorf("code 0.5 shows %.5f by BT.1886, want 0.18946", got)
	}
	if got := Gamma22.Encode(0.18); math.Abs(got-0.45865) > 0.00005 { // 0.18^(1/2.2), computed by hand
		t.Errorf("0.18 encodes to %.5f by gamma 2.2", got)
	}
}

func TestCurvesComeBackAndClip(t *testing.T) {
	for _, c := range Curves() {
		if err := c.Check(); err != nil {
			t.Error(err)
		}
		for v := 0.0; v <= 1; v += 1.0 / 512 {
			if got := c.Decode(c.Encode(v)); math.Abs(got-v) > 1e-6 {
				t.Errorf("%s: %v came back as %v", c, v, got)
			}
		}
		if c.Encode(-1) != 0 || c.Encode(7) != 1 || c.Encode(math.NaN()) != 0 || c.Decode(-1) != 0 || c.Decode(2) != 1 {
			t.Errorf("%s: values outside 0 to 1 are not clipped", c)
		}
	}
	if Curve("x").Check() == nil {
		t.Error("an unknown curve passed")
	}
}

// Tables of a curve are made once; those of another curve, or for other codes, are others.
func TestTablesAreThoseOfTheirCurve(t *testing.T) {
	for range 2 {
		for _, c := range Curves() {
			lights := c.Lights()
			for _, code := range []int{0, 1, 2650, 32768, 65534, 65535} {
				if got, want := lights[code], float32(c.Decode(float64(code)/65535)); got != want {
					t.Errorf("%s: the light of %d is %v, and not %v", c, code, got, want)
				}
			}
			if &lights[0] != &c.Lights()[0] {
				t.Errorf("%s: the table is made twice", c)
			}
		}
	}
}

func TestEncoderAgreesWithTheCurve(t *testing.T) {
	for _, c := range Curves() {
		for _, bits := range []int{8, 10, 16} {
			e := NewEncoder(bits, c, NoDither)
			limit := float64(int(1)<<bits - 1)
			for i := range 100000 {
				v := float64(i) / 99999
				if d := math.Abs(float64(e.Code(float32(v), 0, 0)) - c.Encode(float64(float32(v)))*limit); d > 0.51 {
					t.Fatalf("%s, %d bit: %v is off by %v codes", c, bits, v, d)
				}
			}
		}
	}
}

// Ordered dither keeps the mean of an even tone to less than a 64th of a code, and rounds whole codes to themselves;
// the pattern is B. E. Bayer's of 1973: its first line, and each number once.
func TestOrderedDitherKeepsMeans(t *testing.T) {
	e := NewEncoder(8, Linear, OrderedDither)
	for i := range 1000 {
		v, sum := float32(i)/999, 0.0
		for y := range 8 {
			for x := range 8 {
				sum += float64(e.Code(v, x, y)) / 64
			}
		}
		if math.Abs(sum-float64(v)*255) > 1.0/64 {
			t.Errorf("%v became %v of 255", v, sum)
		}
	}
	for code := range 256 {
		for i := range 64 {
			if got := e.Whole(float32(code)/255, i%8, i/8); int(got) != code {
				t.Fatalf("code %d became %d", code, got)
			}
		}
	}
	seen := map[float64]bool{}
	for i := range 64 {
		seen[OrderedDither.Round(i%8, i/8)] = true
	}
	for x, want := range []float64{0, 32, 8, 40, 2, 34, 10, 42} {
		if got := OrderedDither.Round(x, 0)*64 - 0.5; got != want {
			t.Errorf("column %d of the first line is %v, want %v", x, got, want)
		}
	}
	if len(seen) != 64 || NoDither.Round(3, 4) != 0.5 || Dither("x").Check() == nil {
		t.Error("the pattern has holes, or an unknown dither passed")
	}
}

func TestAlphaIsDividedOutAndBack(t *testing.T) {
	img := New(2, 1, "R", "A")
	img.Planes[0].Data, img.Planes[1].Data = []float32{0.25, 0.5}, []float32{0.5, 0}
	img.Straighten()
	if d := img.Planes[0].Data; d[0] != 0.5 || d[1] != 0 {
		t.Errorf("straight: %v", d)
	}
	if img.Premultiply(); img.Planes[0].Data[0] != 0.25 {
		t.Errorf("premultiplied: %v", img.Planes[0].Data)
	}
}

// Placed samples have the moments of the filter itself, summed over its weights. A Gaussian of 0.5 cut at 3 deviations
// has the variance 0.2433.
func TestFilterSamplesHaveTheFiltersMoments(t *testing.T) {
	const n = 20000
	for _, f := range Filters() {
		var weight, mean, square, all, want float64
		for i := range n {
			x, negative := f.Sampler().Sample((float64(i) + 0.5) / n)
			sign := 1.0
			if negative {
				sign = -1
			}
			weight += sign
			mean += sign * x
			square += sign * x * x
			y := ((float64(i)+0.5)/n*2 - 1) * f.Radius()
			all += f.Weight(y)
			want += y * y * f.Weight(y)
		}
		if math.Abs(mean/weight) > 1e-6 || math.Abs(square/weight-want/all) > 0.002 {
			t.Errorf("%s: mean %v, variance %v, want %v", f, mean/weight, square/weight, want/all)
		}
		if f == Gaussian && math.Abs(square/weight-0.2433) > 0.001 ||
			f == Box && math.Abs(square/weight-1.0/12) > 0.001 {
			t.Errorf("%s: variance %v", f, square/weight)
		}
		if lobes := weight < n; lobes != f.Lobes() {
			t.Errorf("%s: %v of %v samples weigh", f, weight, n)
		}
	}
	if Filter("nonsense").Check() == nil {
		t.Error("an unknown filter passed")
	}
}

func TestStatsCountWhatIsNotFinite(t *testing.T) {
	nan, inf := float32(math.NaN()), float32(math.Inf(1))
	s := Plane{Data: []float32{1, nan, 3, inf, -1}}.Stats()
	if s.NaN != 1 || s.Infinite != 1 || s.Min != -1 || s.Max != 3 || s.Mean != 1 {
		t.Errorf("got %+v", s)
	}
}
