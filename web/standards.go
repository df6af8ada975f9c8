package web

import (
	"fmt"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/frame"
	"reelhouse/core/lens"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pixel"
	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
	"reelhouse/core/scene"
)

// option is a choice of a list: what is kept, and what people read.
type option struct{ Value, Text string }

type standardsPage struct {
	Counts     []string
	Count      string // the production's own
	Shelves    []raster.Shelf
	Fittings   []option
	Drawing    sizesDrawing
	Size       *raster.Named // whose details are shown
	Quantities []shownQuantity
	Compared   []comparedSize
	CameraName string
	Reduced    []reducedRow
	Filters    []option
	Bounces    sampling.Bounces // the usual ones
	Least      int
	Memory     int // GB of a tile, usually
	Curves     []option
	Alphas     []option
	Grounds    []option
	Bits       []option
	Primaries  string
	Clock      shownClock
	Retime     shownRetime
	Presets    presetsPage
	Others     []string
	SetUps     []option
}

var fittingNames = map[raster.Fitting]string{
	raster.Crop: "fill (crop)", raster.Pad: "letterbox or pillarbox",
	raster.KeepHeight: "widen the view, height stays", raster.KeepWidth: "widen the view, width stays",
}

func fillStandards(a *app, v *view) error {
	p := v.Production
	page := standardsPage{
		Count:     p.Clock().Count.String(),
		Alphas:    []option{{string(output.Premultiplied), "premultiplied"}, {string(output.Straight), "straight"}},
		Grounds:   grounds(),
		Bounces:   sampling.Usual,
		Least:     sampling.UsualLeast,
		Memory:    production.UsualMemory,
		Bits:      []option{{"0", "any"}, {"8", "8"}, {"16", "16"}, {"32", "32"}},
		Primaries: "BT.709 (ITU-R BT.709), D65 white",
		SetUps: []option{
			{string(production.TakeStandards), "standards, outputs and names"},
			{string(production.TakeScene), "scene"},
			{string(production.TakeViews), "views and looks"},
			{string(production.TakePasses), "pass lists"},
			{string(production.TakeShots), "shots"},
		},
		Clock: showClock(p.Clock(), "frame", strconv.Itoa(p.FirstFrame)),
		Retime: showRetime(
			frame.Retime{From: p.Rate, To: frame.Rate{Numerator: 30, Denominator: 1}, Count: 120}, "nearest",
		),
		CameraName: "a camera of 16:9",
	}
	for _, f := range pixel.Filters() {
		page.Filters = append(page.Filters, option{string(f), f.Name()})
	}
	for _, c := range frame.Counts() {
		page.Counts = append(page.Counts, c.String())
	}
	if !slices.Contains(page.Counts, page.Count) {
		page.Counts = append(page.Counts, page.Count)
	}
	for _, f := range raster.Fittings() {
		page.Fittings = append(page.Fittings, option{string(f), fittingNames[f]})
	}
	for _, c := range pixel.Curves() {
		page.Curves = append(page.Curves, option{string(c), c.Name()})
	}
	for _, shelf := range raster.Library() {
		shelf.Sizes = slices.DeleteFunc(
			shelf.Sizes,
			func(n raster.Named) bool { _, have := p.FindSize(n.Code); return have },
		)
		if len(shelf.Sizes) > 0 {
			page.Shelves = append(page.Shelves, shelf)
		}
	}
	for _, n := range p.Sizes {
		if n.Code == v.Open {
			page.Size = &n
			page.Quantities = quantities(n)
		}
	}
	angles := lens.AnglesOf(2*math.Atan(math.Tan(lens.FieldOfView(lens.BackWidth, 35)/2)*9/16), 16.0/9)
	if s, err := a.House.Assets.Scene(p.Scene); err == nil && len(p.Views) > 0 {
		if i := s.FindCamera(p.Views[0].Camera); i != scene.None {
			c := s.Cameras[s.Nodes[i].Camera]
			angles, page.CameraName = lens.AnglesOf(c.Up, c.Aspect), "view "+p.Views[0].Code
		}
	}
	page.Drawing = drawSizes(p.Sizes, v.Open)
	page.Compared = compareSizes(p.Sizes, v.Open, angles)
	page.Reduced = reduce(p.Qualities, p.Sizes)
	var err error
	if page.Presets, err = a.presetsPage(p.Production, preset.Standards, p.Preset, ""); err != nil {
		return err
	}
	page.Others, err = a.others(p.Code)
	v.Page = page
	return err
}

