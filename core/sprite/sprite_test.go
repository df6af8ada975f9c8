package sprite

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/gif"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"golang.org/x/image/draw"
)

// cellsOf returns poses of a blob, seen from several angles, each at another place and of another size.
func cellsOf(random *rand.Rand, poses, angles int) []Cell {
	var cells []Cell
	for p := range poses {
		for a := range angles {
			img := image.NewNRGBA(image.Rect(0, 0, 40, 30))
			r := image.Rect(random.IntN(20), random.IntN(15), 21+random.IntN(19), 16+random.IntN(14))
			for y := r.Min.Y; y < r.Max.Y; y++ {
				for x := r.Min.X; x < r.Max.X; x++ {
					img.SetNRGBA(
						x,
						y,
						color.NRGBA{uint8(random.IntN(256)), uint8(x), uint8(y), uint8(1 + random.IntN(255))},
					)
				}
			}
			cells = append(cells, Cell{
				Name: fmt.Sprintf("%03d_%d.png", a*45, p), Angle: a * 45, Pose: fmt.Sprint("pose", p), Frame: 1001 + p,
				Seconds: 1.0 / 24, PivotX: 20.25, PivotY: 25.5, PerMetre: 100, Picture: img,
			})
		}
	}
	return cells
}

// Cut up again by what its JSON says, a sheet gives the pixels of every picture exactly, whatever the settings are.
func TestASheetIsCutUpAgainByItsJSON(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 21))
	for _, packing := range Packings() {
		for n := range 16 {
			s := Settings{
				On: true, Frames: All, Packing: packing, Pivot: Subject, Trim: n&1 > 0, PowerOfTwo: n&2 > 0,
				Margin: n & 4 / 2, Extrude: n & 8 / 4,
			}
			cells := cellsOf(random, 1+random.IntN(5), 1+random.IntN(9))
			sheet, err := Pack(s, cells)
			if err != nil {
				t.Fatal(err)
			}
			var b bytes.Buffer
			var said described
			if err := sheet.WriteJSON(&b, "boat.png"); err != nil {
				t.Fatal(err)
			}
			if err := json.Unmarshal(b.Bytes(), &said); err != nil || said.Picture != "boat.png" {
				t.Fatal(err)
			}
			if size := sheet.Picture.Rect.Size(); said.Width != size.X || said.Height != size.Y ||
				s.PowerOfTwo && (size.X&(size.X-1) != 0 || size.Y&(size.Y-1) != 0) {
				t.Fatalf("%+v: the sheet has %v", s, size)
			}
			var taken []image.Rectangle
			for i, c := range said.Cells {
				whole := image.NewNRGBA(image.Rect(0, 0, c.WholeWidth, c.WholeHeight))
				at := image.Rect(0, 0, c.Width, c.Height)
				draw.Draw(whole, at.Add(image.Pt(c.InLeft, c.InTop)), sheet.Picture, image.Pt(c.Left, c.Top), draw.Src)
				if !bytes.Equal(whole.Pix, cells[i].Picture.Pix) {
					t.Fatalf("%+v: cell %d is another picture", s, i)
				}
				if c.PivotX+float64(c.InLeft) != 20.25 || c.PivotY+float64(c.InTop) != 25.5 {
					t.Errorf("%+v: its pivot is %v, %v", s, c.PivotX, c.PivotY)
				}
				room := at.Add(image.Pt(c.Left, c.Top)).Inset(-s.Margin - s.Extrude)
				if !room.In(sheet.Picture.Rect) || slices.ContainsFunc(taken, room.Overlaps) {
					t.Fatalf("%+v: cell %d has no room of its own at %v", s, i, room)
				}
				taken = append(taken, room)
				if s.Extrude > 0 && sheet.Picture.NRGBAAt(c.Left-1, c.Top) != sheet.Picture.NRGBAAt(c.Left, c.Top) {
					t.Errorf("%+v: the edge of cell %d is not repeated", s, i)
				}
			}
		}
	}
}

