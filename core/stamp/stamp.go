// Package stamp burns facts into pictures for review: lines of text at the edges, on a band that keeps them
// readable over anything.
//
// A line is text with fields in round brackets, as in names: "(shot) (view)  v(version:3)". Drawing happens
// in linear light, before the picture is encoded, so that edges come out even.
package stamp

import (
	"fmt"
	"image"
	"image/color"
	"math"
	"slices"
	"strings"
	"time"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"

	"reelhouse/core/naming"
	"reelhouse/core/pixel"
)

// A Place is where a line stands.
type Place string

// The places.
const (
	TopLeft      Place = "top-left"
	TopMiddle    Place = "top-middle"
	TopRight     Place = "top-right"
	BottomLeft   Place = "bottom-left"
	BottomMiddle Place = "bottom-middle"
	BottomRight  Place = "bottom-right"
)

// Places returns all places, in the order in which they are offered.
func Places() []Place {
	return []Place{TopLeft, TopMiddle, TopRight, BottomLeft, BottomMiddle, BottomRight}
}

// A Stamp is what is burnt in. The zero value is nothing.
type Stamp struct {
	On      bool    `json:"on"`
	Lines   []Line  `json:"lines,omitempty"`
	Percent float64 `json:"percent,omitempty"` // height of the letters' line, of the picture's height
	Opacity float64 `json:"opacity,omitempty"` // of letters and band, 0 to 1
}

// A Line is one text at its place.
type Line struct {
	Place Place  `json:"place"`
	Text  string `json:"text"`
}

// Usual returns the stamp that review pictures have.
func Usual() Stamp {
	return Stamp{On: true, Percent: 4.5, Opacity: 0.8, Lines: []Line{
		{TopLeft, "(production)  (shot) (shotname)"}, {TopRight, "v(version:3)  (quality)"},
		{BottomLeft, "(view)  (lens)"}, {BottomMiddle, "(frame:4)"}, {BottomRight, "(timecode)"},
	}}
}

// Limits of a stamp.
const (
	LeastPercent, MostPercent = 1, 20
	maxText                   = 200
)

// Check says what is wrong with the stamp, or nil.
func (s Stamp) Check() error {
	if !s.On && len(s.Lines) == 0 {
		return nil
	}
	if !(s.Percent >= LeastPercent && s.Percent <= MostPercent) {
		return fmt.Errorf(
			"letters of %v %% of the picture's height are outside %d to %d %%", s.Percent, LeastPercent, MostPercent,
		)
	}
	if !(s.Opacity > 0 && s.Opacity <= 1) {
		return fmt.Errorf("an opacity of %.0f %% is outside 1 to 100 %%", s.Opacity*100)
	}
	seen := map[Place]bool{}
	for _, l := range s.Lines {
		if !slices.Contains(Places(), l.Place) || seen[l.Place] {
			return fmt.Errorf("the place %q is unknown, or has two lines", l.Place)
		}
		seen[l.Place] = true
		if _, err := naming.ParseText(l.Text); err != nil {
			return fmt.Errorf("%s: %w", l.Place, err)
		}
		if len(l.Text) > maxText {
			return fmt.Errorf("%s: the text is longer than %d characters", l.Place, maxText)
		}
	}
	return nil
}

// Has reports whether any line uses a field without options.
func (s Stamp) Has(field string) bool {
	return slices.ContainsFunc(s.Lines, func(l Line) bool { return strings.Contains(l.Text, "("+field+")") })
}

// Line returns the text at a place, "" for none.
func (s Stamp) Line(p Place) string {
	if i := slices.IndexFunc(s.Lines, func(l Line) bool { return l.Place == p }); i >= 0 {
		return s.Lines[i].Text
	}
	return ""
}

// With returns the stamp with a text at a place; an empty text takes the line away.
func (s Stamp) With(p Place, text string) Stamp {
	s.Lines = slices.DeleteFunc(slices.Clone(s.Lines), func(l Line) bool { return l.Place == p })
	if text != "" {
		s.Lines = append(s.Lines, Line{p, text})
	}
	slices.SortFunc(
		s.Lines,
		func(a, b Line) int { return slices.Index(Places(), a.Place) - slices.Index(Places(), b.Place) },
	)
	if len(s.Lines) == 0 {
		s.Lines = nil
	}
	return s
}

// Fill returns the stamp with every field replaced by value's answer; frame and version are padded. Fields
// of which value knows nothing yet are left as they stand if value returns them in brackets.
func (s Stamp) Fill(frame, version int, value func(field string) string) (Stamp, error) {
	filled := s
	filled.Lines = nil
	for _, l := range s.Lines {
		t, err := naming.ParseText(l.Text)
		if err != nil {
			return s, fmt.Errorf("%s: %w", l.Place, err)
		}
		filled.Lines = append(filled.Lines, Line{l.Place, t.Fill(frame, version, value)})
	}
	return filled, nil
}

// RenderTime is the field that only the renderer can fill, with Timed.
const RenderTime = "rendertime"

// Date is the field of the day on which a batch was sent.
const Date = "date"

