package screening

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/png"
	"net/http"
	"net/url"
	"slices"

	"github.com/labstack/echo/v5"

	"reelhouse/core/inspect"
	"reelhouse/core/picture"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/screening"
	"reelhouse/house"
	"reelhouse/house/waiting"
	"reelhouse/store"
)

// mostFindings is how many findings are shown one by one.
const mostFindings = 60

// findings are what was found by itself in a sequence.
type findings struct {
	Address   string // of this part of the page
	Ask       string // where an inspection is asked for
	Label     string // of the button that does; "" where there is none
	Inspected bool   // it was, or will be
	Pending   bool   // it is not yet
	Trouble   string // why nothing is known, or why it is out of date
	Kinds     []foundKind
	Shown     []finding
	More      int
	Frames    int     // that were looked at
	LoopStep  float64 // see inspect.SequenceReport
	Path      string  // of the file in which all of it stands
}

// A foundKind is how many findings there are of a fault.
type foundKind struct {
	inspect.Description
	Count int
}

// A finding is one with its picture.
type finding struct {
	inspect.Finding
	Name    string
	Place   string // X,Y,WIDTH,HEIGHT, "" for all of the frame
	Picture string // its address, "" where there is none
	Lines   string // of the place, in words
}

// foundIn returns what was found in a sequence, in the files of one output.
func (a *page) foundIn(code string, s store.Sequence, output string) (f findings, err error) {
	base := fmt.Sprintf("/p/%s/screen/%d", code, s.ID)
	of := "?output=" + url.QueryEscape(output)
	f.Address, f.Ask = base+"/findings"+of, base+"/inspect"+of
	i, err := a.House.InspectionOf(s.ID)
	if err != nil {
		return f, err
	}
	f.Inspected, f.Path = i.State != "", i.Path
	f.Pending = slices.Contains([]queue.State{queue.Blocked, queue.Ready, queue.Rendering, queue.Checking}, i.State)
	if !f.Pending && i.State != queue.Held {
		f.Label = "Inspect again"
	}
	switch i.State {
	case "":
		f.Label = "Inspect"
	case queue.Good:
		f.Trouble = i.Reason
	case queue.Failed, queue.Lost:
		f.Trouble = fmt.Sprintf("The inspection is %s: %s.", i.State, i.Reason)
	case queue.Held, queue.Dropped:
		f.Trouble = fmt.Sprintf("The inspection is %s.", i.State)
	}
	if r := reportOf(i, filesOf(s.Spec, output)); r != nil {
		f.add(*r, base, output)
	}
	return f, nil
}

// reportOf returns what was found in the first of some file sequences, nil if that was not looked at.
func reportOf(i house.Inspection, files []plan.FileSequence) *inspect.SequenceReport {
	for k, r := range i.Found.Sequences {
		for _, f := range files {
			first := r.Frames.First()
			of := inspect.SeriesOfFrames([]inspect.SequenceFile{{Name: f.Path.Frame(first), Frame: first}})
			if of[0].Name == r.Name {
				return &i.Found.Sequences[k]
			}
		}
	}
	return nil
}

func (f *findings) add(r inspect.SequenceReport, base, output string) {
	f.Frames, f.LoopStep = r.Frames.Count(), r.LoopStep
	for _, d := range inspect.Faults() {
		n := 0
		for _, g := range r.Findings {
			if g.Fault == d.Fault {
				n++
			}
		}
		if n > 0 {
			f.Kinds = append(f.Kinds, foundKind{d, n})
		}
	}
	f.More = max(0, len(r.Findings)-mostFindings)
	for _, g := range r.Findings[:len(r.Findings)-f.More] {
		shown := finding{Finding: g, Name: g.Fault.Described().Name}
		query := url.Values{"output": {output}}
		if p := g.Place; p != nil {
			shown.Place = fmt.Sprintf("%d,%d,%d,%d", p.X, p.Y, p.Width, p.Height)
			shown.Lines = fmt.Sprintf("%d × %d px at %d, %d", p.Width, p.Height, p.X, p.Y)
			query.Set("place", shown.Place)
		}
		if r.Frames.Contains(g.Frame) {
			shown.Picture = fmt.Sprintf("%s/%d/around?%s", base, g.Frame, query.Encode())
		}
		f.Shown = append(f.Shown, shown)
	}
}

// showFindings answers with what was found in a sequence.
func (a *page) showFindings(c *echo.Context) error {
	s, b, err := a.sequenceOf(c)
	if err != nil {
		return err
	}
	shown, err := a.foundIn(b.Plan.Production, s, c.QueryParam("output"))
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "screening/findings", shown)
}

// inspect lets a sequence be inspected.
func (a *page) inspect(c *echo.Context) error {
	s, b, err := a.sequenceOf(c)
	if err != nil {
		return err
	}
	_, err = a.House.Inspect(store.Scope{Production: b.Plan.Production, Sequence: s.ID})
	if err != nil && !errors.Is(err, store.ErrNothing) {
		return err
	}
	a.Changes.Changed()
	return a.showFindings(c)
}

// placeOf reads X,Y,WIDTH,HEIGHT.
func placeOf(text string) (*inspect.Window, error) {
	if text == "" {
		return nil, nil
	}
	var w inspect.Window
	var rest string
	n, _ := fmt.Sscanf(text+" .", "%d,%d,%d,%d %s", &w.X, &w.Y, &w.Width, &w.Height, &rest)
	if n != 5 || rest != "." || min(w.X, w.Y) < 0 || min(w.Width, w.Height) < 1 {
		return nil, echo.NewHTTPError(http.StatusBadRequest, "A place is written as X,Y,WIDTH,HEIGHT in pixels.")
	}
	return &w, nil
}

// around answers with a small picture of a place in a frame.
func (a *page) around(c *echo.Context) error {
	s, _, number, err := a.FrameIn(c)
	if err != nil {
		return err
	}
	place, err := placeOf(c.QueryParam("place"))
	if err != nil {
		return err
	}
	output := c.QueryParam("output")
	through := a.throughOf(s)
	if files := filesOf(s.Spec, output); len(files) > 0 {
		through = through.of(files[0].Encoding)
	}
	key := fmt.Sprint(frameID{s.ID, number, output}, c.QueryParam("place"), through.key)
	shown, err := a.small.Get(c.Request().Context(), key, func(ctx context.Context) ([]byte, error) {
		return waiting.In(ctx, a.reading, func() ([]byte, error) {
			return a.smallPicture(s, number, output, place, through)
		})
	})
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=60") // the transform may be another one soon
	return c.Blob(http.StatusOK, "image/png", shown)
}

// smallPicture returns a picture of a place in a frame, as a PNG file.
func (a *page) smallPicture(
	s store.Sequence, number int, output string, place *inspect.Window, through showing,
) ([]byte, error) {
	var img *image.NRGBA
	err := a.everyFile(s, number, output, func(f *picture.File, _ plan.FileSequence) (err error) {
		if img == nil {
			img, err = screening.Around(f, place, through.view())
		}
		if errors.Is(err, screening.ErrNoLight) {
			return nil
		}
		return err
	})
	if err == nil && img == nil {
		err = echo.NewHTTPError(http.StatusNotFound, "This frame has no light that could be shown.")
	}
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = png.Encode(&b, img)
	return b.Bytes(), err
}

// Limits of the small pictures that are kept.
const (
	smallPictures = 5000
	smallBytes    = 100 << 20
)
