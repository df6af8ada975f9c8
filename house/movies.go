package house

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"io"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"

	"reelhouse/core/delivery"
	"reelhouse/core/movie"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/screening"
	"reelhouse/core/stamp"
)

// movie makes one movie, and holds it against what it was made of.
func (m making) movie(ctx context.Context, p delivery.Product) error {
	name := p.Files[0]
	needed, err := m.missing(name)
	i := slices.IndexFunc(m.delivery.Movies, func(of delivery.Movie) bool { return of.File == name })
	if err != nil || !needed {
		return err
	}
	if i < 0 {
		return fmt.Errorf("nothing is known of %s", name)
	}
	of, programs := m.delivery.Movies[i], m.house.Assets.Movies
	codec := m.delivery.Recipe.Movie.Codec
	encoder, err := programs.Encoder(ctx, codec)
	if err != nil {
		return err
	}
	e := movie.Encoding{
		Codec: codec, Encoder: encoder, Size: of.Size, Rate: m.delivery.ShownRate(), Frames: of.Slate + len(of.Frames),
		Alpha: of.Alpha, Curve: m.view.Viewing.Curve(), PixelAspect: of.Aspect, Timecode: of.Timecode,
		Sound: m.house.Assets.SoundPath(of.Sound), Delay: float64(of.Slate) / m.delivery.ShownRate().PerSecond(),
	}
	if e.Sound != "" {
		if _, err := os.Stat(e.Sound); err != nil {
			return fmt.Errorf("the sound %s is not in the library any more; import it again", of.Sound.Name)
		}
	}
	if err := m.root.MkdirAll(path.Dir(name), 0o755); err != nil {
		return err
	}
	temp := path.Join(path.Dir(name), "."+path.Base(name)+PartMark)
	full := filepath.Join(m.root.Name(), filepath.FromSlash(temp))
	m.told.begin("making the movie of "+of.Title, e.Frames, "frame")
	samples := map[int][]byte{0: nil, e.Frames / 2: nil, e.Frames - 1: nil} // frames that it is compared in
	err = programs.Encode(ctx, e, full, func(ctx context.Context, w io.Writer) error {
		return m.frames(ctx, of, w, func(n int, codes []byte) {
			if _, wanted := samples[n]; wanted {
				samples[n] = slices.Clone(codes)
			}
			m.told.further(1, 0)
		})
	})
	if err == nil {
		m.told.begin("checking the movie of "+of.Title, 0, "")
		if err = m.house.checkMovie(ctx, e, full, samples); err != nil {
			err = fmt.Errorf("%s is not what it was made of: %w", name, err)
		}
	}
	if err == nil {
		err = synced(m.root, temp)
	}
	if err == nil {
		err = m.root.Rename(temp, name)
	}
	if err != nil {
		if free := freeBytes(m.root.Name()); free >= 0 && free < fullDisk { // which ffmpeg does not say
			err = fmt.Errorf("the disk of %s is full; make room, and go on: %w", m.root.Name(), err)
		}
		m.root.Remove(temp)
	}
	return err
}

// fullDisk is how few bytes a disk has left when a movie fails for want of them.
const fullDisk = 1 << 20