func TestRowsArePosesAndColumnsAngles(t *testing.T) {
	sheet, err := Pack(Settings{On: true, Packing: Rows}, cellsOf(rand.New(rand.NewPCG(1, 1)), 2, 3))
	if err != nil {
		t.Fatal(err)
	}
	if c := sheet.Cells[4]; c.At.Min != image.Pt(40, 30) || sheet.Picture.Rect != image.Rect(0, 0, 120, 60) {
		t.Errorf("45° of the second pose is at %v of %v", c.At, sheet.Picture.Rect)
	}
}

// Packed tightly, cells of many sizes waste little.
func TestTightIsTight(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 5))
	var cells []Cell
	area := 0
	for range 200 {
		img := image.NewNRGBA(image.Rect(0, 0, 5+random.IntN(60), 5+random.IntN(60)))
		area += img.Rect.Dx() * img.Rect.Dy()
		cells = append(cells, Cell{Picture: img, PerMetre: 1})
	}
	sheet, err := Pack(Settings{On: true, Packing: Tight}, cells)
	if err != nil {
		t.Fatal(err)
	}
	if size := sheet.Picture.Rect.Size(); float64(area)/float64(size.X*size.Y) < 0.85 || size.X > 3*size.Y ||
		size.Y > 3*size.X {
		t.Errorf("%d pixels lie in %v", area, size)
	}
}

func TestWhatCannotBePackedIsRefused(t *testing.T) {
	if _, err := Pack(Usual(), nil); err == nil {
		t.Error("nothing is packed")
	}
	wide := Cell{Picture: image.NewNRGBA(image.Rect(0, 0, 9000, 1))}
	if _, err := Pack(Settings{Packing: Rows}, []Cell{wide, {Angle: 1, Picture: wide.Picture}}); err == nil ||
		!strings.Contains(err.Error(), "18000 × 1 pixels") {
		t.Error(err)
	}
	for says, change := range map[string]func(s *Settings){
		"frames": func(s *Settings) { s.Frames = "x" }, "packed": func(s *Settings) { s.Packing = "x" },
		"pivot": func(s *Settings) { s.Pivot = "x" }, "margin": func(s *Settings) { s.Margin = -1 },
		"high": func(s *Settings) { s.Height = 5000 },
	} {
		s := Usual()
		if err := s.Check(); err != nil {
			t.Fatal(err)
		}
		change(&s)
		if err := s.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

func TestCellsShareScaleAndGround(t *testing.T) {
	cells := cellsOf(rand.New(rand.NewPCG(1, 1)), 1, 3)
	if said := Differences(cells); said != nil {
		t.Error(said)
	}
	cells[1].PerMetre, cells[2].PivotY = 110, 20
	if said := fmt.Sprint(Differences(cells)); !strings.Contains(said, "45°, pose0 has 110.0") ||
		!strings.Contains(said, "at 90°, pose0 it lies -5.5 pixels") {
		t.Error(said)
	}
}

func TestATableAndAnAnimation(t *testing.T) {
	cells := cellsOf(rand.New(rand.NewPCG(1, 1)), 3, 1)
	cells[2].Pose = "=1+1" // which is no formula in a table
	sheet, err := Pack(Usual(), cells)
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := sheet.WriteCSV(&b); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&b).ReadAll()
	if err != nil || len(rows) != 4 || rows[2][2] != "pose1" || rows[3][2] == "=1+1" {
		t.Errorf("%v, %v", rows, err)
	}
	b.Reset()
	if err := WriteGIF(&b, cells); err != nil {
		t.Fatal(err)
	}
	moving, err := gif.DecodeAll(&b)
	if err != nil || len(moving.Image) != 3 || moving.Delay[0] != 4 {
		t.Fatal(err)
	}
	c := covered(cells[0].Picture)
	if _, _, _, a := moving.Image[0].At(39, 29).RGBA(); c.Max != image.Pt(40, 30) && a != 0 {
		t.Error("what is transparent is not")
	}
}
