package screening

import (
	"context"
	"fmt"
	"image"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/plan"
	"reelhouse/core/raster"
	"reelhouse/core/screening"
	"reelhouse/house/waiting"
	"reelhouse/store"
)

// A picture that is too large for the screen is shown smaller; what is enlarged of it is laid over that in tiles. They
// are cut from bands of lines, which are kept a while, so that nothing is read for each tile that lies beside another.

// tileEdge is the longest edge of a tile, in its own pixels.
const tileEdge = 512

// bandBytes is how much of bands is kept, and a single one however large it is: 134 MB of a picture 16384 wide.
const bandBytes = 300 << 20

// A tileAt is a tile of a picture: how many pixels of an edge of the file become one of it, and how many tiles lie left
// of it and above.
type tileAt struct{ by, x, y int }

// tileOf reads which tile an address asks for, of a picture of a size.
func tileOf(c *echo.Context, of raster.Size) (t tileAt, err error) {
	for name, to := range map[string]*int{"by": &t.by, "x": &t.x, "y": &t.y} {
		if *to, err = strconv.Atoi(c.QueryParam(name)); err != nil {
			return t, echo.NewHTTPError(http.StatusBadRequest, "Name a tile by x, y and by.")
		}
	}
	if t.by < 1 || t.by > shrunk(of) || t.by&(t.by-1) != 0 {
		return t, echo.NewHTTPError(
			http.StatusBadRequest,
			fmt.Sprintf("A tile has 1 in 1, 2, 4 … pixels of the file, and here at most 1 in %d.", shrunk(of)),
		)
	}
	if t.x < 0 || t.y < 0 || t.x > (of.Width/t.by-1)/tileEdge || t.y > (of.Height/t.by-1)/tileEdge {
		return t, echo.NewHTTPError(http.StatusNotFound, "The picture has no such tile.")
	}
	return t, nil
}

// tile answers with a tile of a pass of a frame.
func (a *page) tile(c *echo.Context) error {
	s, b, number, err := a.FrameIn(c)
	if err != nil {
		return err
	}
	code := pass.Code(c.Param("pass"))
	described, err := pass.Find(code)
	files := filesOf(s.Spec, c.QueryParam("output"))
	if err != nil || len(files) == 0 {
		return echo.NewHTTPError(http.StatusNotFound, "This frame has no file of that output and pass.")
	}
	t, err := tileOf(c, files[0].Size)
	if err != nil {
		return err
	}
	view, err := a.viewOf(c, s, b, code)
	if err != nil {
		return err
	}
	band, err := a.band(c.Request().Context(), s, b, number, c.QueryParam("output"), described, t)
	if err != nil {
		return err
	}
	cut := image.Rect(t.x*tileEdge, 0, (t.x+1)*tileEdge, band.Height).
		Intersect(image.Rect(0, 0, band.Width, band.Height))
	shown, err := screening.Look(band.Crop(cut), code, view)
	if err != nil {
		return echo.NewHTTPError(http.StatusNotFound, err.Error())
	}
	h := c.Response().Header()
	h.Set("Content-Type", "image/png")
	h.Set("Cache-Control", showing{lut: view.LUT}.maxAge())
	return screening.EncodePNG(c.Response(), shown)
}

// band returns the lines of a pass that a tile is cut from, from memory if one was cut from them before.
func (a *page) band(
	ctx context.Context, s store.Sequence, b store.Batch, number int, output string, of pass.Pass, t tileAt,
) (*pixel.Image, error) {
	key := fmt.Sprint(frameID{s.ID, number, output}, of.Code, t.by, t.y)
	return a.bands.Get(ctx, key, func(ctx context.Context) (*pixel.Image, error) {
		return waiting.In(ctx, a.reading, func() (*pixel.Image, error) {
			names := append(of.ChannelNames(), "A") // which may be looked at by itself
			return a.gather(s, number, output, func(f *picture.File, files plan.FileSequence) (*pixel.Image, error) {
				from := t.y * tileEdge
				to := min(from+tileEdge, max(1, f.Headers[0].Height()/t.by))
				return screening.Reduced(ctx, f, files.Passes, b.Plan.DepthOf(s.Spec).Style,
					screening.Reduction{By: t.by, From: from, To: to}, names...)
			})
		})
	})
}
