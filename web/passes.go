package web

import (
	"fmt"
	"image/png"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/screening"
	"reelhouse/core/viewsheet"
)

// wallEdge is the longer edge of the pictures that the passes of a view are shown in, in pixels.
const wallEdge = 480

// A costedList is a pass list with what a frame of it takes in OpenEXR, in the first size.
type costedList struct {
	production.PassList
	Bytes   float64
	Seconds float64
	Shots   int // that use it
	Rows    []chosenPass
}

// A chosenPass is a pass of a list, with what is asked of it there.
type chosenPass struct {
	pass.Pass
	production.PassChoice
	Bytes   float64
	Seconds float64 // that it adds to the frame
	Outputs []chosenOutput
}

type chosenOutput struct {
	Code string
	On   bool
}

// A shownPass is a pass of the catalogue, with what it costs and its picture.
type shownPass struct {
	pass.Pass
	Bytes   float64
	Seconds float64 // of a frame with nothing else
	Picture string  // address
	Mapping string
}

type passesPage struct {
	Catalogue   []pass.Pass
	Lists       []costedList
	Suggestions []pass.Suggestion // that are not there yet
	Size        raster.Named      // that costs are for
	View        string            // whose passes are shown, "" for none
	Views       []option
	Frame       int
	Wall        []shownPass
	Large       shownPass
	Pick        string // address of true values
	Quality     production.Quality
	Measured    bool     // seconds are of frames that this production has had
	Sources     []string // of light, by name
}

func fillPasses(a *app, v *view) error {
	p := v.Production.Production
	page := &passesPage{Catalogue: p.KnownPasses(), Size: usualSize, Measured: v.Draft.Measure.Frames > 0}
	v.Page = page
	if len(p.Sizes) > 0 {
		page.Size = p.Sizes[0]
	}
	page.Quality, _ = p.FindQuality(p.Quality)
	if s, err := a.House.Assets.Scene(p.Scene); err == nil {
		page.Sources = viewsheet.Sources(s)
	}
	encoding := output.EXR.Usual()
	// The time of a frame of beauty alone; measured frames had passes of their own.
	usual := 1.0
	if len(v.Draft.Batch.Sequences) > 0 {
		usual = max(usual, pass.Work(v.Draft.Batch.Sequences[0].Passes))
	}
	sequence := plan.Sequence{Size: page.Size.Reduced(page.Quality.Scale)}
	frame := v.Draft.Measure.Or().SecondsPerMegasample * sequence.Megasamples(page.Quality) / usual
	sequence.Size = page.Size.Reduced(page.Quality.Scale)
	bytes := func(codes ...pass.Code) float64 { return encoding.Bytes(codes, sequence.Size) }
	for _, l := range p.PassLists {
		stored := encoding.With(l.Other(l.Passes, func(c production.PassChoice) bool { return c.OtherDepth }))
		out := costedList{
			PassList: l,
			Bytes:    stored.Bytes(l.Passes, sequence.Size),
			Seconds:  frame * pass.Work(l.Passes),
		}
		for _, s := range p.Shots {
			out.Shots += boolean(p.PassListOf(s) == l.Code)
		}
		for i, code := range l.Passes {
			described, err := pass.Find(code)
			if err != nil {
				continue
			}
			choice := l.Choice(code)
			row := chosenPass{
				Pass:       described,
				PassChoice: choice,
				Bytes:      stored.Bytes([]pass.Code{code}, sequence.Size),
			}
			row.Seconds = frame * (pass.Work(l.Passes) - pass.Work(slices.Delete(slices.Clone(l.Passes), i, i+1)))
			for _, o := range p.Outputs {
				row.Outputs = append(
					row.Outputs,
					chosenOutput{o.Code, len(choice.Outputs) == 0 || slices.Contains(choice.Outputs, o.Code)},
				)
			}
			out.Rows = append(out.Rows, row)
		}
		page.Lists = append(page.Lists, out)
	}
	for _, s := range pass.Suggestions() {
		if _, there := p.FindPassList(s.Code); !there {
			page.Suggestions = append(page.Suggestions, s)
		}
	}
	for _, w := range p.ShotViews() {
		page.Views = append(page.Views, option{w.Code, w.Name})
	}
	shown, ok := p.FindView(v.query("view"))
	views, _ := a.shownViews(v)
	for _, w := range views {
		if !ok && w.Found && !w.Working {
			shown, ok = w.View, true
		}
		if w.Code == shown.Code {
			page.Frame, ok = w.MiddleFrame, w.Found
		}
	}
	if !ok || p.Scene.Opaque != nil {
		for _, described := range page.Catalogue {
			page.Wall = append(
				page.Wall,
				shownPass{
					Pass:    described,
					Bytes:   bytes(described.Code),
					Seconds: frame * pass.Work([]pass.Code{described.Code}),
				},
			)
		}
		return nil
	}
	if n, err := strconv.Atoi(v.query("at")); err == nil {
		page.Frame = n
	}
	page.View = shown.Code
	q := url.Values{
		"view": {shown.Code}, "frame": {strconv.Itoa(page.Frame)}, "seen": {strconv.Itoa(v.Production.Number)},
	}
	page.Pick = "/p/" + p.Code + "/wall?" + q.Encode()
	for _, described := range page.Catalogue {
		out := shownPass{
			described, bytes(described.Code), frame * pass.Work([]pass.Code{described.Code}),
			"/p/" + p.Code + "/wall/" + string(described.Code) + "?" + q.Encode(), "",
		}
		page.Wall = append(page.Wall, out)
		if string(described.Code) == v.query("pass") || page.Large.Code == "" {
			page.Large = out
		}
	}
	page.Large.Mapping = screening.Mapping(page.Large.Code, pass.DepthStyle{}, 0)
	if page.Large.Code == pass.Depth || page.Large.Code == pass.Distance {
		page.Large.Mapping = "0 m is black, the farthest surface white; metres, whatever files are to hold"
	}
	return nil
}

