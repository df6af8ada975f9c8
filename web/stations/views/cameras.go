package views

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/house"
)

// exportCameras answers with a file of the cameras of all views, or of one.
func (a *page) exportCameras(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	format := house.CameraFormat(c.QueryParam("format"))
	var views []string
	if view := c.QueryParam("view"); view != "" {
		views = []string{view}
	}
	file, _, err := a.House.Cameras(p.Production, format, views...)
	if err != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, "The cameras cannot be written: "+err.Error())
	}
	name := strings.Join(append([]string{p.Code, "cameras"}, views...), "_") + "." + format.Ext()
	c.Response().
		Header().
		Set("Content-Disposition", fmt.Sprintf("attachment; filename*=UTF-8''%s", url.PathEscape(name)))
	kind := "text/plain; charset=utf-8"
	if format == house.CamerasGLTF {
		kind = "model/gltf-binary"
	}
	return c.Blob(http.StatusOK, kind, file)
}
