package pass

import (
	"math"
	"strings"
	"testing"
)

func TestDepthAsAPicture(t *testing.T) {
	d := DepthStyle{Picture: true, Near: 2, Far: 10}
	for metres, want := range map[float64]float64{2: 0, 6: 0.5, 10: 1, 1: 0, 30: 1} {
		if got := d.Value(metres); got != want {
			t.Errorf("%v m is %v, want %v", metres, got, want)
		}
	}
	d.Inverted, d.Open = true, true
	for metres, want := range map[float64]float64{2: 1, 6: 0.5, 10: 0, 18: -1} {
		if got := d.Value(metres); got != want {
			t.Errorf("open and inverted, %v m is %v, want %v", metres, got, want)
		}
		if back := d.Metres(d.Value(metres)); math.Abs(back-metres) > 1e-12 {
			t.Errorf("%v m came back as %v", metres, back)
		}
	}
	if d.String() != "1 at 2 m, 0 at 10 m" || (DepthStyle{}).String() != "metres" || (DepthStyle{}).Value(7) != 7 {
		t.Errorf("it is described as %s", d)
	}
	for says, d := range map[string]DepthStyle{"nearer": {Picture: true, Near: 3, Far: 3}, "outside": {Near: -1},
		"outside 0": {Far: math.NaN()}} {
		if err := d.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

func TestProposedRangesHoldWhatWasMeasured(t *testing.T) {
	for _, c := range [][4]float64{{2.34, 87.3, 2.2, 90}, {0, 5, 0, 5.1}, {1234, 1234, 1200, 1300},
		{0.0123, 0.4, 0.012, 0.41}} {
		near, far := Proposed(c[0], c[1])
		if math.Abs(near-c[2]) > 1e-9 || math.Abs(far-c[3]) > 1e-9 || near > c[0] || far < c[1] {
			t.Errorf("%v to %v: proposed %v to %v, want %v to %v", c[0], c[1], near, far, c[2], c[3])
		}
	}
}
