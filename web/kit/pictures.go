package kit

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/preview"
)

// PointOf reads a point of a picture, in parts of its width and height.
func PointOf(text string) (x, y float64, err error) {
	if n, err := fmt.Sscanf(text, "%g,%g", &x, &y); n != 2 || err != nil || !(x >= 0 && x <= 1 && y >= 0 && y <= 1) {
		return 0, 0, echo.NewHTTPError(
			http.StatusBadRequest, "A point is two numbers from 0 to 1, from the top left corner.",
		)
	}
	return x, y, nil
}

// thumbEdge is the longer edge of a small picture, in pixels.
const thumbEdge = 288

// thumb returns the address of the small picture of a view at a frame, in the shape of a size. It changes with what the
// picture depends on, since browsers do not ask again for a picture that they have shown on the same page.
func (v *View) Thumb(code, size string, number int) string {
	return v.ThumbUnder(code, "", size, number)
}

// ThumbUnder is Thumb under another look than the view's own, if one is named.
func (v *View) ThumbUnder(code, look, size string, number int) string {
	p := v.Production.Production
	q := url.Values{"view": {code}, "size": {size}, "frame": {strconv.Itoa(number)}}
	shown, _ := p.FindView(code)
	if look == "" || look == shown.Look {
		look = shown.Look
	} else {
		q.Set("look", look)
	}
	if l, ok := p.FindLook(look); ok {
		named, found := p.FindSize(size)
		if !found {
			named = UsualSize
		}
		q.Set("key", preview.SmallPicture(p, shown, l, named, number, thumbEdge).Key()[:12])
	}
	return "/p/" + url.PathEscape(p.Code) + "/thumb?" + q.Encode()
}

// Wanted reads which picture a request asks for: a view at a frame, under its own look or another one, in the shape of
// a size. With try it is the view as it would be after the edit of that name.
func (a *App) Wanted(c *echo.Context, edge int) (preview.Request, production.Production, error) {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return preview.Request{}, production.Production{}, err
	}
	v, ok := p.FindView(c.QueryParam("view"))
	if !ok {
		return preview.Request{}, p.Production, echo.NewHTTPError(http.StatusNotFound, "There is no such view.")
	}
	n := a.frameOf(p.Production, c.QueryParam("frame"))
	if name := c.QueryParam("try"); name != "" {
		query := c.QueryParams()
		query.Set("of", v.Code)
		query.Set("frame", strconv.Itoa(n))
		tried, err := a.tried(p.Production, name, query)
		if err != nil {
			return preview.Request{}, p.Production, echo.NewHTTPError(http.StatusUnprocessableEntity, err.Error())
		}
		v, _ = tried.FindView(v.Code)
	}
	code := v.Look
	if other := c.QueryParam("look"); other != "" {
		code = other
	}
	l, ok := p.FindLook(code)
	if !ok || p.Scene.SHA256 == "" {
		return preview.Request{}, p.Production, echo.NewHTTPError(http.StatusNotFound,
			"The view has no look or no scene.")
	}
	size, ok := p.FindSize(c.QueryParam("size"))
	if !ok {
		size = UsualSize
	}
	return preview.SmallPicture(p.Production, v, l, size, n, edge), p.Production, nil
}

// tried returns a production as it would be after an edit of a view.
func (a *App) tried(p production.Production, name string, form url.Values) (production.Production, error) {
	command, err := bind(name, form)
	if err != nil {
		return p, err
	}
	return a.House.Try(p, command)
}

// frameOf reads a frame number, near one that there is.
func (a *App) frameOf(p production.Production, text string) int {
	n, err := strconv.Atoi(text)
	if err != nil {
		return p.FirstFrame
	}
	return a.FrameNear(p, n)
}

// FrameNear returns a frame, or for one that neither the scene, nor a camera's keys, nor any shot has, the nearest that
// one of them has: pictures of all the others would only be others of the same.
func (a *App) FrameNear(p production.Production, n int) int {
	first, last := p.FirstFrame, p.FirstFrame
	if s, err := a.House.Assets.Scene(p.Scene); err == nil {
		last = max(last, house.LastFrame(p, s))
	}
	for _, shot := range p.Shots {
		if rendered := p.RenderedOf(shot); !rendered.Empty() {
			first, last = min(first, rendered.First()), max(last, rendered.Last())
		}
	}
	for _, v := range p.Views {
		if v.Setup.Motion != nil {
			from, to := v.Setup.Motion.Span()
			first, last = min(first, from), max(last, to)
		}
	}
	return min(max(n, first), last)
}

// thumb answers with the small picture of a view, which is rendered by the farm's renderer and kept.
func (a *App) thumb(c *echo.Context) error {
	t, _, err := a.Wanted(c, thumbEdge)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-cache")
	c.Response().Header().Set("ETag", `"`+t.Key()+`"`)
	if c.Request().Header.Get("If-None-Match") == `"`+t.Key()+`"` {
		return c.NoContent(http.StatusNotModified)
	}
	file, err := a.Thumbs.File(c.Request().Context(), t)
	if err != nil {
		return err
	}
	http.ServeFile(c.Response(), c.Request(), file)
	return nil
}

// preview answers with a picture of a view that is rendered at once, at one of the steps of preview.Steps.
func (a *App) preview(c *echo.Context) error {
	t, _, err := a.Wanted(c, PreviewEdge)
	if err != nil {
		return err
	}
	steps := preview.Steps()
	step, err := strconv.Atoi(c.QueryParam("step"))
	if err != nil || step < 0 || step >= len(steps) {
		return echo.NewHTTPError(http.StatusBadRequest, fmt.Sprintf("There are the steps 0 to %d.", len(steps)-1))
	}
	picture, err := a.Previews.Picture(c.Request().Context(), t, steps[step])
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Blob(http.StatusOK, "image/png", picture)
}

// PreviewEdge is the longer edge of the picture of an open view, in pixels.
const PreviewEdge = 480
