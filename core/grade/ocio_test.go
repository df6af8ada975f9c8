package grade_test

import (
	"bytes"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"reelhouse/core/grade"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// OpenColorIO, by way of OpenImageIO, reads the files that are written here, and corrects a picture by them to the same
// numbers: its CDL goes on above 1 and below 0, as ours does where it is not clamped.
func TestCorrectionsAreThoseOfOpenColorIO(t *testing.T) {
	if _, err := exec.LookPath("oiiotool"); err != nil {
		t.Skip("oiiotool is not there")
	}
	dir := t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	img := pixel.New(64, 4, "R", "G", "B", "A")
	for i := range 256 {
		img.Planes[0].Data[i] = -0.5 + float32(i)/64
		img.Planes[1].Data[i] = float32(255-i) / 90
		img.Planes[2].Data[i] = float32(i%16) / 8
		img.Planes[3].Data[i] = 1
	}
	e := output.EXR.Usual()
	e.Depth = output.Float
	var b bytes.Buffer
	if err := picture.Encode(&b, e, img, []pass.Code{pass.Beauty}, picture.Header{}); err != nil {
		t.Fatal(err)
	}
	config := "ocio_profile_version: 2\nroles: {default: light, scene_linear: light}\n" +
		"file_rules: [!<Rule> {name: Default, colorspace: default}]\n" +
		"displays: {d: [!<View> {name: v, colorspace: light}]}\ncolorspaces:\n  - !<ColorSpace> {name: light}\n"
	for name, data := range map[string][]byte{"in.exr": b.Bytes(), "config.ocio": []byte(config)} {
		if err := os.WriteFile(path(name), data, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []grade.CDL{
		{Slope: [3]float64{1.2, 0.9, 1}, Offset: [3]float64{0.05, -0.02, 0}, Power: [3]float64{1, 1, 1}, Saturation: 1},
		{Slope: [3]float64{1, 1, 1}, Power: [3]float64{1.3, 0.8, 1}, Saturation: 0.6},
		{Slope: [3]float64{0.7, 1.1, 1.4}, Offset: [3]float64{0.1, 0, -0.1}, Power: [3]float64{0.9, 1.2, 1.1},
			Saturation: 1.4},
	} {
		for _, kind := range []grade.FileKind{grade.CC} { // of the others it wants to know which correction
			var file bytes.Buffer
			err := grade.WriteFile(&file, kind, []grade.Correction{{ID: "a.1", Description: "test", CDL: c}})
			if err == nil {
				err = os.WriteFile(path("a."+string(kind)), file.Bytes(), 0o644)
			}
			if err != nil {
				t.Fatal(err)
			}
			said, err := exec.Command("oiiotool", "--colorconfig", path("config.ocio"), path("in.exr"),
				"--ociofiletransform", path("a."+string(kind)), "-d", "float", "-o", path("out.exr")).CombinedOutput()
			if err != nil {
				t.Fatalf("%s: %v\n%s", kind, err, said)
			}
			data, err := os.ReadFile(path("out.exr"))
			if err != nil {
				t.Fatal(err)
			}
			theirs, err := picture.Decode(data)
			if err != nil {
				t.Fatal(err)
			}
			for i := range 256 {
				in := [3]float64{float64(img.Planes[0].Data[i]), float64(img.Planes[1].Data[i]),
					float64(img.Planes[2].Data[i])}
				ours := c.Apply(in, false)
				for k, name := range []string{"R", "G", "B"} {
					want := float64(theirs.Image.Plane(name).Data[i])
					if math.Abs(ours[k]-want) > 1e-4*max(1, math.Abs(want)) {
						t.Fatalf("%s, %v of %v: %v, and OpenColorIO has %v of %s", kind, c, in, ours, want, name)
					}
				}
			}
		}
	}
}
