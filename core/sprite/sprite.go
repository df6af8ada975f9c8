// Package sprite packs pictures of a subject, views round it by poses, into one picture, and says where each lies, so
// that it can be cut out again: cells, pivots, durations.
//
//	sheet, err := sprite.Pack(settings, cells)
//	err = sheet.WriteJSON(w, "boat.png")
package sprite

import (
	"cmp"
	"fmt"
	"image"
	"math"
	"math/bits"
	"slices"

	"golang.org/x/image/draw"
)

// A Choice says which frames are poses.
type Choice string

// The choices.
const (
	Labelled Choice = "labelled" // those that have labels, which are the names of poses
	All      Choice = "all"      // every frame, as an animation
)

// Choices returns all choices, in the order in which they are offered.
func Choices() []Choice { return []Choice{Labelled, All} }

// A Packing is how cells lie in a sheet.
type Packing string

// The packings.
const (
	Grid  Packing = "grid"  // cells of one size, as square as it gets
	Rows  Packing = "rows"  // cells of one size, a row a pose and a column an angle
	Tight Packing = "tight" // as close as it gets
)

// Packings returns all packings, in the order in which they are offered.
func Packings() []Packing { return []Packing{Rows, Grid, Tight} }

// A Pivot says which point of the world is the pivot of each cell.
type Pivot string

// The pivots.
const (
	Subject Pivot = "subject" // what the views stand round; the origin, for views that stand round nothing
	Origin  Pivot = "origin"  // of the scene
)

// Pivots returns all pivots, in the order in which they are offered.
func Pivots() []Pivot { return []Pivot{Subject, Origin} }

// Settings say how a sheet is packed. The zero value makes no sheet.
type Settings struct {
	On      bool    `json:"on,omitempty"`
	Frames  Choice  `json:"frames,omitempty"`
	Packing Packing `json:"packing,omitempty"`
	Pivot   Pivot   `json:"pivot,omitempty"`
	// Trim cuts off what is transparent: of each cell, if they are packed tightly, or else what is transparent in all
	// of them, so that they stay of one size, with one pivot.
	Trim bool `json:"trim,omitempty"`
	// PowerOfTwo makes the edges of the sheet powers of two.
	PowerOfTwo bool `json:"powerOfTwo,omitempty"`
	// Margin is how many transparent pixels lie round each cell, and Extrude how often its outermost pixels are
	// repeated before those, so that filters find nothing else.
	Margin  int `json:"margin,omitempty"`
	Extrude int `json:"extrude,omitempty"`
	// Height is that of a picture in pixels before it is trimmed; 0 for that of its file.
	Height int `json:"height,omitempty"`
}

// Usual returns the settings that a sheet begins with.
func Usual() Settings {
	return Settings{
		On:      true,
		Frames:  All,
		Packing: Rows,
		Pivot:   Subject,
		Trim:    true,
		Margin:  1,
		Extrude: 1,
		Height:  256,
	}
}

// Bounds of a sheet.
const (
	MostEdge   = 16384 // pixels
	MostCells  = 4096
	MostPixels = 128 << 20 // of all cells together
	MostBorder = 64
	MostHeight = 4096
)

// Check says what is wrong with the settings, or nil.
func (s Settings) Check() error {
	switch {
	case !s.On:
		return nil
	case !slices.Contains(Choices(), s.Frames):
		return fmt.Errorf("a sprite sheet cannot have the frames %q", s.Frames)
	case !slices.Contains(Packings(), s.Packing):
		return fmt.Errorf("cells are not packed as %q", s.Packing)
	case !slices.Contains(Pivots(), s.Pivot):
		return fmt.Errorf("a pivot is no %q", s.Pivot)
	case s.Margin < 0 || s.Margin > MostBorder || s.Extrude < 0 || s.Extrude > MostBorder:
		return fmt.Errorf("margin and extrusion are 0 to %d pixels", MostBorder)
	case s.Height < 0 || s.Height > MostHeight:
		return fmt.Errorf(
			"a picture of a sprite sheet is 1 to %d pixels high, or 0 for as high as its file",
			MostHeight,
		)
	}
	return nil
}

