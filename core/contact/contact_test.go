package contact

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"golang.org/x/image/draw"
)

func TestWhichFramesAreShown(t *testing.T) {
	for _, c := range []struct {
		choice Choice
		of     int
		want   []int
	}{
		{Middle, 5, []int{2}}, {Middle, 4, []int{1}}, {Sizes, 1, []int{0}}, {Three, 48, []int{0, 23, 47}},
		{Three, 2, []int{0, 1}}, {Three, 1, []int{0}}, {Every, 7, []int{0, 3, 6}}, {Every, 0, nil},
	} {
		if got := (Settings{Frames: c.choice, Nth: 3}).Of(c.of); !slices.Equal(got, c.want) {
			t.Errorf("%s of %d: %v", c.choice, c.of, got)
		}
	}
}

func TestSettingsAreChecked(t *testing.T) {
	if err := Usual().Check(); err != nil {
		t.Error(err)
	}
	if err := (Settings{Frames: "x"}).Check(); err != nil {
		t.Errorf("a sheet that is not made: %v", err)
	}
	for says, change := range map[string]func(s *Settings){
		"cannot show": func(s *Settings) { s.Frames = "last" },
		"every nth":   func(s *Settings) { s.Frames, s.Nth = Every, 0 },
		"columns":     func(s *Settings) { s.Columns = 13 },
		"no paper":    func(s *Settings) { s.Paper = "a5" },
		"480 to":      func(s *Settings) { s.Paper, s.Height = Pixels, 9 },
		"is no":       func(s *Settings) { s.Format = "gif" },
	} {
		s := Usual()
		change(&s)
		if err := s.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

func cellsOf(n int, aspects ...float64) []Cell {
	var cells []Cell
	for i := range n {
		cells = append(cells, Cell{
			Title: fmt.Sprintf("Shot %03d Ärmel", 10*i), Facts: fmt.Sprintf("frame %d", 1001+i),
			Aspect: aspects[i%len(aspects)], Row: i / 2, Column: i % 2,
		})
	}
	return cells
}

// Whatever is laid out, every cell stands on one page, within its margins, over no other one, in its shape.
func TestCellsLieWithinTheirPages(t *testing.T) {
	for _, paper := range Papers() {
		for _, columns := range []int{0, 1, 5, MostColumns} {
			for _, choice := range Choices() {
				cells := cellsOf(31, 2.39, 16.0/9, 1, 0.5625)
				s := Lay(Settings{
					On: true, Frames: choice, Columns: columns, Paper: paper, Format: PNG, Width: 1000, Height: 777,
				}, "Test", cells)
				seen := map[int]bool{}
				for _, page := range s.Pages {
					for i, p := range page {
						seen[p.Cell] = true
						if got := p.Picture.Width / p.Picture.Height; math.Abs(got/cells[p.Cell].Aspect-1) > 1e-9 {
							t.Fatalf("cell %d has the aspect %v", p.Cell, got)
						}
						if p.Picture.X < margin-1e-9 || p.Picture.X+p.Picture.Width > s.Width-margin+1e-9 ||
							p.Picture.Y < margin+headline-1e-9 || p.Text.Y+p.Text.Height > s.Height-margin+1e-9 {
							t.Fatalf("%s, %d columns: cell %d lies outside: %+v", paper, columns, p.Cell, p)
						}
						for _, other := range page[:i] {
							if overlap(p.Picture, other.Picture) || overlap(p.Picture, other.Text) {
								t.Fatalf("%s, %d columns: cells %d and %d overlap", paper, columns, p.Cell, other.Cell)
							}
						}
					}
				}
				if len(seen) != len(cells) {
					t.Fatalf("%d of %d cells are laid out", len(seen), len(cells))
				}
			}
		}
	}
	s := Lay(Settings{Frames: Sizes, Paper: A4}, "", cellsOf(3, 16.0/9))
	if p := s.Pages[0]; p[2].Picture.X != p[0].Picture.X || p[2].Picture.Y <= p[1].Picture.Y {
		t.Errorf("a shot has no row of its own: %+v", p)
	}
}

func overlap(a, b Box) bool {
	const close = 1e-9
	return a.X+close < b.X+b.Width && b.X+close < a.X+a.Width && a.Y+close < b.Y+b.Height && b.Y+close < a.Y+a.Height
}

// coloured returns pictures of one colour a cell.
func coloured(s Sheet) Picture {
	return func(p Placed) (image.Image, error) {
		size := s.Pixels(p)
		img := image.NewRGBA(image.Rect(0, 0, size.Width, size.Height))
		draw.Draw(img, img.Rect, image.NewUniform(color.RGBA{200, byte(40 * p.Cell), 30, 255}), image.Point{}, draw.Src)
		return img, nil
	}
}

// Text and pictures are found by poppler's pdftotext and pdftoppm, which are no part of this project.
func TestAPDFIsReadByOthers(t *testing.T) {
	if _, err := exec.LookPath("pdftotext"); err != nil {
		t.Fatalf("pdftotext is needed; make tools installs it: %v", err)
	}
	s := Lay(Settings{On: true, Frames: Every, Nth: 1, Columns: 2, Paper: A4, Format: PDF}, "The Saltmarsh Ferry",
		cellsOf(5, 16.0/9))
	var b bytes.Buffer
	made := time.Date(2026, 11, 29, 12, 0, 0, 0, time.UTC)
	if err := s.WritePDF(&b, made, coloured(s)); err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "sheet.pdf")
	if err := os.WriteFile(path, b.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	text, err := exec.Command("pdftotext", "-layout", path, "-").Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"The Saltmarsh Ferry, page 1 of 2", "Shot 020 Ärmel", "frame 1005", "page 2 of 2"} {
		if !strings.Contains(string(text), want) {
			t.Errorf("%q is not found in\n%s", want, text)
		}
	}
	page := filepath.Join(t.TempDir(), "page")
	if out, err := exec.Command("pdftoppm", "-r", "72", "-png", "-f", "1", "-l", "1", "-singlefile", path,
		page).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	data, err := os.ReadFile(page + ".png")
	if err != nil {
		t.Fatal(err)
	}
	img, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range s.Pages[0] {
		x, y := p.Picture.X+p.Picture.Width/2, p.Picture.Y+p.Picture.Height/2
		if r, g, b, _ := img.At(int(x), int(y)).RGBA(); near(r, 200) && near(g, 40*p.Cell) && near(b, 30) {
			continue
		}
		t.Errorf("cell %d is %v", p.Cell, img.At(int(x), int(y)))
	}
}

func near(got uint32, want int) bool { return math.Abs(float64(got>>8)-float64(want)) <= 4 }

func TestPagesAreDrawn(t *testing.T) {
	for _, format := range []Format{PNG, JPEG} {
		s := Lay(Settings{On: true, Frames: Middle, Paper: Screen, Format: format}, "Test", cellsOf(4, 16.0/9))
		var b bytes.Buffer
		if err := s.WritePage(&b, 0, coloured(s)); err != nil {
			t.Fatal(err)
		}
		decode := png.Decode
		if format == JPEG {
			decode = jpeg.Decode
		}
		img, err := decode(&b)
		if err != nil || img.Bounds() != image.Rect(0, 0, 1920, 1080) {
			t.Fatalf("%s: %v", format, err)
		}
		for _, p := range s.Pages[0] {
			x, y := int(2*(p.Picture.X+p.Picture.Width/2)), int(2*(p.Picture.Y+p.Picture.Height/2))
			if _, g, _, _ := img.At(x, y).RGBA(); !near(g, 40*p.Cell) {
				t.Errorf("%s: cell %d is %v", format, p.Cell, img.At(x, y))
			}
			dark := 0
			for x := int(2 * p.Text.X); x < int(2*(p.Text.X+p.Text.Width)); x++ {
				for y := int(2 * p.Text.Y); y < int(2*(p.Text.Y+p.Text.Height)); y++ {
					if r, _, _, _ := img.At(x, y).RGBA(); r>>8 < 0x40 {
						dark++
					}
				}
			}
			if dark < 50 {
				t.Errorf("%s: nothing is written below cell %d", format, p.Cell)
			}
		}
	}
	var own bytes.Buffer
	how := Settings{On: true, Frames: Middle, Paper: Pixels, Format: PNG, Width: 1333, Height: 701}
	s := Lay(how, "", cellsOf(4, 1))
	if err := s.WritePage(&own, 0, coloured(s)); err != nil {
		t.Fatal(err)
	}
	if img, err := png.DecodeConfig(&own); err != nil || img.Width != 1333 || img.Height != 701 {
		t.Errorf("a page of 1333 × 701 pixels has %+v, %v", img, err)
	}
	many := Lay(Settings{On: true, Frames: Every, Paper: Screen, Format: PNG, Columns: 2}, "", cellsOf(9, 1))
	if files := many.Files("sheet"); len(files) != len(many.Pages) || files[1] != "sheet_02.png" {
		t.Errorf("%v", files)
	}
}

func TestLongTextsEndWithAnEllipsis(t *testing.T) {
	width := func(s string) float64 { return float64(len([]rune(s))) }
	if got := fitting("a long title", 6, width); got != "a lon…" {
		t.Error(got)
	}
}

// BenchmarkPDF lays out and writes a sheet of 300 pictures.
func BenchmarkPDF(b *testing.B) {
	cells := cellsOf(300, 16.0/9)
	for b.Loop() {
		s := Lay(Settings{On: true, Frames: Every, Columns: 6, Paper: A4, Format: PDF}, "Test", cells)
		var out bytes.Buffer
		if err := s.WritePDF(&out, time.Time{}, coloured(s)); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(300*float64(b.N)/b.Elapsed().Seconds(), "pictures/s")
}
