package imagefile

import (
	"bytes"
	"image/png"
	"math"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/job"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
)

func beauty(values ...float32) *pixel.Image {
	img := pixel.New(len(values), 1, "R", "G", "B", "A", "depth.Z")
	for i, v := range values {
		for c := range 3 {
			img.Planes[c].Data[i] = v
		}
		img.Planes[3].Data[i] = 1
		img.Planes[4].Data[i] = v * 100
	}
	return img
}

func encoded(t *testing.T, f production.Format, img *pixel.Image, passes ...pass.Code) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := Encode(&b, f, img, passes, Header{Rate: frame.Rate{Numerator: 24, Denominator: 1}, Frame: 7, Facts: []job.Fact{{Name: "shot", Value: "010"}}}); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// IEC 61966-2-1: linear 0.18 encodes to 0.4614, so 8 bits hold 118 and 16 bits hold 30238,
// within what four digits say.
func TestPNGIsEncodedOnceForViewing(t *testing.T) {
	img := beauty(0, 0.18, 1, 7)
	for format, want := range map[production.Format]uint32{production.PNG8: 118 * 257, production.PNG16: 30238} {
		decoded, err := png.Decode(bytes.NewReader(encoded(t, format, img, pass.Beauty)))
		if err != nil {
			t.Fatal(err)
		}
		r, _, _, a := decoded.At(1, 0).RGBA()
		if math.Abs(float64(r)-float64(want)) > 4 || a != 0xffff {
			t.Errorf("%s: 0.18 became %d with alpha %d, want %d", format, r, a, want)
		}
		if r, _, _, _ := decoded.At(3, 0).RGBA(); r != 0xffff {
			t.Errorf("%s: light above 1 became %d", format, r)
		}
		back, err := Decode(encoded(t, format, img, pass.Beauty))
		if err != nil || back.Format != format || math.Abs(float64(back.Image.Plane("G").Data[1])-0.18) > 0.003 {
			t.Errorf("%s came back as %+v, %v", format, back, err)
		}
	}
}

func TestPNGHoldsStraightColour(t *testing.T) {
	img := beauty(0.09)
	img.Planes[3].Data[0] = 0.5 // half covered by light of 0.18
	decoded, err := png.Decode(bytes.NewReader(encoded(t, production.PNG8, img, pass.Beauty)))
	if err != nil {
		t.Fatal(err)
	}
	back, err := Decode(encoded(t, production.PNG8, img, pass.Beauty))
	if err != nil || math.Abs(float64(back.Image.Plane("R").Data[0])-0.09) > 0.002 {
		t.Errorf("%v came back as %v, %v", decoded.At(0, 0), back.Image.Plane("R").Data, err)
	}
}

func TestWhatAFormatCannotHoldIsRefused(t *testing.T) {
	if Holds(production.PNG16, []pass.Code{pass.Beauty, pass.Depth}) == nil || Holds(production.EXR, []pass.Code{pass.Depth}) != nil {
		t.Error("PNG holds depth, or EXR does not")
	}
	if err := Encode(&bytes.Buffer{}, production.PNG8, beauty(1), []pass.Code{pass.Depth}, Header{}); err == nil {
		t.Error("depth was written to PNG")
	}
	if err := Encode(&bytes.Buffer{}, production.EXR, beauty(1), []pass.Code{pass.Normal}, Header{}); err == nil {
		t.Error("a pass that was not rendered was written")
	}
}

func TestEXRHoldsDataExactly(t *testing.T) {
	img := beauty(0.123456789)
	back, err := Decode(encoded(t, production.EXR, img, pass.Depth))
	if err != nil || len(back.Image.Planes) != 1 || back.Image.Planes[0].Data[0] != img.Planes[4].Data[0] {
		t.Errorf("came back as %+v, %v", back.Image, err)
	}
}

func FuzzDecode(f *testing.F) {
	var b bytes.Buffer
	for _, format := range []production.Format{production.PNG8, production.PNG16, production.EXR} {
		b.Reset()
		if err := Encode(&b, format, beauty(0, 1), []pass.Code{pass.Beauty}, Header{}); err != nil {
			f.Fatal(err)
		}
		f.Add(bytes.Clone(b.Bytes()))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if p, err := Decode(data); err == nil && len(p.Image.Planes) == 0 {
			t.Error("an image without channels")
		}
	})
}
