package kit

import (
	"cmp"
	"net/http"

	"github.com/labstack/echo/v5"

	"reelhouse/core/plan"
	"reelhouse/store"
)

// page answers with a station's page.
func (a *App) page(st Station) echo.HandlerFunc {
	return func(c *echo.Context) error {
		v, err := a.view(c, st)
		if err != nil {
			return err
		}
		return c.Render(http.StatusOK, string(st.Key), v)
	}
}

// An Answer is what a change leads to.
type Answer struct {
	Production store.Revision
	Station    Key
	Mistake    Mistake
	Notice     string
	Impact     *plan.Impact
	Open       string // code of the part whose details are shown from now on, "" for the one that is shown
}

// Update answers a change with the sheet, the spine and the ticket line, as they are now.
func (a *App) Update(c *echo.Context, r Answer) error {
	st, ok := a.find(r.Station)
	if !ok {
		return echo.NewHTTPError(http.StatusBadRequest, "There is no station of that name.")
	}
	v := &View{
		Production: r.Production,
		Station:    st,
		Mistake:    r.Mistake,
		Notice:     r.Notice,
		Impact:     r.Impact,
		Swap:       true,
		Open:       cmp.Or(r.Open, c.FormValue("open")),
		Author:     Author(c),
		Query:      c.FormValue,
	}
	if form, err := c.FormValues(); err == nil {
		v.Chosen = form["chosen"]
	}
	if err := a.complete(v); err != nil {
		return err
	}
	return c.Render(http.StatusOK, string(st.Key)+"#sheet", v)
}

// Part answers an edit with one template of a station, such as "screening/mattes", and with the ticket of the
// production as it is now, which says what can be undone.
func (a *App) Part(c *echo.Context, of Key, template string, data any, p store.Revision) error {
	st, _ := a.find(of)
	st.Fill = nil // its page stays
	v := &View{Production: p, Station: st, Swap: true, Author: Author(c), Query: c.FormValue}
	if err := a.complete(v); err != nil {
		return err
	}
	part, err := a.pages.text(template, data)
	if err != nil {
		return err
	}
	ticket, err := a.pages.text("ticket", v)
	if err != nil {
		return err
	}
	return c.HTML(http.StatusOK, part+ticket)
}
