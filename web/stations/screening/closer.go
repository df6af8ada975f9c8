package screening

import (
	"encoding/json"
	"image"
	"math"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/pass"
	"reelhouse/core/screening"
	"reelhouse/store"
)

// channelsOf returns what may be looked at by itself of passes, as JSON.
func channelsOf(passes []pass.Pass) (string, error) {
	by := map[pass.Code][]string{}
	for _, p := range passes {
		by[p.Code] = screening.Channels(p.Code)
	}
	text, err := json.Marshal(by)
	return string(text), err
}

// viewOf reads how a pass is to be looked at.
func (a *page) viewOf(c *echo.Context, s store.Sequence, b store.Batch, code pass.Code) (screening.View, error) {
	through, err := a.askedShowing(c)
	if files := filesOf(s.Spec, c.QueryParam("output")); len(files) > 0 {
		through = through.of(files[0].Encoding)
	}
	view := through.view()
	if err != nil {
		return view, err
	}
	stops, err := strconv.ParseFloat(c.QueryParamOr("stops", "0"), 64)
	if err != nil || !(math.Abs(stops) <= 20) {
		return view, echo.NewHTTPError(http.StatusBadRequest, "Exposure lies between −20 and 20 stops.")
	}
	view.Gain = math.Exp2(stops)
	view.Gamma, err = strconv.ParseFloat(c.QueryParamOr("gamma", "1"), 64)
	if err != nil || !(view.Gamma >= screening.LeastGamma && view.Gamma <= screening.MostGamma) {
		return view, echo.NewHTTPError(http.StatusBadRequest, "Gamma lies between 0.1 and 10.")
	}
	view.Channel, view.Marked = c.QueryParam("channel"), c.QueryParam("marks") != ""
	if described, err := pass.Find(code); err == nil && described.Shown == pass.AsDistance {
		if view.DepthFar, err = a.depthFar(c.Request().Context(), s, b, code, c.QueryParam("output")); err != nil {
			return view, err
		}
	}
	return view, nil
}

// spread answers with how the values of a pass are spread in a frame, or in a place of it.
func (a *page) spread(c *echo.Context) error {
	place, err := placeOf(c.QueryParam("place"))
	if err != nil {
		return err
	}
	img, s, err := a.loaded(c)
	if err != nil {
		return err
	}
	b, err := a.House.Record.BatchAlone(s.BatchID)
	if err != nil {
		return err
	}
	code := pass.Code(c.Param("pass"))
	view, err := a.viewOf(c, s, b, code)
	if err != nil {
		return err
	}
	part := image.Rect(0, 0, img.Width, img.Height)
	if place != nil { // in pixels of the file, of which several may be one here
		files := filesOf(s.Spec, c.QueryParam("output"))
		k := shrunk(files[0].Size)
		part = image.Rect(place.X/k, place.Y/k, (place.X+place.Width-1)/k+1,
			(place.Y+place.Height-1)/k+1).Intersect(part)
	}
	found, err := screening.Measure(img, part, code, view)
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, err.Error())
	}
	return c.JSON(http.StatusOK, found)
}
