package camera

import (
	"bytes"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// travelling is a scene whose first camera moves 12 m to the east within 2 s, and whose second one stands.
func travelling() *scene.Scene {
	s := &scene.Scene{Roots: []int{0, 1}, Cameras: []scene.Camera{fifty(), {Height: 3, Aspect: 2}}}
	moves, stands := scene.NewNode("moves"), scene.NewNode("stands")
	moves.Camera, stands.Camera, stands.Translation = 0, 1, geom.Vec{Y: 5}
	s.Nodes = []scene.Node{moves, stands}
	s.Channels = []scene.Channel{
		{
			Node:          0,
			Target:        scene.Translation,
			Interpolation: scene.Linear,
			Times:         []float64{0, 2},
			Values:        []geom.Quat{{}, {X: 12}},
		},
	}
	return s
}

func tracks() []Track {
	s := travelling()
	var seconds []float64
	for i := range 49 {
		seconds = append(seconds, float64(i)/24)
	}
	source := func(node int) Source { return Source{node, s.Cameras[s.Nodes[node].Camera]} }
	return Follow(s, []Followed{
		{"quay", source(0), Setup{}}, {"flat side", source(1), Setup{ShiftUp: 3.6}},
		{
			"1st",
			source(0),
			Setup{
				Stand:   &Stand{Position: geom.Vec{X: 1, Y: 2, Z: 3}, Heading: 90},
				Focal:   35,
				ShiftUp: 6,
				FNumber: 2.8,
				Focus:   4,
				Shutter: 180,
			},
		},
	}, 1001, seconds)
}

// What is written is read back as glTF by our own reader: the same cameras at the same places at every frame.
func TestTracksAsGLTF(t *testing.T) {
	s, shifted := Animation("cameras", tracks(), 24)
	if strings.Join(shifted, " ") != "flat side 1st" {
		t.Errorf("shifted: %v", shifted)
	}
	var b bytes.Buffer
	if err := s.Write(&b); err != nil {
		t.Fatal(err)
	}
	back, err := scene.Read(&b)
	if err != nil {
		t.Fatal(err)
	}
	for frame, x := range map[int]float64{0: 0, 12: 3, 48: 12} {
		if got := back.At(float64(frame) / 24).World[back.FindCamera("quay")].Origin.X; math.Abs(got-x) > 1e-5 {
			t.Errorf("at frame %d it stands at %v, want %v", frame, got, x)
		}
	}
	still := back.FindCamera("1st")
	if pose := back.At(1).World[still]; pose.Origin != (geom.Vec{X: 1, Y: 2, Z: 3}) ||
		pose.Direction(geom.Vec{Z: -1}).Sub(geom.Vec{X: 1}).Length() > 1e-6 {
		t.Errorf("the still one has the pose %+v", pose)
	}
	if c := back.Cameras[back.Nodes[still].Camera]; math.Abs(c.Up-2*math.Atan(36.0/70*9/16)) > 1e-6 {
		t.Errorf("35 mm see %v rad up", c.Up)
	}
}

// Numbers of USD are read from the text: film backs and focal lengths in millimetres beside centimetres, the place in
// the last row.
func TestTracksAsUSD(t *testing.T) {
	var b bytes.Buffer
	if err := WriteUSD(&b, `The "Ferry"`, tracks(), 1001, 24); err != nil {
		t.Fatal(err)
	}
	text := b.String()
	for _, says := range []string{
		"#usda 1.0\n", `defaultPrim = "Cameras"`, `def Xform "Cameras"`, `doc = "Cameras of The \"Ferry\""`,
		"metersPerUnit = 0.01", `upAxis = "Y"`,
		"startTimeCode = 1001", "endTimeCode = 1049", "timeCodesPerSecond = 24",
		`def Camera "quay"`, `def Camera "flat_side"`, `def Camera "_1st"`, "float focalLength = 50\n",
		"float focalLength = 35\n", "float horizontalAperture = 36\n", "float verticalAperture = 20.25\n",
		"float verticalApertureOffset = 6\n", "float fStop = 2.8\n", "float focusDistance = 400\n",
		`token projection = "orthographic"`, "float horizontalAperture = 6000\n",
		"float verticalApertureOffset = 600\n", "1013: ( (1, 0, 0, 0), (0, 1, 0, 0), (0, 0, 1, 0), (300, 0, 0, 1) )",
		"xformOp:transform = ( (0, 0, 1, 0), (0, 1, 0, 0), (-1, 0, 0, 0), (100, 200, 300, 1) )",
	} {
		if !strings.Contains(text, says) {
			t.Errorf("it does not say %q:\n%.1200s", says, text)
		}
	}
	if n := strings.Count(text, "\n            1"); n != 49 {
		t.Errorf("%d samples of the moving camera, want 49", n)
	}
	if open, shut := strings.Count(text, "{"), strings.Count(text, "}"); open != shut {
		t.Errorf("%d braces are opened, %d shut", open, shut)
	}
	// Every row is a unit vector or a place: no number that is none.
	for _, number := range regexp.MustCompile(`-?\d[\d.e+-]*`).FindAllString(text[strings.Index(text, "def "):], -1) {
		if _, err := strconv.ParseFloat(number, 64); err != nil && number != "1st" {
			t.Errorf("%q is no number", number)
		}
	}
}

func TestNamesOfPrimsAreTheirOwn(t *testing.T) {
	taken := map[string]bool{}
	for name, want := range map[string]string{"a b": "a_b", "": "_", "9": "_9"} {
		if got := usdName(name, taken); got != want {
			t.Errorf("%q became %q, want %q", name, got, want)
		}
	}
	if got := usdName("a-b", taken); got != "a_b_2" {
		t.Errorf("a second one became %q", got)
	}
}

// Where the cut goes from one view to another, the camera over it has one of them in one frame and the other in the
// next.
func TestACameraOverACutJumps(t *testing.T) {
	all := tracks()
	j := Joined{Name: "cut"}
	for k := range 6 {
		tr := all[0]
		if k >= 3 {
			tr = all[2]
		}
		j.Moments = append(j.Moments, Moment{tr.Setup, tr.Camera, tr.Poses[min(k, len(tr.Poses)-1)]})
	}
	var b bytes.Buffer
	if err := WriteJoinedUSD(&b, "Ferry", all, j, 1001, 24); err != nil {
		t.Fatal(err)
	}
	text := b.String()
	if open, shut := strings.Count(text, "{"), strings.Count(text, "}"); open != shut {
		t.Errorf("%d braces are opened, %d shut", open, shut)
	}
	text = strings.ReplaceAll(text[strings.Index(text, `def Camera "cut"`):], "\n    ", "\n")
	focal := func(tr Track) string { return usdNumber(tr.Setup.FocalOf(tr.Camera)) }
	want := fmt.Sprintf(
		"float focalLength.timeSamples = {\n        1001: %[1]s,\n        1003: %[1]s,\n        1004: "+
			"%[2]s,\n        1006: %[2]s,\n    }",
		focal(all[0]), focal(all[2]),
	)
	if !strings.Contains(text, want) {
		t.Errorf("the lens is not\n%s\n%s", want, text)
	}
	if !strings.Contains(text, "1003: "+usdMatrix(all[0].Poses[2])) ||
		!strings.Contains(text, "1004: "+usdMatrix(all[2].Poses[0])) {
		t.Errorf("it does not stand where the views do:\n%s", text)
	}
}

// What is written is read again: names, lenses, places and moves.
func TestCamerasComeBackFromUSD(t *testing.T) {
	var b bytes.Buffer
	if err := WriteUSD(&b, "Ferry", tracks(), 1001, 24); err != nil {
		t.Fatal(err)
	}
	s, err := scene.ReadUSD(&b)
	if err != nil {
		t.Fatal(err)
	}
	if math.Abs(s.Duration()-2) > 1e-9 {
		t.Errorf("it moves for %v s", s.Duration())
	}
	for i, tr := range tracks() {
		node := s.FindCamera([]string{"quay", "flat_side", "_1st"}[i])
		if node == scene.None {
			t.Fatalf("%s is not there", tr.Name)
		}
		want, got := tr.view().Camera, s.Cameras[s.Nodes[node].Camera]
		if math.Abs(got.Up-want.Up) > 1e-6 || math.Abs(got.Height-want.Height) > 1e-6 ||
			math.Abs(got.Aspect-want.Aspect) > 1e-6 {
			t.Errorf("%s sees %+v, not %+v", tr.Name, got, want)
		}
		for k, pose := range tr.Poses {
			is := s.At(float64(k) / 24).World[node]
			if is.Origin.Sub(pose.Origin).Length() > 1e-6 || is.Z.Sub(pose.Z.Unit()).Length() > 1e-6 ||
				is.Y.Sub(pose.Y.Unit()).Length() > 1e-6 {
				t.Fatalf("%s stands at %+v in frame %d, not at %+v", tr.Name, is, 1001+k, pose)
			}
		}
	}
}
