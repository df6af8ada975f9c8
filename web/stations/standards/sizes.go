package standards

import (
	"fmt"
	"math"
	"slices"

	"reelhouse/core/lens"
	"reelhouse/core/raster"
	"reelhouse/web/kit"
)

// sizesDrawing shows every size about one middle, to one scale, in an SVG.
type sizesDrawing struct {
	Width, Height int
	Boxes         []sizeBox
	Ratios        []ratioLine
	Safe          []sizeBox // action and title safe of the size in front
	Scale         string    // how long the bar is, in pixels of the picture
	Bar           float64
}

type sizeBox struct {
	X, Y, Width, Height float64
	Code, Label         string
	Order               int // changes the pattern of the line
	Front               bool
	LabelY              float64
}

type ratioLine struct {
	X1, Y1, X2, Y2 float64
	Label          string
}

const (
	drawingWidth, drawingHeight = 480, 300
	drawingMargin               = 14
)

// drawSizes draws the sizes as they are seen, oblong pixels included. front is the code of the one whose safe
// areas are drawn; the first if there is none of that code.
func drawSizes(sizes []raster.Named, front string) sizesDrawing {
	d := sizesDrawing{Width: drawingWidth, Height: drawingHeight}
	if len(sizes) == 0 {
		return d
	}
	if !slices.ContainsFunc(sizes, func(n raster.Named) bool { return n.Code == front }) {
		front = sizes[0].Code
	}
	widest, highest := 1.0, 1.0
	for _, n := range sizes {
		widest, highest = max(widest, float64(n.Width)*n.Pixel()), max(highest, float64(n.Height))
	}
	scale := min((drawingWidth-2*drawingMargin)/widest, (drawingHeight-2*drawingMargin)/highest)
	box := func(width, height float64) sizeBox {
		w, h := width*scale, height*scale
		return sizeBox{X: (drawingWidth - w) / 2, Y: (drawingHeight - h) / 2, Width: w, Height: h}
	}
	for i, n := range sizes {
		b := box(float64(n.Width)*n.Pixel(), float64(n.Height))
		b.Code, b.Label, b.Order, b.Front = n.Code, n.Code, i%4, n.Code == front
		b.LabelY = b.Y + 11
		for _, other := range d.Boxes { // labels of boxes that share a corner
			if math.Abs(other.X-b.X) < 40 && math.Abs(other.LabelY-b.LabelY) < 11 {
				b.LabelY = other.LabelY + 11
			}
		}
		d.Boxes = append(d.Boxes, b)
		d.Ratios = append(d.Ratios, ratioLine{b.X, b.Y + b.Height, b.X + b.Width, b.Y, fmt.Sprintf("%.2f", n.Aspect())})
		if b.Front {
			for _, share := range []float64{raster.ActionSafe, raster.TitleSafe} {
				_, _, w, h := n.Safe(share)
				safe := box(w*n.Pixel(), h)
				safe.Label = fmt.Sprintf("%.0f %%", share*100)
				d.Safe = append(d.Safe, safe)
			}
		}
	}
	bar := math.Pow(10, math.Floor(math.Log10(widest/3)))
	d.Bar, d.Scale = bar*scale, fmt.Sprintf("%s px", kit.Count(int(bar)))
	return d
}

// comparedSize says what one size shows of the camera's picture against another size.
type comparedSize struct {
	Code, Against            string
	Across, Up               float64 // degrees seen
	Left, Right, Top, Bottom string
	Same                     bool
	Bars                     bool
}

// compareSizes holds every size against the one of the code, or the first.
func compareSizes(sizes []raster.Named, against string, angles lens.Angles) []comparedSize {
	if len(sizes) == 0 {
		return nil
	}
	reference := sizes[0]
	for _, n := range sizes {
		if n.Code == against {
			reference = n
		}
	}
	own := angles.Window(reference.Fit, reference.Size, reference.Pixel())
	var rows []comparedSize
	for _, n := range sizes {
		if !n.Valid() {
			continue
		}
		w := angles.Window(n.Fit, n.Size, n.Pixel())
		c := w.Against(own, n.Size, reference.Size)
		seen := lens.AnglesIn(w.WithoutBars(n.Size))
		rows = append(rows, comparedSize{
			Code: n.Code, Against: reference.Code, Across: lens.Degrees(seen.Across), Up: lens.Degrees(seen.Up),
			Left: side(c.Left), Right: side(c.Right), Top: side(c.Top), Bottom: side(c.Bottom),
			Same: n.Code == reference.Code, Bars: w.Picture.Dx() < n.Width || w.Picture.Dy() < n.Height,
		})
	}
	return rows
}

func side(share float64) string {
	switch {
	case share > 0.0005:
		return fmt.Sprintf("+%.1f %%", share*100)
	case share < -0.0005:
		return fmt.Sprintf("−%.1f %%", -share*100)
	}
	return "·"
}