// shownQuantity is one of the numbers of a size that hang together.
type shownQuantity struct {
	Quantity raster.Quantity
	Name     string
	Value    string
	Locked   bool
}

func quantities(n raster.Named) []shownQuantity {
	number := func(v float64) string { return strconv.FormatFloat(math.Round(v*1e4)/1e4, 'f', -1, 64) }
	print := func(q raster.Quantity) string {
		mm := n.Value(q)
		if mm == 0 {
			return ""
		}
		return number(math.Round(mm/10*100)/100) + " cm"
	}
	show := func(q raster.Quantity, name, value string) shownQuantity {
		return shownQuantity{q, name, value, n.Locked(q)}
	}
	ppi := ""
	if n.PixelsPerInch > 0 {
		ppi = number(n.PixelsPerInch)
	}
	return []shownQuantity{
		show(
			raster.Width, "Width, px", strconv.Itoa(n.Width),
		), show(raster.Height, "Height, px", strconv.Itoa(n.Height)),
		show(raster.Ratio, "Ratio, as seen", number(n.Value(raster.Ratio))),
		show(
			raster.PixelsPerInch, "Pixels per inch", ppi,
		), show(raster.PrintWidth, "Printed width", print(raster.PrintWidth)),
		show(raster.PrintHeight, "Printed height", print(raster.PrintHeight)),
	}
}

// reducedRow is a quality with what each size becomes in it.
type reducedRow struct {
	production.Quality
	Sizes []reducedSize
}

type reducedSize struct {
	Code string
	Size raster.Size
	True string // the scale that rounding leaves
}

func reduce(qualities []production.Quality, sizes []raster.Named) []reducedRow {
	var rows []reducedRow
	for _, q := range qualities {
		row := reducedRow{Quality: q}
		for _, n := range sizes {
			of := n.Reduced(q.Scale)
			across, up := 100*float64(of.Width)/float64(max(1, n.Width)), 100*float64(of.Height)/float64(
				max(1, n.Height),
			)
			text := fmt.Sprintf("%.2f × %.2f %%", across, up)
			if math.Abs(across-up) < 0.005 {
				text = fmt.Sprintf("%.2f %%", across)
			}
			row.Sizes = append(row.Sizes, reducedSize{n.Code, of, text})
		}
		rows = append(rows, row)
	}
	return rows
}

// shownClock is one moment in all three ways of telling it.
type shownClock struct {
	By, Typed string
	Frame     int
	Timecode  frame.Timecode
	Seconds   float64
	Wrong     string
}

// showClock reads what was typed as a frame, a timecode or seconds.
func showClock(c frame.Clock, by, typed string) shownClock {
	s := shownClock{By: by, Typed: typed, Frame: c.First}
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
func (a *app) clock(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	return c.Render(
		http.StatusOK, "clock",
		map[string]any{"Code": p.Code, "Clock": showClock(p.Clock(), c.QueryParam("by"), c.QueryParam("value"))},
	)
}

// shownRetime is the table of a retime.
type shownRetime struct {
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

func showRetime(r frame.Retime, method string) shownRetime {
	s := shownRetime{
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
func (a *app) retime(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	shown := shownRetime{From: p.Rate.String(), To: c.QueryParam("to"), Method: c.QueryParam("method")}
	to, err := frame.ParseRate(shown.To)
	count, errCount := strconv.Atoi(strings.TrimSpace(c.QueryParam("count")))
	shown.Count = count
	switch {
	case err != nil:
		shown.Wrong = err.Error()
	case errCount != nil || count < 1 || count > frame.MaxCount:
		shown.Wrong = fmt.Sprintf("%q is not a number of frames from 1 to %d", c.QueryParam("count"), frame.MaxCount)
	default:
		shown = showRetime(frame.Retime{From: p.Rate, To: to, Count: count}, shown.Method)
	}
	return c.Render(http.StatusOK, "retime", map[string]any{"Code": p.Code, "Retime": shown})
}

// grounds are the kinds of background.
func grounds() []option {
	return []option{
		{string(look.Surroundings), "the look's environment"},
		{string(look.PlainColour), "a plain colour"},
		{string(look.Transparent), "transparent, with alpha"},
	}
}
