package screening

import (
	"errors"
	"fmt"
	"image"

	"golang.org/x/image/draw"

	"reelhouse/core/inspect"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// ErrNoLight is the error of a file that has neither red, green and blue, nor grey.
var ErrNoLight = errors.New("the file has no light")

const (
	aroundLeast = 48  // pixels of an edge of what is shown around a place, at least
	aroundEdge  = 240 // pixels of the longer edge of the picture of it
	aroundLines = 256 // that are read together
)

// Around returns a small picture of a place in a file and what surrounds it, of all of it without a place: linear light
// through the transform of a view. Each pixel of a small place becomes several; those that are not square are drawn as
// wide as they are seen.
func Around(f *picture.File, place *inspect.Window, view View) (*image.NRGBA, error) {
	h := f.Headers[0]
	part := image.Rect(0, 0, h.Width(), h.Height())
	if place != nil {
		r := image.Rect(place.X, place.Y, place.X+place.Width, place.Y+place.Height)
		if !r.In(part) {
			return nil, fmt.Errorf("%v %w of %d × %d", r, ErrOutside, h.Width(), h.Height())
		}
		part = r.Inset(-max(4, (aroundLeast-min(r.Dx(), r.Dy()))/2)).Intersect(part)
	}
	shrink := 1 + (max(part.Dx(), part.Dy())-1)/(4*aroundEdge) // of a large part so many pixels become one at once
	size := image.Pt(max(1, part.Dx()/shrink), max(1, part.Dy()/shrink))
	small := pixel.New(size.X, size.Y, "R", "G", "B")
	step := max(1, aroundLines/shrink)
	for y := 0; y < size.Y; y += step {
		lines := min(step, size.Y-y)
		p, err := f.Lines(0, part.Min.Y+y*shrink, part.Min.Y+(y+lines)*shrink)
		if err != nil {
			return nil, err
		}
		light, err := p.Image.Select("R", "G", "B")
		if err != nil {
			return nil, ErrNoLight
		}
		band := light.Crop(image.Rect(part.Min.X, 0, part.Min.X+size.X*shrink, lines*shrink))
		small.Paste(band.Resize(size.X, lines, pixel.BoxKernel, func(string) bool { return true }), 0, y)
	}
	shown, err := through(small, pass.Beauty, view)
	if err != nil {
		return nil, err
	}
	wide, high := float64(size.X)*h.Aspect(), float64(size.Y) // as it is seen: pixels need not be square
	longer := max(wide, high)
	edge := func(v float64) int { return max(1, int(v*aroundEdge/longer+0.5)) }
	out := image.NewNRGBA(image.Rect(0, 0, edge(wide), edge(high)))
	var scale draw.Scaler = draw.ApproxBiLinear
	if longer < aroundEdge {
		scale = draw.NearestNeighbor
	}
	scale.Scale(out, out.Bounds(), shown, shown.Bounds(), draw.Src, nil)
	return out, nil
}
