package trace

import (
	"fmt"
	"image"
	"math"
	"slices"
	"testing"

	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/sampling"
	"reelhouse/core/scene"
)

// ball is a finely cut ball of 1 m with smooth normals, 3 m ahead of the camera of room, which is alone with it.
func ball(material scene.Material) *scene.Scene {
	s := room()
	material.Alpha = 1
	s.Materials = []scene.Material{material}
	const rows, columns = 64, 128
	var part scene.Part
	for i := range rows + 1 {
		for j := range columns + 1 {
			n := direction(float64(j)/columns, float64(i)/rows)
			part.Positions = append(part.Positions, n.Add(geom.Vec{Y: 2, Z: -3}))
			part.Normals = append(part.Normals, n)
		}
	}
	for i := range rows {
		for j := range columns {
			a := uint32(i*(columns+1) + j)
			b := a + columns + 1
			part.Indices = append(part.Indices, a, a+1, b, a+1, b+1, b)
		}
	}
	for i := 0; i < len(part.Indices); i += 3 { // counter-clockwise seen from outside
		p, q, r := part.Positions[part.Indices[i]], part.Positions[part.Indices[i+1]], part.Positions[part.Indices[i+2]]
		if q.Sub(p).Cross(r.Sub(p)).Dot(p.Sub(geom.Vec{Y: 2, Z: -3})) < 0 {
			part.Indices[i+1], part.Indices[i+2] = part.Indices[i+2], part.Indices[i+1]
		}
	}
	s.Meshes = []scene.Mesh{{Name: "ball", Parts: []scene.Part{part}}}
	s.Nodes[0].Mesh, s.Channels = 0, nil
	s.Nodes[0].Name = "ball"
	s.Roots = []int{0, 4}
	return s
}

// even is a look of the same light of 1 from everywhere.
func even() look.Look {
	white := geom.Vec{X: 1, Y: 1, Z: 1}
	return look.Look{Code: "even", LightGain: 1, Sky: look.Sky{Zenith: white, Horizon: white, Ground: white}}
}

// In even light, what gives back all light cannot be told from what is behind it (the furnace test, common practice),
// to half a percent. Light that gets lost in facets would show as a darker ball, and light that is made up as a
// brighter one.
func TestNothingIsLostInAFurnace(t *testing.T) {
	white := geom.Vec{X: 1, Y: 1, Z: 1}
	for name, m := range map[string]scene.Material{
		"chalk":            {BaseColor: white, Roughness: 1},
		"varnish":          {BaseColor: white, Roughness: 0.2},
		"mirror":           {BaseColor: white, Metallic: 1, Roughness: 0},
		"brushed metal":    {BaseColor: white, Metallic: 1, Roughness: 0.5},
		"sand-blasted":     {BaseColor: white, Metallic: 1, Roughness: 1},
		"half metal":       {BaseColor: white, Metallic: 0.5, Roughness: 0.6},
		"thin glass":       {BaseColor: white, Transmission: 1},
		"thin milk glass":  {BaseColor: white, Transmission: 0.5, Roughness: 0.6},
		"solid glass":      {BaseColor: white, Transmission: 1, Thickness: 1},
		"strong lens":      {BaseColor: white, Transmission: 1, Thickness: 1, IOR: 1.9},
		"solid half glass": {BaseColor: white, Transmission: 0.5, Thickness: 1, Roughness: 0.1},
	} {
		s := settings(24)
		s.Passes, s.Samples, s.Filter = []pass.Code{pass.Beauty}, 16, pixel.Box
		s.Effort.Bounces = sampling.Bounces{Diffuse: 60, Glossy: 60, Through: 60}
		s.Region = image.Rect(9, 9, 15, 15) // 1 m of 3, at 90 degrees, is 8 pixels wide: the ball's rim is left out
		img := render(t, Prepare(ball(m)).At(0, even(), nil), s)
		mean, n := 0.0, 0
		for _, v := range img.Plane("G").Data {
			mean += float64(v)
			n++
		}
		if mean /= float64(n); math.Abs(mean-1) > 0.005 {
			t.Errorf("%s: %v of the light comes back, mean of %d pixels", name, mean, n)
		}
	}
}

