package followup

import (
	"context"
	"errors"
	"fmt"
	"image"
	"slices"
	"time"

	"reelhouse/core/framefile"
	"reelhouse/core/grade"
	"reelhouse/core/imagefile"
	"reelhouse/core/job"
	"reelhouse/core/lut"
	"reelhouse/core/matte"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// bandLines is how many lines of a picture are made at once.
const bandLines = 64

// A PictureDisk is where pictures are read and written.
type PictureDisk struct {
	Open   func(path string) (f File, bytes int64, err error)
	Create func(path string) (framefile.File, error)
	Table  func(path string) (*lut.Transform, error)
}

// DoPictures makes the files of a frame that an order of a matte or a grade asks for, band by band.
func DoPictures(ctx context.Context, order job.FollowUp, disk PictureDisk, say func(job.Message)) error {
	if order.Picture == nil || len(order.Picture.Frames) != 1 || order.Matte == nil && order.Grade == nil {
		return fmt.Errorf("%q is no kind that makes pictures", order.Kind)
	}
	j := *order.Picture
	sources, closeAll, err := openSources(order, disk)
	defer closeAll()
	if err != nil {
		return err
	}
	frame := framefile.Frame{Job: j, Frame: j.Frames[0]}
	first := pass.Beauty
	if order.Matte != nil {
		first = order.Matte.Layer
	}
	frame.Describe(sources.of(first).header())
	w, err := frame.Begin(framefile.Outside{Create: disk.Create, Table: disk.Table, Wrote: func(path string, n int64) {
		say(job.Message{Event: job.Wrote, Frame: frame.Frame.Number, Path: path, Bytes: n})
	}})
	if err != nil {
		return err
	}
	area := j.Area()
	for y := 0; y < area.Dy(); y += bandLines {
		var band *pixel.Image
		if err = ctx.Err(); err == nil {
			band, err = sources.band(order, y, min(y+bandLines, area.Dy()))
		}
		if err == nil {
			err = w.Band(band)
		}
		if err != nil {
			w.Abandon()
			return err
		}
		if done := float64(min(y+bandLines, area.Dy())) / float64(area.Dy()); y/bandLines%tellsOf == 0 || done == 1 {
			say(job.Message{Event: job.Progress, Frame: frame.Frame.Number, Progress: done})
		}
	}
	if err := w.Close(time.Duration(0)); err != nil {
		w.Abandon()
		return err
	}
	say(job.Message{Event: job.Finished})
	return nil
}

// Picture makes the picture that an order asks for, to be looked at: as means of by x by pixels. Without a matte or a
// grade it is the picture as it is. Nothing is written.
func Picture(
	ctx context.Context, order job.FollowUp, open func(path string) (File, int64, error), by int,
) (*pixel.Image, error) {
	return banded(ctx, order, open, by, func(s sources, from, to int) (*pixel.Image, error) {
		return s.band(order, from, to)
	})
}

// Lights reads the picture and passes of light as they are, to be relit elsewhere: three planes of each, the picture's
// first, as means of by x by pixels.
func Lights(
	ctx context.Context, order job.FollowUp, open func(path string) (File, int64, error), by int, lights []pass.Code,
) (*pixel.Image, error) {
	return banded(ctx, order, open, by, func(s sources, from, to int) (*pixel.Image, error) {
		band := &pixel.Image{Width: order.Picture.Area().Dx(), Height: to - from}
		for _, code := range append([]pass.Code{pass.Beauty}, lights...) {
			img, err := s.planes(code, from, to)
			if err != nil {
				return nil, err
			}
			band.Planes = append(band.Planes, img.Planes[:3]...)
		}
		return band, nil
	})
}

// Planes reads one pass of a frame as it is; of by x by pixels one is kept where a mean makes no sense.
func Planes(
	ctx context.Context, order job.FollowUp, open func(path string) (File, int64, error), by int, code pass.Code,
) (*pixel.Image, error) {
	filtered := framefile.FilteredPlanes([]pass.Code{code}, order.Picture.Depth)
	return bandedBy(ctx, order, open, by, filtered, func(s sources, from, to int) (*pixel.Image, error) {
		return s.planes(code, from, to)
	})
}

// banded puts a picture of light together from bands, each reduced.
func banded(
	ctx context.Context, order job.FollowUp, open func(path string) (File, int64, error), by int,
	read func(s sources, from, to int) (*pixel.Image, error),
) (*pixel.Image, error) {
	return bandedBy(ctx, order, open, by, func(string) bool { return true }, read)
}

// bandedBy puts a picture together, of which filtered tells which planes may be averaged.
func bandedBy(
	ctx context.Context, order job.FollowUp, open func(path string) (File, int64, error), by int,
	filtered func(plane string) bool, read func(s sources, from, to int) (*pixel.Image, error),
) (*pixel.Image, error) {
	sources, closeAll, err := openSources(order, PictureDisk{Open: open})
	defer closeAll()
	if err != nil {
		return nil, err
	}
	by = max(1, by)
	size := order.Picture.Area().Size()
	whole := &pixel.Image{Width: max(1, size.X/by), Height: max(1, size.Y/by)}
	step := max(by, bandLines/by*by)
	for y := 0; y < whole.Height*by && y < size.Y; y += step {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		band, err := read(sources, y, min(y+step, size.Y))
		if err != nil {
			return nil, err
		}
		if by > 1 {
			band = band.Crop(image.Rect(0, 0, max(1, band.Width/by)*min(by, band.Width), band.Height))
			band = band.Resize(whole.Width, max(1, band.Height/by), pixel.BoxKernel, filtered)
		}
		if whole.Planes == nil {
			for _, p := range band.Planes {
				whole.Planes = append(whole.Planes, pixel.Plane{
					Name: p.Name, Half: p.Half, Data: make([]float32, whole.Width*whole.Height),
				})
			}
		}
		whole.Paste(band, 0, y/by)
	}
	return whole, nil
}

// A source is a file that passes are read from.
type source struct {
	name   string
	passes []pass.Code // that it has
	read   []pass.Code // that are read of it
	file   *picture.File
	from   int             // first line of stored
	stored *imagefile.Part // the lines that were read last
	band   *pixel.Image    // the same as light, once somebody has asked for it
}

// only lets nothing be read of the file but some passes.
func (s *source) only(passes []pass.Code) {
	if len(s.passes) == 1 { // the channels of which are not told apart by its name
		return
	}
	names := map[string]bool{}
	for _, code := range passes {
		if described, err := pass.Find(code); err == nil {
			for _, name := range described.ChannelNames() {
				names[name] = true
			}
		}
	}
	s.file.Only = func(channel string) bool { return names[channel] }
}

// readLines reads lines of the file, as it has them.
func (s *source) readLines(from, to int) error {
	if s.stored != nil && s.from == from && s.stored.Height() == to-from {
		return nil
	}
	part, err := s.file.Stored(0, from, to)
	if err != nil {
		return fmt.Errorf("%s: %w", s.name, err)
	}
	s.from, s.stored, s.band = from, &part, nil
	return nil
}

// lines reads lines of the file as light.
func (s *source) lines(from, to int) (*pixel.Image, error) {
	if err := s.readLines(from, to); err != nil {
		return nil, err
	}
	if s.band == nil {
		s.band = picture.Named(s.file.Decoded(0, *s.stored).Image, s.passes)
	}
	return s.band, nil
}

func (s *source) header() imagefile.Header { return s.file.Headers[0] }

type sources []*source

// of returns the file that a pass is read from.
func (s sources) of(code pass.Code) *source {
	i := slices.IndexFunc(s, func(s *source) bool { return slices.Contains(s.read, code) })
	return s[max(0, i)]
}

// openSources opens the inputs from which passes are read. What it returns closes them.
func openSources(order job.FollowUp, disk PictureDisk) (all sources, closeAll func(), err error) {
	var open []File
	closeAll = func() {
		for _, f := range open {
			f.Close()
		}
	}
	size := order.Picture.Area().Size()
	var there []pass.Code
	for _, in := range order.Inputs {
		if len(in.Read) == 0 {
			continue
		}
		f, bytes, err := disk.Open(in.Path)
		if err != nil {
			return nil, closeAll, err
		}
		open = append(open, f)
		file, err := picture.OpenLarge(f, bytes, picture.Limit)
		if err != nil {
			return nil, closeAll, fmt.Errorf("%s: %w", in.Name, err)
		}
		if h := file.Headers[0]; h.Width() != size.X || h.Height() != size.Y {
			return nil, closeAll, fmt.Errorf("%s has %d × %d pixels, and is to have %d × %d", in.Name, h.Width(),
				h.Height(), size.X, size.Y)
		}
		all = append(all, &source{name: in.Name, passes: in.Passes, read: in.Read, file: file})
		there = append(there, in.Read...)
	}
	needed := needs(order)
	for _, code := range needed {
		if !slices.Contains(there, code) {
			return nil, closeAll, fmt.Errorf("no input holds %s", code)
		}
	}
	if len(needed) > 0 {
		for _, s := range all {
			s.only(needed)
		}
	}
	return all, closeAll, nil
}

// needs returns the passes that an order is made from.
func needs(order job.FollowUp) []pass.Code {
	if order.Matte != nil {
		return []pass.Code{order.Matte.Layer}
	}
	if order.Grade == nil { // what is read is looked for when it is
		return nil
	}
	return append(order.Grade.Passes(), pass.Beauty)
}

// band makes lines of the picture that is written.
func (s sources) band(order job.FollowUp, from, to int) (*pixel.Image, error) {
	if m := order.Matte; m != nil {
		coverage, err := s.coverage(*m, from, to)
		if err != nil {
			return nil, err
		}
		described, err := pass.Find(pass.MattePass(m.Code))
		if err != nil {
			return nil, err
		}
		img := &pixel.Image{Width: order.Picture.Area().Dx(), Height: to - from}
		for _, name := range described.ChannelNames() {
			img.Planes = append(img.Planes, pixel.Plane{Name: name, Data: coverage})
		}
		return img, nil
	}
	in := grade.Input{Lights: map[pass.Code][3][]float32{}, Mattes: map[string][]float32{}}
	var err error
	if in.Picture, err = s.planes(pass.Beauty, from, to); err != nil {
		return nil, err
	}
	if in.Picture.Plane("A") == nil { // the source keeps none: all of it is covered
		opaque := pixel.Plane{Name: "A", Data: make([]float32, in.Picture.Width*in.Picture.Height)}
		for i := range opaque.Data {
			opaque.Data[i] = 1
		}
		in.Picture.Planes = append(in.Picture.Planes, opaque)
	}
	if order.Grade == nil {
		return in.Picture, nil
	}
	in.Whole = order.Grade.Whole
	for _, code := range order.Grade.Read {
		img, err := s.planes(code, from, to)
		if err != nil {
			return nil, err
		}
		in.Lights[code] = [3][]float32{img.Planes[0].Data, img.Planes[1].Data, img.Planes[2].Data}
	}
	for _, m := range order.Grade.Masks {
		if in.Mattes[m.Code], err = s.coverage(m, from, to); err != nil {
			return nil, err
		}
	}
	if order.Grade.ByDepth() {
		img, err := s.planes(pass.Depth, from, to)
		if err != nil {
			return nil, err
		}
		in.Depth = img.Planes[0].Data
		for i, v := range in.Depth {
			in.Depth[i] = float32(order.Picture.Depth.Metres(float64(v)))
		}
	}
	return in.Picture, order.Grade.Apply(in)
}

// planes reads lines of a pass. Of the picture all of its planes are returned that there are.
func (s sources) planes(code pass.Code, from, to int) (*pixel.Image, error) {
	of := s.of(code)
	img, err := of.lines(from, to)
	if err != nil {
		return nil, err
	}
	described, err := pass.Find(code)
	if err != nil {
		return nil, err
	}
	names := described.ChannelNames()
	if code == pass.Beauty && img.Plane("A") == nil {
		names = names[:3]
	}
	img, err = img.Select(names...)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", of.name, err)
	}
	return img, nil
}

// coverage reads lines of a matte.
func (s sources) coverage(m pass.Matte, from, to int) ([]float32, error) {
	of := s.of(m.Layer)
	described, err := pass.Find(m.Layer)
	if err != nil {
		return nil, err
	}
	if err := of.readLines(from, to); err != nil {
		return nil, err
	}
	r, err := matte.Of(*of.stored, described.Layer)
	if err != nil {
		return nil, errors.Join(err, fmt.Errorf("%s", of.name))
	}
	return r.Pull(r.Wanted(m)), nil
}
