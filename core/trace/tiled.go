package trace

import (
	"context"
	"image"
	"time"

	"reelhouse/core/framefile"
	"reelhouse/core/job"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

// RenderTiles renders a picture tile by tile and hands on each row of tiles, as a band of the whole width. The bands
// are the same as those of the whole picture, to the bit; what is held at once is a band and what its tiles take.
func (w *World) RenderTiles(
	ctx context.Context,
	name string,
	s Settings,
	tiling raster.Tiling,
	watch func(Progress),
	put func(band *pixel.Image) error,
) (Stats, error) {
	area := s.Region
	if area.Empty() {
		area = image.Rect(0, 0, s.Size.Width, s.Size.Height)
	}
	var sum Stats
	done, pixels := 0, area.Dx()*area.Dy()
	for _, row := range tiling.Tiles(area) {
		var parts []*pixel.Image
		for _, tile := range row {
			s.Region = tile
			share := float64(tile.Dx()*tile.Dy()) / float64(pixels)
			before := float64(done) / float64(pixels)
			img, stats, err := w.RenderWatched(
				ctx,
				name,
				s,
				func(p Progress) { watch(Progress{before + share*p.Done, sum.Rays + p.Rays}) },
			)
			if err != nil {
				return sum, err
			}
			parts = append(parts, img)
			sum.add(stats)
			done += tile.Dx() * tile.Dy()
		}
		if err := put(framefile.Across(parts)); err != nil {
			return sum, err
		}
	}
	return sum, nil
}

func (s *Stats) add(t Stats) {
	s.Rays, s.Samples, s.Pixels, s.Took, s.Stopped = s.Rays+t.Rays, s.Samples+t.Samples, s.Pixels+t.Pixels,
		s.Took+t.Took, s.Stopped ||
			t.Stopped
}

// tiled renders a frame in tiles and writes its files as they come.
func tiled(
	ctx context.Context, world *World, s Settings, tiling raster.Tiling, f framefile.Frame, began time.Time, o Outside,
) (err error) {
	var stats Stats
	w, err := f.Begin(o.files(f.Frame.Number, began, &stats))
	defer func() {
		if err != nil {
			w.Abandon()
		}
	}()
	if err != nil {
		return err
	}
	stats, err = world.RenderTiles(ctx, f.Job.View.Camera, s, tiling, watching(f.Frame.Number, o), w.Band)
	if err != nil {
		return err
	}
	return w.Close(o.Now().Sub(began))
}

// files returns where the files of a frame go; each is told of with what rendering took.
func (o Outside) files(frame int, began time.Time, stats *Stats) framefile.Outside {
	return framefile.Outside{Create: o.Create, Table: o.table, Wrote: func(path string, bytes int64) {
		o.Say(job.Message{
			Event: job.Wrote, Frame: frame, Path: path, Bytes: bytes, Seconds: o.Now().Sub(began).Seconds(),
			RaysPerSecond: float64(stats.Rays) / max(1e-9, stats.Took.Seconds()), Memory: o.memory(),
		})
	}}
}