// Whatever its roughness and however it is seen, a highlight gives back no more than all light, and with Schlick's
// approximation at 1 exactly that. Sums over even steps of all directions stand against the samples that are taken of
// it.
func TestHighlightsGiveBackNoMoreThanAllLight(t *testing.T) {
	for _, metal := range []float64{0, 1} {
		for _, roughness := range []float64{0.35, 0.5, 0.7, 1} {
			for _, degrees := range []float64{0, 30, 60, 80} {
				m := &scene.Material{BaseColor: geom.Vec{X: 1, Y: 1, Z: 1}, Metallic: metal, Roughness: roughness}
				s := &surface{
					normal:    geom.Vec{Y: 1},
					face:      geom.Vec{Y: 1},
					material:  m,
					base:      m.BaseColor,
					metallic:  metal,
					roughness: roughness,
				}
				sin, cos := math.Sincos(degrees * math.Pi / 180)
				f := newScatterer(s, geom.Vec{X: sin, Y: -cos}, 0, true, true)
				const steps = 240
				var body, shine, chosen float64
				for i := range steps {
					for j := range 2 * steps {
						to := direction((float64(j)+0.5)/(2*steps), (float64(i)+0.5)/(2*steps))
						solid := math.Sin(math.Pi*(float64(i)+0.5)/(2*steps)) * math.Pi / (2 * steps) * math.Pi / steps
						b, g, density := f.evaluate(to)
						body, shine, chosen = body+b.X*solid, shine+g.X*solid, chosen+density*solid
					}
				}
				if sum := body + shine; math.Abs(sum-1) > 0.02 {
					t.Errorf(
						"metal %v, roughness %v, seen at %v°: %v of white light comes back", metal, roughness, degrees,
						sum,
					)
				}
				if chosen > 1.005 || chosen < 0.5 {
					t.Errorf(
						"metal %v, roughness %v, seen at %v°: directions have a probability of %v together", metal,
						roughness, degrees, chosen,
					)
				}
				var sampled, n float64
				random := newSampler(1, 2, 3)
				for random.sample = 0; random.sample < 4096; random.sample++ {
					u, v := random.pair(1)
					_, b, g, _, _ := f.scatter(random.one(0), u, v)
					sampled += b.X + g.X
					n++
				}
				if sampled /= n; math.Abs(sampled-body-shine) > 0.02 {
					t.Errorf(
						"metal %v, roughness %v, seen at %v°: samples give %v, the sum over all directions %v", metal,
						roughness, degrees, sampled, body+shine,
					)
				}
			}
		}
	}
}

// floor is a grey floor, a lamp 2 m above its middle, and the camera of room that looks down on it.
func lampRoom(height float64) *scene.Scene {
	s := room()
	s.Materials[1] = scene.Material{Name: "grey", BaseColor: geom.Vec{X: 0.5, Y: 0.5, Z: 0.5}, Alpha: 1, Roughness: 1}
	s.Roots = []int{0, 3, 4}
	s.Nodes[3].Translation = geom.Vec{Y: height}
	s.Nodes[4].Translation, s.Nodes[4].Rotation = geom.Vec{Y: 5}, geom.AxisAngle(geom.Vec{X: 1}, -math.Pi/2)
	return s
}

var dark = look.Look{Code: "dark", LightGain: 1}

// A lamp of 10 cd stands above the floor: the light on it falls with the square of the distance, and with the cosine
// beside it (KHR_lights_punctual; Lambert). Seen from straight above, diffuse light is intensity times albedo over pi
// d^2, of which the highlight takes its small part.
func TestALampsLightFallsWithTheSquareOfTheDistance(t *testing.T) {
	const edge, middle = 201, 100
	s := settings(edge)
	s.Passes, s.Filter = []pass.Code{pass.DiffuseDirect}, pixel.Box
	at := func(height float64, x int) float64 {
		s.Region = image.Rect(x, middle, x+1, middle+1)
		return value(render(t, Prepare(lampRoom(height)).At(0, dark, nil), s), "diffusedirect.G", 0, 0)
	}
	near, far := at(1, middle), at(2, middle)
	if math.Abs(near/far-4) > 0.02 {
		t.Errorf("twice as far away it is %v times darker, want 4", near/far)
	}
	body := newScatterer(
		&surface{
			normal:    geom.Vec{Y: 1},
			face:      geom.Vec{Y: 1},
			material:  &scene.Material{},
			base:      geom.Vec{X: 0.5, Y: 0.5, Z: 0.5},
			roughness: 1,
		},
		geom.Vec{Y: -1},
		0,
		true,
		true,
	).body.X
	if want := 10 * body / math.Pi; math.Abs(near-want) > 0.01*want || body > 0.5 || body < 0.46 {
		t.Errorf("1 m below the lamp the floor is %v, want %v", near, want)
	}
	// Beside it the distance is longer, and the cosine smaller by as much.
	const beside = middle + 40
	away := 40.0 / (edge / 2.0) * 5
	if got, want := at(2, beside)/far, math.Pow(2/math.Hypot(2, away), 3); math.Abs(got-want) > 0.03*want {
		t.Errorf("%v m beside, it is %v of the light below the lamp, want %v", away, got, want)
	}
}

