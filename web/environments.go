package web

import (
	"fmt"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/naming"
	"reelhouse/core/production"
	"reelhouse/store"
)

// bringEnvironment takes in a picture that looks may put round the scene.
func (a *app) bringEnvironment(c *echo.Context) error {
	p, err := a.House.Production(c.Param("code"))
	if err != nil {
		return err
	}
	e, err := a.takenEnvironment(c)
	if err != nil {
		return a.update(c, answer{production: p, station: production.Views, mistake: mistake{Where: "environment", Field: "file", Message: err.Error()}})
	}
	after, err := a.House.Edit(p.Code, "environment "+e.Name, store.Any, func(p *production.Production) error {
		taken := func(code string) bool { _, ok := p.FindEnvironment(code); return ok }
		name, _, _ := strings.Cut(e.Name, ".")
		if e.Code = strings.Trim((naming.Rules{}).Clean(name), "-_"); !naming.ValidCode(e.Code) || taken(e.Code) {
			e.Code = fresh("environment", len(p.Environments), taken)
		}
		p.Environments = append(p.Environments, e)
		return nil
	})
	if err != nil {
		return err
	}
	a.Hub().Changed()
	return a.update(c, answer{production: after, station: production.Views, notice: "Taken in: " + e.Name + "."})
}

func (a *app) takenEnvironment(c *echo.Context) (production.EnvironmentFile, error) {
	file, name, err := uploaded(c, "choose an .exr or .hdr picture that is twice as wide as high")
	if err != nil {
		return production.EnvironmentFile{}, err
	}
	defer file.Close()
	e, err := a.House.BringEnvironment(name, file)
	if err != nil {
		err = fmt.Errorf("%s was not taken in. %w", name, err)
	}
	return e, err
}

// environment applies an edit of an environment. Looks that name it follow its code.
func (e edit) environment(p *production.Production) error {
	i, err := at(e, p.Environments, func(x production.EnvironmentFile) string { return x.Code })
	if err != nil {
		return err
	}
	switch code := p.Environments[i].Code; e.field {
	case "code":
		for k := range p.Looks {
			if p.Looks[k].Environment.Map == code {
				p.Looks[k].Environment.Map = e.value
			}
		}
		p.Environments[i].Code = e.value
	case "remove":
		for _, l := range p.Looks {
			if l.Environment.Map == code {
				return fmt.Errorf("look %s has this environment; choose another there first", l.Code)
			}
		}
		p.Environments = slices.Delete(p.Environments, i, i+1)
	default:
		return errChoice
	}
	return nil
}
