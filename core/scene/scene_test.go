package scene

import (
	"bytes"
	"math"
	"reflect"
	"strings"
	"testing"

	"reelhouse/core/geom"
)

// small returns a scene with one of everything, its numbers exact in single precision.
func small() *Scene {
	s := &Scene{Name: "small", Roots: []int{0, 3}}
	s.Materials = []Material{
		{Name: "red", BaseColor: geom.Vec{X: 1, Y: 0.25, Z: 0.25}, Alpha: 1, Metallic: 0, Roughness: 0.5},
		{
			Name:      "lit",
			BaseColor: geom.Vec{X: 1, Y: 1, Z: 1},
			Alpha:     1,
			Metallic:  0,
			Roughness: 1,
			Emission:  geom.Vec{X: 8, Y: 4, Z: 2},
		},
	}
	up := geom.Vec{Y: 1}
	s.Meshes = []Mesh{{Name: "square", Parts: []Part{{
		Positions: []geom.Vec{
			{X: -1, Z: 1},
			{X: 1, Z: 1},
			{X: 1, Z: -1},
			{X: -1, Z: -1},
		}, Normals: []geom.Vec{up, up, up, up},
		Indices: []uint32{0, 1, 2, 0, 2, 3}, Material: 0,
	}}}}
	s.Lights = []Light{
		{
			Name:      "lamp",
			Kind:      Spot,
			Color:     geom.Vec{X: 1, Y: 0.5, Z: 0.25},
			Intensity: 12,
			Range:     20,
			InnerCone: 0.25,
			OuterCone: 0.5,
		},
	}
	s.Cameras = []Camera{{Name: "lens", Up: 0.5, Aspect: 1.5}}
	parent, child, lamp, camera := NewNode("parent"), NewNode("child"), NewNode("lamp"), NewNode("cam_a")
	parent.Children, parent.Translation = []int{1, 2}, geom.Vec{X: 4}
	child.Mesh, child.Scale = 0, geom.Vec{X: 2, Y: 2, Z: 2}
	lamp.Light = 0
	camera.Camera, camera.Translation = 0, geom.Vec{Y: 3, Z: 8}
	s.Nodes = []Node{parent, child, lamp, camera}
	s.Channels = []Channel{
		{
			Node:          0,
			Target:        Translation,
			Interpolation: Linear,
			Times:         []float64{0, 2},
			Values:        []geom.Quat{{X: 4}, {X: 8}},
		},
		{Node: 2, Target: Rotation, Interpolation: Step, Times: []float64{0, 1}, Values: []geom.Quat{{W: 1}, {Y: 1}}},
	}
	return s
}