// A glowing square of 1 m, 2 m above the floor, lights the point below its middle by its radiance times the form factor
// of a parallel rectangle from a point: four times F = (1/2 pi) (x/sqrt(1+x²) atan(y/sqrt(1+x²)) + y/sqrt(1+y²)
// atan(x/sqrt(1+y²))), x and y being half its edges over the distance (as in tables of configuration factors, such as
// Howell's; the formula is from memory).
func TestAGlowingSquareLightsAsItsFormFactorSays(t *testing.T) {
	s := lampRoom(2)
	s.Roots = []int{0, 2, 4}
	s.Channels = nil
	s.Materials[2] = scene.Material{
		Name:      "lit",
		BaseColor: geom.Vec{},
		Alpha:     1,
		Roughness: 1,
		Emission:  geom.Vec{X: 3, Y: 3, Z: 3},
	}
	s.Meshes[2].Parts[0].Positions = []geom.Vec{
		{X: -0.5, Z: -0.5},
		{X: 0.5, Z: -0.5},
		{X: 0.5, Z: 0.5},
		{X: -0.5, Z: 0.5},
	}
	s.Nodes[2].Translation = geom.Vec{Y: 2}
	l := dark
	l.Unseen = []string{"sign"} // so that the camera sees the floor below it
	set := settings(41)
	set.Passes, set.Samples, set.Filter = []pass.Code{pass.DiffuseDirect, pass.SpecularDirect}, 32, pixel.Box
	set.Region = image.Rect(20, 20, 21, 21)
	x := 0.5 / 2
	root := math.Sqrt(1 + x*x)
	factor := 4 / (2 * math.Pi) * 2 * x / root * math.Atan(x/root)
	body := newScatterer(
		&surface{
			normal:    geom.Vec{Y: 1},
			face:      geom.Vec{Y: 1},
			material:  &scene.Material{},
			base:      geom.Vec{X: 0.5, Y: 0.5, Z: 0.5},
			roughness: 1,
		},
		geom.Vec{Y: -1},
		0,
		true,
		true,
	).body.X
	want := 3 * factor * body
	got := value(render(t, Prepare(s).At(0, l, nil), set), "diffusedirect.G", 0, 0)
	if math.Abs(got-want) > 0.01*want {
		t.Errorf("below the square the floor is %v, want %v", got, want)
	}
}

// A speck of light 4 m ahead, with a lens of f/0.5 and 50 mm that is focused at 1 m, spreads over a disc whose diameter
// on the film is f²/N × |d − s| / (d (s − f)), the circle of confusion of a thin lens; of an even disc, the mean square
// distance from its middle is half of its radius squared.
func TestOutOfFocusSpecksAreAsWideAsTheLensMakesThem(t *testing.T) {
	const edge, speck, film = 80, 0.02, 0.036
	const f, fNumber, d, focus = 0.05, 0.5, 4.0, 1.0
	s := room()
	s.Roots = []int{2, 4}
	s.Channels = nil
	s.Materials[2] = scene.Material{Name: "lit", Alpha: 1, Roughness: 1, Emission: geom.Vec{X: 1000, Y: 1000, Z: 1000}}
	s.Meshes[2].Parts[0].Positions = []geom.Vec{
		{X: -speck / 2, Y: -speck / 2},
		{X: speck / 2, Y: -speck / 2},
		{X: speck / 2, Y: speck / 2},
		{X: -speck / 2, Y: speck / 2},
	}
	s.Nodes[2].Translation = geom.Vec{Y: 2, Z: -4}
	set := settings(edge)
	set.Passes, set.Samples, set.Filter = []pass.Code{pass.Beauty}, 48, pixel.Box
	set.Region = image.Rect(30, 30, 50, 50)
	set.Setup.Focal, set.Setup.FNumber, set.Setup.Focus = f*1000, fNumber, focus
	img := render(t, Prepare(s).At(0, dark, nil), set)
	var sum, square float64
	for y := range 20 {
		for x := range 20 {
			v := value(img, "G", x, y)
			dx, dy := float64(x)+0.5-10, float64(y)+0.5-10
			sum, square = sum+v, square+v*(dx*dx+dy*dy)
		}
	}
	circle := f * f / fNumber * (d - focus) / (d * (focus - f)) // metres on the film
	// Rays meet in the plane of focus, so the film counts as standing at f rather than behind it: what is on it is
	// smaller by (s - f) / s.
	want := circle * (focus - f) / focus / film * edge
	own := speck / d * f / film * edge  // the speck's own edge
	square -= sum * (1.0/6 + own*own/6) // and that of a pixel spread it, too
	if got := 2 * math.Sqrt(2*square/sum); sum == 0 || math.Abs(got-want) > 0.02*want {
		t.Errorf("the disc is %v pixels wide, want %v", got, want)
	}
}

