package screening

import (
	"context"
	"image"
	"slices"

	"reelhouse/core/framefile"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// linesAtOnce is how many lines of a smaller picture are made together.
const linesAtOnce = 64

// A Reduction is how lines of a file are made smaller: By pixels of an edge become one, and lines of the smaller
// picture are made, From one up to another one.
type Reduction struct{ By, From, To int }

// Reduced reads lines of a file as means of its pixels, or, where a mean makes no sense, as one of them. Of the planes
// only those are kept that are named, or all. What is read at a time is bounded.
func Reduced(
	ctx context.Context, f *picture.File, passes []pass.Code, depth pass.DepthStyle, r Reduction, only ...string,
) (*pixel.Image, error) {
	filtered := framefile.FilteredPlanes(passes, depth)
	height := f.Headers[0].Height()
	whole := &pixel.Image{Width: max(1, f.Headers[0].Width()/r.By), Height: r.To - r.From}
	for y := r.From; y < r.To; y += linesAtOnce {
		if err := ctx.Err(); err != nil { // nobody waits for it any more
			return nil, err
		}
		lines := min(linesAtOnce, r.To-y)
		p, err := f.Lines(0, r.By*y, min(r.By*(y+lines), height))
		if err != nil {
			return nil, err
		}
		band := picture.Named(p.Image, passes)
		if len(only) > 0 {
			band.Planes = slices.DeleteFunc(slices.Clone(band.Planes), func(p pixel.Plane) bool {
				return !slices.Contains(only, p.Name)
			})
		}
		if r.By > 1 { // without the last pixels, if they are too few for one
			band = band.Crop(image.Rect(0, 0, max(1, band.Width/r.By)*min(r.By, band.Width), band.Height))
			band = band.Resize(whole.Width, lines, pixel.BoxKernel, filtered)
		}
		if whole.Planes == nil {
			for _, plane := range band.Planes {
				whole.Planes = append(
					whole.Planes,
					pixel.Plane{Name: plane.Name, Half: plane.Half, Data: make([]float32, whole.Width*whole.Height)},
				)
			}
		}
		whole.Paste(band, 0, y-r.From)
	}
	return whole, nil
}