func written(t testing.TB, s *Scene) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := s.Write(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestWhatIsWrittenIsReadBack(t *testing.T) {
	want := small()
	got, err := Read(bytes.NewReader(written(t, want)))
	if err != nil {
		t.Fatal(err)
	}
	if got.Extras.Generator != "Reelhouse" {
		t.Errorf("it was written by %q", got.Extras.Generator)
	}
	got.Extras = Extras{}
	want.Scenes, want.Number = []string{"small"}, 1
	if !reflect.DeepEqual(got, want) {
		t.Errorf("got  %+v\nwant %+v", got, want)
	}
}

func TestPoseFollowsParentsAndTime(t *testing.T) {
	s := small()
	for seconds, x := range map[float64]float64{-1: 4, 0: 4, 0.5: 5, 2: 8, 9: 8} {
		if got := s.At(seconds).World[1].Point(geom.Vec{X: 1}); got != (geom.Vec{X: x + 2}) {
			t.Errorf("at %v s the child's corner is at %v, want x %v", seconds, got, x+2)
		}
	}
	if before, after := s.At(0.99).World[2].Z, s.At(1).World[2].Z; before.Z != 1 || after.Z != -1 {
		t.Errorf("a step turns at its key: %v, %v", before, after)
	}
	if m := s.Moving(); !m[0] || !m[1] || !m[2] || m[3] {
		t.Errorf("moving nodes are %v", m)
	}
	if s.Duration() != 2 || s.Triangles() != 2 || s.FindCamera("cam_a") != 3 || s.FindCamera("child") != None {
		t.Error("duration, triangles or cameras are wrong")
	}
	if box, ok := s.BoundsOf("child", 2); !ok || box.Centre() != (geom.Vec{X: 8}) {
		t.Errorf("the child lies in %v", box)
	}
	if _, ok := s.BoundsOf("lamp", 0); ok {
		t.Error("a lamp has bounds")
	}
	if size := s.Bounds(s.At(0)).Size(); size != (geom.Vec{X: 4, Z: 4}) {
		t.Errorf("bounds are %v", size)
	}
}

// A cubic spline with zero tangents goes through 0.15625 of the way at a quarter of the time
// (glTF 2.0, appendix C: 3t^2 - 2t^3).
func TestCubicSplineWorkedValue(t *testing.T) {
	c := Channel{
		Target:        Translation,
		Interpolation: Cubic,
		Times:         []float64{0, 2},
		Values:        []geom.Quat{{}, {}, {}, {}, {X: 1}, {}},
	}
	if got := c.at(0.5).X; math.Abs(got-0.15625) > 1e-12 {
		t.Errorf("got %v", got)
	}
}

func TestDamagedFilesAreRefusedWithAReason(t *testing.T) {
	whole := written(t, small())
	replaced := func(old, new string) []byte {
		if len(old) != len(new) || !bytes.Contains(whole, []byte(old)) {
			t.Fatalf("%q does not stand in the file", old)
		}
		return bytes.Replace(whole, []byte(old), []byte(new), 1)
	}
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"empty":             {nil, "empty"},
		"text":              {[]byte("hello"), "neither"},
		"cut in the header": {whole[:15], "cut short"},
		"cut in the middle": {whole[:len(whole)/2], "cut short"},
		"wrong version":     {replaced(`"version":"2.0"`, `"version":"1.0"`), "1.0"},
		"missing child":     {replaced(`"children":[1,2]`, `"children":[1,9]`), "child 9"},
		"circle":            {replaced(`"children":[1,2]`, `"children":[1,0]`), "below itself"},
		"wrong mesh":        {replaced(`"mesh":0`, `"mesh":7`), "mesh 7"},
		"not JSON":          {replaced(`"nodes"`, `"nodes `), "not a readable"},
		"only braces":       {[]byte(`{}`), "version"},
		"no scene":          {[]byte(`{"asset":{"version":"2.0"}}`), "no scene"},
		"unknown extension": {[]byte(`{"asset":{"version":"2.0"},"extensionsRequired":["EXT_unheard_of"],
			"scenes":[{}]}`), "EXT_unheard_of"},
	} {
		_, err := Read(bytes.NewReader(c.data))
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want it to say %q", name, err, c.says)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add(written(f, small()))
	f.Add(
		[]byte(
			`{"asset":{"version":"2.0"},"scenes":[{"nodes":[0]}],
				"nodes":[{"matrix":[1,0,0,0,0,1,0,0,0,0,1,0,2,3,4,1]}]}`,
		),
	)
	for _, data := range conformant() {
		f.Add(data)
	}
	for _, c := range broken() {
		f.Add([]byte(c[0]))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := Read(bytes.NewReader(data))
		if err != nil {
			return
		}
		s.Bounds(s.At(1.5)) // whatever was read can be used
		if r := s.Report(); r.Nodes < 0 || len(Compare(s, s)) > 0 {
			t.Fatalf("a scene differs from itself: %v", Compare(s, s))
		}
		if err := s.Write(&bytes.Buffer{}); err != nil {
			t.Fatal(err)
		}
	})
}

func BenchmarkRead(b *testing.B) {
	s := small()
	part := &s.Meshes[0].Parts[0]
	for i := range 200_000 {
		part.Positions = append(part.Positions, geom.Vec{X: float64(i)})
		part.Normals = append(part.Normals, geom.Vec{Y: 1})
		part.Indices = append(part.Indices, 0, 1, uint32(i))
	}
	data := written(b, s)
	b.SetBytes(int64(len(data)))
	b.ReportAllocs()
	for b.Loop() {
		if _, err := Read(bytes.NewReader(data)); err != nil {
			b.Fatal(err)
		}
	}
}

// BenchmarkReadLarge reads a file of 10 000 objects with 500 triangles each, and looks it through.
func BenchmarkReadLarge(b *testing.B) {
	s := small()
	s.Meshes, s.Nodes, s.Roots, s.Channels = nil, s.Nodes[:0:0], nil, nil
	const objects, each = 10_000, 500
	for i := range objects {
		part := Part{Material: 0}
		for k := range each + 2 { // a strip of triangles
			part.Positions = append(
				part.Positions, geom.Vec{X: float64(i%100) + float64(k)/each, Y: float64(k % 2), Z: float64(i / 100)},
			)
			if k > 1 {
				part.Indices = append(part.Indices, uint32(k-2), uint32(k-1), uint32(k))
			}
		}
		n := NewNode("object")
		n.Mesh = i
		s.Meshes, s.Nodes, s.Roots = append(s.Meshes, Mesh{Name: "mesh", Parts: []Part{part}}), append(
			s.Nodes, n,
		), append(s.Roots, i)
	}
	data := written(b, s)
	read := func() *Scene {
		s, err := Read(bytes.NewReader(data))
		if err != nil {
			b.Fatal(err)
		}
		return s
	}
	rate := func(b *testing.B) {
		b.ReportMetric(float64(b.N)*objects*each/1e6/b.Elapsed().Seconds(), "Mtriangles/s")
	}
	b.Run("read", func(b *testing.B) {
		b.SetBytes(int64(len(data)))
		b.ReportAllocs()
		for b.Loop() {
			read()
		}
		rate(b)
	})
	b.Run("report", func(b *testing.B) {
		s := read()
		for b.Loop() {
			s.Report()
		}
		rate(b)
	})
}
