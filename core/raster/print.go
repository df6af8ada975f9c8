package raster

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// MillimetresPerInch is exact by definition.
const MillimetresPerInch = 25.4

// A Quantity is one of the numbers of a size that hang together.
type Quantity string

// The quantities. Printed edges are in millimetres.
const (
	Width         Quantity = "width"
	Height        Quantity = "height"
	Ratio         Quantity = "ratio" // as seen: width times pixel aspect over height
	PrintWidth    Quantity = "printWidth"
	PrintHeight   Quantity = "printHeight"
	PixelsPerInch Quantity = "pixelsPerInch"
)

// Quantities returns all of them.
func Quantities() []Quantity {
	return []Quantity{Width, Height, Ratio, PrintWidth, PrintHeight, PixelsPerInch}
}

// Value returns a quantity; printed edges are 0 without pixels per inch.
func (n Named) Value(q Quantity) float64 {
	switch q {
	case Width:
		return float64(n.Width)
	case Height:
		return float64(n.Height)
	case Ratio:
		if n.AimedRatio > 0 {
			return n.AimedRatio
		}
		return n.Aspect()
	case PixelsPerInch:
		return n.PixelsPerInch
	}
	if n.PixelsPerInch == 0 {
		return 0
	}
	if q == PrintWidth {
		return float64(n.Width) / n.PixelsPerInch * MillimetresPerInch
	}
	return float64(n.Height) / n.PixelsPerInch * MillimetresPerInch
}

// Locked reports whether a quantity stays while others follow.
func (n Named) Locked(q Quantity) bool { return slices.Contains(n.Locks, q) }

// Lock returns the size with a quantity locked or let go.
func (n Named) Lock(q Quantity, locked bool) Named {
	n.Locks = slices.DeleteFunc(slices.Clone(n.Locks), func(l Quantity) bool { return l == q })
	if locked {
		n.Locks = append(n.Locks, q)
	}
	if q == Ratio && !locked {
		n.AimedRatio = 0
	}
	if len(n.Locks) == 0 {
		n.Locks = nil
	}
	return n
}

// With returns the size with one quantity set to value and the others following:
//
//	width         height follows if the ratio is locked, else the ratio
//	height        width follows if the ratio is locked, else the ratio
//	ratio         height follows, or the width if the height is locked
//	print edge    pixels follow, or pixels per inch if that edge's pixels are locked
//	pixels/inch   printed edges follow, or the pixels if a printed edge is locked
//
// A locked quantity is not changed, neither directly nor by following: the error says which lock is in the
// way. Pixels are rounded to the nearest multiple.
func (n Named) With(q Quantity, value float64) (Named, error) {
	if !(value > 0) || math.IsInf(value, 0) {
		return n, fmt.Errorf("%s must be a number above 0", q.name())
	}
	if n.Locked(q) {
		return n, fmt.Errorf("%s is locked; unlock it to change it", q.name())
	}
	before := n
	switch q {
	case Width:
		n.Width = n.rounded(value)
		if n.Locked(Ratio) {
			n.Height = n.rounded(float64(n.Width) * n.Pixel() / before.Value(Ratio))
		}
	case Height:
		n.Height = n.rounded(value)
		if n.Locked(Ratio) {
			n.Width = n.rounded(float64(n.Height) * before.Value(Ratio) / n.Pixel())
		}
	case Ratio:
		n.AimedRatio = value
		if n.Locked(Height) {
			n.Width = n.rounded(float64(n.Height) * value / n.Pixel())
		} else {
			n.Height = n.rounded(float64(n.Width) * n.Pixel() / value)
		}
	case PrintWidth, PrintHeight:
		edge, pixels := Width, n.Width
		if q == PrintHeight {
			edge, pixels = Height, n.Height
		}
		if n.Locked(edge) || n.PixelsPerInch == 0 {
			n.PixelsPerInch = float64(pixels) * MillimetresPerInch / value
			break
		}
		return n.With(edge, value/MillimetresPerInch*n.PixelsPerInch)
	case PixelsPerInch:
		n.PixelsPerInch = value
		if n.Locked(PrintWidth) || n.Locked(PrintHeight) {
			n.Width = n.rounded(before.Value(PrintWidth) / MillimetresPerInch * value)
			n.Height = n.rounded(before.Value(PrintHeight) / MillimetresPerInch * value)
		}
	default:
		return n, fmt.Errorf("a size has no %q", q)
	}
	for _, lock := range n.Locks {
		if changed := math.Abs(n.Value(lock)-before.Value(lock)) > n.tolerance(lock); changed {
			return before, fmt.Errorf(
				"%s is locked and would have to change; unlock it, or what else holds it", lock.name(),
			)
		}
	}
	if q != Ratio && !n.Locked(Ratio) {
		n.AimedRatio = 0
	}
	n.Source = ""
	return n, nil
}

// rounded returns the whole pixels nearest to a length, in the size's multiples.
func (n Named) rounded(pixels float64) int {
	m := float64(max(1, n.MultipleOf))
	return max(1, int(math.Min(math.Max(m, math.Round(pixels/m)*m), 1<<20)))
}

// tolerance is how far a locked quantity may move because pixels are whole.
func (n Named) tolerance(q Quantity) float64 {
	pixel := float64(max(1, n.MultipleOf))
	switch q {
	case Width, Height:
		return 0.5
	case Ratio:
		return n.Aspect() * (pixel/float64(n.Height) + pixel/float64(n.Width))
	case PixelsPerInch:
		return 1e-6
	}
	if n.PixelsPerInch == 0 {
		return math.Inf(1)
	}
	return pixel / n.PixelsPerInch * MillimetresPerInch
}

func (q Quantity) name() string {
	switch q {
	case PrintWidth:
		return "the printed width"
	case PrintHeight:
		return "the printed height"
	case PixelsPerInch:
		return "pixels per inch"
	}
	return "the " + string(q)
}

// ParseLength reads a printed length, "12.8 in", "297 mm" or "29.7 cm", in millimetres.
func ParseLength(text string) (float64, error) {
	trimmed := strings.TrimSpace(text)
	for _, unit := range []struct {
		name        string
		millimetres float64
	}{{"in", MillimetresPerInch}, {"mm", 1}, {"cm", 10}} {
		if number, ok := strings.CutSuffix(trimmed, unit.name); ok {
			if v, err := strconv.ParseFloat(strings.TrimSpace(number), 64); err == nil && v > 0 && v < 1e6 {
				return v * unit.millimetres, nil
			}
		}
	}
	return 0, fmt.Errorf("%q is no printed length; write 12.8 in, 297 mm or 29.7 cm", text)
}

// ParseRatio reads "2.39", "16:9" or "16/9".
func ParseRatio(text string) (float64, error) {
	over, under, ok := strings.Cut(strings.ReplaceAll(text, ":", "/"), "/")
	if !ok {
		under = "1"
	}
	a, errA := strconv.ParseFloat(strings.TrimSpace(over), 64)
	b, errB := strconv.ParseFloat(strings.TrimSpace(under), 64)
	if r := a / b; errA == nil && errB == nil && r >= 0.01 && r <= 100 {
		return r, nil
	}
	return 0, fmt.Errorf("%q is no ratio; write 2.39 or 16:9", text)
}
