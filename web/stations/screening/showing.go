package screening

import (
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
	view, err := a.House.View(p.Standards, v)
	if view.LUT != nil {
		f, _ := p.LUTOf(v)
		t.lut = view.LUT
		t.key += " " + f.SHA256 + " " + string(f.Input.Curve) + " " + string(f.Input.Primaries)
	}
	return t, err
}

// of returns the transform as files of an encoding are to be shown: what went through one when it was written does not
// go through it again.
func (t showing) of(e output.Encoding) showing {
	if view := t.view().For(e); view.AsIs {
		return showing{Viewing: view.Viewing, key: "as it is " + string(view.Viewing), asIs: true}
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
