package screening

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/followup"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/screening"
	"reelhouse/house/waiting"
	"reelhouse/store"
)

// A spot is what is measured at a pixel.
type spot struct {
	screening.Spot
	Known    bool   `json:"known"`
	Object   string `json:"object,omitempty"` // that covers most of it
	Material string `json:"material,omitempty"`
}

// surveyFile returns the file sequence by which places are told, -1 for none.
func surveyFile(s plan.Sequence) int {
	if at := s.FileOf(pass.Position); at >= 0 {
		return at
	}
	return s.FileOf(pass.Depth)
}

// errNoSurvey is answered where nothing tells where in the world a pixel is.
var errNoSurvey = echo.NewHTTPError(
	http.StatusNotFound,
	"Neither position nor depth was kept of this sequence; choose "+
		"a pass list that has one of them for its shot, and render it again.",
)

// pointsOf reads points of a picture as it is shown in an output, such as "10,20_30,40", in pixels of what was
// rendered.
func pointsOf(c *echo.Context, s plan.Sequence) ([][2]int, error) {
	files := filesOf(s, c.QueryParam("output"))
	if len(files) == 0 {
		return nil, echo.NewHTTPError(http.StatusNotFound, "This sequence has no such output.")
	}
	var all [][2]int
	for text := range strings.SplitSeq(c.QueryParam("points"), "_") {
		x, y, _ := strings.Cut(text, ",")
		px, errX := strconv.Atoi(x)
		py, errY := strconv.Atoi(y)
		if errX != nil || errY != nil || px < 0 || py < 0 || px >= files[0].Size.Width || py >= files[0].Size.Height ||
			len(all) == 2 {
			return nil, echo.NewHTTPError(http.StatusBadRequest, "One or two points are written as X,Y_X,Y in pixels.")
		}
		all = append(all, [2]int{
			px * s.Size.Width / files[0].Size.Width, py * s.Size.Height / files[0].Size.Height,
		})
	}
	return all, nil
}

// spots measures pixels of a good frame.
func (a *page) spots(s store.Sequence, b store.Batch, number int, points [][2]int, names bool) ([]spot, error) {
	at := surveyFile(s.Spec)
	if at < 0 {
		return nil, errNoSurvey
	}
	depth := b.Plan.DepthOf(s.Spec)
	all := make([]spot, len(points))
	chosen := s.Spec.Files[at]
	err := a.everyFile(s, number, chosen.Output, func(f *picture.File, files plan.FileSequence) error {
		for i, p := range points {
			if files.Label == chosen.Label {
				var err error
				all[i].Spot, all[i].Known, err = screening.SpotAt(
					f, files.Passes, depth.Style, depth.Background, p[0], p[1],
				)
				if err != nil {
					return err
				}
			}
			if !names {
				continue
			}
			values, err := screening.Values(f, 0, p[0], p[1], files.Passes, depth.Style)
			if err != nil {
				return err
			}
			for _, v := range slices.Backward(values) { // the first of each covers most
				switch {
				case v.Code == pass.CryptoObject && v.Value > 0:
					all[i].Object = v.Channel
				case v.Code == pass.CryptoMaterial && v.Value > 0:
					all[i].Material = v.Channel
				}
			}
		}
		return nil
	})
	return all, err
}

// measure answers with where one or two pixels are, and how far apart.
func (a *page) measure(c *echo.Context) error {
	s, b, number, err := a.FrameIn(c)
	if err != nil {
		return err
	}
	points, err := pointsOf(c, s.Spec)
	if err != nil {
		return err
	}
	answer := struct {
		Points   []spot            `json:"points"`
		Distance *float64          `json:"distance,omitempty"` // metres
		Thing    string            `json:"thing,omitempty"`    // the object at the first point
		Extent   *screening.Extent `json:"extent,omitempty"`   // of all that is seen of it
	}{}
	if answer.Points, err = a.spots(s, b, number, points, true); err != nil {
		return err
	}
	if len(points) == 2 && answer.Points[0].Known && answer.Points[1].Known {
		answer.Distance = new(answer.Points[0].Distance(answer.Points[1].Spot))
	}
	if name := answer.Points[0].Object; len(points) == 1 && name != "" && s.Spec.FileOf(pass.Position) >= 0 {
		e, err := a.extentOf(c.Request().Context(), s, b, number, name)
		if err != nil {
			return err
		}
		if e.Pixels > 0 {
			answer.Thing, answer.Extent = name, &e
		}
	}
	return c.JSON(http.StatusOK, answer)
}

// extentOf measures all that is seen of an object.
func (a *page) extentOf(
	ctx context.Context, s store.Sequence, b store.Batch, number int, name string,
) (e screening.Extent, err error) {
	r, err := a.ranksOf(ctx, s, number, pass.CryptoObject)
	if err != nil {
		return e, err
	}
	order, err := a.orderFor(s, b, number, []pass.Code{pass.Position})
	if err != nil {
		return e, err
	}
	key := fmt.Sprint("position ", s.ID, " ", number)
	places, err := a.frames.Get(ctx, key, func(ctx context.Context) (*pixel.Image, error) {
		return waiting.In(ctx, a.reading, func() (*pixel.Image, error) {
			img, err := followup.Planes(ctx, order, openInput, shrunk(s.Spec.Size), pass.Position)
			return img, gone(err)
		})
	})
	if err != nil {
		return e, err
	}
	if places.Width != r.Width || places.Height != r.Height {
		return e, errors.New("position and mattes have other sizes")
	}
	return screening.ExtentOf(places, r.Pull(r.Wanted(pass.Matte{Names: []string{name}}))), nil
}

// mostAlong is over how many frames something is measured.
const mostAlong = 240

// A along is what is measured in a frame.
type along struct {
	Frame int      `json:"frame"`
	Value *float64 `json:"value"` // metres; nil where nothing is known
}

// measureAlong answers with the depth of a pixel, or the distance of two, in the frames of a sequence.
func (a *page) measureAlong(c *echo.Context) error {
	s, b, err := a.sequenceOf(c)
	if err != nil {
		return err
	}
	points, err := pointsOf(c, s.Spec)
	if err != nil {
		return err
	}
	frames, err := a.House.Record.Frames(s.ID)
	if err != nil {
		return err
	}
	frames = slices.DeleteFunc(frames, func(f store.Frame) bool { return f.State != queue.Good })
	step := (len(frames) + mostAlong - 1) / mostAlong
	answer := []along{}
	for i := 0; i < len(frames); i += max(1, step) {
		if err := c.Request().Context().Err(); err != nil {
			return err
		}
		found, err := a.spots(s, b, frames[i].Number, points, false)
		if err != nil {
			return err
		}
		one := along{Frame: frames[i].Number}
		switch {
		case len(found) == 2 && found[0].Known && found[1].Known:
			one.Value = new(found[0].Distance(found[1].Spot))
		case len(found) == 1 && found[0].Known:
			one.Value = new(found[0].Depth)
		}
		answer = append(answer, one)
	}
	return c.JSON(http.StatusOK, answer)
}
