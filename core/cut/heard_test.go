package cut

import (
	"testing"

	"reelhouse/core/frame"
)

// By hand: at 24 a second, record frame 36 is at 1.5 s. Shot 020 begins there with its frame 1009; where another clip
// lies over its beginning, what is seen begins later.
func TestWhereSoundIsHeard(t *testing.T) {
	rate := frame.Rate{Numerator: 24, Denominator: 1}
	c := Cut{Sound: Sound{Name: "harbour.wav", SHA256: "aa", Seconds: 60}, Tracks: []Track{
		{Clips: []Clip{
			{Shot: "010", Record: 0, Length: 36, Source: 1001}, {Shot: "020", Record: 36, Length: 48, Source: 1009},
			{Shot: "030", View: "bow", Record: 84, Length: 24, Source: 1001},
			{Shot: "040", Record: 108, Length: 24, Source: 1001, Speed: Speed{1, 2}},
			{Shot: "020", Record: 200, Length: 24, Source: 1057},
		}},
		{Clips: []Clip{{Name: "title", Record: 30, Length: 12, Source: 0}}},
	}}
	for _, want := range []struct {
		shot, view string
		Heard
		ok bool
	}{
		{"010", "quay", Heard{1001, 0}, true}, {"020", "quay", Heard{1015, 1.75}, true},
		{"030", "bow", Heard{1001, 3.5}, true}, {"030", "quay", Heard{}, false}, {"040", "quay", Heard{}, false},
		{"050", "quay", Heard{}, false},
	} {
		if got, ok := c.Heard(want.shot, want.view, rate); got != want.Heard || ok != want.ok {
			t.Errorf("%s %s: %+v, %v", want.shot, want.view, got, ok)
		}
	}
	c.Sound = Sound{Name: "harbour.wav"}
	if _, ok := c.Heard("010", "quay", rate); ok {
		t.Error("a sound is heard that is not here")
	}
}
