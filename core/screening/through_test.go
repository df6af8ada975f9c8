package screening

import (
	"strings"
	"testing"

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
