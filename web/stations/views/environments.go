package views

import (
	"fmt"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/edit"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/web/kit"
)

// bringEnvironment takes in a picture that looks may put round the scene.
func (a *page) bringEnvironment(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	e, err := a.takenEnvironment(c)
	if err != nil {
		return a.Update(
			c,
			kit.Answer{
				Production: p,
				Station:    key,
				Mistake:    kit.Mistake{Where: "environment", Field: "file", Message: err.Error()},
			},
		)
	}
	_, after, err := a.House.Do(p.Code, house.Editing{By: kit.Author(c)}, edit.AddEnvironment{Environment: e})
	if err != nil {
		return err
	}
	a.Changes.Changed()
	return a.Update(c, kit.Answer{Production: after, Station: key, Notice: "Imported: " + e.Name + "."})
}

func (a *page) takenEnvironment(c *echo.Context) (production.EnvironmentFile, error) {
	file, name, err := kit.Uploaded(c, "choose an .exr or .hdr picture that is twice as wide as high")
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

// A laidEnvironment is an environment as a line of the table, with the looks that have it.
type laidEnvironment struct {
	production.EnvironmentFile
	UsedBy    string
	CodeField kit.Field
	Remove    kit.Action
	Wrong     string
}

// laidEnvironments lists the environments.
func laidEnvironments(v *kit.View) []laidEnvironment {
	var all []laidEnvironment
	for _, e := range v.Production.Environments {
		part := v.Part("environment", e.Code)
		laid := laidEnvironment{
			EnvironmentFile: e,
			CodeField:       part.Field("code", "Code", e.Code).Styled("mono font-bold", 12),
			Remove:          part.Action("remove", "Remove", "Remove this environment"),
			Wrong:           part.Wrong("remove"),
		}
		for _, l := range v.Production.Looks {
			if l.Environment.Map == e.Code {
				laid.UsedBy = strings.TrimPrefix(laid.UsedBy+", "+l.Code, ", ")
			}
		}
		all = append(all, laid)
	}
	return all
}
