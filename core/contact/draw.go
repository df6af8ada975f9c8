package contact

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"io"
	"math"
	"time"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/draw"
	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
)

// A Picture makes the picture of a cell, in the size that Sheet.Pixels gives.
type Picture func(p Placed) (image.Image, error)

const pictureQuality = 88 // of JPEG

// WritePDF writes all pages as one file, which says that it was made at a time.
func (s Sheet) WritePDF(w io.Writer, made time.Time, picture Picture) error {
	pdf := fpdf.NewCustom(&fpdf.InitType{
		UnitStr: "pt", Size: fpdf.SizeType{Wd: s.Width, Ht: s.Height}, OrientationStr: "P",
	})
	pdf.SetCreationDate(made.UTC())
	pdf.SetModificationDate(made.UTC())
	pdf.SetTitle(s.Title, true)
	pdf.SetAutoPageBreak(false, 0)
	pdf.AddUTF8FontFromBytes("text", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("text", "B", gobold.TTF)
	for n, page := range s.Pages {
		pdf.AddPage()
		pdf.SetFont("text", "B", titles)
		pdf.Text(margin, margin+titles*0.8, fitting(s.headlineOf(n), s.Width-2*margin, pdf.GetStringWidth))
		for _, p := range page {
			img, err := picture(p)
			if err != nil {
				return err
			}
			var b bytes.Buffer
			if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: pictureQuality}); err != nil {
				return err
			}
			name := fmt.Sprint("picture", p.Cell)
			how := fpdf.ImageOptions{ImageType: "JPG"}
			pdf.RegisterImageOptionsReader(name, how, &b)
			pdf.ImageOptions(name, p.Picture.X, p.Picture.Y, p.Picture.Width, p.Picture.Height, false, how, 0, "")
			cell := s.Cells[p.Cell]
			for line, text := range []string{cell.Title, cell.Facts} {
				pdf.SetFont("text", style(line), letters)
				pdf.Text(
					p.Text.X,
					p.Text.Y+letters*0.9+float64(line)*leading,
					fitting(text, p.Text.Width, pdf.GetStringWidth),
				)
			}
		}
	}
	return pdf.Output(w)
}

// style is of a line below a picture.
func style(line int) string {
	if line == 0 {
		return "B"
	}
	return ""
}

// fitting returns a text that is no wider than it may be, with an ellipsis for what is left out.
func fitting(text string, most float64, width func(string) float64) string {
	if width(text) <= most {
		return text
	}
	runes := []rune(text)
	for len(runes) > 1 && width(string(runes)+"…") > most {
		runes = runes[:len(runes)-1]
	}
	return string(runes) + "…"
}

// WritePage writes one page as a picture, PNG or JPEG.
func (s Sheet) WritePage(w io.Writer, n int, picture Picture) error {
	by := s.Settings.Paper.perPoint()
	pixels := func(points float64) int { return int(math.Round(points * by)) }
	out := image.NewRGBA(image.Rect(0, 0, pixels(s.Width), pixels(s.Height)))
	draw.Draw(out, out.Rect, image.White, image.Point{}, draw.Src)
	faces := map[string]font.Face{}
	for name, c := range map[string]struct {
		ttf  []byte
		size float64
	}{"title": {gobold.TTF, titles}, "B": {gobold.TTF, letters}, "": {goregular.TTF, letters}} {
		face, err := faceOf(c.ttf, c.size*by)
		if err != nil {
			return err
		}
		defer face.Close()
		faces[name] = face
	}
	write := func(text string, face font.Face, x, y, most float64) {
		width := func(t string) float64 { return float64(font.MeasureString(face, t)) / 64 }
		d := font.Drawer{
			Dst: out, Src: image.NewUniform(color.Gray{0x11}), Face: face,
			Dot: fixed.P(pixels(x), pixels(y)),
		}
		d.DrawString(fitting(text, most*by, width))
	}
	write(s.headlineOf(n), faces["title"], margin, margin+titles*0.8, s.Width-2*margin)
	for _, p := range s.Pages[n] {
		img, err := picture(p)
		if err != nil {
			return err
		}
		at := image.Pt(pixels(p.Picture.X), pixels(p.Picture.Y))
		draw.Draw(out, img.Bounds().Sub(img.Bounds().Min).Add(at), img, img.Bounds().Min, draw.Over)
		cell := s.Cells[p.Cell]
		for line, text := range []string{cell.Title, cell.Facts} {
			write(text, faces[style(line)], p.Text.X, p.Text.Y+letters*0.9+float64(line)*leading, p.Text.Width)
		}
	}
	if s.Settings.Format == JPEG {
		return jpeg.Encode(w, out, &jpeg.Options{Quality: pictureQuality})
	}
	return png.Encode(w, out)
}

func faceOf(ttf []byte, size float64) (font.Face, error) {
	parsed, err := opentype.Parse(ttf)
	if err != nil {
		return nil, fmt.Errorf("the letters of a contact sheet: %w", err)
	}
	return opentype.NewFace(parsed, &opentype.FaceOptions{Size: size, DPI: 72, Hinting: font.HintingFull})
}
