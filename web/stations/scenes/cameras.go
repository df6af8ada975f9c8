package scenes

import (
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/floorplan"
	"reelhouse/core/look"
	"reelhouse/core/production"
	"reelhouse/core/scene"
	"reelhouse/preview"
	"reelhouse/web/kit"
)

// A shownCamera is a camera of the scene with its picture.
type shownCamera struct {
	scene.CameraReport
	Picture kit.Thumb
	Views   []string // that look through it
}

// pictureEdge is the longer edge of a camera's picture, in pixels.
const pictureEdge = 288

// cameraPicture describes the picture of a camera, as the scene has it, in the middle of its time.
func cameraPicture(p production.Production, name string, frame int) preview.Request {
	l := look.Plain()
	if len(p.Looks) > 0 {
		l = p.Looks[0]
	}
	return preview.SmallPicture(p, production.View{Camera: name}, l, kit.UsualSize, frame, pictureEdge)
}

// plan fills in the cameras with their pictures, and the plan of everything.
func (page *scenesPage) plan(v *kit.View, s *scene.Scene) {
	p := v.Production.Production
	middle := (page.First + page.Last) / 2
	var eyes []floorplan.Eye
	for _, c := range page.Report.Cameras {
		q := url.Values{"camera": {c.Name}, "frame": {strconv.Itoa(middle)}}
		q.Set("key", cameraPicture(p, c.Name, middle).Key()[:12])
		shown := shownCamera{CameraReport: c, Picture: kit.Thumb{
			Address: v.Path("scene/picture?" + q.Encode()), Alt: "What " + c.Name + " sees", Aspect: "wide",
			Width: 176, Height: 99,
		}}
		for _, w := range p.Views {
			if slices.Contains(w.Cameras(), c.Name) {
				shown.Views = append(shown.Views, w.Code)
			}
		}
		page.Cameras = append(page.Cameras, shown)
		eyes = append(eyes, floorplan.Eye{Code: c.Name, Camera: c.Name, Size: kit.UsualSize.Size, PixelAspect: 1})
	}
	side := floorplan.Side(v.Query("side"))
	if !slices.Contains(floorplan.Sides(), side) {
		side = floorplan.Above
	}
	whole := v.Query("all") != "" || len(eyes) == 0
	link := func(side floorplan.Side, whole bool, text string, here bool) {
		q := url.Values{"side": {string(side)}}
		if whole {
			q.Set("all", "1")
		}
		page.PlanSides = append(page.PlanSides, kit.Link{Address: "scenes?" + q.Encode(), Text: text, Here: here})
	}
	for _, other := range floorplan.Sides() {
		link(other, whole, kit.SideName(other), other == side)
	}
	if len(eyes) > 0 {
		link(side, !whole, map[bool]string{true: "cameras only", false: "the whole scene"}[whole], false)
	}
	seconds := func(n int) float64 { return p.Rate.Seconds(n, p.FirstFrame) }
	page.Plan = floorplan.Draw(s, side, seconds(middle), seconds(page.First), seconds(page.Last), eyes, whole)
	page.PlanText = page.Plan.Wide / 48
}

// Ground returns what the plan shows beneath the cameras.
func (page *scenesPage) Ground() kit.PlanGround {
	return kit.PlanGround{Plan: page.Plan, Text: page.PlanText}
}

// picture answers with what a camera of the scene sees.
func (a *page) picture(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	s, err := a.House.Assets.Scene(p.Scene)
	name := c.QueryParam("camera")
	if err != nil || p.Scene.Opaque != nil || s.FindCamera(name) == scene.None {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such camera in the scene.")
	}
	n, err := strconv.Atoi(c.QueryParam("frame"))
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The frame is a whole number.")
	}
	file, err := a.Thumbs.File(c.Request().Context(), cameraPicture(p.Production, name, a.FrameNear(p.Production, n)))
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=3600") // the address tells what it depends on
	http.ServeFile(c.Response(), c.Request(), file)
	return nil
}
