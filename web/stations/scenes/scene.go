package scenes

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/assets"
	"reelhouse/core/edit"
	"reelhouse/core/production"
	"reelhouse/core/scene"
	"reelhouse/house"
	"reelhouse/web/kit"
)

// bringScene takes a scene in: a file, several that belong together, or one of the folder incoming. Views are made for
// its cameras where there are none yet.
func (a *page) bringScene(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	kept, s, err := a.takenScene(c)
	if err != nil {
		return a.Update(
			c,
			kit.Answer{
				Production: p,
				Station:    key,
				Mistake:    kit.Mistake{Where: "scene", Field: "file", Message: err.Error()},
			},
		)
	}
	return a.keepScene(c, p.Code, kept, house.CameraNames(s))
}

// keepScene makes an imported scene the production's, and views of its cameras.
func (a *page) keepScene(c *echo.Context, code string, kept production.SceneFile, cameras []string) error {
	_, after, err := a.House.Do(code, house.Editing{By: kit.Author(c)}, edit.UseScene{Scene: kept, Cameras: cameras})
	if err != nil {
		return err
	}
	a.Changes.Changed()
	return a.Update(c, kit.Answer{Production: after, Station: key, Notice: "Imported: " + kept.Name + "."})
}

// registerScene takes in a file that only an outside renderer understands, with what a person says of it.
func (a *page) registerScene(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	kept, err := a.opaqueScene(c, p.Production)
	if err != nil {
		return a.Update(
			c,
			kit.Answer{
				Production: p,
				Station:    key,
				Mistake:    kit.Mistake{Where: "scene", Field: "opaque", Message: err.Error()},
			},
		)
	}
	return a.keepScene(c, p.Code, kept, kept.Opaque.Cameras)
}

func (a *page) opaqueScene(c *echo.Context, p production.Production) (production.SceneFile, error) {
	var o production.Opaque
	for _, name := range strings.FieldsFunc(c.FormValue("cameras"),
		func(r rune) bool { return r == ',' || r == '\n' || r == '\r' }) {
		if name = strings.TrimSpace(name); name != "" {
			o.Cameras = append(o.Cameras, name)
		}
	}
	if last := strings.TrimSpace(c.FormValue("last")); last != "" {
		n, err := strconv.Atoi(last)
		if err != nil || n < p.FirstFrame {
			return production.SceneFile{}, fmt.Errorf("%q is not the number of a frame from %d on", last, p.FirstFrame)
		}
		o.Seconds = p.Rate.Seconds(n, p.FirstFrame)
	}
	file, name, err := kit.Uploaded(c, "choose the scene file")
	if err != nil {
		return production.SceneFile{}, err
	}
	defer file.Close()
	return a.House.Assets.ImportOpaque(name, file, o)
}

// takenScene keeps what a form brings.
func (a *page) takenScene(c *echo.Context) (kept production.SceneFile, s *scene.Scene, err error) {
	if name := c.FormValue("incoming"); name != "" {
		if kept, s, err = a.House.Assets.ImportIncoming(name); err != nil {
			err = fmt.Errorf("%s was not imported: %w", name, err)
		}
		return kept, s, err
	}
	form, err := c.MultipartForm()
	if err != nil {
		return kept, nil, fmt.Errorf("the file did not arrive whole; try again")
	}
	var files []assets.Sidecar
	for _, header := range form.File["file"] {
		files = append(
			files,
			assets.Sidecar{Name: header.Filename, Open: func() (io.ReadCloser, error) { return header.Open() }},
		)
	}
	switch len(files) {
	case 0:
		return kept, nil, fmt.Errorf(
			"no file was chosen; choose a .glb file, a .gltf file with the files that it needs, or a zip archive of " +
				"them",
		)
	case 1:
		in, err := files[0].Open()
		if err != nil {
			return kept, nil, err
		}
		defer in.Close()
		if kept, s, err = a.House.Assets.ImportScene(files[0].Name, in); err != nil {
			err = fmt.Errorf("%s was not imported: %w", files[0].Name, err)
		}
		return kept, s, err
	}
	if kept, s, err = a.House.Assets.ImportFiles(files); err != nil {
		err = fmt.Errorf("the files were not imported: %w", err)
	}
	return kept, s, err
}