// Took writes how long a frame took, as RenderTime shows it.
func Took(d time.Duration) string { return fmt.Sprintf("%.1f s", d.Seconds()) }

// Timed returns the stamp, filled but for RenderTime, with how long the frame took.
func (s Stamp) Timed(took time.Duration) Stamp {
	timed := s
	timed.Lines = nil
	for _, l := range s.Lines {
		timed.Lines = append(timed.Lines, Line{l.Place, strings.ReplaceAll(l.Text, "("+RenderTime+")", Took(took))})
	}
	return timed
}

// Draw burns the filled stamp into the planes R, G and B, and A if there is one, of linear premultiplied
// light. squeeze is the pixel aspect: letters are as much narrower as pixels are wider.
func (s Stamp) Draw(img *pixel.Image, squeeze float64) error {
	if !s.On || len(s.Lines) == 0 {
		return nil
	}
	planes := make([][]float32, 0, 4)
	for _, name := range []string{"R", "G", "B", "A"} {
		if p := img.Plane(name); p != nil {
			planes = append(planes, p.Data)
		} else if name != "A" {
			return fmt.Errorf("a stamp needs a picture in colour; there is no channel %s", name)
		}
	}
	height := float64(img.Height) * s.Percent / 100
	face, err := newFace(height * 0.72)
	if err != nil {
		return err
	}
	defer face.Close()
	for _, l := range s.Lines {
		mask := letters(face, l.Text, height, squeeze, img.Width)
		at := l.Place.corner(img, mask.Rect.Size(), int(height*0.5))
		s.blend(img, planes, mask, at)
	}
	return nil
}

func newFace(size float64) (font.Face, error) {
	parsed, err := opentype.Parse(gomono.TTF)
	if err != nil {
		return nil, fmt.Errorf("the stamp's letters: %w", err)
	}
	return opentype.NewFace(parsed, &opentype.FaceOptions{Size: max(4, size), DPI: 72, Hinting: font.HintingFull})
}

// letters draws a text on a band of its own: coverage of letters, with room around them. What is wider
// than the picture is cut with an ellipsis.
func letters(face font.Face, text string, height, squeeze float64, most int) *image.Alpha {
	margin := fixed.I(int(height * 0.4))
	text = strings.Map(func(r rune) rune {
		if r < ' ' {
			return ' '
		}
		return r
	}, text)
	width := func(t string) int { return (font.MeasureString(face, t) + 2*margin).Ceil() }
	limit := int(float64(most) * squeeze * 0.96)
	if runes := []rune(text); width(text) > limit {
		for len(runes) > 1 && width(string(runes)+"…") > limit {
			runes = runes[:len(runes)-1]
		}
		text = string(runes) + "…"
	}
	band := image.NewAlpha(image.Rect(0, 0, max(1, width(text)), max(1, int(math.Ceil(height)))))
	m := face.Metrics()
	base := (fixed.I(band.Rect.Dy()) + m.Ascent - m.Descent) / 2
	d := font.Drawer{
		Dst:  band,
		Src:  image.NewUniform(color.Alpha{A: 255}),
		Face: face,
		Dot:  fixed.Point26_6{X: margin, Y: base},
	}
	d.DrawString(text)
	if squeeze == 1 {
		return band
	}
	narrow := image.NewAlpha(image.Rect(0, 0, max(1, int(float64(band.Rect.Dx())/squeeze)), band.Rect.Dy()))
	for y := range narrow.Rect.Dy() {
		for x := range narrow.Rect.Dx() {
			narrow.SetAlpha(x, y, band.AlphaAt(int((float64(x)+0.5)*squeeze), y))
		}
	}
	return narrow
}

// corner returns where a band's top left corner lies.
func (p Place) corner(img *pixel.Image, band image.Point, margin int) image.Point {
	at := image.Pt(margin, margin)
	if strings.HasPrefix(string(p), "bottom") {
		at.Y = img.Height - margin - band.Y
	}
	switch {
	case strings.HasSuffix(string(p), "middle"):
		at.X = (img.Width - band.X) / 2
	case strings.HasSuffix(string(p), "right"):
		at.X = img.Width - margin - band.X
	}
	return at
}

// bandShade is how much of the picture's light the band takes away.
const bandShade = 0.75

func (s Stamp) blend(img *pixel.Image, planes [][]float32, mask *image.Alpha, at image.Point) {
	area := mask.Rect.Add(at).Intersect(image.Rect(0, 0, img.Width, img.Height))
	for y := area.Min.Y; y < area.Max.Y; y++ {
		for x := area.Min.X; x < area.Max.X; x++ {
			ink := float64(mask.AlphaAt(x-at.X, y-at.Y).A) / 255 * s.Opacity
			keep := (1 - bandShade*s.Opacity) * (1 - ink)
			i := y*img.Width + x
			for k, plane := range planes {
				add := ink
				if k == 3 { // coverage: band and letters cover
					add = 1 - keep
				}
				plane[i] = float32(math.Min(math.Max(0, float64(plane[i])), 4)*keep + add)
			}
		}
	}
}
