package kit

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/store"
)

// SequenceOf returns a sequence of the production of the address, with its batch. Those of others are not found.
func (a *App) SequenceOf(c *echo.Context, id int64) (store.Sequence, store.Batch, error) {
	s, err := a.House.Record.Sequence(id)
	if err != nil {
		return s, store.Batch{}, err
	}
	b, err := a.House.Record.BatchAlone(s.BatchID)
	if err == nil && !strings.EqualFold(b.Plan.Production, c.Param("code")) {
		err = fmt.Errorf("sequence %d of production %s: %w", id, c.Param("code"), store.ErrNotFound)
	}
	return s, b, err
}

// FrameIn returns the frame of the address, in a sequence of its production.
func (a *App) FrameIn(c *echo.Context) (s store.Sequence, b store.Batch, number int, err error) {
	sequence, number, err := FrameOf(c)
	if err == nil {
		s, b, err = a.SequenceOf(c, sequence)
	}
	return s, b, number, err
}

// FrameOf returns the sequence and the frame that an address names.
func FrameOf(c *echo.Context) (int64, int, error) {
	sequence, err := echo.PathParam[int64](c, "sequence")
	if err != nil {
		return 0, 0, echo.NewHTTPError(http.StatusNotFound, "There is no such sequence.")
	}
	number, err := echo.PathParam[int](c, "frame")
	if err != nil {
		return 0, 0, echo.NewHTTPError(http.StatusNotFound, "There is no such frame.")
	}
	return sequence, number, nil
}
