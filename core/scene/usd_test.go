package scene

import (
	"math"
	"os"
	"strings"
	"testing"

	"reelhouse/core/geom"
)

// harbourUSD is the file by hand of the package that reads the form: centimetres, Z up, 24 time codes a second from
// 1001 on.
func harbourUSD(t testing.TB) string {
	t.Helper()
	data, err := os.ReadFile("../usd/testdata/harbour.usda")
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// A boom turns by a quarter in a second about a place 1 m and 2 m off; at its end, 10 m out and 1 m up, is a camera.
// What is asked of it was worked out by hand: in USD's axes it stands at (1 + 10, 2, 1) m first and at (1, 2 + 10, 1) m
// last, and looks outwards turned by a right angle. With Y up, (x, y, z) is (x, z, -y).
func TestCamerasOfUSDAreRead(t *testing.T) {
	s, err := ReadUSD(strings.NewReader(harbourUSD(t)))
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, i := range s.CameraNodes() {
		names = append(names, s.Nodes[i].Name)
	}
	if strings.Join(names, " ") != "wide plan" || s.Duration() != 1 {
		t.Fatalf("the cameras are %v, for %v s", names, s.Duration())
	}
	wide, plan := s.Cameras[0], s.Cameras[1]
	if math.Abs(wide.Up-2*math.Atan(18.0/48)) > 1e-12 || wide.Aspect != 2 || plan.Height != 4 || plan.Aspect != 2 {
		t.Errorf("they see %+v and %+v", wide, plan)
	}
	near := func(a, b geom.Vec) bool { return a.Sub(b).Length() < 1e-9 }
	node := s.FindCamera("wide")
	for seconds, want := range map[float64]struct{ at, ahead geom.Vec }{
		0: {geom.Vec{X: 11, Y: 1, Z: -2}, geom.Vec{X: -1}},
		1: {geom.Vec{X: 1, Y: 1, Z: -12}, geom.Vec{Z: 1}},
		0.5: {geom.Vec{X: 1 + 10*math.Sqrt(0.5), Y: 1, Z: -2 - 10*math.Sqrt(0.5)}, geom.Vec{X: -math.Sqrt(0.5),
			Z: math.Sqrt(0.5)}},
	} {
		pose := s.At(seconds).World[node]
		if ahead := pose.Direction(geom.Vec{Z: -1}); !near(pose.Origin, want.at) || !near(ahead, want.ahead) ||
			!near(pose.Y, geom.Vec{Y: 1}) {
			t.Errorf("at %v s it stands at %v and looks along %v with %v up", seconds, pose.Origin, ahead, pose.Y)
		}
	}
	if pose := s.At(0).World[s.FindCamera("plan")]; !near(pose.Origin, geom.Vec{Y: 50}) ||
		!near(pose.Direction(geom.Vec{Z: -1}), geom.Vec{Y: -1}) {
		t.Errorf("the plan is seen from %+v", pose)
	}
	said := strings.Join(s.Notes, "\n")
	for _, word := range []string{
		"wide has 24 mm on a film back of 36 x 18 mm", "wide has f/4, focused at 5 m", "./water.usda", "quay.usda",
		"variants of weather",
	} {
		if !strings.Contains(said, word) {
			t.Errorf("%q is not said:\n%s", word, said)
		}
	}
}

// Operations as UsdGeomXformOp has them, on the point (1, 2, 3).
func TestOperationsOfUSD(t *testing.T) {
	point := geom.Vec{X: 1, Y: 2, Z: 3}
	for kind, c := range map[string]struct {
		numbers []float64
		want    geom.Vec
	}{
		"translate": {[]float64{10, 20, 30}, geom.Vec{X: 11, Y: 22, Z: 33}},
		"scale":     {[]float64{2, 3, 4}, geom.Vec{X: 2, Y: 6, Z: 12}},
		"rotateX":   {[]float64{90}, geom.Vec{X: 1, Y: -3, Z: 2}},
		"rotateY":   {[]float64{90}, geom.Vec{X: 3, Y: 2, Z: -1}},
		"rotateXYZ": {[]float64{90, 0, 90}, geom.Vec{X: 3, Y: 1, Z: 2}},   // (1, -3, 2), then about Z
		"rotateZYX": {[]float64{90, 0, 90}, geom.Vec{X: -2, Y: -3, Z: 1}}, // (-2, 1, 3), then about X
		"orient":    {[]float64{math.Sqrt(0.5), 0, 0, math.Sqrt(0.5)}, geom.Vec{X: -2, Y: 1, Z: 3}},
		"transform": {[]float64{0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 1, 0, 5, 0, 0, 1}, geom.Vec{X: 3, Y: 1, Z: 3}},
	} {
		m, err := operation(kind, c.numbers)
		if err != nil || m.Point(point).Sub(c.want).Length() > 1e-12 {
			t.Errorf("%s makes %v of it, %v", kind, m.Point(point), err)
		}
	}
	for _, kind := range []string{"rotateXY", "shear", "rotateABC", "rotate"} {
		if _, err := operation(kind, []float64{1, 2, 3}); err == nil {
			t.Errorf("%s was read", kind)
		}
	}
}

func TestWrongCamerasOfUSDAreRefused(t *testing.T) {
	for text, says := range map[string]string{
		`( upAxis = "X" )`:                         "upAxis is X; Y and Z are read",
		`( metersPerUnit = 0 )`:                    "metersPerUnit is 0",
		`( timeCodesPerSecond = 0 )`:               "timeCodesPerSecond is 0",
		`def Camera "a" { float focalLength = 0 }`: "camera a: a film back of 20.955",
		`def Camera "a" { uniform token[] xformOpOrder = ["xformOp:translate"] }`: "is in its order and " +
			"has no value",
		`def Camera "a" { float xformOp:spin = 3 token[] xformOpOrder = ["xformOp:spin"] }`: "an operation that is " +
			"not known",
	} {
		if _, err := ReadUSD(strings.NewReader("#usda 1.0\n" + text)); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", text, err)
		}
	}
	// A pivot is undone behind the turn: the camera turns about the place 1 unit to its right.
	s, err := ReadUSD(strings.NewReader(`#usda 1.0
( metersPerUnit = 1 )
def Camera "a" {
    float3 xformOp:translate:pivot = (1, 0, 0)
    float xformOp:rotateY = 180
    uniform token[] xformOpOrder = ["xformOp:translate:pivot", "xformOp:rotateY", "!invert!xformOp:translate:pivot"]
}
def Xform "b" { def Camera "a" {} }`))
	if err != nil {
		t.Fatal(err)
	}
	if at := s.At(0).World[s.FindCamera("/a")].Origin; at.Sub(geom.Vec{X: 2}).Length() > 1e-9 {
		t.Errorf("it stands at %v", at)
	}
	if s.FindCamera("/b/a") == None {
		t.Error("two cameras of one name cannot be told apart")
	}
}

func FuzzUSD(f *testing.F) {
	f.Add(harbourUSD(f))
	f.Fuzz(func(t *testing.T, text string) {
		s, err := ReadUSD(strings.NewReader(text))
		if err != nil {
			return
		}
		s.Report()
		for _, seconds := range []float64{0, 0.5, s.Duration()} {
			for _, i := range s.CameraNodes() {
				if pose := s.At(seconds).World[i]; !pose.Origin.Finite() {
					t.Fatalf("a camera stands at %v", pose.Origin)
				}
			}
		}
	})
}
