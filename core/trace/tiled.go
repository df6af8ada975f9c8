package trace

import (
	"context"
	"fmt"
	"image"
	"io"
	"slices"
	"time"

	"reelhouse/core/job"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

// A File is one that is being written.
type File interface {
	io.WriteSeeker
	// Commit brings what was written safely to where it stays, and returns how many bytes it is.
	Commit() (int64, error)
	// Abandon removes it.
	Abandon()
}

// RenderTiles renders a picture tile by tile and hands on each row of tiles, as a band of the whole width, with the number of its first line. The
// bands are the same as those of the whole picture, to the bit; what is held at once is a band and what its tiles take.
func (w *World) RenderTiles(ctx context.Context, name string, s Settings, tiling raster.Tiling, watch func(Progress), put func(band *pixel.Image, line int) error) (Stats, error) {
	area := s.Region
	if area.Empty() {
		area = image.Rect(0, 0, s.Size.Width, s.Size.Height)
	}
	var sum Stats
	done, pixels := 0, area.Dx()*area.Dy()
	for _, row := range tiling.Tiles(area) {
		var band *pixel.Image
		for _, tile := range row {
			s.Region = tile
			share := float64(tile.Dx()*tile.Dy()) / float64(pixels)
			before := float64(done) / float64(pixels)
			img, stats, err := w.RenderWatched(ctx, name, s, func(p Progress) { watch(Progress{before + share*p.Done, sum.Rays + p.Rays}) })
			if err != nil {
				return sum, err
			}
			if len(row) == 1 {
				band = img
			} else {
				if band == nil {
					band = pixel.New(area.Dx(), tile.Dy())
					for _, p := range img.Planes {
						band.Planes = append(band.Planes, pixel.Plane{Name: p.Name, Half: p.Half, Data: make([]float32, area.Dx()*tile.Dy())})
					}
				}
				band.Paste(img, tile.Min.X-area.Min.X, 0)
			}
			sum.add(stats)
			done += tile.Dx() * tile.Dy()
		}
		if err := put(band, row[0].Min.Y-area.Min.Y); err != nil {
			return sum, err
		}
	}
	return sum, nil
}

func (s *Stats) add(t Stats) {
	s.Rays, s.Samples, s.Pixels, s.Took, s.Stopped = s.Rays+t.Rays, s.Samples+t.Samples, s.Pixels+t.Pixels, s.Took+t.Took, s.Stopped || t.Stopped
}

// tiled renders a frame in tiles and writes its files as they come. Files that are reduced or stamped need the whole picture, of which their
// passes are kept.
func tiled(ctx context.Context, world *World, s Settings, tiling raster.Tiling, j job.Job, f job.Frame, h picture.Header, o Outside) (err error) {
	began := o.Now()
	area := j.Region.Rectangle()
	if area.Empty() {
		area = image.Rect(0, 0, j.Size.Width, j.Size.Height)
	}
	type running struct {
		job.File
		file   File
		writer *picture.Writer
	}
	var writing []running
	defer func() {
		for _, r := range writing {
			if err != nil {
				r.file.Abandon()
			}
		}
	}()
	var later []job.File
	var kept *pixel.Image
	for _, out := range f.Files {
		if out.Size != (raster.Size{}) || out.Stamp.On {
			later = append(later, out)
			continue
		}
		header := h
		header.Attributes, header.Facts = slices.Concat(h.Attributes, world.cryptomattes(out.Passes)), append(j.Facts[:len(j.Facts):len(j.Facts)], f.Facts...)
		file, err := o.Create(out.Path)
		if err != nil {
			return err
		}
		writing = append(writing, running{out, file, nil})
		if writing[len(writing)-1].writer, err = picture.Begin(file, out.Encoding, area.Dx(), area.Dy(), out.Passes, header); err != nil {
			return fmt.Errorf("%s: %w", out.Path, err)
		}
	}
	stats, err := world.RenderTiles(ctx, j.View.Camera, s, tiling, watching(f.Number, o), func(band *pixel.Image, line int) error {
		for _, r := range writing {
			if err := r.writer.Band(band); err != nil {
				return fmt.Errorf("%s: %w", r.Path, err)
			}
		}
		if len(later) > 0 {
			if kept == nil {
				kept = pixel.New(area.Dx(), area.Dy())
				for _, p := range band.Planes {
					kept.Planes = append(kept.Planes, pixel.Plane{Name: p.Name, Half: p.Half, Data: make([]float32, area.Dx()*area.Dy())})
				}
			}
			kept.Paste(band, 0, line)
		}
		return nil
	})
	if err != nil {
		return err
	}
	for i, r := range writing {
		if err := r.writer.Close(); err != nil {
			return fmt.Errorf("%s: %w", r.Path, err)
		}
		bytes, err := r.file.Commit()
		if err != nil {
			return err
		}
		writing[i].file = committed{}
		o.Say(wrote(f.Number, r.Path, bytes, began, stats, o))
	}
	return writeWhole(kept, h, j, f, later, began, stats, o, world)
}

// committed is a file that stays, whatever happens to others.
type committed struct{ File }

func (committed) Abandon() {}

func wrote(frame int, path string, bytes int64, began time.Time, stats Stats, o Outside) job.Message {
	return job.Message{
		Event: job.Wrote, Frame: frame, Path: path, Bytes: bytes, Seconds: o.Now().Sub(began).Seconds(),
		RaysPerSecond: float64(stats.Rays) / max(1e-9, stats.Took.Seconds()), Memory: o.memory(),
	}
}

// writeWhole writes files of a picture that is there as a whole.
func writeWhole(img *pixel.Image, h picture.Header, j job.Job, f job.Frame, files []job.File, began time.Time, stats Stats, o Outside, world *World) error {
	rendered := o.Now().Sub(began)
	for _, out := range files {
		h := h
		h.Attributes = slices.Concat(h.Attributes, world.cryptomattes(out.Passes))
		text, err := encodeFile(img, h, j, f, out, rendered)
		if err != nil {
			return fmt.Errorf("%s: %w", out.Path, err)
		}
		if err := o.Write(out.Path, text); err != nil {
			return err
		}
		o.Say(wrote(f.Number, out.Path, int64(len(text)), began, stats, o))
	}
	return nil
}
