package screening

import (
	"context"
	"errors"
	"fmt"
	"image"
	"io/fs"
	"net/http"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/movie"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/screening"
	"reelhouse/house/waiting"
	"reelhouse/preview"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// References are pictures and movies of others, which frames are held against.

// Of a movie several frames are decoded together, and kept a while: as many as this, and as take so many bytes.
const (
	frameOfAReel = 24
	bytesOfAReel = 64 << 20
	keptReels    = 64
	reelBytes    = 256 << 20
)

// A reel is frames of a movie that follow one another.
type reel []movie.Codes

func (r reel) size() (n int64) {
	for _, codes := range r {
		n += codes.Size()
	}
	return n
}

// referenceOf returns the reference of the production that has a number.
func (a *page) referenceOf(c *echo.Context, number string) (store.KeptReference, error) {
	all, err := a.House.Record.References(c.Param("code"))
	if err != nil {
		return store.KeptReference{}, err
	}
	for _, r := range all {
		if fmt.Sprint(r.ID) == number {
			return r, nil
		}
	}
	return store.KeptReference{}, echo.NewHTTPError(http.StatusNotFound, "There is no such reference.")
}

// referenceFrame returns a frame of a reference as linear light: of a picture the only one, of a movie that of a
// number, counted from 0. What was read is kept a while.
func (a *page) referenceFrame(ctx context.Context, r store.KeptReference, number int) (*pixel.Image, error) {
	var img *pixel.Image
	var err error
	if r.Moves() {
		if number < 0 || number >= r.Movie.Frames {
			return nil, echo.NewHTTPError(
				http.StatusNotFound, fmt.Sprintf("The movie has frames 0 to %d.", r.Movie.Frames-1),
			)
		}
		img, err = a.movieFrame(ctx, r, number)
	} else {
		img, err = a.frames.Get(ctx, "reference "+r.SHA256, func(ctx context.Context) (*pixel.Image, error) {
			return waiting.In(ctx, a.reading, func() (*pixel.Image, error) {
				return a.House.Assets.Reference(r.Reference)
			})
		})
	}
	if errors.Is(err, fs.ErrNotExist) {
		return nil, echo.NewHTTPError(http.StatusGone, "The file of reference "+r.Name+" is not there any more.")
	}
	return img, err
}

// movieFrame returns a frame of a movie as linear light.
func (a *page) movieFrame(ctx context.Context, r store.KeptReference, number int) (*pixel.Image, error) {
	bytes := 3 * r.Width * r.Height
	if r.Movie.Deep {
		bytes *= 2
	}
	together := max(1, min(frameOfAReel, bytesOfAReel/bytes))
	first := number / together * together
	frames, err := a.reels.Get(ctx, fmt.Sprint(r.SHA256, first), func(ctx context.Context) (reel, error) {
		return waiting.In(ctx, a.reading, func() (reel, error) {
			return a.House.Assets.MovieFrames(ctx, r.Reference, first, together)
		})
	})
	if err != nil {
		return nil, err
	}
	if number-first >= len(frames) {
		return nil, fmt.Errorf("reference %s ends at frame %d", r.Name, first+len(frames)-1)
	}
	return r.Movie.Light(frames[number-first])
}

// askedReference returns the reference of an address, and which of its frames.
func (a *page) askedReference(c *echo.Context) (r store.KeptReference, number int, err error) {
	if r, err = a.referenceOf(c, c.Param("reference")); err != nil {
		return r, 0, err
	}
	if number, err = strconv.Atoi(c.Param("frame")); err != nil {
		err = echo.NewHTTPError(http.StatusBadRequest, "Frames of a reference are counted from 0.")
	}
	return r, number, err
}

// showReference answers with a frame of a reference as a picture for the screen.
func (a *page) showReference(c *echo.Context) error {
	r, number, err := a.askedReference(c)
	if err != nil {
		return err
	}
	img, err := a.referenceFrame(c.Request().Context(), r, number)
	if err != nil {
		return err
	}
	view, err := a.viewOf(c, store.Sequence{}, store.Batch{}, pass.Beauty)
	if err != nil {
		return err
	}
	shown, err := screening.Look(img, pass.Beauty, view)
	if err != nil {
		return echo.NewHTTPError(http.StatusNotFound, err.Error())
	}
	h := c.Response().Header()
	h.Set("Content-Type", "image/png")
	h.Set("X-Mapping", url.PathEscape(wordsOf(r, number)+view.Mapping(pass.Beauty, pass.DepthStyle{})))
	return screening.EncodePNG(c.Response(), shown)
}

// playReference answers with a frame of a reference as it is played: a viewing file.
func (a *page) playReference(c *echo.Context) error {
	r, number, err := a.askedReference(c)
	if err != nil {
		return err
	}
	through, err := a.askedShowing(c)
	if err != nil {
		return err
	}
	viewed := preview.Viewed{
		Frame: number, Output: "reference", Pass: string(pass.Beauty), Through: through.key, SHA256: r.SHA256,
	}
	v, err := a.viewing.Get(
		c.Request().Context(), viewed, func(ctx context.Context) (*image.NRGBA, string, error) {
			img, err := a.referenceFrame(ctx, r, number)
			if err != nil {
				return nil, "", err
			}
			view := through.view()
			shown, err := screening.Look(img, pass.Beauty, view)
			if err != nil {
				return nil, "", echo.NewHTTPError(http.StatusNotFound, err.Error())
			}
			words := view.Mapping(pass.Beauty, pass.DepthStyle{}) + "; a viewing file of 8 bits"
			return smaller(shown), wordsOf(r, number) + words, nil
		},
	)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Cache-Control", through.maxAge())
	h.Set("X-Mapping", url.PathEscape(v.Words))
	return c.Blob(http.StatusOK, "image/jpeg", v.JPEG)
}

// wordsOf says what is shown of a reference.
func wordsOf(r store.KeptReference, number int) string {
	if r.Moves() {
		return fmt.Sprintf("frame %d of the movie's %d, ", number+1, r.Movie.Frames)
	}
	return "the reference, as "
}

// bringReference takes in a picture or movie that frames are held against, and shows it beside the sequence.
func (a *page) bringReference(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	file, name, err := kit.Uploaded(c, "choose a picture or a movie")
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, kit.Capital(err.Error())+".")
	}
	defer file.Close()
	r, err := a.House.Assets.ImportReference(c.Request().Context(), name, file)
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "This is no reference: "+err.Error()+".")
	}
	id, err := a.House.Record.AddReference(p.Code, r, kit.Author(c))
	if err != nil {
		return err
	}
	return a.backToRoom(c, p.Code, fmt.Sprintf("r%d", id))
}

// removeReference lets a production be without a reference.
func (a *page) removeReference(c *echo.Context) error {
	id, err := echo.PathParam[int64](c, "reference")
	if err != nil {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such reference.")
	}
	if err := a.House.Record.RemoveReference(c.Param("code"), id); err != nil {
		return err
	}
	return a.backToRoom(c, c.Param("code"), "")
}

// backToRoom goes back to the sequence that was in the room.
func (a *page) backToRoom(c *echo.Context, code, with string) error {
	query := url.Values{}
	for _, name := range []string{"sequence", "output", "frame", "pass"} {
		if value := c.FormValue(name); value != "" {
			query.Set(name, value)
		}
	}
	if with != "" {
		query.Set("with", with)
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/p/%s/screening?%s", code, query.Encode()))
}
