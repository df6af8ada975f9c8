package screening

import (
	"math"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

func example() *pixel.Image {
	img := pixel.New(2, 1, "R", "G", "B", "A", "depth.Z", "normal.X", "normal.Y", "normal.Z")
	img.Plane("R").Data[0] = 0.18
	copy(img.Plane("depth.Z").Data, []float32{7.2, 1000})
	copy(img.Plane("normal.Y").Data, []float32{-1, 0})
	return img
}

func TestPassesAreFoundByTheirChannels(t *testing.T) {
	if got := Passes(example()); !slices.Equal(got, []pass.Code{pass.Beauty, pass.Depth, pass.Normal}) {
		t.Errorf("got %v", got)
	}
}

func TestProbeGivesTheFilesOwnValues(t *testing.T) {
	values, err := Probe(example(), 0, 0, pass.DepthStyle{})
	if err != nil || len(values) != 8 {
		t.Fatalf("%v, %v", values, err)
	}
	if d := values[4]; d.Channel != "Z" || d.Value != float64(float32(7.2)) || d.Text != "7.200 m" {
		t.Errorf("depth is %+v", d)
	}
	values, err = Probe(example(), 0, 0, pass.DepthStyle{Picture: true, Near: 1, Far: 9})
	if d := values[4]; err != nil || d.Unit != "" || d.Text != "7.2000" {
		t.Errorf("a normalised depth is %+v, %v", d, err)
	}
	for _, at := range [][2]int{{2, 0}, {0, 1}, {-1, 0}} {
		if _, err := Probe(example(), at[0], at[1], pass.DepthStyle{}); err == nil {
			t.Errorf("%v lies outside and was answered", at)
		}
	}
	odd := example()
	odd.Plane("R").Data[0] = float32(math.NaN())
	if values, _ := Probe(odd, 0, 0, pass.DepthStyle{}); values[0].Text != "NaN" {
		t.Errorf("NaN is shown as %q", values[0].Text)
	}
}

// The display: sRGB for light (0.18 becomes 118 of 255); a depth of 7.2 m with white at 7.5 m becomes 0.96, 245 of 255.
func TestDisplayMapsAsItSays(t *testing.T) {
	img := example()
	far := DepthFar(img, pass.Depth, pass.DepthStyle{}, 1000)
	if far != float64(float32(7.2)) {
		t.Errorf("the farthest surface is at %v", far)
	}
	for _, c := range []struct {
		code    pass.Code
		gain    float64
		channel int
		want    byte
	}{{pass.Beauty, 1, 0, 118}, {pass.Beauty, 0, 0, 0}, {pass.Depth, 1, 0, 245}, {pass.Normal, 1, 1, 0},
		{pass.Normal, 1, 0, 128}} {
		shown, err := Display(img, c.code, c.gain, 7.5)
		if err != nil {
			t.Fatal(err)
		}
		if got := shown.Pix[c.channel]; got != c.want {
			t.Errorf("%s: %d, want %d", c.code, got, c.want)
		}
	}
	if _, err := Display(img, pass.Object, 1, 1); err == nil {
		t.Error("a missing pass was shown")
	}
	if DepthFar(pixel.New(1, 1, "R"), pass.Depth, pass.DepthStyle{}, 1000) != 1 {
		t.Error("an image without depth has no far depth of 1")
	}
}

// Every pass is shown in a way of its own kind, which is told in words; distances whatever their pass, with white at
// the farthest surface.
func TestEveryPassIsShownAsItSays(t *testing.T) {
	for _, p := range pass.Catalogue() {
		words := Mapping(p.Code, pass.DepthStyle{}, 0)
		if words == "" {
			t.Errorf("%s is not shown", p.Code)
		}
		if light := strings.Contains(words, "sRGB"); light == p.Data {
			t.Errorf("%s is data or light, and shown as %q", p.Code, words)
		}
	}
	img := pixel.New(2, 1, "guidedepth.Z")
	copy(img.Plane("guidedepth.Z").Data, []float32{2, 1000})
	far := DepthFar(img, pass.GuideDepth, pass.DepthStyle{}, 1000)
	shown, err := Display(img, pass.GuideDepth, 1, 2*far)
	if err != nil || shown.Pix[0] != 128 {
		t.Errorf("2 m, of 4 m that are white: %v, %v", shown, err)
	}
	if got := Mapping(pass.GuideDepth, pass.DepthStyle{}, 4); got != "0 m is black, 4 m and beyond is white" {
		t.Error(got)
	}
}
