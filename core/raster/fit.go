package raster

import (
	"fmt"
	"image"
	"math"
)

// Fitting says how a size of another shape is filled from a camera's picture.
type Fitting string

// The fittings.
const (
	Crop       Fitting = "crop"        // cut the camera's picture; nothing outside it is shown
	Pad        Fitting = "pad"         // show it whole, between bars
	KeepHeight Fitting = "keep-height" // widen or narrow the view: the vertical field of view stays
	KeepWidth  Fitting = "keep-width"  // raise or lower it: the horizontal field of view stays
)

// Fittings returns all fittings, in the order in which they are offered.
func Fittings() []Fitting { return []Fitting{Crop, Pad, KeepHeight, KeepWidth} }

// A Fit is a fitting with its anchor: where the cut lies, or the picture between its bars. -1 is left or
// bottom, 0 the middle, 1 right or top. The zero value crops about the middle.
type Fit struct {
	Fitting Fitting `json:"fitting,omitempty"`
	AnchorX float64 `json:"anchorX,omitempty"`
	AnchorY float64 `json:"anchorY,omitempty"`
}

// Check says what is wrong with the fit, or nil.
func (f Fit) Check() error {
	switch f.Fitting {
	case "", Crop, Pad, KeepHeight, KeepWidth:
	default:
		return fmt.Errorf("there is no fit %q", f.Fitting)
	}
	if !(f.AnchorX >= -1 && f.AnchorX <= 1 && f.AnchorY >= -1 && f.AnchorY <= 1) {
		return fmt.Errorf("an anchor lies in -1 to 1")
	}
	return nil
}

// A Window is what a picture shows: the tangents of the angles from the camera's axis to its edges, and the
// rectangle of pixels that holds picture; outside of that are bars.
type Window struct {
	Left, Right, Bottom, Top float64
	Picture                  image.Rectangle
}

// Width returns the window's width, in tangents.
func (w Window) Width() float64 { return w.Right - w.Left }

// Height returns the window's height, in tangents.
func (w Window) Height() float64 { return w.Top - w.Bottom }

// Window returns what a picture of size s, with its pixel aspect, shows of a camera whose own picture
// reaches from -tanAcross to tanAcross and from -tanUp to tanUp.
func (f Fit) Window(s Size, pixelAspect, tanAcross, tanUp float64) Window {
	aspect := s.Aspect() * pixelAspect
	whole := image.Rect(0, 0, s.Width, s.Height)
	centred := func(across, up float64) Window { return Window{-across, across, -up, up, whole} }
	wider := aspect > tanAcross/tanUp
	switch f.Fitting {
	case KeepHeight:
		return centred(tanUp*aspect, tanUp)
	case KeepWidth:
		return centred(tanAcross, tanAcross/aspect)
	case Pad:
		return f.padded(s, pixelAspect, tanAcross, tanUp, wider)
	}
	w := centred(tanUp*aspect, tanUp)
	if wider {
		w = centred(tanAcross, tanAcross/aspect)
	}
	moveX, moveY := f.AnchorX*(tanAcross-w.Right), f.AnchorY*(tanUp-w.Top)
	return Window{w.Left + moveX, w.Right + moveX, w.Bottom + moveY, w.Top + moveY, whole}
}

// padded fits the camera's whole picture into a rectangle of whole pixels; the window goes on over the bars
// at the same scale.
func (f Fit) padded(s Size, pixelAspect, tanAcross, tanUp float64, wider bool) Window {
	inner := s
	if own := tanAcross / tanUp; wider {
		inner.Width = clamp(math.Round(float64(s.Height)*own/pixelAspect), s.Width)
	} else {
		inner.Height = clamp(math.Round(float64(s.Width)*pixelAspect/own), s.Height)
	}
	x := int(math.Round(float64(s.Width-inner.Width) * (1 + f.AnchorX) / 2))
	y := int(math.Round(float64(s.Height-inner.Height) * (1 - f.AnchorY) / 2))
	perX, perY := 2*tanAcross/float64(inner.Width), 2*tanUp/float64(inner.Height)
	w := Window{Picture: image.Rect(x, y, x+inner.Width, y+inner.Height)}
	w.Left = -tanAcross - float64(x)*perX
	w.Right = w.Left + float64(s.Width)*perX
	w.Top = tanUp + float64(y)*perY
	w.Bottom = w.Top - float64(s.Height)*perY
	return w
}

func clamp(v float64, most int) int { return min(max(1, int(v)), most) }

// A Comparison says what one window shows against another, as shares of the other's width and height:
// positive numbers are added at that side, negative ones are cut off.
type Comparison struct{ Left, Right, Bottom, Top float64 }

// Against compares the pictures of two windows of one camera, without their bars.
func (w Window) Against(other Window, size, otherSize Size) Comparison {
	a, b := w.WithoutBars(size), other.WithoutBars(otherSize)
	return Comparison{
		(b.Left - a.Left) / b.Width(), (a.Right - b.Right) / b.Width(),
		(b.Bottom - a.Bottom) / b.Height(), (a.Top - b.Top) / b.Height(),
	}
}

// WithoutBars returns the window of the picture alone, for a window of a picture of size s.
func (w Window) WithoutBars(s Size) Window {
	perX, perY := w.Width()/float64(s.Width), w.Height()/float64(s.Height)
	return Window{
		w.Left + float64(w.Picture.Min.X)*perX, w.Left + float64(w.Picture.Max.X)*perX,
		w.Top - float64(w.Picture.Max.Y)*perY, w.Top - float64(w.Picture.Min.Y)*perY, w.Picture,
	}
}

// Shares of width and height that action and titles stay within (SMPTE ST 2046-1).
const (
	ActionSafe = 0.93
	TitleSafe  = 0.90
)

// Safe returns the rectangle of a share of width and height about the middle, as left, top, width and height
// in pixels.
func (s Size) Safe(share float64) (x, y, width, height float64) {
	width, height = float64(s.Width)*share, float64(s.Height)*share
	return (float64(s.Width) - width) / 2, (float64(s.Height) - height) / 2, width, height
}