// A Cell is a picture of a sheet.
type Cell struct {
	Name    string // of the file that it is by itself
	Angle   int    // degrees from the first view
	Pose    string // a label, or the number of the frame
	Frame   int
	Seconds float64 // for how long it is shown
	// PivotX and PivotY are where the pivot lies in the picture, in pixels from its top left corner.
	PivotX, PivotY float64
	// PerMetre is how many pixels a metre has at the pivot.
	PerMetre float64
	Picture  *image.NRGBA // with straight alpha
}

// A Placed is a cell in a sheet.
type Placed struct {
	Cell
	At   image.Rectangle // in the sheet
	From image.Point     // top left corner of what lies there, in the whole picture
}

// A Sheet is cells that are packed.
type Sheet struct {
	Settings Settings
	Picture  *image.NRGBA
	Cells    []Placed
}

// Pack packs cells, which come by poses and, in each, by angles.
func Pack(s Settings, cells []Cell) (*Sheet, error) {
	if len(cells) == 0 {
		return nil, fmt.Errorf("there is nothing to pack")
	}
	sheet := &Sheet{Settings: s}
	border := s.Margin + s.Extrude
	sizes := make([]image.Point, len(cells))
	var all image.Rectangle // that is covered in any
	for _, c := range cells {
		all = all.Union(covered(c.Picture))
	}
	for i, c := range cells {
		part := c.Picture.Rect
		switch {
		case s.Trim && s.Packing == Tight:
			part = covered(c.Picture)
		case s.Trim:
			part = part.Intersect(all)
		}
		sizes[i] = part.Size().Add(image.Pt(2*border, 2*border))
		sheet.Cells = append(sheet.Cells, Placed{c, part, part.Min})
	}
	at, size := s.places(cells, sizes)
	if s.PowerOfTwo {
		size = image.Pt(powerOfTwo(size.X), powerOfTwo(size.Y))
	}
	if size.X > MostEdge || size.Y > MostEdge {
		return nil, fmt.Errorf("the sheet would have %d × %d pixels, and %d are possible; make cells less high, or "+
			"pack fewer", size.X, size.Y, MostEdge)
	}
	sheet.Picture = image.NewNRGBA(image.Rectangle{Max: size})
	for i := range sheet.Cells {
		p := &sheet.Cells[i]
		p.At = image.Rectangle{Max: p.At.Size()}.Add(at[i]).Add(image.Pt(border, border))
		draw.Draw(sheet.Picture, p.At, p.Picture, p.From, draw.Src)
		extrude(sheet.Picture, p.At, s.Extrude)
	}
	return sheet, nil
}

// covered returns the part of a picture that is not transparent, one pixel at least.
func covered(img *image.NRGBA) image.Rectangle {
	var all image.Rectangle
	for y := img.Rect.Min.Y; y < img.Rect.Max.Y; y++ {
		line := img.Pix[img.PixOffset(img.Rect.Min.X, y):]
		first, last := -1, -1
		for x := range img.Rect.Dx() {
			if line[4*x+3] > 0 {
				if first < 0 {
					first = x
				}
				last = x
			}
		}
		if first >= 0 {
			all = all.Union(image.Rect(first, y, last+1, y+1).Add(image.Pt(img.Rect.Min.X, 0)))
		}
	}
	if all.Empty() {
		all = image.Rectangle{img.Rect.Min, img.Rect.Min.Add(image.Pt(1, 1))}
	}
	return all
}

// CutOff returns at which edges of its picture a cell goes on, so that it is not all there.
func (c Cell) CutOff() (edges []string) {
	r, of := covered(c.Picture), c.Picture.Rect
	if c.Picture.NRGBAAt(r.Min.X, r.Min.Y).A == 0 && r.Size() == image.Pt(1, 1) { // nothing is shown
		return nil
	}
	for _, e := range []struct {
		name string
		on   bool
	}{
		{"left", r.Min.X == of.Min.X}, {"right", r.Max.X == of.Max.X}, {"top", r.Min.Y == of.Min.Y},
		{"bottom", r.Max.Y == of.Max.Y},
	} {
		if e.on {
			edges = append(edges, e.name)
		}
	}
	return edges
}

// powerOfTwo returns the least one that is no less.
func powerOfTwo(n int) int { return 1 << bits.Len(uint(n-1)) }

