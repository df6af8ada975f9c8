package picture

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/imagefile/exr"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
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

func encoded(t *testing.T, e output.Encoding, img *pixel.Image, passes ...pass.Code) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := Encode(&b, e, img, passes, header); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

var header = Header{
	Rate:        frame.Rate{Numerator: 24, Denominator: 1},
	Frame:       7,
	PixelAspect: 2,
	Facts:       []job.Fact{{Name: "shot", Value: "010"}, {Name: "note", Value: "Kai, Dämmerung"}},
}

// IEC 61966-2-1: linear 0.18 encodes to 0.4614, so 8 bits hold 118 and 16 bits hold 30238,
// within what four digits say.
func TestPNGIsEncodedOnceForViewing(t *testing.T) {
	img := beauty(0, 0.18, 1, 7)
	for depth, want := range map[output.Depth]uint32{output.Eight: 118 * 257, output.Sixteen: 30238} {
		e := output.PNG.Usual()
		e.Depth = depth
		decoded, err := png.Decode(bytes.NewReader(encoded(t, e, img, pass.Beauty)))
		if err != nil {
			t.Fatal(err)
		}
		r, _, _, a := decoded.At(1, 0).RGBA()
		if math.Abs(float64(r)-float64(want)) > 4 || a != 0xffff {
			t.Errorf("%s bit: 0.18 became %d with alpha %d, want %d", depth, r, a, want)
		}
		if r, _, _, _ := decoded.At(3, 0).RGBA(); r != 0xffff {
			t.Errorf("%s bit: light above 1 became %d", depth, r)
		}
	}
}

// Every format, with every encode that it can carry: the file says which it is, and comes back as the light
// that it was made of.
func TestFilesSayWhatTheyCarryAndAreTreatedSo(t *testing.T) {
	img := beauty(0, 0.02, 0.18, 0.6, 1)
	for _, k := range output.Kinds() {
		for _, curve := range k.Curves {
			for _, depth := range k.Depths {
				e := k.Format.Usual()
				e.Curve, e.Depth = curve, depth
				if depth == output.Float && k.Format != output.EXR { // which holds light only
					e.Curve, curve = pixel.Linear, pixel.Linear
				}
				p, err := Decode(encoded(t, e, img, pass.Beauty))
				if err != nil {
					t.Fatal(err)
				}
				silent := curve == pixel.SRGB && k.Unstated
				if p.Encoding.Format != e.Format || p.Encoding.Curve != curve || p.Encoding.Depth != depth ||
					p.CurveStated == silent ||
					math.Abs(p.PixelAspect-2) > 0.001 {
					t.Errorf("%+v came back as %+v, pixel aspect %v", e, p.Encoding, p.PixelAspect)
				}
				for i, want := range img.Planes[1].Data {
					if got := p.Image.Plane("G").Data[i]; math.Abs(float64(got-want)) > 0.012 {
						t.Errorf("%s %s %s: %v came back as %v", k.Format, curve, depth, want, got)
					}
				}
				if !k.Facts {
					continue
				}
				if p.Fact("shot") != "010" || p.Fact("note") != "Kai, Dämmerung" || p.Fact("frame") != "7" ||
					p.Fact("framesPerSecond") != "24/1" {
					t.Errorf("%s: facts are %v", k.Format, p.Facts)
				}
			}
		}
	}
}

func TestAFileThatSaysNothingIsTakenForSRGB(t *testing.T) {
	src := image.NewNRGBA(image.Rect(0, 0, 1, 1))
	src.Set(0, 0, color.NRGBA{118, 118, 118, 255})
	var b bytes.Buffer
	if err := png.Encode(&b, src); err != nil {
		t.Fatal(err)
	}
	p, err := Decode(b.Bytes())
	if err != nil || p.CurveStated || p.Encoding.Curve != pixel.SRGB ||
		math.Abs(float64(p.Image.Planes[0].Data[0])-0.18) > 0.003 {
		t.Errorf("%+v, %v", p, err)
	}
}

