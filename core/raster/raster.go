// Package raster holds frame sizes: how many pixels, in what shape, and how a camera's picture is
// fitted to them.
//
// A Size counts square pixels. A reduced size is rounded up in both directions, so that it is never 0:
// 1998 x 1080 divided by 7 is 286 x 155.
package raster

import "fmt"

// MaxEdge is the longest edge of a picture, in pixels.
const MaxEdge = 32768

// A Size is a picture's width and height in square pixels.
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

// Percent returns the size at percent of both edges, each rounded up and at least 1.
func (s Size) Percent(percent int) Size {
	return Size{ceilDiv(s.Width*percent, 100), ceilDiv(s.Height*percent, 100)}
}

// Divided returns both edges divided by divisor, each rounded up and at least 1.
func (s Size) Divided(divisor int) Size {
	return Size{ceilDiv(s.Width, divisor), ceilDiv(s.Height, divisor)}
}

// Within returns the largest size of the same shape, rounded up, whose longer edge is at most edge.
func (s Size) Within(edge int) Size {
	if longer := max(s.Width, s.Height); longer > edge {
		return Size{ceilDiv(s.Width*edge, longer), ceilDiv(s.Height*edge, longer)}
	}
	return s
}

func ceilDiv(a, b int) int { return max(1, (a+b-1)/b) }

// Crop returns the part of a camera's picture that a size of another shape shows: the tangents of the
// half angles across and up that remain when the picture, with its own half-angle tangents given, is
// cut at the sides or at top and bottom about its centre. Nothing outside the camera's own picture is
// ever shown.
func (s Size) Crop(tanAcross, tanUp float64) (across, up float64) {
	if own := tanAcross / tanUp; s.Aspect() > own {
		return tanAcross, tanAcross / s.Aspect()
	}
	return tanUp * s.Aspect(), tanUp
}

// A Named size is one that a production delivers.
type Named struct {
	Code string `json:"code"` // short, used in paths
	Name string `json:"name"`
	Size
	Source string `json:"source,omitempty"` // the published standard that it comes from, if any
}

// Standard returns the sizes that published standards name.
func Standard() []Named {
	const cinema, hd, uhd = "SMPTE ST 428-1", "ITU-R BT.709", "ITU-R BT.2020"
	return []Named{
		{"flat", "2K flat 1.85", Size{1998, 1080}, cinema},
		{"scope", "2K scope 2.39", Size{2048, 858}, cinema},
		{"full", "2K container", Size{2048, 1080}, cinema},
		{"flat4k", "4K flat 1.85", Size{3996, 2160}, cinema},
		{"scope4k", "4K scope 2.39", Size{4096, 1716}, cinema},
		{"full4k", "4K container", Size{4096, 2160}, cinema},
		{"hd", "HD 16:9", Size{1920, 1080}, hd},
		{"uhd", "UHD 16:9", Size{3840, 2160}, uhd},
		{"uhd8k", "UHD-2 16:9", Size{7680, 4320}, uhd},
	}
}
