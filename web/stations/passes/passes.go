package passes

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
	"reelhouse/web/kit"
)

// wallEdge is the longer edge of the pictures that the passes of a view are shown in, in pixels.
const wallEdge = 480

// A costedList is a pass list with what a frame of it takes in OpenEXR, in the first size.
type costedList struct {
	production.PassList
	Bytes   float64
	Seconds float64
	Shots   int // that use it
	Title   kit.Field
	Boxes   listBoxes
	Rows    []chosenPass
	Remove  kit.Action
	Wrong   []string
	Open    bool // what is asked of its passes is shown
}

// listBoxes are the passes of a list, to be ticked.
type listBoxes struct {
	Edit    kit.Edit
	Passes  []passBox
	Mistake string
}

// A passBox is a pass that a list may have.
type passBox struct {
	Code pass.Code
	Name string
	On   bool
}

// A chosenPass is a pass of a list, with what is asked of it there.
type chosenPass struct {
	pass.Pass
	production.PassChoice
	Bytes   float64
	Seconds float64    // that it adds to the frame
	Depth   *kit.Field // nil if it has always the same bit depth
	Filter  *kit.Field // nil if it has always the same filter
	Outputs kit.Ticks
}

// Filtering says how the pass is filtered, where there is no choice.
func (c chosenPass) Filtering() string {
	switch {
	case c.IsCryptomatte():
		return "coverage"
	case c.Filtered:
		return "mean"
	}
	return "at the centre"
}

// A shownPass is a pass of the catalogue, with what it costs and its picture.
type shownPass struct {
	pass.Pass
	Bytes   float64
	Seconds float64 // of a frame with nothing else
	Picture string  // address
	Link    string  // where it is shown large
	Large   bool    // it is
	Mapping string
}

// Kept says how the pass is kept in a file.
func (p shownPass) Kept() string {
	text := "colour, 16-bit half"
	if p.Data {
		text = "data, 32-bit float"
	}
	switch {
	case p.Filtered:
		return text + ", filtered"
	case p.IsCryptomatte():
		return text + ", by coverage"
	}
	return text + ", unfiltered"
}

type passesPage struct {
	Lists      []costedList
	Add        []kit.Action // new lists, plain and suggested
	Groups     []lightGroup
	AddGroup   kit.Action
	WrongGroup string
	Size       raster.Named // that costs are for
	View       string       // whose passes are shown, "" for none
	Views      []kit.Option
	Frame      int
	Wall       []shownPass
	Large      shownPass
	Pick       string // address of true values
	Quality    production.Quality
	Measured   bool     // seconds are of frames that this production has had
	Sources    []string // of light, by name
	Depth      depthSettings
	Measurable []string // codes of shots over which depth can be measured
}

// fill shows the lists, the light groups, every pass of a view, and what depth holds.
func (a *page) fill(v *kit.View) error {
	p := v.Production.Production
	page := &passesPage{
		Size: kit.UsualSize, Measured: v.Draft.Measure.Frames > 0, Groups: lightGroups(v), Depth: depthOf(v),
		AddGroup:   v.Part("light-group", "").Action("add", "+ light group", "Add a group of lights"),
		WrongGroup: v.Wrong("light group", "add"),
	}
	v.Page = page
	if p.Scene.Opaque == nil {
		for _, shot := range p.Shots {
			page.Measurable = append(page.Measurable, shot.Code)
		}
	}
	if len(p.Sizes) > 0 {
		page.Size = p.Sizes[0]
	}
	page.Quality, _ = p.FindQuality(p.Quality)
	if s, err := a.House.Assets.Scene(p.Scene); err == nil {
		page.Sources = viewsheet.Sources(s)
	}
	catalogue, cost := p.KnownPasses(), costsOf(v, page.Size, page.Quality)
	for _, l := range p.PassLists {
		out := listOf(v, l, catalogue)
		cost.of(&out)
		page.Lists = append(page.Lists, out)
	}
	add := v.Part("pass-list", "")
	page.Add = append(page.Add, add.Action("add", "+ pass list", "Add a pass list"))
	for _, s := range pass.Suggestions() {
		if _, there := p.FindPassList(s.Code); !there {
			page.Add = append(page.Add, add.Action("add", "+ "+s.Name, s.Why).With(string(s.Code)))
		}
	}
	a.wall(v, page, catalogue, cost)
	return nil
}

