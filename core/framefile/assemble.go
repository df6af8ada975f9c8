package framefile

import (
	"context"
	"fmt"
	"image"
	"slices"
	"strings"
	"time"

	"reelhouse/core/imagefile"
	"reelhouse/core/job"
	"reelhouse/core/matte"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

// TileEncoding is what tiles are kept in: every value just as it was rendered.
func TileEncoding() output.Encoding {
	e := output.EXR.Usual()
	e.Depth, e.Compression, e.Level, e.Alpha = output.Float, output.ZIP, tileLevel, output.Premultiplied
	return e
}

// tileLevel packs tiles quickly; they are there for a short while.
const tileLevel = 1

// Assemble puts the files of a frame together from its tiles, a row of them at a time. What its files say of cameras
// and mattes is what the first tile says of them. read returns the contents of a tile's file; done hears how far it has
// come, 0 to 1.
func Assemble(
	ctx context.Context,
	a job.Assembly,
	read func(path string) ([]byte, error),
	done func(float64),
	o Outside,
) (err error) {
	var w *Writer
	defer func() {
		if err != nil && w != nil {
			w.Abandon()
		}
	}()
	left, rows := a.TileFiles, a.Tiles.Tiles(a.Area())
	for i, row := range rows {
		if err := ctx.Err(); err != nil {
			return err
		}
		var parts []*pixel.Image
		for k, place := range row {
			img, header, err := readTile(left[k], place.Size(), a.Passes, read)
			if err != nil {
				return fmt.Errorf("tile %d, %s: %w", len(a.TileFiles)-len(left)+k+1, left[k], err)
			}
			if w == nil {
				f := Frame{Job: a.Job, Frame: a.Frames[0]}
				f.Describe(header)
				if w, err = f.Begin(o); err != nil {
					return err
				}
			}
			parts = append(parts, img)
		}
		left = left[len(row):]
		if err := w.Band(Across(parts)); err != nil {
			return err
		}
		done(float64(i+1) / float64(len(rows)))
	}
	return w.Close(time.Duration(a.Rendered * float64(time.Second)))
}

// Again writes files of a frame from one of its finished files, with other encodings, sizes and stamps. What it says of
// the camera and of mattes is kept.
func (f Frame) Again(data []byte, size raster.Size, o Outside) error {
	var needed []pass.Code
	for _, out := range f.Frame.Files {
		needed = pass.Sorted(slices.Concat(needed, out.Passes))
	}
	img, header, err := readTile("", image.Pt(size.Width, size.Height), needed, func(string) ([]byte, error) {
		return data, nil
	})
	if err != nil {
		return err
	}
	f.Describe(header)
	return f.WriteWhole(img, f.Frame.Files, 0, o)
}

// readTile reads a tile, which has to have the planes of the passes.
func readTile(
	path string,
	size image.Point,
	passes []pass.Code,
	read func(path string) ([]byte, error),
) (*pixel.Image, imagefile.Header, error) {
	data, err := read(path)
	if err != nil {
		return nil, imagefile.Header{}, err
	}
	file, err := picture.Open(data)
	if err != nil {
		return nil, imagefile.Header{}, err
	}
	p, err := file.Part(0)
	if err != nil {
		return nil, imagefile.Header{}, err
	}
	if p.Image.Width != size.X || p.Image.Height != size.Y {
		return nil, imagefile.Header{}, fmt.Errorf(
			"it has %d × %d pixels, not %d × %d", p.Image.Width, p.Image.Height, size.X, size.Y,
		)
	}
	img, err := picture.Select(p.Image, passes)
	return img, file.Headers[0], err
}

// Describe takes over what the header of another file of the frame says of the camera and of mattes. What the job says
// itself is not taken from there.
func (f *Frame) Describe(tile imagefile.Header) {
	f.Header = picture.Header{Rate: f.Job.Rate, Frame: f.Frame.Number, PixelAspect: f.Job.PixelAspect}
	var mattes imagefile.Attributes
	for _, a := range tile.Attributes {
		switch {
		case strings.HasPrefix(a.Name, matte.Attribute):
			mattes = append(mattes, a)
		case a.Name == "nominalFocalLength":
			if mm, ok := a.Value.(float32); ok {
				f.Header.FocalLength = float64(mm)
			}
		case !picture.Ours(a.Name):
			f.Header.Attributes = append(f.Header.Attributes, a)
		}
	}
	f.Mattes = func(passes []pass.Code) imagefile.Attributes {
		var all imagefile.Attributes
		for _, code := range passes {
			if p, err := pass.Find(code); err == nil && p.IsCryptomatte() {
				for _, a := range mattes {
					if strings.HasPrefix(a.Name, matte.Attribute+p.LayerKey()+"/") {
						all = append(all, a)
					}
				}
			}
		}
		return all
	}
}
