// Package contact lays out contact sheets: pictures in a grid, with what they are below them, on pages of paper or for
// a screen, as pictures or as a PDF whose text can be searched.
//
//	sheet := contact.Lay(settings, "The Saltmarsh Ferry", cells)
//	err := sheet.WritePDF(w, made, picture)
package contact

import (
	"fmt"
	"math"
	"slices"

	"reelhouse/core/raster"
)

// A Choice says which frames of each sequence are shown.
type Choice string

// The choices.
const (
	Middle Choice = "middle" // one of each sequence
	Three  Choice = "three"  // the first, the middle and the last one
	Every  Choice = "every"  // every nth, from the first one
	Sizes  Choice = "sizes"  // the middle one, a row a shot and a column a size
)

// Choices returns all choices, in the order in which they are offered.
func Choices() []Choice { return []Choice{Middle, Three, Every, Sizes} }

// A Paper is what a page is as large as.
type Paper string

// The papers. They lie across.
const (
	A4     Paper = "a4"
	A3     Paper = "a3"
	Letter Paper = "letter"
	Screen Paper = "screen" // 1920 x 1080 pixels
	Pixels Paper = "pixels" // as many as Settings say
)

// Papers returns all papers, in the order in which they are offered.
func Papers() []Paper { return []Paper{A4, A3, Letter, Screen, Pixels} }

// A Format is what kind of file a sheet is.
type Format string

// The formats. A PDF holds all pages; of the others each page is a file.
const (
	PDF  Format = "pdf"
	PNG  Format = "png"
	JPEG Format = "jpg"
)

// Formats returns all formats, in the order in which they are offered.
func Formats() []Format { return []Format{PDF, PNG, JPEG} }

// Settings say what is shown, and on what. The zero value makes no sheet.
type Settings struct {
	On      bool   `json:"on,omitempty"`
	Frames  Choice `json:"frames,omitempty"`
	Nth     int    `json:"nth,omitempty"`     // of Every
	Columns int    `json:"columns,omitempty"` // 0 for as many as suit the frames
	Paper   Paper  `json:"paper,omitempty"`
	Format  Format `json:"format,omitempty"`
	Width   int    `json:"width,omitempty"` // of a page of Pixels
	Height  int    `json:"height,omitempty"`
}

// Usual returns the settings that a sheet begins with.
func Usual() Settings {
	return Settings{On: true, Frames: Three, Nth: 24, Paper: A4, Format: PDF, Width: 1920, Height: 1080}
}

// Bounds of settings.
const (
	MostColumns = 12
	LeastEdge   = 480 // pixels of a page of Pixels
	MostEdge    = 16384
	MostNth     = 1_000_000
	// MostCells is how many pictures a sheet may have.
	MostCells = 2000
)

// Check says what is wrong with the settings, or nil.
func (s Settings) Check() error {
	switch {
	case !s.On:
		return nil
	case !slices.Contains(Choices(), s.Frames):
		return fmt.Errorf("a contact sheet cannot show %q", s.Frames)
	case s.Frames == Every && (s.Nth < 1 || s.Nth > MostNth):
		return fmt.Errorf("every nth frame takes n from 1 to %d", MostNth)
	case s.Columns < 0 || s.Columns > MostColumns:
		return fmt.Errorf("a contact sheet has 1 to %d columns, or 0 for as many as suit it", MostColumns)
	case !slices.Contains(Papers(), s.Paper):
		return fmt.Errorf("there is no paper %q", s.Paper)
	case s.Paper == Pixels && (min(s.Width, s.Height) < LeastEdge || max(s.Width, s.Height) > MostEdge):
		return fmt.Errorf("a page is %d to %d pixels wide and high", LeastEdge, MostEdge)
	case !slices.Contains(Formats(), s.Format):
		return fmt.Errorf("a contact sheet is no %q", s.Format)
	}
	return nil
}

// Of returns which of n frames in order are shown, by their places from 0 on.
func (s Settings) Of(n int) []int {
	if n == 0 {
		return nil
	}
	switch s.Frames {
	case Three:
		return slices.Compact([]int{0, (n - 1) / 2, n - 1})
	case Every:
		var all []int
		for i := 0; i < n; i += max(1, s.Nth) {
			all = append(all, i)
		}
		return all
	}
	return []int{(n - 1) / 2}
}

// A Cell is a picture of a sheet, with what stands below it.
type Cell struct {
	Title, Facts string
	Aspect       float64 // width over height, as it is seen
	// Row and Column are where it stands on a sheet of Sizes; otherwise cells follow each other.
	Row, Column int
}

// A Box is a place on a page, in points from its top left.
type Box struct{ X, Y, Width, Height float64 }

// A Placed is a cell on its page.
type Placed struct {
	Cell    int
	Picture Box
	Text    Box // of its two lines
}