func TestAlphaIsStraightOrPremultipliedAsPromised(t *testing.T) {
	img := beauty(0.09)
	img.Planes[3].Data[0] = 0.5 // half covered by light of 0.18
	for _, c := range []struct {
		format output.Format
		alpha  output.Alpha
		stored float64 // linear red that the file holds
		light  float64 // red that comes back
	}{
		{output.EXR, output.Premultiplied, 0.09, 0.09}, {output.EXR, output.Straight, 0.18, 0.09},
		{output.EXR, output.NoAlpha, 0.09, 0.09},
		{output.TIFF, output.Straight, 0.18, 0.09}, {output.TIFF, output.Premultiplied, 0.09, 0.09},
		{output.TGA, output.Straight, 0.18, 0.09}, {output.TGA, output.Premultiplied, 0.09, 0.09},
		{output.PNG, output.Straight, 0.18, 0.09}, {output.PNG, output.NoAlpha, 0.09, 0.09},
		{output.JPEG, output.NoAlpha, 0.09, 0.09},
	} {
		e := c.format.Usual()
		e.Alpha = c.alpha
		data := encoded(t, e, img, pass.Beauty)
		p, err := Decode(data)
		if err != nil || p.Encoding.Alpha != c.alpha || math.Abs(float64(p.Image.Plane("R").Data[0])-c.light) > 0.004 {
			t.Errorf("%s %s: %+v, %v", c.format, c.alpha, p.Image, err)
		}
		switch c.format {
		case output.EXR:
			parts, err := exr.ReadAll(data, 1<<20)
			if err != nil {
				t.Fatal(err)
			}
			red := pixel.FromHalf(le.Uint16(parts[0].Planes[parts[0].Channel("R")]))
			if math.Abs(float64(red)-c.stored) > 1e-4 {
				t.Errorf("OpenEXR %s holds %v", c.alpha, red)
			}
		case output.PNG:
			decoded, err := png.Decode(bytes.NewReader(data))
			if err != nil {
				t.Fatal(err)
			}
			if n := color.NRGBA64Model.Convert(decoded.At(0, 0)).(color.NRGBA64); math.Abs(
				pixel.SRGB.Decode(float64(n.R)/65535)-c.stored,
			) > 0.001 {
				t.Errorf("PNG %s holds %v", c.alpha, n)
			}
		}
	}
	if img.Planes[0].Data[0] != 0.09 {
		t.Error("writing changed the picture")
	}
}

func TestWhatAFormatCannotHoldIsRefused(t *testing.T) {
	if err := Encode(&bytes.Buffer{}, output.PNG.Usual(), beauty(1), []pass.Code{pass.Depth}, Header{}); err == nil {
		t.Error("depth was written to PNG")
	}
	if err := Encode(&bytes.Buffer{}, output.EXR.Usual(), beauty(1), []pass.Code{pass.Normal}, Header{}); err == nil {
		t.Error("a pass that was not rendered was written")
	}
	twice := output.EXR.Usual()
	twice.Curve = pixel.SRGB
	if err := Encode(&bytes.Buffer{}, twice, beauty(1), []pass.Code{pass.Beauty}, Header{}); err == nil {
		t.Error("encoded light was written to OpenEXR")
	}
}

func TestEXRHoldsDataExactly(t *testing.T) {
	img := beauty(0.123456789)
	back, err := Decode(encoded(t, output.EXR.Usual(), img, pass.Depth))
	if err != nil || len(back.Image.Planes) != 1 || back.Image.Planes[0].Data[0] != img.Planes[4].Data[0] {
		t.Errorf("came back as %+v, %v", back.Image, err)
	}
}

// OpenImageIO and pngcheck, which had no part in writing them, read every format and what it says.
func TestOutsideToolsReadEveryFormat(t *testing.T) {
	if _, err := exec.LookPath("oiiotool"); err != nil {
		t.Fatal("oiiotool is not installed; `make test` installs it")
	}
	img := pixel.New(40, 30, "R", "G", "B", "A")
	for c, p := range img.Planes {
		for i := range p.Data {
			p.Data[i] = float32(i%40)/40*float32(c%3) + 0.01
		}
	}
	for i := range img.Planes[3].Data {
		img.Planes[3].Data[i] = 1
	}
	for format, says := range map[output.Format][]string{
		output.EXR: {"PixelAspectRatio: 2", "framesPerSecond: 24/1", `reelhouse:shot: "010"`},
		output.PNG: {"PixelAspectRatio: 2", "sRGB"},
		output.JPEG: {"XResolution: 500",
			"YResolution: 1000" /* ITU-T T.871: width to height as Y to X density */, `Software: "Reelhouse"`,
			"Exif:ColorSpace: 1"},
	} {
		path := filepath.Join(t.TempDir(), "x."+format.Ext())
		if err := os.WriteFile(path, encoded(t, format.Usual(), img, pass.Beauty), 0o644); err != nil {
			t.Fatal(err)
		}
		out, err := exec.Command("oiiotool", "--info", "-v", "--stats", path).CombinedOutput()
		if err != nil || strings.Contains(string(out), "ERROR") {
			t.Errorf("%s: %v\n%s", format, err, out)
		}
		for _, s := range says {
			if !strings.Contains(string(out), s) {
				t.Errorf("%s does not say %q:\n%s", format, s, out)
			}
		}
		if format == output.PNG {
			if out, err := exec.Command("pngcheck", path).CombinedOutput(); err != nil {
				t.Errorf("pngcheck: %v\n%s", err, out)
			}
		}
	}
}

func FuzzDecode(f *testing.F) {
	var b bytes.Buffer
	for _, k := range output.Kinds() {
		b.Reset()
		if err := Encode(&b, k.Format.Usual(), beauty(0, 1), []pass.Code{pass.Beauty}, header); err != nil {
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
