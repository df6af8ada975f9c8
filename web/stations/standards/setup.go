package standards

import (
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"reelhouse/core/edit"
	"reelhouse/core/production"
)

// take copies parts of another production's set-up into this one.
func (a *page) take(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The form could not be read.")
	}
	var parts []production.SetUp
	for _, v := range form["values"] {
		parts = append(parts, production.SetUp(v))
	}
	return a.Do(c, edit.TakeSetUp{From: form.Get("from"), Parts: parts})
}

// others returns the codes of the other productions.
func (a *page) others(code string) ([]string, error) {
	codes, err := a.House.Record.Codes()
	return slices.DeleteFunc(codes, func(c string) bool { return c == code }), err
}
