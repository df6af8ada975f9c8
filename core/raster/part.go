package raster

import (
	"fmt"
	"image"
	"math"
	"strconv"
	"strings"
)

// A Part is a rectangle of a picture, in per cent of its edges from the top left. The zero value is all of it.
type Part struct {
	Left   float64 `json:"left"`
	Top    float64 `json:"top"`
	Right  float64 `json:"right"`
	Bottom float64 `json:"bottom"`
}

// Whole reports whether the part is the whole picture.
func (p Part) Whole() bool { return p == Part{} || p == Part{0, 0, 100, 100} }

// Check says what is wrong with the part, or nil.
func (p Part) Check() error {
	if p.Whole() {
		return nil
	}
	if !(p.Left >= 0 && p.Top >= 0 && p.Right <= 100 && p.Bottom <= 100 && p.Left < p.Right && p.Top < p.Bottom) {
		return fmt.Errorf(
			"a part from %g %% to %g %% of the width and %g %% to %g %% of the height is none of the picture", p.Left,
			p.Right, p.Top, p.Bottom,
		)
	}
	return nil
}

// Of returns the pixels of a size that the part touches, the empty rectangle for the whole picture.
func (p Part) Of(s Size) image.Rectangle {
	if p.Whole() {
		return image.Rectangle{}
	}
	from := func(share float64, edge int) int { return min(edge-1, int(math.Floor(share*float64(edge)/100+1e-9))) }
	to := func(share float64, edge int) int { return min(edge, int(math.Ceil(share*float64(edge)/100-1e-9))) }
	return image.Rect(from(p.Left, s.Width), from(p.Top, s.Height), to(p.Right, s.Width), to(p.Bottom, s.Height))
}

// String writes left, top, right and bottom, as ParsePart reads them: "25, 25, 75, 75"; "" for the whole picture.
func (p Part) String() string {
	if p.Whole() {
		return ""
	}
	text := make([]string, 4)
	for i, v := range []float64{p.Left, p.Top, p.Right, p.Bottom} {
		text[i] = strconv.FormatFloat(v, 'f', -1, 64)
	}
	return strings.Join(text, ", ")
}

// ParsePart reads what String writes, with or without per cent signs; nothing at all stands for the whole picture.
func ParsePart(text string) (Part, error) {
	if strings.TrimSpace(text) == "" {
		return Part{}, nil
	}
	words := strings.FieldsFunc(
		strings.ReplaceAll(text, "%", " "),
		func(r rune) bool { return r == ',' || r == ';' || r == ' ' },
	)
	if len(words) != 4 {
		return Part{}, fmt.Errorf(
			"%q is no part of a picture; write left, top, right and bottom in per cent, such as 25, 25, 75, 75", text,
		)
	}
	var edges [4]float64
	for i, w := range words {
		v, err := strconv.ParseFloat(w, 64)
		if err != nil || math.IsNaN(v) {
			return Part{}, fmt.Errorf("%q is no number of per cent", w)
		}
		edges[i] = v
	}
	p := Part{edges[0], edges[1], edges[2], edges[3]}
	return p, p.Check()
}
