package output

import (
	"image/png"
	"math"
	"net/http"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"reelhouse/core/camera"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/screening"
	"reelhouse/core/stamp"
	"reelhouse/house"
	"reelhouse/preview"
)

// stampPreview answers with a real frame of the production under an output's stamp, changed by what is
// being typed.
func (a *page) stampPreview(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
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
		if v, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(c.QueryParam(name), "%")),
			64); err == nil &&
			!math.IsNaN(v) {
			*into = v
			if name == "opacity" {
				*into = v / 100
			}
		}
	}
	if err := s.Check(); err != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, err.Error())
	}
	img, facts, n, err := a.stampExample(c, p.Production, o)
	if err != nil {
		return err
	}
	filled, err := s.Fill(n, p.Version, facts.Value)
	if err != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, err.Error())
	}
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
func (a *page) stampExample(
	c *echo.Context, p production.Production, o output.Output,
) (img *pixel.Image, facts stamp.Facts, frame int, err error) {
	shot, v, named := example(p, o.Code)
	s, err := a.House.Assets.Scene(p.Scene)
	if err == nil {
		_, err = camera.SourceOf(s, v.Camera)
	}
	if v.Look == nil || err != nil {
		return nil, facts, 0, echo.NewHTTPError(http.StatusNotFound, "There is no view to show the stamp on yet.")
	}
	n, l := p.FirstFrame, *v.Look
	if !shot.Frames.Empty() {
		n = shot.Frames.At(shot.Frames.Count() / 2)
	}
	path, err := a.Thumbs.File(c.Request().Context(), preview.SmallPicture(p, *v.View, l, named, n, stampEdge))
	if err != nil {
		return nil, facts, 0, err
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, facts, 0, err
	}
	picture, err := picture.Decode(data)
	if err != nil {
		return nil, facts, 0, err
	}
	clock := p.Clock()
	quality := p.ResolvedShot(shot).Quality
	return picture.Image, stamp.Facts{
		Fields: naming.Fields{
			Production: p.Code,
			Shot:       shot.Code,
			View:       v.Code,
			Look:       l.Name,
			Size:       named.Code,
			Output:     o.Code,
			Pass:       string(pass.Beauty),
			Quality:    quality.Name,
		},
		Title: p.Title, ShotName: shot.Name, Timecode: clock.Timecode(n).String(), Seconds: clock.Seconds(n),
		Lens: house.LensName(s, v.Camera, v.Setup.At(float64(n))), Note: shot.Note, Label: shot.Label(n),
		Sent: time.Now(), Took: exampleTook,
	}, n, nil
}

// example returns what a stamp is shown on: the first shot that has the output, or else the first with a view, with its
// first view and size; without any, a view of no shot.
func example(p production.Production, code string) (production.Shot, production.SeenView, raster.Named) {
	named := raster.Named{Code: "hd", Size: raster.Size{Width: 1920, Height: 1080}}
	var found *production.RenderedShot
	set := p.Resolve()
	for i := range set.Shots {
		s := &set.Shots[i]
		if len(s.Views) == 0 {
			continue
		}
		if s.HasOutput(code) {
			found = s
			break
		}
		if found == nil {
			found = s
		}
	}
	if found != nil {
		if len(found.Sizes) > 0 {
			named = *found.Sizes[0]
		}
		return *found.Shot, found.Views[0], named
	}
	shot := production.Shot{Code: "010", Name: "Example"}
	if len(p.Views) > 0 {
		shot.View = p.Views[0].Code
	}
	v, _ := p.ResolvedShot(shot).Seen(shot.View)
	return shot, v, named
}

// exampleTook stands for the time that a frame will take.
const exampleTook = 12300 * time.Millisecond

// stampEdge is the longer edge of the picture on which a stamp is shown.
const stampEdge = 640