// synced brings a file safely to the disk.
func synced(root *os.Root, name string) error {
	f, err := root.OpenFile(name, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
}

// frames writes the frames of a movie as R'G'B'A of 16 bits, and tells each.
func (m making) frames(ctx context.Context, of delivery.Movie, w io.Writer, tell func(n int, codes []byte)) error {
	n := 0
	write := func(codes []byte) error {
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		if _, err := w.Write(codes); err != nil {
			return err
		}
		tell(n, codes)
		n++
		return nil
	}
	if of.Slate > 0 {
		codes, err := m.slate(of)
		for range of.Slate {
			if err == nil {
				err = write(codes)
			}
		}
		if err != nil {
			return err
		}
	}
	type made struct {
		codes []byte
		err   error
	}
	// The next frame is made while this one is encoded.
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	next := make(chan made, 1)
	go func() {
		defer close(next)
		var before delivery.MovieFrame
		var codes []byte
		for i, f := range of.Frames {
			var err error
			stamped := m.delivery.Recipe.Movie.Stamp || f.Missing != nil || before.Missing != nil
			if i == 0 || stamped || f.Part != before.Part || f.File != before.File {
				codes, err = m.frame(ctx, of, f)
			}
			before = f
			select {
			case next <- made{codes, err}:
			case <-ctx.Done():
				return
			}
			if err != nil {
				return
			}
		}
	}()
	for f := range next {
		if f.err != nil {
			return f.err
		}
		if err := write(f.codes); err != nil {
			return err
		}
	}
	if err := context.Cause(ctx); err != nil {
		return err
	}
	return nil
}

// frame makes a frame of a movie.
func (m making) frame(ctx context.Context, of delivery.Movie, f delivery.MovieFrame) ([]byte, error) {
	img := pixel.New(of.Picture.Width, of.Picture.Height, "R", "G", "B", "A")
	view := m.view
	if f.Part >= 0 {
		part := m.delivery.Parts[f.Part]
		place := fitted(of, part.Pictures.Aspect())
		picture, err := m.house.pictureOf(
			ctx, *part.Pictures, part.Pictures.Files[f.File], raster.Size{Width: place.Dx(), Height: place.Dy()},
		)
		if err != nil {
			return nil, err
		}
		view = m.view.For(part.Pictures.Encoding)
		put(img, picture, place.Min)
	}
	if m.delivery.Recipe.Movie.Stamp || f.Missing != nil {
		if err := m.stamp(f).Draw(img, max(of.Aspect, 0.01)); err != nil {
			return nil, err
		}
	}
	return codes(img, view, of), nil
}

// fitted returns where pictures of an aspect lie in a movie: all of it, if they have its shape, and in its middle
// otherwise.
func fitted(of delivery.Movie, aspect float64) image.Rectangle {
	if of.Aspect > 0 {
		aspect /= of.Aspect
	}
	width, height := of.Picture.Width, of.Picture.Height
	if across := int(float64(height)*aspect + 0.5); across < width-1 {
		width = max(1, across)
	} else if up := int(float64(width)/aspect + 0.5); up < height-1 {
		height = max(1, up)
	}
	at := image.Pt((of.Picture.Width-width)/2, (of.Picture.Height-height)/2)
	return image.Rectangle{at, at.Add(image.Pt(width, height))}
}

// put puts a picture into a larger one. One without alpha covers everything.
func put(img, picture *pixel.Image, at image.Point) {
	if picture.Plane("A") == nil {
		opaque := pixel.Plane{Name: "A", Data: make([]float32, picture.Width*picture.Height)}
		for i := range opaque.Data {
			opaque.Data[i] = 1
		}
		picture = &pixel.Image{
			Width: picture.Width, Height: picture.Height, Planes: append(slices.Clone(picture.Planes), opaque),
		}
	}
	ordered := &pixel.Image{Width: picture.Width, Height: picture.Height}
	for _, p := range img.Planes {
		ordered.Planes = append(ordered.Planes, *picture.Plane(p.Name))
	}
	img.Paste(ordered, at.X, at.Y)
}

// movieStamp is what is burnt into movies.
var movieStamp = stamp.Stamp{On: true, Percent: 4.5, Opacity: 0.8}

// stamp returns what is burnt into a frame.
func (m making) stamp(f delivery.MovieFrame) stamp.Stamp {
	s := movieStamp
	if m.delivery.Recipe.Movie.Stamp {
		if f.Part >= 0 {
			part := m.delivery.Parts[f.Part]
			shown := part.Pictures.Files[f.File].Frame
			s.Lines = append(s.Lines,
				stamp.Line{Place: stamp.TopLeft, Text: m.delivery.Production + "  " + part.Shot + " " + part.ShotName},
				stamp.Line{Place: stamp.TopRight, Text: fmt.Sprintf("v%03d", part.Version)},
				stamp.Line{Place: stamp.BottomLeft, Text: part.View},
				stamp.Line{Place: stamp.BottomMiddle, Text: fmt.Sprintf("%04d", shown)},
			)
		}
		s.Lines = append(s.Lines, stamp.Line{Place: stamp.BottomRight, Text: f.Timecode})
	}
	if f.Missing != nil {
		s.Lines = append(
			s.Lines,
			stamp.Line{Place: stamp.TopMiddle, Text: fmt.Sprintf("held, %d is missing", *f.Missing)},
		)
	}
	return s
}

// slate makes the frame that says what a movie is.
func (m making) slate(of delivery.Movie) ([]byte, error) {
	img := pixel.New(of.Picture.Width, of.Picture.Height, "R", "G", "B", "A")
	for i := range img.Planes[3].Data {
		for c := range 3 {
			img.Planes[c].Data[i] = 0.02
		}
		img.Planes[3].Data[i] = 1
	}
	versions := ""
	if len(m.delivery.Parts) > 0 {
		versions = fmt.Sprintf("v%03d", m.delivery.Parts[max(0, of.Frames[0].Part)].Version)
	}
	s := stamp.Stamp{On: true, Percent: 6, Opacity: 1, Lines: []stamp.Line{
		{Place: stamp.TopLeft, Text: m.delivery.Title}, {Place: stamp.TopRight, Text: versions},
		{Place: stamp.TopMiddle, Text: of.Title},
		{Place: stamp.BottomLeft, Text: fmt.Sprintf("%d frames, %s", len(of.Frames), m.delivery.ShownRate())},
		{Place: stamp.BottomMiddle, Text: m.delivery.Recipe.For},
		{Place: stamp.BottomRight, Text: m.begun.Begun.UTC().Format("2006-01-02")},
	}}
	s.Lines = slices.DeleteFunc(s.Lines, func(l stamp.Line) bool { return l.Text == "" })
	if err := s.Draw(img, max(of.Aspect, 0.01)); err != nil {
		return nil, err
	}
	return codes(img, screening.Plain(1, 1), of), nil
}

// codes returns light as a view shows it, as R'G'B'A of 16 bits, the greater byte first, with what lies beside the
// picture in black. Alpha is straight where it is kept; otherwise light stands over black.
func codes(img *pixel.Image, view screening.View, of delivery.Movie) []byte {
	out := make([]byte, 8*of.Size.Width*of.Size.Height)
	r, g, b, alpha := img.Planes[0].Data, img.Planes[1].Data, img.Planes[2].Data, img.Planes[3].Data
	show := view.Codes16()
	pixel.Bands(of.Size.Height, func(from, behind int) {
		for y := from; y < behind; y++ {
			for x := range of.Size.Width {
				at := 8 * (y*of.Size.Width + x)
				inside := x < img.Width && y < img.Height
				a := float32(1)
				if inside {
					i := y*img.Width + x
					by := float32(1)
					if of.Alpha {
						if a = min(1, max(0, alpha[i])); a > 0 {
							by = 1 / a
						}
					}
					cr, cg, cb := show(r[i]*by, g[i]*by, b[i]*by)
					if of.Alpha && !of.Straight { // codes are multiplied, as programs that read them divide them
						cr, cg, cb = times(cr, a), times(cg, a), times(cb, a)
					}
					binary.BigEndian.PutUint16(out[at:], cr)
					binary.BigEndian.PutUint16(out[at+2:], cg)
					binary.BigEndian.PutUint16(out[at+4:], cb)
				} else if of.Alpha {
					a = 0
				}
				binary.BigEndian.PutUint16(out[at+6:], uint16(a*65535+0.5))
			}
		}
	})
	return out
}

// times multiplies a code by coverage.
func times(code uint16, a float32) uint16 { return uint16(float32(code)*a + 0.5) }

// checkMovie holds a movie against what it was made of: its frames are counted by decoding them, and some compared.
func (h *House) checkMovie(ctx context.Context, e movie.Encoding, path string, samples map[int][]byte) error {
	programs := h.Assets.Movies
	f, width, height, err := programs.Facts(ctx, path)
	switch {
	case err != nil:
		return err
	case f.Frames != e.Frames:
		return fmt.Errorf("it has %d frames, and was given %d", f.Frames, e.Frames)
	case f.Rate != e.Rate && e.Codec != movie.GIF:
		return fmt.Errorf("it has %s, and was given %s", f.Rate, e.Rate)
	case width != e.Size.Width || height != e.Size.Height:
		return fmt.Errorf("it has %d × %d pixels, and was given %s", width, height, e.Size)
	}
	if n, err := programs.Count(ctx, path); err != nil || n != e.Frames {
		return errors.Join(err, fmt.Errorf("%d of its %d frames can be decoded", n, e.Frames))
	}
	for _, n := range slices.Sorted(maps.Keys(samples)) {
		got, err := programs.Frame(ctx, e, path, f, n)
		if err != nil {
			return err
		}
		if err := e.Accept(movie.Compare(samples[n], got)); err != nil {
			return fmt.Errorf("frame %d of %d: %w", n+1, e.Frames, err)
		}
	}
	return nil
}
