package web

import (
	"errors"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/scene"
	"reelhouse/store"
)

// An edit is one field of one part, as a page sends it.
type edit struct {
	kind, code, field, value string
	values                   []string // of tick boxes
	option                   string   // which of several things of the part, such as a pass of a list
	chosen                   []string // codes of the parts that are ticked, where the edit is of many
	head                     int      // record frame of the play head
	frame                    int      // at which the page shows things that move
	stage                    func(p *production.Production) (*scene.Scene, error)
	reach                    func(p *production.Production) (float64, error) // metres, farther than anything of the scene
}

// errChoice marks what only a damaged page can send.
var errChoice = errors.New("this cannot be edited")

// edit changes one field of the production and keeps it at once. What cannot be kept comes back with the
// reason, where it was typed.
func (a *app) edit(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The form could not be read.")
	}
	e := edit{kind: c.Param("kind"), code: form.Get("of"), field: form.Get("field"), value: strings.TrimSpace(form.Get("value")), values: form["values"], option: form.Get("option"), chosen: form["chosen"]}
	e.frame, _ = strconv.Atoi(form.Get("frame")) // 0 stands for before the first one
	e.head, _ = strconv.Atoi(form.Get("head"))   // nothing stands for the beginning
	e.stage, e.reach = a.stage, a.reach
	summary := e.where() + ", " + e.field
	if e.field == "add" || e.field == "remove" {
		summary = e.field + " " + e.where()
	}
	if e.kind == "production" && e.field == "nextVersion" {
		return a.nextVersion(c)
	}
	return a.change(c, change{summary, mistake{e.where(), e.field, e.value, "", false}, func(p *production.Production) error {
		before := p.Problems()
		if err := e.apply(p); err != nil {
			return err
		}
		// A change may leave old problems, and may not bring new ones where it was made.
		for _, problem := range p.Problems() {
			here := problem.Where == e.where() || problem.Field == e.field || problem.Field == "code"
			if here && !slices.Contains(before, problem) {
				return problem
			}
		}
		return nil
	}})
}

// stage returns the scene of a production.
func (a *app) stage(p *production.Production) (*scene.Scene, error) { return a.House.Scene(p.Scene) }

// reach returns a depth that lies behind everything of a production's scene, in whole tens of metres.
func (a *app) reach(p *production.Production) (float64, error) {
	r, err := a.House.Report(p.Scene)
	return 10 * math.Ceil(r.Size.Length()/10), err
}

// nextVersion raises the version to the next one of which no file was ever sent.
func (a *app) nextVersion(c *echo.Context) error {
	p, err := a.House.Production(c.Param("code"))
	if err != nil {
		return err
	}
	version, err := a.House.NextVersion(p.Production)
	return a.change(c, change{"next version", mistake{Where: "production", Field: "version"}, func(p *production.Production) error {
		p.Version = version
		return err
	}})
}

// A change is something that a page does to a production. place is where a mistake would be shown.
type change struct {
	summary string
	place   mistake
	apply   func(p *production.Production) error
}

// change makes a change, if nobody else has changed the same since the page was loaded, and answers with the
// sheet and what followed from it.
func (a *app) change(c *echo.Context, ch change) error {
	key := production.Station(c.FormValue("station"))
	seen, err := strconv.Atoi(c.FormValue("seen"))
	if err != nil || c.FormValue("mine") != "" {
		seen = store.Any
	}
	var before production.Production
	p, err := a.House.Edit(c.Param("code"), ch.summary, seen, func(p *production.Production) error {
		before = p.Copy()
		return ch.apply(p)
	})
	if errors.Is(err, errChoice) {
		return echo.NewHTTPError(http.StatusBadRequest, "This cannot be edited; load the page again.")
	}
	if err != nil {
		now, loadErr := a.House.Production(c.Param("code"))
		if loadErr != nil {
			return loadErr
		}
		m := ch.place
		m.Message = err.Error()
		var problem production.Problem
		var conflict *store.Conflict
		if errors.As(err, &problem) {
			m.Message = problem.Message
		}
		m.Conflict = errors.As(err, &conflict)
		return a.update(c, answer{production: now, station: key, mistake: m})
	}
	a.Hub().Changed()
	if ch.place.Field == "tiles" { // a side sheet shows what they come to
		c.Response().Header().Set("HX-Trigger-After-Settle", "tiles-set")
	}
	return a.update(c, answer{production: p, station: key, notice: "Saved: " + ch.summary + ".", impact: a.impact(before, p.Production)})
}

// impact says what an edit changed of what would be rendered; nil if that cannot be said, or nothing.
func (a *app) impact(before, after production.Production) *plan.Impact {
	m, err := a.House.Measure(after.Code)
	if err != nil {
		return nil
	}
	old, errOld := plan.Build(before, m)
	now, errNow := plan.Build(after, m)
	if errOld != nil || errNow != nil {
		return nil
	}
	impact := plan.Compare(old, now)
	if !impact.Any() {
		return nil
	}
	impact.Before.Seconds /= float64(a.Node.SlotCount())
	impact.After.Seconds /= float64(a.Node.SlotCount())
	return &impact
}

// where names the part as production.Problem does.
func (e edit) where() string {
	if e.code == "" {
		return e.kind
	}
	return strings.ReplaceAll(e.kind, "-", " ") + " " + e.code
}

// at returns the place of the part with the edit's code in a list.
func at[T any](e edit, list []T, code func(T) string) (int, error) {
	i := slices.IndexFunc(list, func(t T) bool { return code(t) == e.code })
	if i < 0 {
		return 0, fmt.Errorf("%s does not exist any more", e.where())
	}
	return i, nil
}

func (e edit) number() (int, error) {
	n, err := strconv.Atoi(e.value)
	if err != nil {
		return 0, fmt.Errorf("%q is not a whole number", e.value)
	}
	return n, nil
}

// decimal reads a number with a point, with or without the unit given.
func (e edit) decimal(unit string) (float64, error) {
	v, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(e.value, unit)), 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, fmt.Errorf("%q is not a number", e.value)
	}
	return v, nil
}

// ticked reports whether the tick box of the edit is set.
func (e edit) ticked() bool { return len(e.values) > 0 }

func (e edit) apply(p *production.Production) error {
	switch e.kind {
	case "production":
		return e.production(p)
	case "size":
		return e.size(p)
	case "quality":
		return e.quality(p)
	case "picture":
		return e.picture(p)
	case "floor":
		return e.floor(p)
	case "scene":
		return e.sceneFile(p)
	case "look":
		return e.look(p)
	case "rig":
		return e.rig(p)
	case "environment":
		return e.environment(p)
	case "view":
		if err := e.view(p); err != nil {
			return err
		}
		return p.FollowPairs(e.focal(p))
	case "shot":
		return e.shot(p)
	case "shots":
		return e.shots(p)
	case "usual":
		return e.usual(p)
	case "batch":
		return e.batch(p)
	case "cut":
		return e.cut(p)
	case "pass-list":
		return e.passList(p)
	case "light-group":
		return e.lightGroup(p)
	case "depth":
		return e.depth(p)
	case "output":
		return e.output(p)
	case "names":
		return e.names(p)
	}
	return errChoice
}

// fresh returns a code that is not in use.
func fresh(prefix string, from int, used func(string) bool) string {
	for n := from + 1; ; n++ {
		if code := prefix + strconv.Itoa(n); !used(code) {
			return code
		}
	}
}