// wall fills in every pass of a view, as pictures where there is a view to look at.
func (a *page) wall(v *kit.View, page *passesPage, catalogue []pass.Pass, cost costs) {
	p := v.Production.Production
	for _, w := range p.ShotViews() {
		page.Views = append(page.Views, kit.Option{Value: w.Code, Text: w.Name})
	}
	shown, ok := p.FindView(v.Query("view"))
	views, _ := a.ShownViews(v)
	for _, w := range views {
		if !ok && w.Found && !w.Working {
			shown, ok = w.View, true
		}
		if w.Code == shown.Code {
			page.Frame, ok = w.MiddleFrame, w.Found
		}
	}
	if n, err := strconv.Atoi(v.Query("at")); err == nil {
		page.Frame = n
	}
	pictured := ok && p.Scene.Opaque == nil
	frame := strconv.Itoa(page.Frame)
	q := url.Values{"view": {shown.Code}, "frame": {frame}, "seen": {strconv.Itoa(v.Production.Number)}}
	if pictured {
		page.View, page.Pick = shown.Code, v.Path("wall?"+q.Encode())
	}
	large := 0
	for i, described := range catalogue {
		out := shownPass{
			Pass: described, Bytes: cost.bytes(described.Code),
			Seconds: cost.frame * pass.Work([]pass.Code{described.Code}),
		}
		if pictured {
			code := string(described.Code)
			out.Picture = v.Path("wall/" + code + "?" + q.Encode())
			out.Link = "?" + url.Values{"view": {shown.Code}, "at": {frame}, "pass": {code}}.Encode() + "#wall"
			if code == v.Query("pass") {
				large = i
			}
		}
		page.Wall = append(page.Wall, out)
	}
	if !pictured || len(page.Wall) == 0 {
		return
	}
	page.Wall[large].Large = true
	page.Large = page.Wall[large]
	page.Large.Mapping = screening.Mapping(page.Large.Code, pass.DepthStyle{}, 0)
	if page.Large.Shown == pass.AsDistance {
		page.Large.Mapping += "; metres, whatever files are to hold"
	}
}

// costs are what passes take of a frame in OpenEXR, in a size and a quality.
type costs struct {
	encoding output.Encoding
	size     raster.Size
	frame    float64 // seconds of a frame of the picture alone
}

// costsOf returns what passes take, by frames that the production has had.
func costsOf(v *kit.View, size raster.Named, q production.Quality) costs {
	// Measured frames had passes of their own.
	usual := 1.0
	if len(v.Draft.Batch.Sequences) > 0 {
		usual = max(usual, pass.Work(v.Draft.Batch.Sequences[0].Passes))
	}
	c := costs{encoding: output.EXR.Usual(), size: size.Reduced(q.Scale)}
	sequence := plan.Sequence{Size: c.size}
	c.frame = v.Draft.Measure.Or().SecondsPerMegasample * sequence.Megasamples(q) / usual
	return c
}

func (c costs) bytes(codes ...pass.Code) float64 { return c.encoding.Bytes(codes, c.size) }

// of fills in what a list takes, and what each of its passes adds.
func (c costs) of(l *costedList) {
	c.encoding = c.encoding.With(l.Other(l.Passes, func(p production.PassChoice) bool { return p.OtherDepth }))
	work := pass.Work(l.Passes)
	l.Bytes, l.Seconds = c.bytes(l.Passes...), c.frame*work
	for i := range l.Rows {
		row := &l.Rows[i]
		rest := slices.DeleteFunc(slices.Clone(l.Passes), func(code pass.Code) bool { return code == row.Pass.Code })
		row.Bytes, row.Seconds = c.bytes(row.Pass.Code), c.frame*(work-pass.Work(rest))
	}
}

// wallPicture answers with one pass of a view as a picture for the screen.
func (a *page) wallPicture(c *echo.Context) error {
	code := pass.Code(c.Param("pass"))
	if _, err := pass.Find(code); err != nil {
		return echo.NewHTTPError(http.StatusNotFound, err.Error())
	}
	t, p, err := a.Wanted(c, wallEdge)
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
func (a *page) wallValues(c *echo.Context) error {
	t, p, err := a.Wanted(c, wallEdge)
	if err != nil {
		return err
	}
	x, y, err := kit.PointOf(c.QueryParam("at"))
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
	return c.Render(http.StatusOK, "passes/wall-values", wallRows(values, wall.Names))
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
