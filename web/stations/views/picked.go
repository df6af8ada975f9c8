package views

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/geom"
	"reelhouse/core/pass"
	"reelhouse/core/production"
	"reelhouse/core/trace"
	"reelhouse/preview"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// A pickedPoint is what lies at a point of a picture, and how far it is from the one before.
type pickedPoint struct {
	trace.Picked
	View    production.View
	Code    string
	Frame   int
	At      string // the point as an edit reads it
	From    *trace.Picked
	Between geom.Vec // from there to here, in metres
	Tape    float64
	Actions []kit.Action
}

// pick answers with what lies at a point of a picture; with a second point it is measured from there.
func (a *page) pick(c *echo.Context) error {
	t, p, err := a.Wanted(c, kit.PreviewEdge)
	if err != nil {
		return err
	}
	out := pickedPoint{Code: p.Code, Frame: t.Frame}
	out.View, _ = p.FindView(c.QueryParam("view"))
	at := func(name string) (trace.Picked, error) {
		x, y, err := kit.PointOf(c.QueryParam(name))
		if err != nil {
			return trace.Picked{}, err
		}
		return a.Previews.Pick(c.Request().Context(), t, x, y)
	}
	if out.Picked, err = at("at"); err != nil {
		return err
	}
	out.At = fmt.Sprintf("%.4f %.4f %.4f", out.Point.X, out.Point.Y, out.Point.Z)
	if c.QueryParam("from") != "" {
		from, err := at("from")
		if err != nil {
			return err
		}
		if from.Found && out.Found {
			out.From, out.Between = &from, out.Point.Sub(from.Point)
			out.Tape = out.Between.Length()
		}
	}
	out.Actions = out.actions(&kit.View{Production: store.Revision{Production: p}})
	return c.Render(http.StatusOK, "views/picked", out)
}

// sights answers with the views whose camera stands inside an object or sees nothing.
func (a *page) sights(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	views, _ := a.ShownViews(&kit.View{Production: p})
	var odd []string
	for _, v := range views {
		l, ok := p.FindLook(v.Look)
		if !ok || !v.Found || v.Working || p.Scene.Opaque != nil {
			continue
		}
		middle := preview.SmallPicture(p.Production, v.View, l, kit.UsualSize, v.MiddleFrame, kit.PreviewEdge)
		s, err := a.Previews.Sight(c.Request().Context(), middle)
		if err != nil {
			return err
		}
		switch {
		case s.Inside != "":
			odd = append(
				odd,
				fmt.Sprintf("The camera of view %s stands inside %s, at frame %d.", v.Code, s.Inside, v.MiddleFrame),
			)
		case s.Blank:
			odd = append(odd, fmt.Sprintf("View %s sees no object at all, at frame %d.", v.Code, v.MiddleFrame))
		}
	}
	return c.Render(http.StatusOK, "views/sights", odd)
}

// actions are what can be done with the point.
func (p pickedPoint) actions(v *kit.View) []kit.Action {
	depth := fmt.Sprintf("%.3f", p.Depth)
	act := func(kind, of, field, label, value string) kit.Action {
		a := v.Part(kind, of).Field(field, "", "").Set(label, "", value).Telling("frame", strconv.Itoa(p.Frame))
		a.ID = "picked-" + field
		return a
	}
	var all []kit.Action
	if !p.View.Setup.Locked {
		aim := v.Part("view", p.View.Code).Action("aim", "Aim the camera here", "").
			Telling("field", "point", "value", p.At, "frame", strconv.Itoa(p.Frame))
		aim.ID = "picked-point"
		all = append(all, act("view", p.View.Code, "focusDistance", "Focus here", depth), aim)
	}
	for _, l := range v.Production.PassLists {
		if slices.ContainsFunc(l.Passes, pass.Code.OfDepth) {
			a := act("depth", l.Code, "background", "Background depth of "+l.Code+" from here", depth)
			a.ID += "-" + l.Code
			all = append(all, a)
		}
	}
	return all
}
