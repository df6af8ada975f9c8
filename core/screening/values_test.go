package screening

import (
	"bytes"
	"errors"
	"math"
	"os"
	"strings"
	"testing"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/exr"
	"reelhouse/core/imagefile/png"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
)

// told writes values in one line.
func told(values []Value) string {
	var parts []string
	for _, v := range values {
		parts = append(parts, strings.TrimSpace(v.Pass+": "+v.Channel+" "+v.Text))
	}
	return strings.Join(parts, "; ")
}

func floats(values ...float32) (plane []byte) {
	for _, v := range values {
		b := math.Float32bits(v)
		plane = append(plane, byte(b), byte(b>>8), byte(b>>16), byte(b>>24))
	}
	return plane
}

// A file as another program may write it (Cryptomatte specification, version 1.2.0): a layer of its own name with two
// ranks, whose second ID is in no manifest, beside a layer that nobody here knows and a count of objects.
func TestValuesOfAFileOfAnotherProgram(t *testing.T) {
	h := imagefile.Plain(2, 1, imagefile.Float, "Z", "crypto_object00.A", "crypto_object00.B", "crypto_object00.G",
		"crypto_object00.R", "haze.density", "ids")
	h.Channels[6].Type = imagefile.Uint32
	h.Attributes = imagefile.Attributes{
		{
			Name:  "cryptomatte/1a2b3c4/name",
			Value: "crypto_object",
		}, {Name: "cryptomatte/1a2b3c4/hash", Value: "MurmurHash3_32"},
		{Name: "cryptomatte/1a2b3c4/manifest", Value: pass.Manifest([]string{"hero", "set/quay"})},
	}
	p := imagefile.Part{Header: h, Planes: [][]byte{
		floats(7.25, 1), floats(0.125, 0), floats(math.Float32frombits(0x12345678), 0), floats(0.875, 0),
		floats(pass.ID("hero"), 0), floats(0.5, 2), {3, 0, 0, 0, 255, 255, 255, 255},
	}}
	var b bytes.Buffer
	if err := exr.Encode(&b, exr.Picture{Part: exr.Part{Header: p.Header}, Planes: p.Planes}); err != nil {
		t.Fatal(err)
	}
	f, err := picture.Open(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	for x, want := range []string{
		"Picture: Z 7.2500; haze: density 0.5000; Picture: ids 3; Cryptomatte crypto_object: hero 87.5 %; " +
			"Cryptomatte crypto_object: ID 12345678, without a name, 12.5 %",
		"Picture: Z 1.0000; haze: density 2.0000; Picture: ids 4294967295; Cryptomatte crypto_object: nothing",
	} {
		values, err := Values(f, 0, x, 0, nil, pass.DepthStyle{})
		if got := told(values); err != nil || got != want {
			t.Errorf("pixel %d has %s, %v, not %s", x, got, err, want)
		}
	}
	for _, at := range [][2]int{{2, 0}, {0, 1}, {-1, 0}} {
		if _, err := Values(f, 0, at[0], at[1], nil, pass.DepthStyle{}); !errors.Is(err, ErrOutside) {
			t.Errorf("at %v: %v", at, err)
		}
	}
	if _, err := Values(f, 1, 0, 0, nil, pass.DepthStyle{}); err == nil {
		t.Error("there is no second part")
	}
}

// Codes are told as codes, in as many bits as the file has: 188 of 255 in sRGB is 0.5029 of light (IEC 61966-2-1).
func TestCodesAreToldAsCodes(t *testing.T) {
	h := imagefile.Plain(1, 1, imagefile.Uint8, "R", "G", "B", "A")
	h.Alpha = imagefile.Straight
	var b bytes.Buffer
	w, err := png.NewWriter(&b, h, png.Options{})
	if err == nil {
		err = imagefile.WriteAll(w, imagefile.Part{Header: h, Planes: [][]byte{{188}, {0}, {255}, {128}}})
	}
	if err != nil {
		t.Fatal(err)
	}
	kept := func(name string) []byte {
		data, err := os.ReadFile("../imagefile/formats/testdata/" + name)
		if err != nil {
			t.Fatal(err)
		}
		return data
	}
	for name, c := range map[string]struct {
		data   []byte
		passes []pass.Code
		want   string
	}{
		"a PNG": {b.Bytes(), []pass.Code{pass.Beauty}, "Beauty: R 188 of 255 (light 0.5029); Beauty: G 0 of 255 " +
			"(light 0.0000); " +
			"Beauty: B 255 of 255 (light 1.0000); Beauty: A 128 of 255"},
		"one of a pass": {b.Bytes(), []pass.Code{pass.Albedo}, "Albedo: R 188 of 255 (light 0.5029)"},
		"10 bits":       {kept("plain.dpx"), nil, " of 1023 (light "},
		"12 bits":       {kept("12-packed.dpx"), nil, " of 4095 (light "},
		"4 bits":        {kept("4bit.tif"), nil, " of 15 (light "},
		"16 bits":       {kept("16.png"), nil, " of 65535 (light "},
	} {
		f, err := picture.Open(c.data)
		if err != nil {
			t.Fatal(err)
		}
		values, err := Values(f, 0, 0, 0, c.passes, pass.DepthStyle{})
		if got := told(values); err != nil || !strings.Contains(got, c.want) {
			t.Errorf("%s: %s, %v", name, got, err)
		}
	}
}
