package web

import (
	"errors"
	"fmt"
	"io"
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
	"reelhouse/core/scene"
	"reelhouse/farm"
	"reelhouse/house"
	"reelhouse/store"
)

// bringScene takes a scene in: a file, several that belong together, or one of the folder incoming. Views are made for its cameras
// where there are none yet.
func (a *app) bringScene(c *echo.Context) error {
	p, err := a.House.Production(c.Param("code"))
	if err != nil {
		return err
	}
	kept, s, err := a.takenScene(c)
	if err != nil {
		return a.update(c, answer{production: p, station: production.Scenes, mistake: mistake{Where: "scene", Field: "file", Message: err.Error()}})
	}
	after, err := a.House.Edit(p.Code, "scene "+kept.Name, store.Any, func(p *production.Production) error {
		kept.Unit = p.Scene.Unit
		if kept.Before = p.Scene.SHA256; kept.Before == kept.SHA256 {
			kept.Before = p.Scene.Before
		}
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

// takenScene keeps what a form brings.
func (a *app) takenScene(c *echo.Context) (kept production.SceneFile, s *scene.Scene, err error) {
	if name := c.FormValue("incoming"); name != "" {
		if kept, s, err = a.House.BringIncoming(name); err != nil {
			err = fmt.Errorf("%s was not taken in. %w", name, err)
		}
		return kept, s, err
	}
	form, err := c.MultipartForm()
	if err != nil {
		return kept, nil, fmt.Errorf("the file did not arrive whole; try again")
	}
	var files []house.Beside
	for _, header := range form.File["file"] {
		files = append(files, house.Beside{Name: header.Filename, Open: func() (io.ReadCloser, error) { return header.Open() }})
	}
	switch len(files) {
	case 0:
		return kept, nil, fmt.Errorf("no file was chosen; choose a .glb file, a .gltf file with the files that it needs, or a zip archive of them")
	case 1:
		in, err := files[0].Open()
		if err != nil {
			return kept, nil, err
		}
		defer in.Close()
		if kept, s, err = a.House.BringScene(files[0].Name, in); err != nil {
			err = fmt.Errorf("%s was not taken in. %w", files[0].Name, err)
		}
		return kept, s, err
	}
	if kept, s, err = a.House.BringFiles(files); err != nil {
		err = fmt.Errorf("the files were not taken in. %w", err)
	}
	return kept, s, err
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
		Scene: p.Scene, Camera: v.Camera, Setup: v.Setup, Look: l, Rate: p.Rate, FirstFrame: p.FirstFrame, Frame: number,
		Size: size.Seen().Within(edge), Fit: size.Fit, Background: l.Over(p.Picture.Background), Environment: p.Around(l),
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
	code := v.Look
	if other := c.QueryParam("look"); other != "" {
		code = other
	}
	l, ok := p.FindLook(code)
	if !ok || p.Scene.SHA256 == "" {
		return echo.NewHTTPError(http.StatusNotFound, "The view has no look or no scene.")
	}
	size, ok := p.FindSize(c.QueryParam("size"))
	if !ok {
		size = usualSize
	}
	n, err := strconv.Atoi(c.QueryParam("frame"))
	if err != nil {
		n = p.FirstFrame
	}
	edge := thumbEdge
	if c.QueryParam("edge") == strconv.Itoa(previewEdge) {
		edge = previewEdge
	}
	t := smallPicture(p.Production, v, l, size, n, edge)
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