// A Sheet is cells that are laid out.
type Sheet struct {
	Settings      Settings
	Title         string
	Cells         []Cell
	Width, Height float64 // of a page, in points
	Pages         [][]Placed
}

// Measures of a page, in points.
const (
	margin   = 28.0
	headline = 24.0 // room for the title
	gap      = 10.0
	leading  = 9.5 // of a line of text
	letters  = 7.5
	titles   = 13.0 // letters of the title
	textRoom = 2*leading + 3
	// leastRow is what a picture is made lower to, at least, where a row does not fit otherwise.
	leastRow = 24.0
)

// dimensions returns what a page measures in points.
func (s Settings) dimensions() (width, height float64) {
	const mm = 72 / 25.4
	switch s.Paper {
	case Pixels:
		return float64(s.Width) / s.Paper.perPoint(), float64(s.Height) / s.Paper.perPoint()
	case A3:
		return 420 * mm, 297 * mm
	case Letter:
		return 792, 612
	case Screen:
		return 960, 540
	}
	return 297 * mm, 210 * mm
}

// perPoint is how many pixels a point has in pictures of pages.
func (p Paper) perPoint() float64 {
	if p == Screen || p == Pixels {
		return 2
	}
	return 200.0 / 72
}

// columns returns how many columns a sheet of cells has.
func (s Settings) columns(cells []Cell) int {
	switch {
	case s.Frames == Sizes:
		most := 1
		for _, c := range cells {
			most = max(most, c.Column+1)
		}
		return most
	case s.Columns > 0:
		return s.Columns
	case s.Frames == Three:
		return 3
	}
	return min(6, max(2, int(math.Ceil(math.Sqrt(float64(len(cells)))))))
}

// Lay lays cells out on pages.
func Lay(s Settings, title string, cells []Cell) Sheet {
	sheet := Sheet{Settings: s, Title: title, Cells: cells}
	sheet.Width, sheet.Height = s.dimensions()
	columns := s.columns(cells)
	width := (sheet.Width - 2*margin - gap*float64(columns-1)) / float64(columns)
	top, bottom := margin+headline, sheet.Height-margin
	y := top
	var page []Placed
	for _, row := range s.rows(cells, columns) {
		height := leastRow
		for _, i := range row {
			height = max(height, width/max(0.05, cells[i].Aspect))
		}
		height = min(height, bottom-top-textRoom)
		if y+height+textRoom > bottom && len(page) > 0 {
			sheet.Pages = append(sheet.Pages, page)
			page, y = nil, top
		}
		for at, i := range row {
			column := at
			if s.Frames == Sizes {
				column = cells[i].Column
			}
			x := margin + float64(column)*(width+gap)
			page = append(page, Placed{
				i, within(Box{x, y, width, height}, cells[i].Aspect), Box{x, y + height + 3, width, 2 * leading},
			})
		}
		y += height + textRoom + gap
	}
	sheet.Pages = append(sheet.Pages, page)
	return sheet
}

// rows returns which cells stand side by side.
func (s Settings) rows(cells []Cell, columns int) [][]int {
	var rows [][]int
	for i, c := range cells {
		last := len(rows) - 1
		begins := last < 0 || len(rows[last]) == columns
		if s.Frames == Sizes {
			begins = last < 0 || cells[rows[last][0]].Row != c.Row
		}
		if begins {
			rows = append(rows, nil)
			last++
		}
		rows[last] = append(rows[last], i)
	}
	return rows
}

// within returns the largest box of an aspect within another one, at its bottom.
func within(b Box, aspect float64) Box {
	width, height := b.Width, b.Width/max(0.05, aspect)
	if height > b.Height {
		width, height = b.Height*aspect, b.Height
	}
	return Box{b.X, b.Y + b.Height - height, width, height}
}

// Pixels returns how large a picture is made for its place.
func (s Sheet) Pixels(p Placed) raster.Size {
	by := s.Settings.Paper.perPoint()
	return raster.Size{
		Width: max(1, int(math.Round(p.Picture.Width*by))), Height: max(1, int(math.Round(p.Picture.Height*by))),
	}
}

// Files returns what the files of a sheet are called, after a name without an ending.
func (s Sheet) Files(name string) []string {
	if s.Settings.Format == PDF || len(s.Pages) == 1 {
		return []string{name + "." + string(s.Settings.Format)}
	}
	var all []string
	for i := range s.Pages {
		all = append(all, fmt.Sprintf("%s_%02d.%s", name, i+1, s.Settings.Format))
	}
	return all
}

// headlineOf returns what stands above a page.
func (s Sheet) headlineOf(page int) string {
	if len(s.Pages) == 1 {
		return s.Title
	}
	return fmt.Sprintf("%s, page %d of %d", s.Title, page+1, len(s.Pages))
}
