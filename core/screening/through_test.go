package screening

import (
	"image"
	"strings"
	"testing"

	"reelhouse/core/lut"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// Codes worked out by hand: 0.18 by the curve of IEC 61966-2-1, and by the powers 1/2.4 (ITU-R BT.1886, with a black of
// 0) and 1/2.2, times 255.
func TestLightIsShownThroughTheChosenTransform(t *testing.T) {
	for through, want := range map[pixel.Viewing]byte{
		pixel.ViewSRGB: 118, pixel.ViewBT1886: 125, pixel.ViewGamma22: 117, pixel.ViewSoft: 118,
	} {
		img := pixel.New(2, 1, "R", "G", "B")
		for i := range img.Planes {
			img.Planes[i].Data[0] = 0.18
		}
		img.Planes[0].Data[1], img.Planes[1].Data[1] = 1.6, 1.05
		view := Plain(1, 1)
		view.Viewing = through
		shown, err := Look(img, pass.Beauty, view)
		if err != nil || shown.Pix[0] != want || shown.Pix[1] != want || shown.Pix[3] != 255 {
			t.Errorf("%q: %v, %v", through, shown.Pix[:4], err)
		}
		// Orange light turns yellow where both red and green clip, and stays orange where its hue is kept.
		yellow := shown.Pix[4] == 255 && shown.Pix[5] == 255
		if yellow != (through != pixel.ViewSoft) {
			t.Errorf("%q: %v", through, shown.Pix[4:7])
		}
		words := view.Mapping(pass.Beauty, pass.DepthStyle{})
		if through != pixel.ViewSRGB && !strings.HasSuffix(words, through.Name()) {
			t.Errorf("%q: %s", through, words)
		}
		if got := view.Mapping(pass.Normal, pass.DepthStyle{}); got != Mapping(pass.Normal, pass.DepthStyle{}, 1) {
			t.Errorf("numbers are shown through it: %s", got)
		}
	}
}

// A look-up table that swaps black and white, made for codes of sRGB: 0.18 has the code 117.7 of 255, and becomes
// 137.3; what is counted is what is shown, and nothing lies out of range.
func TestLightIsShownAndCountedThroughATable(t *testing.T) {
	table, err := lut.Parse([]byte("LUT_1D_SIZE 2\n1 1 1\n0 0 0\n"))
	if err != nil {
		t.Fatal(err)
	}
	view := Plain(1, 1)
	view.Viewing = pixel.ViewLUT("negative")
	if view.LUT, err = lut.NewShower(table, lut.Input{Curve: lut.SRGB}); err != nil {
		t.Fatal(err)
	}
	img := pixel.New(2, 1, "R", "G", "B")
	for i := range img.Planes {
		img.Planes[i].Data[0], img.Planes[i].Data[1] = 0.18, 7
	}
	shown, err := Look(img, pass.Beauty, view)
	if err != nil || shown.Pix[0] != 137 || shown.Pix[4] != 0 {
		t.Errorf("%v, %v", shown.Pix, err)
	}
	s, err := Measure(img, image.Rect(0, 0, 2, 1), pass.Beauty, view)
	if err != nil || s.Channels[1].Histogram[137] != 1 || s.Channels[1].Histogram[0] != 1 || s.Channels[1].Above != 0 ||
		s.Waveform[137] != 1 || s.Channels[1].Greatest != 7 {
		t.Errorf("%+v, %v", s.Channels[1], err)
	}
	if words := view.Mapping(pass.Beauty, pass.DepthStyle{}); !strings.Contains(words, "look-up table negative") {
		t.Error(words)
	}
	view.Channel = "R" // by itself it goes through no table of three colours
	if words := view.Mapping(pass.Beauty, pass.DepthStyle{}); !strings.Contains(words, "sRGB curve; R alone") {
		t.Error(words)
	}
	view = Plain(1, 1)
	view.Viewing = pixel.ViewBT1886
	if s, err = Measure(img, image.Rect(0, 0, 2, 1), pass.Beauty, view); err != nil ||
		s.Channels[0].Histogram[125] != 1 {
		t.Errorf("through BT.1886: %v", err)
	}
	view.AsIs = true
	if words := view.Mapping(pass.Beauty, pass.DepthStyle{}); !strings.Contains(words, "when it was written") {
		t.Error(words)
	}
}
