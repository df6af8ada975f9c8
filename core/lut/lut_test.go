package lut_test

import (
	"bytes"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/lut"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// cubic returns the entries of a table of three dimensions, red fastest, as text.
func cubic(edge int) string {
	var b strings.Builder
	for i := range edge * edge * edge {
		r, g, bl := float64(i%edge)/float64(edge-1), float64(i/edge%edge)/float64(edge-1), float64(i/edge/edge)/
			float64(edge-1)
		fmt.Fprintf(&b, "%.6f %.6f %.6f\n", math.Sqrt(r)*0.9+0.1*bl, 0.2+0.7*g*g-0.1*r, bl*(1-0.3*r*g))
	}
	return b.String()
}

// linear returns the entries of a table of one dimension.
func linear(entries int) string {
	var b strings.Builder
	for i := range entries {
		v := float64(i) / float64(entries-1)
		fmt.Fprintf(&b, "%.6f %.6f %.6f\n", v*v, math.Sqrt(v), 1-v)
	}
	return b.String()
}

// clf returns a file of the Common LUT Format with process nodes.
func clf(nodes string) string {
	return `<?xml version="1.0" encoding="UTF-8"?>` + "\n" +
		`<ProcessList xmlns="urn:AMPAS:CLF:v3.0" id="a" compCLFversion="3">` + nodes + `</ProcessList>`
}

const ofFloats = ` inBitDepth="32f" outBitDepth="32f"`

// slowBlue returns a table of three dimensions with blue fastest, as the Common LUT Format has it.
func slowBlue(edge int, top float64) string {
	var b strings.Builder
	for i := range edge * edge * edge {
		r, g, bl := float64(i/edge/edge)/float64(edge-1), float64(i/edge%edge)/float64(edge-1), float64(i%edge)/
			float64(edge-1)
		fmt.Fprintf(&b, "%.5f %.5f %.5f\n", top*math.Sqrt(r), top*(0.2+0.7*g*g-0.1*r), top*bl*(1-0.3*r*g))
	}
	return b.String()
}

// files are transforms of every kind that is read.
var files = map[string]string{
	"cube3.cube": "# a comment\nTITLE \"three\"\nLUT_3D_SIZE 9\n" + cubic(9),
	"cube1.cube": "LUT_1D_SIZE 33\n" + linear(33),
	"wide.cube":  "LUT_1D_SIZE 17\nDOMAIN_MIN -0.5 -0.5 -0.5\nDOMAIN_MAX 2.0 2.0 2.0\n" + linear(17),
	"wide3.cube": "LUT_3D_SIZE 5\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 2 2 2\n" + cubic(5),
	"matrix.clf": clf(`<Matrix` + ofFloats +
		`><Array dim="3 4">0.8 0.1 0.05 0.01 0.2 0.7 0.1 0 -0.1 0.1 1.1 -0.02</Array></Matrix>`),
	"matrix-of-codes.clf": clf(`<Matrix inBitDepth="10i" outBitDepth="32f"><Array dim="3 3">0.001 0 0
		0 0.0008 0.0001 0 0 0.0009</Array></Matrix>`),
	"range.clf": clf(`<Range` + ofFloats + `><minInValue>0.1</minInValue><maxInValue>0.8</maxInValue>` +
		`<minOutValue>0</minOutValue><maxOutValue>1</maxOutValue></Range>`),
	"loose-range.clf": clf(`<Range` + ofFloats + ` style="noClamp"><minInValue>0.1</minInValue>` +
		`<maxInValue>0.8</maxInValue><minOutValue>0</minOutValue><maxOutValue>1</maxOutValue></Range>`),
	"floor.clf": clf(`<Range` + ofFloats + `><minInValue>0.1</minInValue><minOutValue>0.1</minOutValue></Range>`),
	"line.clf":  clf(`<LUT1D` + ofFloats + `><Array dim="33 3">` + linear(33) + `</Array></LUT1D>`),
	"grey-line.clf": clf(`<LUT1D inBitDepth="32f" outBitDepth="10i"><Array dim="4 1">0 100 600 1023</Array></LUT1D>` +
		`<Range inBitDepth="10i" outBitDepth="32f"><minInValue>0</minInValue><maxInValue>1023</maxInValue>` +
		`<minOutValue>0</minOutValue><maxOutValue>1</maxOutValue></Range>`),
	"cube.clf": clf(`<LUT3D` + ofFloats + ` interpolation="tetrahedral"><Array dim="5 5 5 3">` + slowBlue(5, 1) +
		`</Array></LUT3D>`),
	"log10.clf":  clf(`<Log` + ofFloats + ` style="log10"/>`),
	"power2.clf": clf(`<Log` + ofFloats + ` style="antiLog2"/>`),
	"camera.clf": clf(`<Log` + ofFloats + ` style="cameraLinToLog"><LogParams base="2" logSideSlope="0.057077625" ` +
		`logSideOffset="0.55479452" linSideSlope="1" linSideOffset="0" linSideBreak="0.0078125"/></Log>`),
	"camera-back.clf": clf(`<Log` + ofFloats + ` style="cameraLogToLin"><LogParams base="10" ` +
		`logSideSlope="0.25" logSideOffset="0.4" linSideSlope="5.5" linSideOffset="0.05" linSideBreak="0.01" ` +
		`linearSlope="5.4"/></Log>`),
	"lin-to-log.clf": clf(`<Log` + ofFloats + ` style="linToLog"><LogParams base="10" logSideSlope="0.3" ` +
		`logSideOffset="0.6" linSideSlope="1.1" linSideOffset="0.1"/></Log>`),
	"log-to-lin.clf": clf(`<Log` + ofFloats + ` style="logToLin"><LogParams channel="R" base="2" logSideSlope="0.3" ` +
		`logSideOffset="0.6" linSideSlope="1.1" linSideOffset="0.1"/><LogParams channel="G" base="2" ` +
		`logSideSlope="0.2"/><LogParams channel="B" base="2" logSideSlope="0.25"/></Log>`),
	"power.clf": clf(`<Exponent` + ofFloats + ` style="basicFwd"><ExponentParams exponent="2.2"/></Exponent>`),
	"root.clf":  clf(`<Exponent` + ofFloats + ` style="basicMirrorRev"><ExponentParams exponent="2.4"/></Exponent>`),
	"passed.clf": clf(`<Exponent` + ofFloats + ` style="basicPassThruRev"><ExponentParams exponent="2.4"/>` +
		`</Exponent>`),
	"srgb.clf": clf(`<Exponent` + ofFloats + ` style="monCurveRev"><ExponentParams exponent="2.4" offset="0.055"/>` +
		`</Exponent>`),
	"srgb-back.clf": clf(`<Exponent` + ofFloats + ` style="monCurveMirrorFwd"><ExponentParams exponent="2.4" ` +
		`offset="0.055"/></Exponent>`),
	"cdl.clf": clf(`<ASC_CDL` + ofFloats + ` style="Fwd"><SOPNode><Slope>1.1 1 0.9</Slope><Offset>0.02 0 -0.01` +
		`</Offset><Power>1 1.2 0.8</Power></SOPNode><SatNode><Saturation>0.8</Saturation></SatNode></ASC_CDL>`),
	"cdl-back.clf": clf(`<ASC_CDL` + ofFloats + ` style="RevNoClamp"><SOPNode><Slope>1.1 1 0.9</Slope>` +
		`<Offset>0.02 0 -0.01</Offset><Power>1 1.2 0.8</Power></SOPNode><SatNode><Saturation>0.8</Saturation>` +
		`</SatNode></ASC_CDL>`),
}

// halves returns a table of all half floats: of numbers, or of their bits.
func halves(raw bool) string {
	var b strings.Builder
	for bits := range 1 << 16 {
		v := float64(pixel.FromHalf(uint16(bits)))
		if v = math.Cbrt(v); math.IsNaN(v) || math.IsInf(v, 0) {
			v = 0
		}
		if raw {
			fmt.Fprintln(&b, pixel.ToHalf(float32(v)))
		} else {
			fmt.Fprintf(&b, "%.7g\n", v)
		}
	}
	return b.String()
}

// probes are colours, from below 0 to above 1.
func probes() *pixel.Image {
	img := pixel.New(17, 17, "R", "G", "B", "A")
	for i := range 17 * 17 {
		img.Planes[0].Data[i] = -0.2 + 1.5*float32(i%17)/16
		img.Planes[1].Data[i] = -0.2 + 1.5*float32(i/17)/16
		img.Planes[2].Data[i] = -0.2 + 1.5*float32(i*7%17)/16
		img.Planes[3].Data[i] = 1
	}
	return img
}

// OpenColorIO, by way of OpenImageIO, makes the same numbers by every file.
func TestFilesDoAsInOpenColorIO(t *testing.T) {
	folder := t.TempDir()
	path := func(name string) string { return filepath.Join(folder, name) }
	e := output.EXR.Usual()
	e.Depth = output.Float
	var b bytes.Buffer
	if err := picture.Encode(&b, e, probes(), []pass.Code{pass.Beauty}, picture.Header{}); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path("in.exr"), b.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	config := "ocio_profile_version: 2\nroles: {default: light, scene_linear: light}\n" +
		"file_rules: [!<Rule> {name: Default, colorspace: default}]\n" +
		"displays: {d: [!<View> {name: v, colorspace: light}]}\ncolorspaces:\n  - !<ColorSpace> {name: light}\n"
	if err := os.WriteFile(path("config.ocio"), []byte(config), 0o644); err != nil {
		t.Fatal(err)
	}
	files["half.clf"] = clf(`<LUT1D` + ofFloats + ` halfDomain="true"><Array dim="65536 1">` + halves(false) +
		`</Array></LUT1D>`)
	files["raw.clf"] = clf(`<LUT1D inBitDepth="16f" outBitDepth="16f" halfDomain="true" rawHalfs="true">` +
		`<Array dim="65536 1">` + halves(true) + `</Array></LUT1D>`)
	in := probes()
	for name, text := range files {
		transform, err := lut.Parse([]byte(text))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if err := os.WriteFile(path(name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		out, err := exec.Command("oiiotool", "--colorconfig", path("config.ocio"), path("in.exr"),
			"--ociofiletransform", path(name), "-d", "float", "-o",
			path("out.exr")).
			CombinedOutput()
		if err != nil {
			t.Errorf("%s: oiiotool: %v\n%s", name, err, out)
			continue
		}
		data, err := os.ReadFile(path("out.exr"))
		if err != nil {
			t.Fatal(err)
		}
		theirs, err := picture.Decode(data)
		if err != nil {
			t.Fatal(err)
		}
		worst, where := 0.0, ""
		for i := range 17 * 17 {
			r, g, bl := float64(in.Planes[0].Data[i]), float64(in.Planes[1].Data[i]), float64(in.Planes[2].Data[i])
			x, y, z := transform.Of(r, g, bl)
			for k, ours := range []float64{x, y, z} {
				want := float64(theirs.Image.Plane([]string{"R", "G", "B"}[k]).Data[i])
				if off := math.Abs(ours-want) / max(1, math.Abs(want)); !(off <= worst) {
					worst, where = off, fmt.Sprintf("%g %g %g: %g, want %g", r, g, bl, ours, want)
				}
			}
		}
		if worst > 2e-5 {
			t.Errorf("%s: %g apart, at %s", name, worst, where)
		}
	}
}

// Academy S-2016-001 gives these codes of ACEScct, from memory; that of 1 is (log2(1) + 9.72) / 17.52.
func TestACEScct(t *testing.T) {
	for light, want := range map[float64]float64{
		0: 0.0729055341958355, 0.18: 0.4135884, 1: 0.5547945, 0.0078125: 0.1552511, 65504: 1.4679964,
	} {
		if got := lut.ACEScct.Encode(light); math.Abs(got-want) > 1e-6 {
			t.Errorf("%g is %.7f, want %.7f", light, got, want)
		}
	}
}

// Light goes to the primaries and codes that a file is made for, and comes out between 0 and 1: a file that changes
// nothing shows the codes of its input. The numbers of red in ACEScg are those of TestConversions of core/pixel.
func TestLightIsShownAsItsInputSays(t *testing.T) {
	same, err := lut.Parse([]byte(clf(`<Matrix` + ofFloats + `><Array dim="3 3">1 0 0 0 1 0 0 0 1</Array></Matrix>`)))
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		in      lut.Input
		r, g, b float64
		want    [3]float64
	}{
		{lut.Input{Curve: lut.Linear}, 0.5, 2, -1, [3]float64{0.5, 1, 0}},
		{lut.Input{Curve: lut.SRGB}, 0.18, 0.18, 0.18, [3]float64{0.4614, 0.4614, 0.4614}},
		{lut.Input{Curve: lut.ACEScct}, 0.18, 0.18, 0.18, [3]float64{0.4136, 0.4136, 0.4136}},
		{lut.Input{Curve: lut.Linear, Primaries: pixel.ACEScg}, 1, 0, 0, [3]float64{0.6131, 0.0702, 0.0206}},
		{lut.Input{Curve: lut.Linear}, math.NaN(), math.Inf(1), 0, [3]float64{0, 0, 0}},
	} {
		s, err := lut.NewShower(same, c.in)
		if err != nil {
			t.Fatal(err)
		}
		x, y, z := s.Codes(c.r, c.g, c.b)
		for k, got := range []float64{x, y, z} {
			if !(math.Abs(got-c.want[k]) < 0.0001) && c.r == c.r {
				t.Errorf("%v: %g %g %g is %g %g %g, want %v", c.in, c.r, c.g, c.b, x, y, z, c.want)
			}
			if !(got >= 0 && got <= 1) {
				t.Errorf("%v: %g is no code", c.in, got)
			}
		}
	}
	for _, in := range []lut.Input{{}, {Curve: "film"}, {Curve: lut.Linear, Primaries: "ink"}} {
		if _, err := lut.NewShower(same, in); err == nil {
			t.Errorf("%v is taken", in)
		}
	}
}

// What is no such file is refused with what is wrong, and where.
func TestWrongFilesAreRefused(t *testing.T) {
	node := func(name, rest string) string { return clf("<" + name + ofFloats + rest) }
	uneven := node("LUT3D", `><Array dim="2 2 3 3">`+strings.Repeat("0 ", 36)+`</Array></LUT3D>`)
	for text, want := range map[string]string{
		"":                                   "no LUT_1D_SIZE",
		"0 0 0":                              "line 1: entries come before",
		"LUT_3D_SIZE 1":                      "outside 2 to 129",
		"LUT_3D_SIZE 300":                    "outside 2 to 129",
		"LUT_1D_SIZE 2\n0 0 0":               "after 1 of 2",
		"LUT_1D_SIZE 2\n0 0 0\n1 1":          "line 3",
		"LUT_1D_SIZE 2\n0 0 0\n1 1 nan":      `"nan" is no number`,
		"LUT_1D_SIZE 2\n0 0 0\n1 1 1\n2 2 2": "more than the 2",
		"LUT_1D_SIZE 2\nLUT_3D_SIZE 2":       "a second table",
		"LUT_1D_INPUT_RANGE 0 1":             "no word of the Cube LUT Specification",
		"LUT_1D_SIZE 2\nDOMAIN_MIN 1 0 0\n0 0 0\n1 1 1": "not below",
		"LUT_1D_SIZE 2\n0 0 0\nTITLE \"x\"\n1 1 1":      "behind entries",
		"\x89PNG\r\n":   "three numbers",
		"<a/>":          "its root is a",
		"<a":            "cannot be read",
		clf(""):         "no process node",
		clf("<Grade/>"): "Grade is no process node",
		strings.Replace(clf("<Log/>"), `"3"`, `"7"`, 1): "versions 1 to 3",
		clf(`<Log/>`):                                            "inBitDepth",
		node("Log", ` style="odd"/>`):                            `no style "odd"`,
		node("Log", ` style="cameraLinToLog"/>`):                 "linSideBreak is missing",
		node("Matrix", `/>`):                                     "Array is missing",
		node("Matrix", `><Array dim="3 3">1 2</Array></Matrix>`): "2 numbers, not 9",
		node("Matrix", `><Array dim="4 4 2">1</Array></Matrix>`): "1 numbers, not 16",
		uneven: "same edge",
		node("LUT3D", `><Array dim="65000 65000 65000 3">0</Array></LUT3D>`):     "is none",
		node("LUT1D", ` halfDomain="true"><Array dim="2 1">0 1</Array></LUT1D>`): "65536 entries",
		node("Range", `><minInValue>1</minInValue></Range>`):                     "in pairs",
		node("Exponent", ` style="basicFwd"/>`):                                  "ExponentParams are missing",
		node("ASC_CDL", `><SOPNode><Slope>1 1 1</Slope></SOPNode></ASC_CDL>`):    "is missing",
	} {
		if _, err := lut.Parse([]byte(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.80q: %v, want %q", text, err, want)
		}
	}
}

func FuzzParse(f *testing.F) {
	for _, text := range files {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		transform, err := lut.Parse(data)
		if err != nil {
			return
		}
		s, err := lut.NewShower(transform, lut.Input{Curve: lut.Linear})
		if err != nil {
			t.Fatal(err)
		}
		for _, v := range []float64{-1, 0, 0.3, 1, 70000, math.Inf(1), math.NaN()} {
			if x, y, z := s.Codes(v, 0.5, v); !(min(x, y, z) >= 0 && max(x, y, z) <= 1) {
				t.Errorf("%g is %g %g %g", v, x, y, z)
			}
		}
	})
}

// BenchmarkShow shows light through a table of 33 entries an edge, for which it is encoded by ACEScct.
func BenchmarkShow(b *testing.B) {
	transform, err := lut.Parse([]byte("LUT_3D_SIZE 33\n" + cubic(33)))
	if err != nil {
		b.Fatal(err)
	}
	s, err := lut.NewShower(transform, lut.Input{Curve: lut.ACEScct, Primaries: pixel.ACEScg})
	if err != nil {
		b.Fatal(err)
	}
	planes := make([][]float32, 3)
	for k := range planes {
		planes[k] = make([]float32, 2048*858)
		for i := range planes[k] {
			planes[k][i] = float32(i*(k+3)%1000) / 300
		}
	}
	sums := make([]float64, 2048*858)
	for b.Loop() {
		s.Each(planes[0], planes[1], planes[2], 1, func(i int, x, y, z float64) { sums[i] = x + y + z })
	}
	b.ReportMetric(float64(b.N)*2048*858/1e6/b.Elapsed().Seconds(), "Mpixels/s")
}
