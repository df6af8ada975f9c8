package web

import (
	"fmt"

	"github.com/labstack/echo/v5"

	"reelhouse/core/edit"
	"reelhouse/core/production"
	"reelhouse/house"
)

// bringEnvironment takes in a picture that looks may put round the scene.
func (a *app) bringEnvironment(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	e, err := a.takenEnvironment(c)
	if err != nil {
		return a.update(
			c,
			answer{
				production: p,
				station:    viewsStation,
				mistake:    mistake{Where: "environment", Field: "file", Message: err.Error()},
			},
		)
	}
	_, after, err := a.House.Do(p.Code, house.Editing{By: author(c)}, edit.AddEnvironment{Environment: e})
	if err != nil {
		return err
	}
	a.Changes.Changed()
	return a.update(c, answer{production: after, station: viewsStation, notice: "Imported: " + e.Name + "."})
}

func (a *app) takenEnvironment(c *echo.Context) (production.EnvironmentFile, error) {
	file, name, err := uploaded(c, "choose an .exr or .hdr picture that is twice as wide as high")
	if err != nil {
		return production.EnvironmentFile{}, err
	}
	defer file.Close()
	e, err := a.House.Assets.ImportEnvironment(name, file)
	if err != nil {
		err = fmt.Errorf("%s was not imported: %w", name, err)
	}
	return e, err
}
