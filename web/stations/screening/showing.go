package screening

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"reelhouse/core/lut"
	"reelhouse/core/output"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/screening"
	"reelhouse/web/kit"
)

// A showing is a viewing transform that can be used.
type showing struct {
	pixel.Viewing
	lut *lut.Shower // if it is a look-up table
	key string      // of what it does: another table under the same code is another one

	asIs bool // the file went through a transform when it was written
}

// view returns the view of a pass as it is, through the transform.
func (t showing) view() screening.View {
	view := screening.Plain(1, 1)
	view.Viewing, view.LUT, view.AsIs = t.Viewing, t.lut, t.asIs
	return view
}

// maxAge is for how many seconds what is shown may be kept: a look-up table may be another one soon.
func (t showing) maxAge() string {
	if t.lut != nil {
		return "private, max-age=60"
	}
	return "private, max-age=3600" // a good frame does not change
}

// showingOf makes a transform of a production ready.
func (a *page) showingOf(p production.Production, v pixel.Viewing) (showing, error) {
	t := showing{Viewing: v, key: string(v)}
	if err := v.Check(); err != nil {
		return t, err
	}
	code, named := v.LUT()
	if !named {
		return t, nil
	}
	f, ok := p.LUTOf(v)
	if !ok {
		return t, fmt.Errorf("there is no look-up table %q; choose another viewing transform", code)
	}
	table, err := a.House.Assets.LUT(f)
	if err == nil {
		t.lut, err = lut.NewShower(table, f.Input)
	}
	t.key += " " + f.SHA256 + " " + string(f.Input.Curve) + " " + string(f.Input.Primaries)
	return t, err
}

// of returns the transform as files of an encoding are to be shown: what went through one when it was written does not
// go through it again.
func (t showing) of(e output.Encoding) showing {
	if !e.Viewed() {
		return t
	}
	for _, v := range pixel.Viewings() {
		if v != pixel.ViewSoft && v.Curve() == e.Curve {
			return showing{Viewing: v, key: "as it is " + string(v), asIs: true}
		}
	}
	return t
}

// askedShowing reads through which transform something is to be shown.
func (a *page) askedShowing(c *echo.Context) (showing, error) {
	v := pixel.Viewing(c.QueryParam("viewing"))
	var p production.Production
	if _, named := v.LUT(); named {
		found, err := a.House.Record.Production(c.Param("code"))
		if err != nil {
			return showing{}, err
		}
		p = found.Production
	}
	t, err := a.showingOf(p, v)
	if err != nil {
		return t, echo.NewHTTPError(http.StatusBadRequest, kit.Capital(err.Error())+".")
	}
	return t, nil
}
