package sprite

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/gif"
	"io"
	"math"
	"strconv"

	"golang.org/x/image/draw"

	"reelhouse/core/plaintext"
)

// A described is a sheet as JSON.
type described struct {
	Picture  string         `json:"picture"`
	Width    int            `json:"width"`
	Height   int            `json:"height"`
	Alpha    string         `json:"alpha"`
	PerMetre float64        `json:"pixelsPerMetre"`
	Extrude  int            `json:"extruded"`
	Cells    []describedFor `json:"cells"`
}

// describedFor is a cell as JSON; lengths are in pixels.
type describedFor struct {
	Name    string  `json:"name"`
	Angle   int     `json:"angle"`
	Pose    string  `json:"pose"`
	Frame   int     `json:"frame"`
	Seconds float64 `json:"seconds"`
	Left    int     `json:"left"`
	Top     int     `json:"top"`
	Width   int     `json:"width"`
	Height  int     `json:"height"`
	// InLeft and InTop are where it lies in the whole picture, and WholeWidth and WholeHeight are that picture's.
	InLeft      int `json:"inLeft"`
	InTop       int `json:"inTop"`
	WholeWidth  int `json:"wholeWidth"`
	WholeHeight int `json:"wholeHeight"`
	// PivotX and PivotY are from the top left corner of the cell.
	PivotX float64 `json:"pivotX"`
	PivotY float64 `json:"pivotY"`
	// CutOff are the edges of the picture at which what is shown goes on.
	CutOff []string `json:"cutOff,omitempty"`
}

func (p Placed) described() describedFor {
	round := func(v float64) float64 { return math.Round(v*1000) / 1000 }
	whole := p.Picture.Rect.Size()
	return describedFor{
		Name: p.Name, Angle: p.Angle, Pose: p.Pose, Frame: p.Frame, Seconds: p.Seconds,
		Left: p.At.Min.X, Top: p.At.Min.Y, Width: p.At.Dx(), Height: p.At.Dy(), InLeft: p.From.X, InTop: p.From.Y,
		WholeWidth: whole.X, WholeHeight: whole.Y, PivotX: round(p.PivotX - float64(p.From.X)),
		PivotY: round(p.PivotY - float64(p.From.Y)), CutOff: p.CutOff(),
	}
}

// WriteJSON writes where each cell lies in the picture of a name.
func (s *Sheet) WriteJSON(w io.Writer, picture string) error {
	d := described{
		Picture: picture, Width: s.Picture.Rect.Dx(), Height: s.Picture.Rect.Dy(), Alpha: "straight",
		PerMetre: math.Round(s.Cells[0].PerMetre*1000) / 1000, Extrude: s.Settings.Extrude,
	}
	for _, p := range s.Cells {
		d.Cells = append(d.Cells, p.described())
	}
	encoder := json.NewEncoder(w)
	encoder.SetIndent("", "  ")
	return encoder.Encode(d)
}

// WriteCSV writes the same as a table.
func (s *Sheet) WriteCSV(w io.Writer) error {
	out := csv.NewWriter(w)
	out.Write([]string{
		"name", "angle", "pose", "frame", "seconds", "left", "top", "width", "height", "in left", "in top",
		"whole width", "whole height", "pivot x", "pivot y",
	})
	number := func(v float64) string { return strconv.FormatFloat(v, 'g', -1, 64) }
	for _, p := range s.Cells {
		d := p.described()
		texts := plaintext.Guarded([]string{d.Name, d.Pose})
		out.Write([]string{
			texts[0], fmt.Sprint(d.Angle), texts[1], fmt.Sprint(d.Frame), number(d.Seconds), fmt.Sprint(d.Left),
			fmt.Sprint(d.Top), fmt.Sprint(d.Width), fmt.Sprint(d.Height), fmt.Sprint(d.InLeft), fmt.Sprint(d.InTop),
			fmt.Sprint(d.WholeWidth), fmt.Sprint(d.WholeHeight), number(d.PivotX), number(d.PivotY),
		})
	}
	out.Flush()
	return out.Error()
}

// What cells may differ by and still stand on one ground: pixels, and parts of a scale.
const (
	groundWithin = 0.75
	scaleWithin  = 0.01
)

// Differences says in words which cells do not share the scale, or the ground line, of the first one.
func Differences(cells []Cell) (said []string) {
	if len(cells) == 0 {
		return nil
	}
	first := cells[0]
	name := func(c Cell) string { return fmt.Sprintf("%d°, %s", c.Angle, c.Pose) }
	for _, c := range cells[1:] {
		if by := c.PerMetre/first.PerMetre - 1; math.Abs(by) > scaleWithin || math.IsNaN(by) {
			said = append(said, fmt.Sprintf("scale: %s has %.1f pixels a metre, and %s has %.1f", name(first),
				first.PerMetre, name(c), c.PerMetre))
			break
		}
	}
	for _, c := range cells[1:] {
		if by := c.PivotY - first.PivotY; math.Abs(by) > groundWithin || math.IsNaN(by) {
			said = append(
				said,
				fmt.Sprintf("ground line: at %s it lies %.1f pixels from where it lies at %s", name(c), by,
					name(first)),
			)
			break
		}
	}
	return said
}

// gifShades are how many shades red, green and blue have in a preview.
const gifShades = 6

// WriteGIF writes the cells of one angle as an animation, over and over. It has few colours: it is for looking.
func WriteGIF(w io.Writer, cells []Cell) error {
	colours := color.Palette{color.NRGBA{}}
	for i := range gifShades * gifShades * gifShades {
		shade := func(n int) uint8 { return uint8(n % gifShades * 255 / (gifShades - 1)) }
		colours = append(colours, color.NRGBA{shade(i), shade(i / gifShades), shade(i / gifShades / gifShades), 255})
	}
	var out gif.GIF
	for _, c := range cells {
		frame := image.NewPaletted(c.Picture.Rect, colours)
		draw.FloydSteinberg.Draw(frame, frame.Rect, opaque(c.Picture), frame.Rect.Min)
		for y := range frame.Rect.Dy() {
			for x := range frame.Rect.Dx() {
				if c.Picture.Pix[c.Picture.PixOffset(c.Picture.Rect.Min.X+x, c.Picture.Rect.Min.Y+y)+3] < 128 {
					frame.Pix[y*frame.Stride+x] = 0
				}
			}
		}
		out.Image = append(out.Image, frame)
		out.Delay = append(out.Delay, max(2, int(math.Round(c.Seconds*100)))) // less is shown as a tenth of a second
		out.Disposal = append(out.Disposal, gif.DisposalBackground)
	}
	return gif.EncodeAll(w, &out)
}

// opaque returns a picture whose colours cover everything.
func opaque(img *image.NRGBA) *image.NRGBA {
	out := image.NewNRGBA(img.Rect)
	copy(out.Pix, img.Pix)
	for i := 3; i < len(out.Pix); i += 4 {
		out.Pix[i] = 255
	}
	return out
}
