package raster

import (
	"fmt"
	"image"
	"regexp"
	"strconv"
)

// A Tiling cuts a picture into tiles that are rendered one after the other, so that not all of it has to be held at
// once. The zero value leaves it to the size.
type Tiling struct {
	Columns int `json:"columns"`
	Rows    int `json:"rows"`
}

// LargestTile is the most pixels of a tile that is recommended. A tile of beauty and a few passes of that many takes
// about 2 GB while it is rendered.
const LargestTile = 16 << 20

// MostTiles bounds columns and rows, and MostInAll their product: each tile is read, judged and told of by itself.
const (
	MostTiles = 256
	MostInAll = 1024
)

// Bands returns a tiling into rows of the whole width, which files are written by, too.
func Bands(n int) Tiling { return Tiling{1, n} }

// Recommended returns as few bands as make tiles small enough.
func Recommended(s Size) Tiling { return Bands(max(1, (s.Pixels()+LargestTile-1)/LargestTile)) }

// Edges from which a single picture is cut, and into how many bands, so that several nodes can work on it.
const (
	largeEdge, largeBands = 3840, 8  // 4K
	hugeEdge, hugeBands   = 7680, 20 // 8K
)

// StillBands returns how many bands a single picture is rendered in, so that several nodes have a part in it. Common
// practice: about 8 at 4K, and 20 at 8K and over.
func StillBands(s Size) int {
	switch edge := max(s.Width, s.Height); {
	case edge >= hugeEdge:
		return hugeBands
	case edge >= largeEdge:
		return largeBands
	}
	return 1
}

// For returns the tiling, or the recommended one of a size if none is set.
func (t Tiling) For(s Size) Tiling {
	if t == (Tiling{}) {
		return Recommended(s)
	}
	return t
}

// Single reports whether the tiling leaves a picture whole.
func (t Tiling) Single() bool { return t.Columns <= 1 && t.Rows <= 1 }

// Check says what is wrong with the tiling, or nil.
func (t Tiling) Check() error {
	if t == (Tiling{}) {
		return nil
	}
	if t.Columns < 1 || t.Rows < 1 || t.Columns > MostTiles || t.Rows > MostTiles {
		return fmt.Errorf("%d × %d tiles are outside 1 × 1 to %d × %[3]d", t.Columns, t.Rows, MostTiles)
	}
	if n := t.Columns * t.Rows; n > MostInAll {
		return fmt.Errorf("%d × %d are %d tiles, and a picture has no more than %d", t.Columns, t.Rows, n, MostInAll)
	}
	return nil
}

// Count returns how many tiles a part of a picture is cut into.
func (t Tiling) Count(of image.Rectangle) int {
	return min(max(1, t.Columns), of.Dx()) * min(max(1, t.Rows), of.Dy())
}

// String returns the tiling as it is typed, such as "3 x 2"; nothing for the zero value.
func (t Tiling) String() string {
	if t == (Tiling{}) {
		return ""
	}
	return fmt.Sprintf("%d x %d", t.Columns, t.Rows)
}

var tilingText = regexp.MustCompile(`^(\d{1,4})(?:\s*[x×]\s*(\d{1,4}))?$`)

// ParseTiling reads columns and rows, such as "3 x 2" or "3×2", or a number of bands; nothing is the zero value.
func ParseTiling(text string) (Tiling, error) {
	if text == "" {
		return Tiling{}, nil
	}
	m := tilingText.FindStringSubmatch(text)
	if m == nil {
		return Tiling{}, fmt.Errorf("%q is neither columns × rows, such as 3 x 2, nor a number of bands", text)
	}
	first, _ := strconv.Atoi(m[1]) // digits
	t := Bands(first)
	if m[2] != "" {
		second, _ := strconv.Atoi(m[2])
		t = Tiling{first, second}
	}
	if err := t.Check(); err != nil {
		return Tiling{}, err
	}
	if t == (Tiling{}) {
		return Tiling{}, fmt.Errorf("there is at least one tile")
	}
	return t, nil
}

// Tiles returns the tiles of a part of a picture, in rows from the top. Their edges differ by at most a pixel, and none
// is empty.
func (t Tiling) Tiles(of image.Rectangle) [][]image.Rectangle {
	columns, rows := min(max(1, t.Columns), of.Dx()), min(max(1, t.Rows), of.Dy())
	all := make([][]image.Rectangle, rows)
	for r := range all {
		for c := range columns {
			all[r] = append(
				all[r],
				image.Rect(
					of.Min.X+c*of.Dx()/columns, of.Min.Y+r*of.Dy()/rows, of.Min.X+(c+1)*of.Dx()/columns,
					of.Min.Y+(r+1)*of.Dy()/rows,
				),
			)
		}
	}
	return all
}
