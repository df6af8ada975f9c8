package web

import (
	"errors"
	"fmt"
	"mime/multipart"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/look"
	"reelhouse/core/naming"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/farm"
	"reelhouse/house"
	"reelhouse/store"
)

// bringScene takes a scene file in; views are made for its cameras where there are none yet.
func (a *app) bringScene(c *echo.Context) error {
	p, err := a.House.Production(c.Param("code"))
	if err != nil {
		return err
	}
	refuse := func(message string) error {
		return a.update(c, answer{production: p, station: production.Scenes, mistake: mistake{Where: "scene", Field: "file", Message: message}})
	}
	file, name, err := uploaded(c, "choose a .glb file, or a .gltf file with everything embedded")
	if err != nil {
		return refuse(err.Error())
	}
	defer file.Close()
	kept, s, err := a.House.BringScene(name, file)
	if err != nil {
		return refuse(name + " was not taken in. " + err.Error())
	}
	after, err := a.House.Edit(p.Code, "scene "+kept.Name, store.Any, func(p *production.Production) error {
		p.Scene = kept
		for _, camera := range house.CameraNames(s) {
			if slices.ContainsFunc(p.Views, func(v production.View) bool { return v.Camera == camera }) {
				continue
			}
			code := strings.Trim((naming.Rules{}).Clean(strings.TrimPrefix(camera, "cam_")), "-_")
			if _, taken := p.FindView(code); taken || code == "" || len(code) > 32 {
				code = fresh("view", len(p.Views), func(c string) bool { _, ok := p.FindView(c); return ok })
			}
			p.Views = append(p.Views, production.View{Code: code, Name: camera, Camera: camera, Look: p.Looks[0].Code})
		}
		return nil
	})
	if err != nil {
		return err
	}
	a.Hub().Changed()
	return a.update(c, answer{production: after, station: production.Scenes, notice: "Taken in: " + kept.Name + "."})
}

// uploaded returns the file of a form, with its name; the error says what to do instead.
func uploaded(c *echo.Context, choose string) (multipart.File, string, error) {
	header, err := c.FormFile("file")
	if errors.Is(err, http.ErrMissingFile) {
		return nil, "", fmt.Errorf("no file was chosen; %s", choose)
	}
	if err == nil {
		var file multipart.File
		if file, err = header.Open(); err == nil {
			return file, header.Filename, nil
		}
	}
	return nil, "", fmt.Errorf("the file did not arrive whole; try again")
}

// thumbEdge is the longer edge of a small picture, in pixels.
const thumbEdge = 288

// smallPicture describes a picture of a view at a frame, in the shape of a size, edge pixels long at most.
func smallPicture(p production.Production, v production.View, l look.Look, size raster.Named, number, edge int) farm.Thumb {
	return farm.Thumb{
		Scene: p.Scene.SHA256, Camera: v.Camera, Look: l, Rate: p.Rate, FirstFrame: p.FirstFrame, Frame: number,
		Size: size.Seen().Within(edge), Fit: size.Fit, Background: p.Picture.Background,
	}
}

// thumb answers with the small picture of a view at a frame, in the shape of a size.
func (a *app) thumb(c *echo.Context) error {
	p, err := a.House.Production(c.Param("code"))
	if err != nil {
		return err
	}
	v, ok := p.FindView(c.QueryParam("view"))
	if !ok {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such view.")
	}
	l, ok := p.FindLook(v.Look)
	if !ok || p.Scene.SHA256 == "" {
		return echo.NewHTTPError(http.StatusNotFound, "The view has no look or no scene.")
	}
	size, ok := p.FindSize(c.QueryParam("size"))
	if !ok {
		size = raster.Named{Size: raster.Size{Width: 1920, Height: 1080}}
	}
	n, err := strconv.Atoi(c.QueryParam("frame"))
	if err != nil {
		n = p.FirstFrame
	}
	t := smallPicture(p.Production, v, l, size, n, thumbEdge)
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
