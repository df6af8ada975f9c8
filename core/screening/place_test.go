package screening

import (
	"bytes"
	"math"
	"math/rand/v2"
	"testing"

	"reelhouse/core/imagefile"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// A camera at (1, 2, 3) that looks along -z, with a horizontal field of view of 90 degrees, on a picture of 40 x 20
// pixels: a pixel's centre lies where the pinhole model has it, worked by hand from similar triangles.
func camera40() (ndc, camera imagefile.M44f) {
	camera = imagefile.M44f{1, 0, 0, 0, 0, 1, 0, 0, 0, 0, -1, 0, -1, -2, 3, 1}
	// x: 0.5 + 0.5 X/Z; y: 0.5 - Y/Z, since the picture is half as high as wide; w: Z.
	toNDC := [4][4]float32{{0.5, 0, 0, 0}, {0, -1, 0, 0}, {0.5, 0.5, 1, 1}, {0, 0, -0.01, 0}}
	for r := range 4 {
		for c := range 4 {
			for k := range 4 {
				ndc[4*r+c] += camera[4*r+k] * toNDC[k][c]
			}
		}
	}
	return ndc, camera
}

func surveyed(t *testing.T, img *pixel.Image, passes ...pass.Code) *picture.File {
	t.Helper()
	ndc, camera := camera40()
	e := output.EXR.Usual()
	var b bytes.Buffer
	err := picture.Encode(&b, e, img, passes, picture.Header{Attributes: imagefile.Attributes{
		{Name: "worldToCamera", Value: camera}, {Name: "worldToNDC", Value: ndc},
	}})
	if err != nil {
		t.Fatal(err)
	}
	f, err := picture.Open(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	return f
}

func TestWhereAPixelIs(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	img := pixel.New(40, 20, "R", "G", "B", "A", "depth.Z")
	for i := range 800 {
		img.Plane("depth.Z").Data[i] = 1 + 20*r.Float32()
	}
	img.Plane("depth.Z").Data[5] = 1000
	f := surveyed(t, img, pass.Beauty, pass.Depth)
	passes := []pass.Code{pass.Beauty, pass.Depth}
	for i := range 800 {
		x, y := i%40, i/40
		s, known, err := SpotAt(f, passes, pass.DepthStyle{}, 1000, x, y)
		if err != nil || known != (i != 5) {
			t.Fatalf("pixel %d, %d: %v, %v", x, y, known, err)
		}
		if !known {
			continue
		}
		z := float64(img.Plane("depth.Z").Data[i])
		want := [3]float64{1 + z*(float64(x)+0.5-20)/20, 2 - z*(float64(y)+0.5-10)/20, 3 - z}
		for c := range 3 {
			if math.Abs(s.World[c]-want[c]) > 1e-4*z {
				t.Fatalf("pixel %d, %d at %v m is at %v, want %v", x, y, z, s.World, want)
			}
		}
	}
	// Depth as a picture from 0 to 1 is metres again, but for what was clipped.
	style := pass.DepthStyle{Picture: true, Near: 1, Far: 21}
	flat := pixel.New(40, 20, "depth.Z")
	flat.Planes[0].Data[0], flat.Planes[0].Data[1] = 0.5, 1
	g := surveyed(t, flat, pass.Depth)
	if s, known, err := SpotAt(g, []pass.Code{pass.Depth}, style, 1000, 0, 0); err != nil || !known || s.Depth != 11 {
		t.Errorf("%+v, %v, %v", s, known, err)
	}
	if s, known, _ := SpotAt(g, []pass.Code{pass.Depth}, style, 1000, 1, 0); known {
		t.Errorf("what was clipped is at %+v", s)
	}
	if _, _, err := SpotAt(f, passes, pass.DepthStyle{}, 1000, 40, 0); err == nil {
		t.Error("a pixel outside is somewhere")
	}
	// The position pass tells by itself, and depth follows from the camera.
	place := pixel.New(40, 20, "position.X", "position.Y", "position.Z")
	for i := range 800 {
		place.Planes[0].Data[i], place.Planes[1].Data[i], place.Planes[2].Data[i] = 4, float32(i%40), -7
	}
	place.Planes[0].Data[3], place.Planes[1].Data[3], place.Planes[2].Data[3] = 0, 0, 0
	q := surveyed(t, place, pass.Position)
	a, known, err := SpotAt(q, []pass.Code{pass.Position}, pass.DepthStyle{}, 1000, 7, 0)
	if err != nil || !known || a.World != [3]float64{4, 7, -7} || math.Abs(a.Depth-10) > 1e-5 {
		t.Errorf("%+v, %v, %v", a, known, err)
	}
	b, _, _ := SpotAt(q, []pass.Code{pass.Position}, pass.DepthStyle{}, 1000, 10, 0)
	if d := a.Distance(b); d != 3 {
		t.Errorf("they are %v apart", d)
	}
	if _, known, _ := SpotAt(q, []pass.Code{pass.Position}, pass.DepthStyle{}, 1000, 3, 0); known {
		t.Error("nothing is somewhere")
	}
	coverage := make([]float32, 800)
	for i := range coverage {
		coverage[i] = []float32{0.4, 0.6, 1}[i%3]
	}
	coverage[39] = 0
	e := ExtentOf(place, coverage)
	if e.Size() != [3]float64{0, 39, 0} || e.Pixels < 500 {
		t.Errorf("%+v", e)
	}
}
