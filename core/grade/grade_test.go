package grade

import (
	"bytes"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

func near(a, b float64) bool { return math.Abs(a-b) <= 1e-9*max(1, math.Abs(a), math.Abs(b)) }

// The formula as ASC CDL 1.2 publishes it, worked by hand: slope, offset, clamp, power, saturation, clamp.
func TestCorrectionsByTheFormula(t *testing.T) {
	for _, c := range []struct {
		cdl      CDL
		clamped  bool
		in, want [3]float64
	}{
		{Neutral(), false, [3]float64{-1, 0.5, 7}, [3]float64{-1, 0.5, 7}},
		{Neutral(), true, [3]float64{-1, 0.5, 7}, [3]float64{0, 0.5, 1}},
		// 0.5 x 1.2 + 0.1 = 0.7; 0.7² = 0.49. 0.5 x 0.8 - 0.1 = 0.3; 0.3^0.5. 0.5 + 0.2 = 0.7.
		{CDL{[3]float64{1.2, 0.8, 1}, [3]float64{0.1, -0.1, 0.2}, [3]float64{2, 0.5, 1}, 1}, false,
			[3]float64{0.5, 0.5, 0.5}, [3]float64{0.49, math.Sqrt(0.3), 0.7}},
		// Without saturation all are 0.2126 x 1 + 0.7152 x 0.5 + 0.0722 x 0 = 0.5702.
		{CDL{White, [3]float64{}, White, 0}, false, [3]float64{1, 0.5, 0}, [3]float64{0.5702, 0.5702, 0.5702}},
		// Twice as saturated: 0.5702 + 2 (v - 0.5702), of which what is outside is clamped.
		{CDL{White, [3]float64{}, White, 2}, false, [3]float64{1, 0.5, 0}, [3]float64{1.4298, 0.4298, -0.5702}},
		{CDL{White, [3]float64{}, White, 2}, true, [3]float64{1, 0.5, 0}, [3]float64{1, 0.4298, 0}},
		// Below 0 nothing is raised to a power; clamped it is 0.
		{CDL{White, [3]float64{-0.5, -0.5, -0.5}, [3]float64{2, 2, 2}, 1}, false, [3]float64{0.25, 1, 2.5},
			[3]float64{-0.25, 0.25, 4}},
		{CDL{White, [3]float64{-0.5, -0.5, -0.5}, [3]float64{2, 2, 2}, 1}, true, [3]float64{0.25, 1, 2.5},
			[3]float64{0, 0.25, 1}},
	} {
		got := c.cdl.Apply(c.in, c.clamped)
		for i := range got {
			if !near(got[i], c.want[i]) {
				t.Errorf("%v, clamped %v, of %v: %v, want %v", c.cdl, c.clamped, c.in, got, c.want)
			}
		}
	}
}

// Values of Academy S-2016-001: its table of ACEScct has 0.18 at 0.413588 and 1 at 0.554795, and black at 0.0729055.
func TestTheCurveOfACEScct(t *testing.T) {
	for light, code := range map[float64]float64{0: 0.0729055, 0.18: 0.413588, 1: 0.554795, 0.0078125: 0.155251} {
		if got := ACEScct.Encode(light); math.Abs(got-code) > 1e-6 {
			t.Errorf("light %v has the code %v, want %v", light, got, code)
		}
	}
	for v := -0.2; v < 60; v += 0.013 {
		if back := ACEScct.Decode(ACEScct.Encode(v)); !near(back, v) {
			t.Errorf("%v came back as %v", v, back)
		}
	}
}

func picture(n int, at func(c, i int) float32) *pixel.Image {
	img := pixel.New(n, 1, "R", "G", "B", "A")
	for c := range img.Planes {
		for i := range n {
			img.Planes[c].Data[i] = at(c, i)
		}
	}
	return img
}

// random fills lights with values from 0.001 to 1000, of which a picture is the sum.
func random(r *rand.Rand, n int, codes []pass.Code) (*pixel.Image, map[pass.Code][3][]float32) {
	lights := map[pass.Code][3][]float32{}
	img := picture(n, func(int, int) float32 { return 1 })
	for c := range 3 {
		for i := range n {
			sum := float32(0)
			for _, code := range codes {
				l := lights[code]
				if l[c] == nil {
					l[c] = make([]float32, n)
				}
				l[c][i] = float32(math.Pow(10, r.Float64()*6-3))
				lights[code] = l
				sum += l[c][i]
			}
			img.Planes[c].Data[i] = sum
		}
	}
	return img, lights
}

// A gain of 1 gives the picture's own bits, whatever its lights add up to; others are the sum of what they should be.
func TestRelighting(t *testing.T) {
	r := rand.New(rand.NewPCG(22, 1))
	groups := []pass.LightGroup{{Code: "sun"}, {Code: "lamps"}}
	codes := []pass.Code{pass.LightCode("sun"), pass.LightCode("lamps"), pass.LightCode(pass.OtherLight)}
	img, lights := random(r, 1000, codes)
	was := img.Clone()
	g := Grade{Code: "night", Lights: []Gain{{codes[0], 1, ""}, {codes[1], 1, "#ffffff"}}}
	if g.Relights() || g.Changes() {
		t.Error("gains of 1 change light")
	}
	if err := g.Apply(Input{Picture: img, Lights: lights, Whole: true}); err != nil {
		t.Fatal(err)
	}
	for c := range was.Planes {
		for i, v := range was.Planes[c].Data {
			if math.Float32bits(v) != math.Float32bits(img.Planes[c].Data[i]) {
				t.Fatal("a gain of 1 changes bits")
			}
		}
	}
	g.Lights = []Gain{{codes[0], 0.01, "#80c0ff"}, {codes[1], 30, ""}}
	needed, whole := g.Needed(codes, groups)
	if len(needed) != 3 || !whole {
		t.Errorf("%v are needed, all: %v", needed, whole)
	}
	if _, whole = g.Needed(codes[:2], groups); whole {
		t.Error("two of three groups are all of the light")
	}
	if lacks := g.Lacks(codes[1:]); len(lacks) != 1 || lacks[0] != codes[0] {
		t.Errorf("it lacks %v", lacks)
	}
	for _, whole := range []bool{true, false} {
		img := was.Clone()
		if err := g.Apply(Input{Picture: img, Lights: lights, Whole: whole}); err != nil {
			t.Fatal(err)
		}
		for c := range 3 {
			for i := range 1000 {
				sun, lamps, other := float64(lights[codes[0]][c][i]), float64(lights[codes[1]][c][i]),
					float64(lights[codes[2]][c][i])
				want := 0.01*[3]float64{0.21586050, 0.52711513, 1}[c]*sun + 30*lamps + other
				if got := float64(img.Planes[c].Data[i]); math.Abs(got-want) > 1e-5*(sun+lamps+other+want) {
					t.Fatalf("pixel %d has %v, want %v (all of the light: %v)", i, got, want, whole)
				}
			}
		}
	}
}

func TestMasks(t *testing.T) {
	img := picture(6, func(c, _ int) float32 { return []float32{0.2, 0.4, 0.8, 1}[c] })
	g := Grade{Code: "haze", Steps: []Step{{Exposure: 1, CDL: Neutral(), Mask: Mask{Matte: "boat", Near: 2, Far: 10,
		Soft: 4}}}}
	coverage := []float32{1, 1, 0.5, 0, 1, 1}
	depth := []float32{5, 12, 5, 5, 14, 0}
	if err := g.Apply(Input{Picture: img, Mattes: map[string][]float32{"boat": coverage}, Depth: depth}); err != nil {
		t.Fatal(err)
	}
	for i, by := range []float64{2, 1.5, 1.5, 1, 1, 1.5} {
		if got := float64(img.Planes[0].Data[i]); math.Abs(got-0.2*by) > 1e-7 {
			t.Errorf("pixel %d is %v, want %v", i, got, 0.2*by)
		}
	}
	if err := g.Apply(Input{Picture: img, Depth: depth}); err == nil || !strings.Contains(err.Error(), "boat") {
		t.Errorf("without its matte: %v", err)
	}
	inverse := Mask{Near: 2, Far: 10, Inverted: true}
	if inverse.at(5, 0) != 0 || inverse.at(50, 0) != 1 {
		t.Error("an inverse lets through what it should not")
	}
}

// Half covered pixels are graded by their own colour: half of a grey of 0.5 is what half of the graded grey is.
func TestCoverageIsNoColour(t *testing.T) {
	cdl := CDL{White, [3]float64{0.1, 0.1, 0.1}, [3]float64{2, 2, 2}, 1}
	g := Grade{Code: "a", Steps: []Step{{CDL: cdl, Space: ACEScct}}}
	whole := picture(1, func(c, _ int) float32 { return []float32{0.5, 0.5, 0.5, 1}[c] })
	half := picture(1, func(c, _ int) float32 { return []float32{0.25, 0.25, 0.25, 0.5}[c] })
	for _, img := range []*pixel.Image{whole, half} {
		if err := g.Apply(Input{Picture: img}); err != nil {
			t.Fatal(err)
		}
	}
	if a, b := whole.Planes[1].Data[0], half.Planes[1].Data[0]; math.Abs(float64(a-2*b)) > 1e-6 || a == 0.5 {
		t.Errorf("whole it is %v, half covered %v", a, b)
	}
}

func TestFilesOfCorrections(t *testing.T) {
	all := []Correction{
		{"quay.1", "darker <quay> & cooler", CDL{[3]float64{1.1, 1, 0.9}, [3]float64{-0.01, 0, 0.02}, [3]float64{1, 1.2,
			0.8}, 0.85}}, {"quay.2", "", Neutral()},
	}
	for _, kind := range FileKinds() {
		some := all
		if kind == CC {
			some = all[:1]
		}
		var b bytes.Buffer
		if err := WriteFile(&b, kind, some); err != nil {
			t.Fatal(err)
		}
		back, err := ReadFile(&b)
		if err != nil || len(back) != len(some) || back[0] != some[0] {
			t.Errorf("%s: %v came back as %v, %v", kind, some, back, err)
		}
	}
	if err := WriteFile(&bytes.Buffer{}, CC, all); err == nil {
		t.Error("two corrections were written into one .cc file")
	}
	// As the list's documentation writes it, from memory, in the namespace of the version before.
	old := `<?xml version="1.0"?><ColorDecisionList xmlns="urn:ASC:CDL:v1.01"><InputDescription>x</InputDescription>
		<ColorDecision><MediaRef ref="http://www.theasc.com/foasc-logo2.png"/><ColorCorrection id="cc03345">
		<SOPNode><Description>WIDE SHOT</Description><Slope>1.1 1.0 0.9</Slope><Offset> -0.05 -0.05 -0.05</Offset>
		<Power>1.0 0.9 1.5</Power></SOPNode><SatNode><Saturation>0.9</Saturation></SatNode></ColorCorrection>
		</ColorDecision></ColorDecisionList>`
	back, err := ReadFile(strings.NewReader(old))
	if err != nil || len(back) != 1 || back[0].CDL.Power != [3]float64{1, 0.9, 1.5} ||
		back[0].Description != "WIDE SHOT" {
		t.Errorf("%v, %v", back, err)
	}
	for text, says := range map[string]string{
		"":                             "no list of corrections",
		"<html/>":                      "no list",
		"<ColorCorrectionCollection/>": "no correction",
		"<ColorCorrection><SOPNode><Slope>1 2</Slope></SOPNode></ColorCorrection>":         "2 numbers",
		"<ColorCorrection><SOPNode><Power>1 0 1</Power></SOPNode></ColorCorrection>":       "power of green",
		"<ColorCorrection><SatNode><Saturation>x</Saturation></SatNode></ColorCorrection>": "no number",
		"<ColorCorrection><SOPNode><Slope>1 NaN 1</Slope></SOPNode></ColorCorrection>":     "slope of green",
		strings.Repeat("<a>", 40): "deep",
	} {
		if _, err := ReadFile(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%.50q: %v", text, err)
		}
	}
}

func FuzzCorrections(f *testing.F) {
	f.Add("<ColorCorrection id='a'><SOPNode><Slope>1 1 1</Slope></SOPNode></ColorCorrection>")
	f.Add("<ColorDecisionList><ColorDecision><ColorCorrection/></ColorDecision></ColorDecisionList>")
	f.Fuzz(func(t *testing.T, text string) {
		all, err := ReadFile(strings.NewReader(text))
		if err != nil {
			return
		}
		var b bytes.Buffer
		if err := WriteFile(&b, CCC, all); err != nil {
			t.Fatal(err)
		}
		back, err := ReadFile(&b)
		if err != nil || len(back) != len(all) || back[0].CDL != all[0].CDL {
			t.Errorf("%v came back as %v, %v", all, back, err)
		}
	})
}

func TestGradesAreChecked(t *testing.T) {
	has := func(code string) bool { return code == "boat" }
	good := Grade{Code: "night", Lights: []Gain{{pass.LightCode("sun"), 0.1, ""}}, Steps: []Step{{CDL: Neutral(),
		Mask: Mask{Matte: "boat"}}}}
	if err := CheckAll([]Grade{good}, has); err != nil {
		t.Error(err)
	}
	for says, change := range map[string]func(g *Grade){
		"code":             func(g *Grade) { g.Code = "Night 2" },
		"no pass of light": func(g *Grade) { g.Lights[0].Pass = pass.Depth },
		"twice":            func(g *Grade) { g.Lights = append(g.Lights, g.Lights[0]) },
		"either":           func(g *Grade) { g.Lights = append(g.Lights, Gain{pass.Emission, 1, ""}) },
		"intensity":        func(g *Grade) { g.Lights[0].Intensity = math.NaN() },
		"colour":           func(g *Grade) { g.Lights[0].Colour = "white" },
		"no matte":         func(g *Grade) { g.Steps[0].Mask.Matte = "ship" },
		"farther":          func(g *Grade) { g.Steps[0].Mask = Mask{Near: 3, Far: 2} },
		"inverse":          func(g *Grade) { g.Steps[0].Mask = Mask{Inverted: true} },
		"stops":            func(g *Grade) { g.Steps[0].Exposure = 21 },
		"power of red":     func(g *Grade) { g.Steps[0].CDL.Power[0] = 0 },
		"done in":          func(g *Grade) { g.Steps[0].Space = "log" },
		"more than":        func(g *Grade) { g.Steps = make([]Step, MostSteps+1) },
	} {
		g := good
		g.Lights, g.Steps = append([]Gain(nil), good.Lights...), append([]Step(nil), good.Steps...)
		change(&g)
		if err := CheckAll([]Grade{g}, has); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

func BenchmarkGradeSteps(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	codes := []pass.Code{"light-a", "light-b", "light-c", "light-d", "light-e", "light-f", "light-g", "light-other"}
	img, lights := random(r, 2048*858, codes)
	g := Grade{Lights: []Gain{{codes[0], 0.1, ""}}, Steps: []Step{{CDL: CDL{White, [3]float64{0.01, 0, 0},
		[3]float64{1.1, 1, 1}, 0.9}}}}
	b.ReportAllocs()
	for b.Loop() {
		if err := g.Apply(Input{Picture: img, Lights: lights, Whole: true}); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(b.N)*2048*858/1e6/b.Elapsed().Seconds(), "Mpixels/s")
}
