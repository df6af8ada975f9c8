package screening

import (
	"errors"
	"image"
	"math"
	"testing"

	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// four is a picture of four pixels in a row: black, middle grey in red alone, above white, and what is none.
func four() *pixel.Image {
	img := pixel.New(4, 1, "R", "G", "B", "A", "depth.Z")
	copy(img.Plane("R").Data, []float32{0, 0.18, 2, float32(math.NaN())})
	copy(img.Plane("G").Data, []float32{0, 0, 2, -1})
	copy(img.Plane("B").Data, []float32{0, 0, 2, 0.5})
	copy(img.Plane("A").Data, []float32{0, 0.25, 1, 1})
	copy(img.Plane("depth.Z").Data, []float32{1, 2, 4, 8})
	return img
}

// By hand: 0.18 has the sRGB code 117.7 of 255 (IEC 61966-2-1); alone in red its luminance is 0.18 · 0.2126 = 0.0383,
// with the code 54.8 (ITU-R BT.709, item 3.2).
func TestHistogramAndWaveformByHand(t *testing.T) {
	whole := image.Rect(0, 0, 4, 1)
	s, err := Measure(four(), whole, pass.Beauty, Plain(1, 1))
	if err != nil || s.Pixels != 4 || len(s.Channels) != 3 {
		t.Fatalf("%+v, %v", s, err)
	}
	r, g := s.Channels[0], s.Channels[1]
	if r.Histogram[0] != 1 || r.Histogram[118] != 1 || r.Above != 1 || r.NotFinite != 1 || r.Below != 0 ||
		r.Least != 0 || r.Greatest != 2 || math.Abs(r.Mean-2.18/3) > 1e-6 {
		t.Errorf("red is %+v", r)
	}
	if g.Histogram[0] != 2 || g.Below != 1 || g.Above != 1 || g.Least != -1 {
		t.Errorf("green is %+v", g)
	}
	at := func(column, code int) int { return s.Waveform[column*ScopeBins+code] }
	if at(0, 0) != 1 || at(1, 55) != 1 || s.Most != 1 {
		t.Errorf("the waveform has %d and %d", at(0, 0), at(1, 55))
	}
	sum := 0
	for _, n := range s.Waveform {
		sum += n
	}
	if sum != 2 { // the third is above white, and the fourth below black
		t.Errorf("the waveform has %d pixels", sum)
	}
	s, err = Measure(four(), whole, pass.Beauty, Plain(0.25, 1))
	if err != nil || s.Channels[0].Above != 0 || s.Channels[0].Histogram[188] != 1 { // 0.5 has the code 187.5
		t.Errorf("two stops darker: %+v, %v", s.Channels[0], err)
	}
	s, err = Measure(four(), image.Rect(1, 0, 3, 1), pass.Depth, Plain(1, 4))
	if err != nil || s.Pixels != 2 || s.Channels[0].Histogram[128] != 1 || s.Channels[0].Histogram[255] != 1 ||
		s.Waveform[0*ScopeBins+128] != 1 || s.Waveform[1*ScopeBins+255] != 1 {
		t.Errorf("depth of a part: %+v, %v", s.Channels, err)
	}
	for _, part := range []image.Rectangle{{}, image.Rect(0, 0, 5, 1), image.Rect(-1, 0, 1, 1)} {
		if _, err := Measure(four(), part, pass.Beauty, Plain(1, 1)); !errors.Is(err, ErrOutside) {
			t.Errorf("%v: %v", part, err)
		}
	}
	if _, err := Measure(four(), whole, pass.Normal, Plain(1, 1)); err == nil {
		t.Error("a pass that is not there was measured")
	}
}

func TestOneChannelIsLookedAtByItself(t *testing.T) {
	for channel, want := range map[string][4]byte{
		"R": {0, 118, 255, 0}, "G": {0, 0, 255, 0}, "A": {0, 64, 255, 255}, Luminance: {0, 55, 255, 0},
	} {
		v := Plain(1, 1)
		v.Channel = channel
		shown, err := Look(four(), pass.Beauty, v)
		if err != nil {
			t.Fatal(err)
		}
		for i, w := range want {
			if got := shown.Pix[4*i : 4*i+3]; i < 3 && (got[0] != w || got[1] != w || got[2] != w) {
				t.Errorf("%s of pixel %d is shown as %v, want %d", channel, i, got, w)
			}
		}
	}
	v := Plain(1, 1)
	for _, channel := range []string{"Z", "X", "depth.Z"} {
		if v.Channel = channel; v.Channel != AllChannels {
			if _, err := Look(four(), pass.Beauty, v); err == nil {
				t.Errorf("channel %s was shown", channel)
			}
		}
	}
	if got := Channels(pass.Depth); got != nil {
		t.Errorf("depth has %v", got)
	}
	if got := Channels(pass.Beauty); len(got) != 5 || got[4] != Luminance {
		t.Errorf("beauty has %v", got)
	}
}

// 118 of 255 to the power of 1/2 is 173.46 of 255.
func TestGammaAndMarks(t *testing.T) {
	v := Plain(1, 1)
	v.Gamma, v.Marked = 2, true
	shown, err := Look(four(), pass.Beauty, v)
	if err != nil || shown.Pix[4] != 173 {
		t.Fatalf("%v, %v", shown, err)
	}
	for i, want := range [][3]byte{{0, 0, 0}, {shown.Pix[4], 0, 0}, aboveRange, belowRange} {
		if got := [3]byte(shown.Pix[4*i:]); got != want {
			t.Errorf("pixel %d is %v, want %v", i, got, want)
		}
	}
	for _, gamma := range []float64{0, -1, 11, math.NaN()} {
		if v.Gamma = gamma; gamma != 1 {
			if _, err := Look(four(), pass.Beauty, v); err == nil {
				t.Errorf("a gamma of %v was taken", gamma)
			}
		}
	}
}

// BenchmarkMeasure measures histograms and waveform of pictures of 2048 × 858 pixels.
func BenchmarkMeasure(b *testing.B) {
	img := pixel.New(2048, 858, "R", "G", "B")
	for i := range img.Planes[0].Data {
		img.Planes[0].Data[i] = float32(i%777) / 500
	}
	for b.Loop() {
		if _, err := Measure(img, image.Rect(0, 0, 2048, 858), pass.Beauty, Plain(1, 1)); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "frames/s")
}
