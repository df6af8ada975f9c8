package cut

import "reelhouse/core/frame"

// Heard says where the sound of a cut plays along with the frames of a shot: with a frame, at a second of it. Frames
// before and after have what comes before and after.
type Heard struct {
	Frame   int
	Seconds float64
}

// Heard returns where the sound plays along with a view of a shot, at the place where the cut shows that first; false
// if there is no sound, or the cut shows the shot nowhere at its own speed.
func (c Cut) Heard(shot, view string, rate frame.Rate) (Heard, bool) {
	if c.Sound.SHA256 == "" {
		return Heard{}, false
	}
	for _, s := range c.Seen() {
		if s.Gap() || s.Clip.Shot != shot || s.Clip.View != "" && s.Clip.View != view || !s.Clip.Speed.Usual() {
			continue
		}
		return Heard{s.Clip.SourceAt(s.From), float64(s.From) / rate.PerSecond()}, true
	}
	return Heard{}, false
}
