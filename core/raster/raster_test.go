package raster

import (
	"math"
	"testing"
)

// Sizes of SMPTE ST 428-1 and ITU-R BT.709/BT.2020, and the ratios that the trade calls them by.
func TestStandardSizesHaveTheirRatio(t *testing.T) {
	ratios := map[string]float64{
		"flat": 1.85, "scope": 2.387, "full": 1.8963, "flat4k": 1.85, "scope4k": 2.387, "full4k": 1.8963,
		"hd": 1.7778, "uhd": 1.7778, "uhd8k": 1.7778,
	}
	for _, n := range Standard() {
		want, known := ratios[n.Code]
		if !known {
			t.Errorf("%s has no published ratio here", n.Code)
		}
		if math.Abs(n.Aspect()-want) > 0.0005 {
			t.Errorf("%s %v: ratio %.4f, want %.4f", n.Code, n.Size, n.Aspect(), want)
		}
	}
}

func TestReducedSizesRoundUpAndAreNeverZero(t *testing.T) {
	for _, c := range []struct{ got, want Size }{
		{Size{1998, 1080}.Divided(7), Size{286, 155}},
		{Size{2048, 858}.Percent(25), Size{512, 215}},
		{Size{3, 3}.Percent(1), Size{1, 1}},
		{Size{1920, 1080}.Percent(100), Size{1920, 1080}},
		{Size{1080, 1920}.Within(240), Size{135, 240}},
		{Size{100, 50}.Within(240), Size{100, 50}},
	} {
		if c.got != c.want {
			t.Errorf("got %v, want %v", c.got, c.want)
		}
	}
}

func TestCropStaysInsideTheCameraPicture(t *testing.T) {
	const across, up = 0.8, 0.45
	for _, s := range []Size{{2048, 858}, {1920, 1080}, {1080, 1080}, {1080, 1920}} {
		a, u := s.Crop(across, up)
		if a > across+1e-12 || u > up+1e-12 {
			t.Errorf("%v shows %v x %v of %v x %v", s, a, u, across, up)
		}
		if math.Abs(a/u-s.Aspect()) > 1e-9 {
			t.Errorf("%v: shape %v", s, a/u)
		}
		if a < across-1e-12 && u < up-1e-12 {
			t.Errorf("%v is cut on all sides", s)
		}
	}
}
