package house

import (
	"context"
	"fmt"
	"image"
	"image/png"
	"io"
	"path"
	"slices"

	"reelhouse/core/delivery"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/screening"
	"reelhouse/core/sprite"
)

// spriteSheet makes one sprite sheet, with its pictures by themselves, and an animation of each angle.
func (m making) spriteSheet(ctx context.Context, p delivery.Product) error {
	needed := false
	for _, name := range p.Files {
		missing, err := m.missing(name)
		if err != nil {
			return err
		}
		needed = needed || missing
	}
	all := m.delivery.SpriteSheets()
	i := slices.IndexFunc(all, func(s delivery.Sprites) bool { return s.Name+".png" == p.Files[0] })
	if !needed || i < 0 {
		return nil
	}
	of := all[i]
	m.told.begin("making the sprite sheet of "+of.Title, len(of.Cells), "picture")
	var cells []sprite.Cell
	for _, c := range of.Cells {
		cell := m.delivery.Sprite(c)
		pictures := m.delivery.Parts[c.Part].Pictures
		size := m.delivery.CellSize(c)
		img, err := m.house.pictureOf(
			ctx, *pictures, pictures.Files[c.File], raster.Size{Width: size.X, Height: size.Y},
		)
		if err != nil {
			return err
		}
		if cell.Picture, err = straight(img, m.view.For(pictures.Encoding)); err != nil {
			return err
		}
		cells = append(cells, cell)
		m.told.further(1, 0)
	}
	sheet, err := sprite.Pack(m.delivery.Recipe.Sprites, cells)
	if err != nil {
		return err
	}
	write := map[string]func(w io.Writer) error{
		of.Name + ".png":  func(w io.Writer) error { return png.Encode(w, sheet.Picture) },
		of.Name + ".json": func(w io.Writer) error { return sheet.WriteJSON(w, path.Base(of.Name)+".png") },
		of.Name + ".csv":  sheet.WriteCSV,
	}
	for _, c := range cells {
		write[c.Name] = func(w io.Writer) error { return png.Encode(w, c.Picture) }
	}
	for _, angle := range of.Angles() {
		poses := slices.DeleteFunc(slices.Clone(cells), func(c sprite.Cell) bool { return c.Angle != angle })
		write[of.Preview(angle)] = func(w io.Writer) error { return sprite.WriteGIF(w, poses) }
	}
	for _, name := range p.Files {
		if needed, err := m.missing(name); err != nil || !needed {
			if err != nil {
				return err
			}
			continue
		}
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		if write[name] == nil {
			return fmt.Errorf("nothing is known of %s", name)
		}
		if err := m.write(name, write[name]); err != nil {
			return err
		}
	}
	return nil
}

// straight returns light as a view shows it, with straight alpha. What is transparent has no colour.
func straight(img *pixel.Image, view screening.View) (*image.NRGBA, error) {
	alpha := img.Plane("A")
	if alpha == nil {
		return screening.Look(img, beauty, view)
	}
	through := img.Clone()
	for _, name := range []string{"R", "G", "B"} {
		plane := through.Plane(name)
		for i, a := range alpha.Data {
			if a > 0 && a < 1 {
				plane.Data[i] /= a
			}
		}
	}
	out, err := screening.Look(through, beauty, view)
	if err != nil {
		return nil, err
	}
	for i, a := range alpha.Data {
		code := uint8(255*min(1, max(0, a)) + 0.5)
		if out.Pix[4*i+3] = code; code == 0 {
			clear(out.Pix[4*i : 4*i+3])
		}
	}
	return out, nil
}