// wallPicture answers with one pass of a view as a picture for the screen.
func (a *app) wallPicture(c *echo.Context) error {
	code := pass.Code(c.Param("pass"))
	if _, err := pass.Find(code); err != nil {
		return echo.NewHTTPError(http.StatusNotFound, err.Error())
	}
	t, p, err := a.wanted(c, wallEdge)
	if err != nil {
		return err
	}
	wall, err := a.Previews.Passes(c.Request().Context(), t, p)
	if err != nil {
		return err
	}
	shown, err := screening.Display(
		wall.Image, code, 1, screening.DepthFar(wall.Image, code, pass.DepthStyle{}, p.DepthBackground),
	)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", "image/png")
	h.Set("Cache-Control", "private, max-age=3600") // the address tells the revision
	return (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(c.Response(), shown)
}

// wallValues answers with the true values of every pass at a point of a view.
func (a *app) wallValues(c *echo.Context) error {
	t, p, err := a.wanted(c, wallEdge)
	if err != nil {
		return err
	}
	x, y, err := place(c.QueryParam("at"))
	if err != nil {
		return err
	}
	wall, err := a.Previews.Passes(c.Request().Context(), t, p)
	if err != nil {
		return err
	}
	img := wall.Image
	values, err := screening.Probe(
		img, min(int(x*float64(img.Width)), img.Width-1), min(int(y*float64(img.Height)), img.Height-1),
	)
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "wall-values", wallRows(values, wall.Names))
}

// A wallRow is what one pass has at a point.
type wallRow struct{ Pass, Text string }

// wallRows puts the values of each pass in a row. IDs are shown by their names, with how much they cover.
func wallRows(values []screening.Value, names map[float32]string) []wallRow {
	var rows []wallRow
	for i, v := range values {
		text := v.Text
		if described, err := pass.Find(v.Code); err == nil && described.IsCryptomatte() {
			if coverage := i + 1; strings.HasSuffix(v.Channel, "R") || strings.HasSuffix(v.Channel, "B") {
				if text = ""; values[coverage].Value > 0 {
					text = fmt.Sprintf("%s %.0f %%", names[float32(v.Value)], 100*values[coverage].Value)
				}
			} else {
				continue
			}
		}
		if len(rows) == 0 || rows[len(rows)-1].Pass != v.Pass {
			rows = append(rows, wallRow{v.Pass, text})
			continue
		}
		if text != "" {
			rows[len(rows)-1].Text += "  " + text
		}
	}
	return rows
}

// place reads a point of a picture, in parts of its width and height.
func place(text string) (x, y float64, err error) {
	if n, err := fmt.Sscanf(text, "%g,%g", &x, &y); n != 2 || err != nil || !(x >= 0 && x <= 1 && y >= 0 && y <= 1) {
		return 0, 0, echo.NewHTTPError(
			http.StatusBadRequest, "A point is two numbers from 0 to 1, from the top left corner.",
		)
	}
	return x, y, nil
}
