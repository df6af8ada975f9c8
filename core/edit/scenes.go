package edit

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/naming"
	"reelhouse/core/production"
)

// UseScene makes a scene that was imported the production's, and views of those of its cameras that no view shows yet.
// Of a scene without cameras, the first view gets one of its own.
type UseScene struct {
	Scene   production.SceneFile `json:"scene"`
	Cameras []string             `json:"cameras,omitempty"`
}

func (UseScene) Name() string    { return "scene.use" }
func (UseScene) Part() string    { return "scene" }
func (c UseScene) words() string { return "import scene " + c.Scene.Name }

func (c UseScene) needs(p production.Production) Needs {
	if len(c.Cameras) > 0 || len(p.Views) > 0 || c.Scene.Opaque != nil {
		return Needs{}
	}
	p.Scene = c.kept(p)
	return needScene(p)
}

// kept returns the scene as the production has it then.
func (c UseScene) kept(p production.Production) production.SceneFile {
	kept := c.Scene
	kept.Unit = p.Scene.Unit
	if kept.Before = p.Scene.SHA256; kept.Before == kept.SHA256 || p.Scene.Opaque != nil || kept.Opaque != nil {
		kept.Before = p.Scene.Before
	}
	return kept
}

func (c UseScene) apply(p *production.Production, k Known) error {
	p.Scene = c.kept(*p)
	if len(c.Cameras) == 0 && len(p.Views) == 0 && p.Scene.Opaque == nil {
		return AddView{}.apply(p, k)
	}
	taken := func(code string) bool { _, ok := p.FindView(code); return ok }
	for _, camera := range c.Cameras {
		if slices.ContainsFunc(p.Views, func(v production.View) bool { return v.Camera == camera }) {
			continue
		}
		code := strings.Trim((naming.Rules{}).Clean(strings.TrimPrefix(camera, "cam_")), "-_")
		if taken(code) || !naming.ValidCode(code) {
			code = free("view", len(p.Views)+1, taken)
		}
		p.Views = append(p.Views, production.View{Code: code, Name: camera, Camera: camera, Look: p.Looks[0].Code})
	}
	return nil
}

// SetScene changes how the scene's file is read: which of its scenes, and in what unit.
type SetScene struct {
	Number *int     `json:"number,omitempty" label:"scene of the file"` // from 1; 0 for the one that the file marks
	Unit   *float64 `json:"unit,omitempty" label:"metres per unit" unit:"m"`
}

func (SetScene) Name() string { return "scene.set" }
func (SetScene) Part() string { return "scene" }

func (c SetScene) needs(p production.Production) Needs {
	if c.Number != nil {
		p.Scene.Number = *c.Number
	}
	return needScene(p)
}

func (c SetScene) apply(p *production.Production, k Known) error {
	return first(
		with("number", c.Number, func(n int) error {
			p.Scene.Number = n
			_, err := k.scene(p)
			return err
		}),
		with("unit", c.Unit, func(metres float64) error {
			if !(metres >= production.LeastUnit && metres <= production.MostUnit) {
				return fmt.Errorf(
					"%g is not a number of metres from %g to %g", metres, production.LeastUnit, production.MostUnit,
				)
			}
			if p.Scene.Unit = metres; metres == 1 {
				p.Scene.Unit = 0
			}
			return nil
		}),
	)
}

// AddEnvironment adds an environment that was imported.
type AddEnvironment struct {
	Environment production.EnvironmentFile `json:"environment"` // its code is chosen here
}

func (AddEnvironment) Name() string    { return "environment.add" }
func (AddEnvironment) Part() string    { return "environment" }
func (c AddEnvironment) words() string { return "import environment " + c.Environment.Name }

func (c AddEnvironment) apply(p *production.Production, _ Known) error {
	e := c.Environment
	taken := func(code string) bool { _, ok := p.FindEnvironment(code); return ok }
	name, _, _ := strings.Cut(e.Name, ".")
	e.Code = strings.Trim((naming.Rules{}).Clean(name), "-_")
	if !naming.ValidCode(e.Code) || taken(e.Code) {
		e.Code = free("environment", len(p.Environments)+1, taken)
	}
	p.Environments = append(p.Environments, e)
	return nil
}

// SetEnvironment gives an environment another code. Looks that name it follow.
type SetEnvironment struct {
	Environment string  `json:"environment" role:"of"`
	Code        *string `json:"code,omitempty"`
}

func (SetEnvironment) Name() string   { return "environment.set" }
func (c SetEnvironment) Part() string { return "environment " + c.Environment }

func (c SetEnvironment) apply(p *production.Production, _ Known) error {
	i, err := environmentAt(p, c.Environment)
	if err != nil {
		return err
	}
	return with("code", c.Code, func(code string) error {
		for k := range p.Looks {
			if p.Looks[k].Environment.Map == c.Environment {
				p.Looks[k].Environment.Map = code
			}
		}
		p.Environments[i].Code = code
		return nil
	})
}

func environmentAt(p *production.Production, code string) (int, error) {
	return at("environment", code, p.Environments, func(e production.EnvironmentFile) string { return e.Code })
}

// RemoveEnvironment removes an environment that no look uses.
type RemoveEnvironment struct {
	Environment string `json:"environment" role:"of"`
}

func (RemoveEnvironment) Name() string   { return "environment.remove" }
func (c RemoveEnvironment) Part() string { return "environment " + c.Environment }

func (c RemoveEnvironment) apply(p *production.Production, _ Known) error {
	i, err := environmentAt(p, c.Environment)
	if err != nil {
		return err
	}
	for _, l := range p.Looks {
		if l.Environment.Map == c.Environment {
			return fmt.Errorf("look %s has this environment; choose another there first", l.Code)
		}
	}
	p.Environments = slices.Delete(p.Environments, i, i+1)
	return nil
}
