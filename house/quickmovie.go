package house

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"

	"reelhouse/core/delivery"
	"reelhouse/core/movie"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

// A QuickPicture is a picture of a view that is drawn for a movie, before anything is rendered.
type QuickPicture struct {
	View  production.SeenView
	Size  raster.Named // whose shape it has
	Frame int
}

// quickEdge is the longer edge of a movie of quick pictures, in pixels.
const quickEdge = 480

// QuickMovie writes a movie of a production's cut to a path, with its tracks, speeds, holds and sound, of pictures that
// draw makes: light, edge pixels long at most. It is H.264, and says in each frame that it is of quick pictures. It is
// checked as movies of finished frames are, and is there wholly or not at all. tell is told how many frames are done.
func (h *House) QuickMovie(
	ctx context.Context, p production.Production, path string,
	draw func(ctx context.Context, of QuickPicture, edge int) (*pixel.Image, error), tell func(done, all int),
) error {
	frames, like, err := quickFrames(p)
	if err != nil {
		return err
	}
	programs := h.Assets.Movies
	encoder, err := programs.Encoder(ctx, movie.H264)
	if err != nil {
		return err
	}
	view, err := h.View(p.Standards, p.Picture.Viewing)
	if err != nil {
		return err
	}
	of := delivery.Movie{Picture: like.Seen().Within(quickEdge)}
	of.Size = movie.Even(of.Picture)
	e := movie.Encoding{
		Codec: movie.H264, Encoder: encoder, Size: of.Size, Rate: p.Rate, Frames: len(frames),
		Curve: view.Viewing.Curve(), Timecode: frames[0].timecode, Sound: h.Assets.SoundPath(p.Cut.Sound),
	}
	temp := path + PartMark
	samples := map[int][]byte{0: nil, e.Frames / 2: nil, e.Frames - 1: nil}
	err = programs.Encode(ctx, e, temp, func(ctx context.Context, w io.Writer) error {
		for n, f := range frames {
			if err := context.Cause(ctx); err != nil {
				return err
			}
			img, err := f.picture(ctx, of, draw)
			if err != nil {
				return fmt.Errorf("frame %d of %s: %w", f.shown.Frame, f.title, err)
			}
			shown := codes(img, view, of)
			if _, wanted := samples[n]; wanted {
				samples[n] = slices.Clone(shown)
			}
			if _, err := w.Write(shown); err != nil {
				return err
			}
			tell(n+1, e.Frames)
		}
		return nil
	})
	if err == nil {
		err = h.checkMovie(ctx, e, temp, samples)
	}
	if err == nil {
		err = os.Rename(temp, path)
	}
	if err != nil {
		os.Remove(temp)
	}
	return err
}

// A quickFrame is a frame of a movie of quick pictures.
type quickFrame struct {
	title    string // of its shot, "" where nothing is seen
	shown    *QuickPicture
	timecode string
}

// quickFrames returns what each frame of a cut shows, and the size whose shape the first one has.
func quickFrames(p production.Production) (all []quickFrame, like raster.Named, err error) {
	if p.Cut.Length() == 0 {
		return nil, like, errors.New("there is no cut that a movie could be made of")
	}
	if p.Cut.Length() < 2 || p.Cut.Length() > movie.MostFrames {
		return nil, like, fmt.Errorf("a movie has 2 to %d frames, and the cut has %d", movie.MostFrames, p.Cut.Length())
	}
	shots := map[string]production.RenderedShot{}
	for _, s := range p.Resolve().Shots {
		shots[s.Shot.Code] = s
	}
	clock := p.Clock()
	for _, span := range p.Cut.Seen() {
		shot := shots[span.Clip.Shot]
		var view production.SeenView
		seen := false
		if !span.Gap() && shot.Shot != nil {
			view, seen = shot.Seen(span.Clip.View)
		}
		for n := span.From; n < span.To; n++ {
			f := quickFrame{timecode: clock.Count.Timecode(p.Cut.Start + n).String()}
			if seen && view.Look != nil && len(shot.Sizes) > 0 {
				if like.Code == "" {
					like = *shot.Sizes[0]
				}
				f.title = shot.Shot.Code + " " + shot.Shot.Name
				f.shown = &QuickPicture{View: view, Size: *shot.Sizes[0], Frame: span.Clip.SourceAt(n)}
			}
			all = append(all, f)
		}
	}
	if like.Code == "" {
		err = errors.New("no clip of the cut shows a shot that has a view, a look and a size")
	}
	return all, like, err
}

// picture draws the frame: black where nothing is seen, otherwise the view in the middle, with what says so.
func (f quickFrame) picture(
	ctx context.Context, of delivery.Movie,
	draw func(ctx context.Context, of QuickPicture, edge int) (*pixel.Image, error),
) (*pixel.Image, error) {
	img := pixel.New(of.Picture.Width, of.Picture.Height, "R", "G", "B", "A")
	s := movieStamp
	s.Lines = []stamp.Line{{Place: stamp.BottomRight, Text: f.timecode}}
	if f.shown != nil {
		size := f.shown.Size.Seen()
		place := fitted(of, float64(size.Width)/float64(size.Height))
		drawn, err := draw(ctx, *f.shown, max(place.Dx(), place.Dy()))
		if err != nil {
			return nil, err
		}
		if drawn.Width != place.Dx() || drawn.Height != place.Dy() { // rounding
			drawn = drawn.Resize(place.Dx(), place.Dy(), pixel.Triangle, func(string) bool { return true })
		}
		put(img, drawn, place.Min)
		s.Lines = append(s.Lines, stamp.Line{Place: stamp.TopLeft, Text: f.title},
			stamp.Line{Place: stamp.BottomMiddle, Text: fmt.Sprintf("%04d", f.shown.Frame)},
			stamp.Line{Place: stamp.BottomLeft, Text: f.shown.View.Code},
			stamp.Line{Place: stamp.TopRight, Text: "quick picture"})
	}
	return img, s.Draw(img, 1)
}

// CheckQuickMovie says why no movie of quick pictures can be made of a production's cut, nil for nothing.
func CheckQuickMovie(p production.Production) error {
	_, _, err := quickFrames(p)
	if err == nil && p.Scene.Opaque != nil {
		err = fmt.Errorf("%s can be read by its own renderer only", p.Scene.Name)
	}
	return err
}
