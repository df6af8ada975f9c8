package standards

import (
	"fmt"
	"math"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/frame"
)

// shownClock is one moment in all three ways of telling it.
type shownClock struct {
	Code      string // of the production
	By, Typed string
	Frame     int
	Timecode  frame.Timecode
	Seconds   float64
	Wrong     string
}

// showClock reads what was typed as a frame, a timecode or seconds.
func showClock(code string, c frame.Clock, by, typed string) shownClock {
	s := shownClock{Code: code, By: by, Typed: typed, Frame: c.First}
	switch by {
	case "timecode":
		t, err := c.ParseTimecode(typed)
		if err != nil {
			s.Wrong = err.Error()
			break
		}
		s.Frame = c.Frame(t)
	case "seconds":
		v, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(typed, "s")), 64)
		if err != nil || math.IsNaN(v) || math.Abs(v) > 1e7 {
			s.Wrong = fmt.Sprintf("%q is not a number of seconds", typed)
			break
		}
		s.Frame = c.At(v)
	default:
		s.By = "frame"
		n, err := strconv.Atoi(strings.TrimSpace(typed))
		if err != nil || n < -frame.MaxNumber || n > frame.MaxNumber {
			s.Wrong = fmt.Sprintf("%q is not a frame number", typed)
			break
		}
		s.Frame = n
	}
	s.Timecode, s.Seconds = c.Timecode(s.Frame), c.Seconds(s.Frame)
	return s
}

// clock answers the calculator of frames, timecode and seconds.
func (a *page) clock(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	shown := showClock(p.Code, p.Clock(), c.QueryParam("by"), c.QueryParam("value"))
	return c.Render(http.StatusOK, "standards/clock", shown)
}

// shownRetime is the table of a retime.
type shownRetime struct {
	Code             string // of the production
	From, To, Method string
	Count            int
	Frames           int
	Seconds          float64
	Rows             []retimeRow
	Rest             int // result frames that are not listed
	Wrong            string
}

type retimeRow struct {
	Result, First, Second int
	Share                 string // of the second, empty for none
}

// mostRetimeRows is how many result frames are listed.
const mostRetimeRows = 60

func showRetime(code string, r frame.Retime, method string) shownRetime {
	s := shownRetime{
		Code:    code,
		From:    r.From.String(),
		To:      r.To.String(),
		Count:   r.Count,
		Method:  method,
		Frames:  r.Frames(),
		Seconds: r.From.Seconds(r.Count, 0),
	}
	for i := range min(s.Frames, mostRetimeRows) {
		row := retimeRow{Result: i + 1, First: r.Nearest(i) + 1}
		if method == "blend" {
			first, second, share := r.Blend(i)
			row.First, row.Second = first+1, second+1
			if share > 0 {
				row.Share = fmt.Sprintf("%.0f %%", share*100)
			}
		}
		s.Rows = append(s.Rows, row)
	}
	s.Rest = s.Frames - len(s.Rows)
	return s
}

// retime answers the retime table.
func (a *page) retime(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	shown := shownRetime{Code: p.Code, From: p.Rate.String(), To: c.QueryParam("to"), Method: c.QueryParam("method")}
	to, err := frame.ParseRate(shown.To)
	count, errCount := strconv.Atoi(strings.TrimSpace(c.QueryParam("count")))
	shown.Count = count
	switch {
	case err != nil:
		shown.Wrong = err.Error()
	case errCount != nil || count < 1 || count > frame.MaxCount:
		shown.Wrong = fmt.Sprintf("%q is not a number of frames from 1 to %d", c.QueryParam("count"), frame.MaxCount)
	default:
		shown = showRetime(p.Code, frame.Retime{From: p.Rate, To: to, Count: count}, shown.Method)
	}
	return c.Render(http.StatusOK, "standards/retime", shown)
}

// A moment is one way of telling the moment of the calculator.
type moment struct{ Code, By, Label, Shown string }

// Moments returns the three ways, with what was typed where it is wrong.
func (s shownClock) Moments() []moment {
	all := []moment{
		{s.Code, "frame", "Frame", strconv.Itoa(s.Frame)},
		{s.Code, "timecode", "Timecode", s.Timecode.String()},
		{s.Code, "seconds", "Seconds", fmt.Sprintf("%.3f", s.Seconds)},
	}
	for i := range all {
		if s.Wrong != "" && all[i].By == s.By {
			all[i].Shown = s.Typed
		}
	}
	return all
}
