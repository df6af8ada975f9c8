package passes

import (
	"fmt"
	"image/png"
	"net/http"
	"net/url"
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
	text := "Stored as colour, 16-bit half"
	if p.Data {
		text = "Stored as data, 32-bit float"
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
	Heads      []listHead
	Groups     []group
	Include    string       // address that ticks are posted to
	Add        []kit.Action // new lists, plain and suggested
	Lights     []lightGroup
	AddLights  kit.Action
	WrongLight string
	Size       raster.Named // that costs are for
	View       string       // whose passes are shown, "" for none
	Views      []kit.Option
	Frame      int
	Large      shownPass
	Chosen     []chosenPass // the large pass in the lists that have it
	Pick       string       // address of true values
	Quality    production.Quality
	Measured   bool     // seconds are of frames that this production has had
	Sources    []string // of light, by name
	Depths     []listDepth
	MeasureAt  string   // address that measures depth
	Overridden []string // codes of shots with a depth of their own
	Measurable []string // codes of shots over which depth can be measured
}

// fill shows the lists, the light groups, every pass of a view, and what depth holds.
func (a *page) fill(v *kit.View) error {
	p := v.Production.Production
	page := &passesPage{
		Size: kit.UsualSize, Measured: v.Draft.Measure.Frames > 0,
		Lights: lightGroups(v), Depths: depthsOf(v), Overridden: overridden(p),
		Include:    v.Path("edit/pass-list.include"),
		MeasureAt:  v.Path("depths"),
		AddLights:  v.Part("light-group", "").Action("add", "+ light group", "Add a group of lights"),
		WrongLight: v.Wrong("light group", "add"),
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
	cost := costsOf(v, page.Size, page.Quality)
	for _, l := range p.PassLists {
		page.Heads = append(page.Heads, headOf(v, l, cost))
	}
	add := v.Part("pass-list", "")
	page.Add = append(page.Add, add.Action("add", "+ pass list", "Add a pass list"))
	for _, s := range pass.Suggestions() {
		if _, there := p.FindPassList(s.Code); !there {
			page.Add = append(page.Add, add.Action("add", "+ "+s.Name, s.Why).With(string(s.Code)))
		}
	}
	wall := a.wall(v, page, cost)
	page.Groups = groupsOf(wall, p.PassLists)
	page.Chosen = chosenIn(v, page.Large.Pass, cost)
	return nil
}

// wall returns every pass of a view, as pictures where there is a view to look at.
func (a *page) wall(v *kit.View, page *passesPage, cost costs) []shownPass {
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
	var wall []shownPass
	large := 0
	for i, described := range p.KnownPasses() {
		code := string(described.Code)
		out := shownPass{
			Pass: described, Bytes: cost.bytes(described.Code),
			Seconds: cost.frame * pass.Work([]pass.Code{described.Code}),
			Link:    "?" + url.Values{"view": {shown.Code}, "at": {frame}, "pass": {code}}.Encode(),
		}
		if pictured {
			out.Picture = v.Path("wall/" + code + "?" + q.Encode())
		}
		if code == v.Query("pass") {
			large = i
		}
		wall = append(wall, out)
	}
	wall[large].Large = true
	page.Large = wall[large]
	page.Large.Mapping = screening.Mapping(page.Large.Code, pass.DepthStyle{}, 0)
	if page.Large.Shown == pass.AsDistance {
		page.Large.Mapping += "; metres, whatever files are to hold"
	}
	return wall
}

// wallDepth is what the passes of a view are shown with: as the first list has it, in metres.
func wallDepth(p production.Production) pass.DepthSettings {
	depth := pass.UsualDepth()
	if len(p.PassLists) > 0 {
		depth = p.PassLists[0].Depth
	}
	depth.Style = pass.DepthStyle{}
	return depth
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

// forList returns what passes take as a list asks for them.
func (c costs) forList(l production.PassList) costs {
	c.encoding = c.encoding.With(l.Other(l.Passes, func(p production.PassChoice) bool { return p.OtherDepth }))
	return c
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
	wall, err := a.Previews.Passes(c.Request().Context(), t, p, wallDepth(p))
	if err != nil {
		return err
	}
	depth := wallDepth(p)
	far := screening.DepthFar(wall.Image, code, depth.Style, depth.Background)
	shown, err := screening.Display(wall.Image, code, 1, far)
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
	wall, err := a.Previews.Passes(c.Request().Context(), t, p, wallDepth(p))
	if err != nil {
		return err
	}
	img := wall.Image
	values, err := screening.Probe(
		img, min(int(x*float64(img.Width)), img.Width-1), min(int(y*float64(img.Height)), img.Height-1),
		pass.DepthStyle{},
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
