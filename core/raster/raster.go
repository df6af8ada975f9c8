// Package raster holds frame sizes: how many pixels, in what shape, and how a camera's picture is
// fitted to them.
//
// A Size counts pixels, which may be oblong: the shape that is seen is width times pixel aspect over
// height. A reduced size is rounded up in both directions, so that it is never 0: 1998 x 1080 divided by 7
// is 286 x 155.
package raster

import (
	"fmt"
	"math"
	"slices"
)

// MaxEdge is the longest edge of a picture, in pixels.
const MaxEdge = 32768

// A Size is a picture's width and height in pixels.
type Size struct {
	Width  int `json:"width"`
	Height int `json:"height"`
}

// Valid reports whether both edges lie in 1 to MaxEdge.
func (s Size) Valid() bool {
	return s.Width >= 1 && s.Height >= 1 && s.Width <= MaxEdge && s.Height <= MaxEdge
}

// Aspect returns width divided by height.
func (s Size) Aspect() float64 { return float64(s.Width) / float64(s.Height) }

// Pixels returns the number of pixels.
func (s Size) Pixels() int { return s.Width * s.Height }

func (s Size) String() string { return fmt.Sprintf("%d × %d", s.Width, s.Height) }

// Within returns the largest size of the same shape, rounded up, whose longer edge is at most edge.
func (s Size) Within(edge int) Size {
	if longer := max(s.Width, s.Height); longer > edge {
		return Size{ceilDiv(s.Width*edge, longer), ceilDiv(s.Height*edge, longer)}
	}
	return s
}

// Multiple returns the size with both edges rounded up to multiples of n; n below 2 changes nothing.
func (s Size) Multiple(n int) Size {
	if n < 2 {
		return s
	}
	return Size{ceilDiv(s.Width, n) * n, ceilDiv(s.Height, n) * n}
}

func ceilDiv(a, b int) int { return max(1, (a+b-1)/b) }

// A Named size is one that a production delivers.
type Named struct {
	Code string `json:"code"` // short, used in paths
	Name string `json:"name"`
	Size
	Source string `json:"source,omitempty"` // the published standard that it comes from, if any
	// PixelAspect is a pixel's width over its height; 0 stands for 1.
	PixelAspect float64 `json:"pixelAspect,omitempty"`
	// MultipleOf is what both edges are multiples of, in every reduction too; 0 stands for 1.
	MultipleOf int `json:"multipleOf,omitempty"`
	Fit        Fit `json:"fit"`
	// PixelsPerInch puts the size on paper; 0 for none.
	PixelsPerInch float64 `json:"pixelsPerInch,omitempty"`
	// Locks are the quantities that stay while others follow; see With.
	Locks []Quantity `json:"locks,omitempty"`
	// AimedRatio is the exact ratio behind a locked one, which the pixels only come near to; 0 for none.
	AimedRatio float64 `json:"aimedRatio,omitempty"`
}

// Pixel returns the pixel aspect, 1 if none is set.
func (n Named) Pixel() float64 {
	if n.PixelAspect == 0 {
		return 1
	}
	return n.PixelAspect
}

// Aspect returns the shape that is seen: width times pixel aspect over height.
func (n Named) Aspect() float64 { return n.Size.Aspect() * n.Pixel() }

// Seen returns the size in square pixels of the same height: what a screen shows.
func (n Named) Seen() Size {
	return Size{max(1, int(math.Round(float64(n.Width)*n.Pixel()))), n.Height}
}

// Reduced returns the pixels of a reduction, in the size's multiples.
func (n Named) Reduced(r Reduction) Size { return r.Of(n.Size).Multiple(n.MultipleOf) }

// Check says what is wrong with the size, or nil.
func (n Named) Check() error {
	switch {
	case !n.Valid():
		return fmt.Errorf("%d × %d pixels cannot be rendered; each edge lies in 1 to %d", n.Width, n.Height, MaxEdge)
	case n.MultipleOf < 0 || n.MultipleOf > 64:
		return fmt.Errorf("multiples of %d are not possible; choose 1 to 64", n.MultipleOf)
	case n.Size != n.Size.Multiple(n.MultipleOf):
		return fmt.Errorf(
			"%v is not in multiples of %d; %v would be", n.Size, n.MultipleOf, n.Size.Multiple(n.MultipleOf),
		)
	case !(n.Pixel() >= 0.1 && n.Pixel() <= 10):
		return fmt.Errorf("a pixel aspect of %v is outside 0.1 to 10", n.PixelAspect)
	case n.PixelsPerInch < 0 || n.PixelsPerInch > 10000 || math.IsNaN(n.PixelsPerInch):
		return fmt.Errorf("%v pixels per inch are outside 0 to 10000", n.PixelsPerInch)
	}
	for _, lock := range n.Locks {
		if !slices.Contains(Quantities(), lock) {
			return fmt.Errorf("a size has no %q that could be locked", lock)
		}
	}
	return n.Fit.Check()
}
