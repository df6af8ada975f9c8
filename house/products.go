package house

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"image"
	"io"
	"io/fs"
	"os"
	"path"

	"crypto/sha256"

	"reelhouse/core/contact"
	"reelhouse/core/delivery"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/screening"
	"reelhouse/store"
)

// beauty is the pass that products are made of.
const beauty = pass.Beauty

// A making is what a delivery makes of its pictures.
type making struct {
	house    *House
	root     *os.Root // of the delivery
	begun    store.Delivery
	delivery delivery.Delivery
	view     screening.View
	told     *telling
}

// makeProducts makes what a delivery has of products, and is not there yet.
func (h *House) makeProducts(
	ctx context.Context, root *os.Root, begun store.Delivery, d delivery.Delivery, told *telling,
) error {
	if len(d.Products) == 0 {
		return nil
	}
	view, err := h.View(production.Standards{LUTs: d.LUTs}, d.Viewing)
	if err != nil {
		return err
	}
	m := making{h, root, begun, d, view, told}
	for _, p := range d.Products {
		made := map[delivery.ProductKind]func(context.Context, delivery.Product) error{
			delivery.ContactSheet: m.contactSheet, delivery.SpriteSheet: m.spriteSheet,
			delivery.MovieFile: m.movie, delivery.WebPage: m.webPage,
		}[p.Kind]
		if made == nil {
			return fmt.Errorf("this version makes no %s", p.Kind)
		}
		if err := made(ctx, p); err != nil {
			return fmt.Errorf("%s: %w", p.Kind, err)
		}
	}
	return nil
}

// missing reports whether a file of a product is still to be made.
func (m making) missing(name string) (bool, error) {
	info, err := m.root.Lstat(name)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return true, nil
	case err != nil:
		return false, err
	case !info.Mode().IsRegular():
		return false, fmt.Errorf("%s: %w", name, ErrNotPlain)
	}
	return false, nil
}

// write makes a file, wholly or not at all.
func (m making) write(name string, write func(w io.Writer) error) error {
	if err := m.root.MkdirAll(path.Dir(name), 0o755); err != nil {
		return err
	}
	r, w := io.Pipe()
	go func() { w.CloseWithError(write(w)) }()
	err := writeWhole(m.root, name, r)
	r.CloseWithError(errors.New("the file cannot be written"))
	return err
}

// contactSheet makes the contact sheet.
func (m making) contactSheet(ctx context.Context, p delivery.Product) error {
	sheet, shown := m.delivery.ContactSheet()
	m.told.begin("making the contact sheet", len(shown), "picture")
	draw := func(at contact.Placed) (image.Image, error) {
		of := shown[at.Cell]
		pictures := m.delivery.Parts[of.Part].Pictures
		img, err := m.house.pictureOf(ctx, *pictures, pictures.Files[of.File], sheet.Pixels(at))
		if err != nil {
			return nil, err
		}
		m.told.further(1, 0)
		return screening.Look(img, beauty, m.view.For(pictures.Encoding))
	}
	for page, name := range p.Files {
		if needed, err := m.missing(name); err != nil || !needed {
			if err != nil {
				return err
			}
			continue
		}
		err := m.write(name, func(w io.Writer) error {
			if sheet.Settings.Format == contact.PDF {
				return sheet.WritePDF(w, m.begun.Begun, draw)
			}
			return sheet.WritePage(w, page, draw)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// pictureOf reads the beauty of a finished file as light, in a size. The file is held against what was recorded when it
// was judged.
func (h *House) pictureOf(
	ctx context.Context, of delivery.Pictures, f delivery.Picture, size raster.Size,
) (*pixel.Image, error) {
	file, info, err := h.OpenOutput(f.Path)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	sum := sha256.New()
	if _, err := io.Copy(sum, reading{ctx, file}); err != nil {
		return nil, err
	}
	if hex.EncodeToString(sum.Sum(nil)) != f.SHA256 {
		return nil, fmt.Errorf("%s is not what was judged any more; verify it, and render what is lost again", f.Path)
	}
	opened, err := picture.OpenLarge(file, info.Size(), picture.Limit)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", f.Path, err)
	}
	width, height := opened.Headers[0].Width(), opened.Headers[0].Height()
	by := max(1, min(width/size.Width, height/size.Height))
	img, err := screening.Reduced(
		ctx, opened, of.Passes, of.Depth.Style, screening.Reduction{By: by, To: max(1, height/by)}, "R", "G", "B", "A",
	)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", f.Path, err)
	}
	if img.Width != size.Width || img.Height != size.Height {
		// A kernel with negative lobes would draw dark rings round lights that are brighter than white.
		img = img.Resize(size.Width, size.Height, pixel.Triangle, func(string) bool { return true })
	}
	return img, nil
}