// extrude repeats the outermost pixels of a part round it.
func extrude(img *image.NRGBA, part image.Rectangle, by int) {
	for y := part.Min.Y - by; y < part.Max.Y+by; y++ {
		for x := part.Min.X - by; x < part.Max.X+by; x++ {
			if !image.Pt(x, y).In(part) {
				near := image.Pt(min(max(x, part.Min.X), part.Max.X-1), min(max(y, part.Min.Y), part.Max.Y-1))
				img.SetNRGBA(x, y, img.NRGBAAt(near.X, near.Y))
			}
		}
	}
}

// places returns where cells of some sizes lie, and how large that makes the sheet.
func (s Settings) places(cells []Cell, sizes []image.Point) (at []image.Point, size image.Point) {
	if s.Packing == Tight {
		return tight(sizes, s.PowerOfTwo)
	}
	var most image.Point
	for _, size := range sizes {
		most.X, most.Y = max(most.X, size.X), max(most.Y, size.Y)
	}
	at = make([]image.Point, len(cells))
	place := func(i, column, row int) {
		at[i] = image.Pt(column*most.X, row*most.Y)
		size.X, size.Y = max(size.X, at[i].X+most.X), max(size.Y, at[i].Y+most.Y)
	}
	if s.Packing == Rows {
		var poses []string
		var angles []int
		for _, c := range cells {
			if !slices.Contains(poses, c.Pose) {
				poses = append(poses, c.Pose)
			}
			if !slices.Contains(angles, c.Angle) {
				angles = append(angles, c.Angle)
			}
		}
		slices.Sort(angles)
		for i, c := range cells {
			place(i, slices.Index(angles, c.Angle), slices.Index(poses, c.Pose))
		}
		return at, size
	}
	columns := 1
	for columns*most.X*columns < len(cells)*most.Y {
		columns++
	}
	for i := range cells {
		place(i, i%columns, i/columns)
	}
	return at, size
}

// tight places sizes as close as a skyline lets them, in the width of those that are tried that makes the smallest
// sheet.
func tight(sizes []image.Point, power bool) (at []image.Point, size image.Point) {
	area, widest := 0, 0
	for _, s := range sizes {
		area, widest = area+s.X*s.Y, max(widest, s.X)
	}
	order := make([]int, len(sizes))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		return cmp.Or(sizes[b].Y-sizes[a].Y, sizes[b].X-sizes[a].X)
	})
	least, edge := 0, int(math.Sqrt(float64(area)))
	for width := max(widest, edge*3/4); ; width += max(1, width/16) {
		if power {
			width = powerOfTwo(width)
		}
		placed, high := skyline(sizes, order, width)
		high = max(1, high)
		cost := width * high
		if power {
			cost = width * powerOfTwo(high)
		}
		if at == nil || cost < least || cost == least && max(width, high) < max(size.X, size.Y) {
			at, size, least = placed, image.Pt(width, high), cost
		}
		if width > max(widest, edge*3/2) {
			return at, size
		}
		if power {
			width++
		}
	}
}

// A step is a part of a skyline: from x on, so wide, so high.
type step struct{ x, width, top int }

// skyline places sizes in an order, each as high up as it fits below those before, in a width; and returns how high
// that is.
func skyline(sizes []image.Point, order []int, width int) (at []image.Point, high int) {
	at = make([]image.Point, len(sizes))
	steps := []step{{0, width, 0}}
	for _, i := range order {
		s := sizes[i]
		best, top := -1, 0
		for j := range steps {
			if steps[j].x+s.X > width {
				break
			}
			under, room := 0, s.X
			for k := j; room > 0; k++ {
				under, room = max(under, steps[k].top), room-steps[k].width
			}
			if best < 0 || under < top {
				best, top = j, under
			}
		}
		at[i] = image.Pt(steps[best].x, top)
		high = max(high, top+s.Y)
		left := s.X
		raised := step{steps[best].x, s.X, top + s.Y}
		end := best
		for left > 0 && steps[end].width <= left {
			left -= steps[end].width
			end++
		}
		if left > 0 {
			steps[end].x, steps[end].width = steps[end].x+left, steps[end].width-left
		}
		steps = slices.Replace(steps, best, end, raised)
	}
	return at, high
}
