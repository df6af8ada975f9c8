package sampling

import (
	"math"
	"testing"
)

func TestEffortsAreChecked(t *testing.T) {
	for _, good := range []Effort{{}, {Noise: 0.05, Least: 3}, {Clamp: 8, Seconds: 60, Splat: true},
		{Bounces: Bounces{MostBounces, 0, 1}}} {
		if err := good.Check(); err != nil {
			t.Errorf("%+v: %v", good, err)
		}
	}
	for _, bad := range []Effort{{Noise: -0.1}, {Noise: math.NaN()}, {Noise: 1.5}, {Least: -1}, {Least: Most + 1},
		{Clamp: math.Inf(1)}, {Clamp: -1}, {Seconds: -1}, {Seconds: MostSeconds + 1}, {Bounces: Bounces{Diffuse: -1}},
		{Bounces: Bounces{Through: MostBounces + 1}}} {
		if bad.Check() == nil {
			t.Errorf("%+v was taken", bad)
		}
	}
}

func TestBouncesThatAreNotSetAreTheUsualOnes(t *testing.T) {
	if got := (Bounces{}).OrUsual(); got != Usual {
		t.Errorf("they are %+v", got)
	}
	if own := (Bounces{Diffuse: 1}); own.OrUsual() != own {
		t.Errorf("their own became %+v", own.OrUsual())
	}
}
