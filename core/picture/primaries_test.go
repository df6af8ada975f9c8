package picture

import (
	"bytes"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// ociospaces are colours as OpenColorIO knows them by itself, with the power that takes their codes to light.
var ociospaces = map[pixel.Primaries]struct {
	style string
	power float64
}{
	pixel.BT709:    {"DISPLAY - CIE-XYZ-D65_to_REC.1886-REC.709", 2.4},
	pixel.P3D65:    {"DISPLAY - CIE-XYZ-D65_to_G2.6-P3-D65", 2.6},
	pixel.BT2020:   {"DISPLAY - CIE-XYZ-D65_to_REC.1886-REC.2020", 2.4},
	pixel.ACEScg:   {"UTILITY - ACES-AP1_to_CIE-XYZ-D65_BFD", 1},
	pixel.ACES2065: {"UTILITY - ACES-AP0_to_CIE-XYZ-D65_BFD", 1},
}

// colours is a picture of light in many colours, none of them white alone.
func colours() *pixel.Image {
	img := pixel.New(9, 9, "R", "G", "B", "A")
	for i := range 81 {
		img.Planes[0].Data[i] = float32(i%9)/8*0.9 + 0.05
		img.Planes[1].Data[i] = float32(i/9)/8*0.9 + 0.05
		img.Planes[2].Data[i] = float32((i*5)%9)/8*0.9 + 0.05
		img.Planes[3].Data[i] = 1
	}
	return img
}

// numbersOf reads red, green and blue of a file as it has them, one after the other.
func numbersOf(t *testing.T, data []byte) []float32 {
	t.Helper()
	f, err := Open(data)
	if err != nil {
		t.Fatal(err)
	}
	f.KeepPrimaries = true
	p, err := f.Part(0)
	if err != nil {
		t.Fatal(err)
	}
	return slices.Concat(p.Image.Plane("R").Data, p.Image.Plane("G").Data, p.Image.Plane("B").Data)
}

// OpenColorIO, by way of OpenImageIO, makes the same numbers of a picture as are in our files of other primaries.
func TestNumbersOfOtherPrimariesAreThoseOfOpenColorIO(t *testing.T) {
	folder := t.TempDir()
	config := "ocio_profile_version: 2\nstrictparsing: false\nroles: {default: xyz, scene_linear: xyz}\n" +
		"file_rules: [!<Rule> {name: Default, colorspace: default}]\n" +
		"displays: {d: [!<View> {name: v, colorspace: xyz}]}\ncolorspaces:\n  - !<ColorSpace> {name: xyz}\n"
	for p, space := range ociospaces {
		way := "from_scene_reference"
		if space.power == 1 {
			way = "to_scene_reference"
		}
		config += "  - !<ColorSpace>\n    name: " + string(p) + "\n    " + way + ": !<BuiltinTransform> {style: " +
			space.style + "}\n"
	}
	codes := colours()
	for _, plane := range codes.Planes[:3] {
		for i, v := range plane.Data {
			plane.Data[i] = float32(math.Pow(float64(v), 1/2.4))
		}
	}
	e := output.EXR.Usual()
	e.Depth = output.Float
	path := func(name string) string { return filepath.Join(folder, name) }
	if err := os.WriteFile(path("config.ocio"), []byte(config), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path("codes.exr"), encoded(t, e, codes, pass.Beauty), 0o644); err != nil {
		t.Fatal(err)
	}
	for p, space := range ociospaces {
		out, err := exec.Command("oiiotool", "--colorconfig", path("config.ocio"), path("codes.exr"), "--colorconvert",
			string(pixel.BT709), string(p), "-d", "float", "-o", path("theirs.exr")).CombinedOutput()
		if err != nil {
			t.Fatalf("oiiotool: %v\n%s", err, out)
		}
		theirs, err := os.ReadFile(path("theirs.exr"))
		if err != nil {
			t.Fatal(err)
		}
		if e.Primaries = p; p == pixel.BT709 {
			e.Primaries = ""
		}
		want, worst := numbersOf(t, theirs), 0.0
		for i, v := range numbersOf(t, encoded(t, e, colours(), pass.Beauty)) {
			worst = max(worst, math.Abs(math.Pow(float64(want[i]), space.power)-float64(v)))
		}
		if worst > 5e-5 { // as much as OpenColorIO's fast power is off
			t.Errorf("%s: %g apart", p, worst)
		}
	}
}

// Every format that holds linear light says its primaries, is read by what it says, and is refused where it cannot say
// them.
func TestPrimariesComeBack(t *testing.T) {
	for _, f := range []output.Format{output.EXR, output.TIFF, output.HDR} {
		for _, p := range pixel.AllPrimaries()[1:] {
			e := f.Usual()
			if e.Primaries, e.Curve = p, pixel.Linear; f == output.TIFF {
				e.Depth = output.Float
			}
			if err := e.Check(); f == output.TIFF && p == pixel.ACES2065 {
				if err == nil || !strings.Contains(err.Error(), "cannot say") {
					t.Errorf("TIFF is asked to say a chromaticity below 0: %v", err)
				}
				continue
			}
			data := encoded(t, e, colours(), pass.Beauty)
			got, err := Decode(data)
			if err != nil || got.Encoding.Primaries != p {
				t.Errorf("%s of %s says %q: %v", f, p, got.Encoding.Primaries, err)
				continue
			}
			off := 1e-6
			switch {
			case f == output.HDR:
				off = 0.03
			case e.Depth == output.ByPass:
				off = 0.003
			}
			for _, plane := range colours().Planes[:3] {
				for i, want := range plane.Data {
					if v := got.Image.Plane(plane.Name).Data[i]; math.Abs(float64(v-want)) > off {
						t.Fatalf("%s of %s: %v came back as %v", f, p, want, v)
					}
				}
			}
		}
	}
}

// Numbers are no colours: depth and mattes stay as they are, and so does what is encoded for a display.
func TestNumbersKeepNoPrimaries(t *testing.T) {
	names := []string{"R", "G", "B", "A"}
	passes := []pass.Code{pass.Beauty, pass.Albedo, pass.Normal, pass.Object, pass.CryptoObject}
	for _, code := range passes[1:] {
		described, err := pass.Find(code)
		if err != nil {
			t.Fatal(err)
		}
		names = append(names, described.ChannelNames()...)
	}
	img := pixel.New(2, 2, names...)
	for k, plane := range img.Planes {
		for i, v := range []float32{0.9, 0.1, 0.5, 0.2} {
			plane.Data[i] = v * float32(1+k%5)
		}
	}
	before := img.Clone()
	e := output.EXR.Usual()
	e.Depth, e.Primaries = output.Float, pixel.ACEScg
	crypto, err := pass.Find(pass.CryptoObject)
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := Encode(&b, e, img, passes, Header{Attributes: Cryptomatte(crypto, "{}")}); err != nil {
		t.Fatal(err)
	}
	back, err := Decode(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	f, err := Open(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	f.KeepPrimaries = true
	raw, err := f.Part(0)
	if err != nil {
		t.Fatal(err)
	}
	for _, plane := range before.Planes {
		colour := slices.Contains([]string{"R", "G", "B", "albedo.R", "albedo.G", "albedo.B"}, plane.Name)
		if !slices.Equal(img.Plane(plane.Name).Data, plane.Data) {
			t.Errorf("%s was changed", plane.Name)
		}
		if same := slices.Equal(raw.Image.Plane(plane.Name).Data, plane.Data); same == colour {
			t.Errorf("%s stays as it is in the file: %v", plane.Name, same)
		}
		for i, v := range back.Image.Plane(plane.Name).Data {
			if math.Abs(float64(v-plane.Data[i])) > 1e-5 {
				t.Errorf("%s: %v came back as %v", plane.Name, plane.Data[i], v)
			}
		}
	}
}

// A saturated colour that is stored in halves of wider primaries does not come back as light below 0.
func TestRoundingOfPrimariesIsNoNegativeLight(t *testing.T) {
	img := pixel.New(40, 3, "R", "G", "B", "A")
	for i := range 120 {
		img.Planes[i/40].Data[i], img.Planes[3].Data[i] = float32(1+i%40)/7, 1
	}
	for _, f := range []output.Format{output.EXR, output.HDR} {
		for _, p := range pixel.AllPrimaries()[1:] {
			e := f.Usual()
			e.Primaries = p
			back, err := Decode(encoded(t, e, img, pass.Beauty))
			if err != nil {
				t.Fatal(err)
			}
			for _, plane := range back.Image.Planes {
				for i, v := range plane.Data {
					if v < 0 {
						t.Fatalf("%s of %s: %s of pixel %d is %g", f, p, plane.Name, i, v)
					}
				}
			}
		}
	}
}
