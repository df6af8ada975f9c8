package web

import (
	"fmt"
	"image/png"
	"math"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"reelhouse/core/imagefile"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
	"reelhouse/core/screening"
	"reelhouse/core/stamp"
	"reelhouse/house"
)

// stampPreview answers with a real frame of the production under an output's stamp, changed by what is
// being typed.
func (a *app) stampPreview(c *echo.Context) error {
	p, err := a.House.Production(c.Param("code"))
	if err != nil {
		return err
	}
	o, ok := p.FindOutput(c.QueryParam("output"))
	if !ok {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such output.")
	}
	s := o.Stamp
	s.On = true
	for _, place := range stamp.Places() {
		if typed := c.QueryParams()[string(place)]; len(typed) > 0 {
			s = s.With(place, typed[0])
		}
	}
	for name, into := range map[string]*float64{"percent": &s.Percent, "opacity": &s.Opacity} {
		if v, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(c.QueryParam(name), "%")), 64); err == nil && !math.IsNaN(v) {
			*into = v
			if name == "opacity" {
				*into = v / 100
			}
		}
	}
	if err := s.Check(); err != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, err.Error())
	}
	img, value, n, err := a.stampExample(c, p.Production, o)
	if err != nil {
		return err
	}
	filled, err := s.Fill(n, p.Version, value)
	if err != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, err.Error())
	}
	img = img.Clone()
	if err := filled.Draw(img, 1); err != nil {
		return err
	}
	shown, err := screening.Display(img, pass.Beauty, 1, 1)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", "image/png")
	h.Set("Cache-Control", "no-store")
	return (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(c.Response(), shown)
}

// stampExample returns a picture to stamp, a small one rendered for the purpose, of the first shot that has
// the output or of the first view, and what its fields say.
func (a *app) stampExample(c *echo.Context, p production.Production, o output.Output) (*pixel.Image, func(string) string, int, error) {
	shot := production.Shot{Code: "010", Name: "Example"}
	for _, s := range p.Shots {
		if slices.Contains(s.Outputs, o.Code) || shot.View == "" {
			if shot = s; slices.Contains(s.Outputs, o.Code) {
				break
			}
		}
	}
	if shot.View == "" && len(p.Views) > 0 {
		shot.View = p.Views[0].Code
	}
	v, ok := p.FindView(shot.View)
	l, laid := p.FindLook(v.Look)
	s, err := a.House.Scene(p.Scene)
	if !ok || !laid || err != nil || s.FindCamera(v.Camera) == scene.None {
		return nil, nil, 0, echo.NewHTTPError(http.StatusNotFound, "There is no view to show the stamp on yet.")
	}
	n := p.FirstFrame
	if !shot.Frames.Empty() {
		n = shot.Frames.At(shot.Frames.Count() / 2)
	}
	named := raster.Named{Code: "hd", Size: raster.Size{Width: 1920, Height: 1080}}
	if len(shot.Sizes) > 0 {
		named, _ = p.FindSize(shot.Sizes[0])
	}
	path, err := a.Thumbs.File(c.Request().Context(), smallPicture(p, v, l, named, n, stampEdge))
	if err != nil {
		return nil, nil, 0, err
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, nil, 0, err
	}
	picture, err := imagefile.Decode(data)
	if err != nil {
		return nil, nil, 0, err
	}
	clock := p.Clock()
	quality, _ := p.FindQuality(p.Quality)
	values := map[string]string{
		"production": p.Code, "title": p.Title, "shot": shot.Code, "shotname": shot.Name, "view": v.Code, "look": l.Name, "size": named.Code, "output": o.Code,
		"pass": string(pass.Beauty), "quality": quality.Name, "timecode": clock.Timecode(n).String(), "seconds": fmt.Sprintf("%.3f s", clock.Seconds(n)),
		"date": time.Now().UTC().Format(time.DateOnly), "lens": house.LensName(s, v.Camera), "rendertime": "12.3 s", "note": shot.Note,
	}
	return picture.Image, func(field string) string { return values[field] }, n, nil
}

// stampEdge is the longer edge of the picture on which a stamp is shown.
const stampEdge = 640