// The picture is the sum of its components, and that of the light groups, to the last bit of a float, in any order.
func TestPartsAddUpToThePicture(t *testing.T) {
	s := settings(48)
	s.LightGroups = []pass.LightGroup{
		{Code: "day", Sky: true, Sun: true},
		{Code: "lamps", Lights: []string{"la*"}},
		{Code: "signs", Lights: []string{"sign"}},
	}
	groups := []pass.Code{"light-day", "light-lamps", "light-signs", "light-other"}
	s.Passes = append([]pass.Code{pass.Beauty}, groups...)
	s.Passes = append(s.Passes, partPasses[:]...)
	l := look.Plain()
	l.Sun = look.Sun{
		AzimuthDegrees:   200,
		ElevationDegrees: 40,
		Irradiance:       geom.Vec{X: 2, Y: 1.7, Z: 1.3},
		SizeDegrees:      2,
	}
	l.Haze.Metres = 40
	l.ExposureEV = 0.3
	scene := room()
	scene.Materials[0].Transmission = 0.4
	img := render(t, Prepare(scene).At(0.2, l, nil), s)
	lit := map[pass.Code]int{}
	for _, codes := range [][]pass.Code{groups, partPasses[:],
		{"light-other", "light-signs", "light-day", "light-lamps"}} {
		for i := range img.Planes[0].Data {
			for _, c := range []string{"R", "G", "B"} {
				sum := float32(0)
				for _, code := range codes {
					v := img.Plane(string(code) + "." + c).Data[i]
					if sum += v; v > 0 {
						lit[code]++
					}
				}
				if want := img.Plane(c).Data[i]; sum != want {
					t.Fatalf("%v: pixel %d adds up to %v in %s, the picture has %v", codes, i, sum, c, want)
				}
			}
		}
	}
	for _, code := range slices.Concat(groups[:3], partPasses[:]) {
		if lit[code] == 0 {
			t.Errorf("nothing is lit in %s", code)
		}
	}
	if lit["light-other"] > 0 {
		t.Error("all lights belong to groups, and some light to none")
	}
	alone := s
	alone.Passes = []pass.Code{pass.Beauty}
	if !slices.Equal(render(t, Prepare(scene).At(0.2, l, nil), alone).Plane("G").Data, img.Plane("G").Data) {
		t.Error("the picture differs when its parts are not asked for")
	}
}

// Any four samples in a row, beginning at a multiple of four, lie in different quarters, in each of the two directions
// and in both; so do sixteen in sixteenths: the property of a (0, 2)-sequence in base 2, which scrambling keeps.
func TestSamplesAreSpreadEvenly(t *testing.T) {
	for _, n := range []int{4, 16, 64, 256} {
		for start := 0; start < 1024; start += n {
			s := newSampler(3, 5, 7)
			edge := int(math.Sqrt(float64(n)))
			var across, down, cells = make([]int, n), make([]int, n), make([]int, n)
			for k := range n {
				s.sample = uint32(start + k)
				u, v := s.pair(dimPixel)
				across[int(u*float64(n))]++
				down[int(v*float64(n))]++
				cells[int(u*float64(edge))*edge+int(v*float64(edge))]++
			}
			for name, counts := range map[string][]int{"across": across, "down": down, "cells": cells} {
				if slices.Max(counts) != 1 {
					t.Fatalf("%d samples from %d on: %s has %v", n, start, name, counts)
				}
			}
		}
	}
	seen := map[string]bool{}
	for x := range 50 {
		s := newSampler(x, 0, 1)
		u, v := s.pair(dimPixel)
		seen[fmt.Sprint(u, v, s.one(dimTime))] = true
	}
	if len(seen) != 50 {
		t.Errorf("50 pixels begin with %d samples", len(seen))
	}
}
