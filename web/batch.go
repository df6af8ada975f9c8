package web

import (
	"cmp"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/store"
)

// batchPage is the sheet on which a batch is read before it is sent.
type batchPage struct {
	State    preflight.State
	Quick    bool // it would be sent if that were said a second time
	Twice    bool // nothing is new, so that it can only be rendered once more
	Found    []foundRule
	Forecast forecast
	Good     int // frames that are in place already
	Coming   int // frames that are on their way already
	Tiled    int // frames that are rendered in tiles
	Tiles    int // of all those frames
	Rows     int // that the filter leaves
	All      int
	Chunks   []chunk
	BySize   []plan.Totals
	Out      []production.Shot
	Filter   string
	Group    string
	Groups   []option
	Orders   []plan.Order
	Before   []store.Batch // batches that can be waited for
	Trials   []plan.Trial
	Region   string
	Evening  string // a local time at which the night begins
}

// foundRule is all that one rule has found.
type foundRule struct {
	preflight.Finding // the first
	More              []preflight.Finding
	Hidden            int // that are not shown
}

// mostFound is how many findings of one rule are shown.
const mostFound = 30

// batchRow is one view of a shot, with a cell for each size.
type batchRow struct {
	Shot   production.Shot
	View   production.View
	Look   string // its name
	Cells  []*batchCell
	Totals plan.Totals
	Group  string // heading before this row, "" for none
}

// batchCell is one view of a shot in one size.
type batchCell struct {
	plan.Sequence
	Index   int  // in the batch
	In      bool // in the batch
	News    plan.News
	Middle  int
	Seconds float64
	Least   float64
	Most    float64
	Bytes   float64
	Strip   strip
	Basis   string
	Quality string // its own, "" for the batch's
	Outputs []string
	Tiles   string // that a frame is rendered in, "" for one piece
}

// A chunk is rows that are drawn when they come into sight.
type chunk struct {
	From, Rows, Height int
	Address            string
}

const (
	chunkRows    = 24
	chunkRowHigh = 190 // pixels that a row takes about
)

// rowKey is a row of the sheet before it is drawn.
type rowKey struct {
	shot  int // index in the production
	view  production.View
	group string
}

// batchRowKeys lists the rows of the sheet that a filter leaves, in groups.
func batchRowKeys(p production.Production, filter, group string) (keys []rowKey, all int) {
	filter = strings.ToLower(strings.TrimSpace(filter))
	for i, shot := range p.Shots {
		if !shot.InBatch {
			continue
		}
		for _, view := range p.ViewsOf(shot) {
			all++
			look, list := p.LookOf(shot, view), p.PassListOf(shot)
			words := strings.ToLower(
				strings.Join(
					[]string{
						shot.Code, shot.Name, shot.Note, view.Code, view.Name, look, list, p.QualityOf(shot),
						strings.Join(p.SizesOf(shot), " "), strings.Join(p.OutputsOf(shot), " "),
					},
					" ",
				),
			)
			if filter != "" && !strings.Contains(words, filter) {
				continue
			}
			k := rowKey{shot: i, view: view}
			switch group {
			case "view":
				k.group = "View " + view.Code
			case "look":
				k.group = "Look " + look
			case "passes":
				k.group = "Passes " + list
			case "quality":
				k.group = "Quality " + p.QualityOf(shot)
			}
			keys = append(keys, k)
		}
	}
	slices.SortStableFunc(keys, func(a, b rowKey) int { return cmp.Compare(a.group, b.group) })
	return keys, all
}

// batchIndex finds sequences of a batch by shot, view and size.
func batchIndex(b plan.Batch) map[[3]string]int {
	index := make(map[[3]string]int, len(b.Sequences))
	for i, s := range b.Sequences {
		index[[3]string{s.Shot, s.View, s.SizeCode}] = i
	}
	return index
}

func (a *app) batchRow(v *view, k rowKey, index map[[3]string]int) *batchRow {
	p := v.Production.Production
	shot, places := p.Shots[k.shot], float64(a.Node.SlotCount())
	row := &batchRow{Shot: shot, View: k.view, Cells: make([]*batchCell, len(p.Sizes))}
	l, _ := p.FindLook(p.LookOf(shot, k.view))
	row.Look = l.Name
	for i, size := range p.Sizes {
		at, in := index[[3]string{shot.Code, k.view.Code, size.Code}]
		if !in {
			if slices.Contains(p.SizesOf(shot), size.Code) {
				row.Cells[i] = &batchCell{
					Sequence: plan.Sequence{Shot: shot.Code, View: k.view.Code, SizeCode: size.Code},
				}
			}
			continue
		}
		s := v.Draft.Batch.Sequences[at]
		n := float64(s.Frames.Count())
		c := &batchCell{
			Sequence: s, Index: at, In: true, Middle: s.Frames.At(s.Frames.Count() / 2), Strip: plannedStrip(s.Frames),
			Basis: v.Draft.Measure.Basis(s.View), Quality: s.Quality.Name,
			Seconds: n * s.FrameSeconds / places, Least: n * s.Least / places, Most: n * s.Most / places,
			Bytes: n * s.FrameBytes,
		}
		if at < len(v.Draft.News) {
			c.News = v.Draft.News[at]
		}
		if s.Tiled() {
			c.Tiles = tilesOf(s.Tiles)
		}
		for _, f := range s.Files {
			if !slices.Contains(c.Outputs, f.Output) {
				c.Outputs = append(c.Outputs, f.Output)
			}
		}
		row.Cells[i] = c
		row.Totals.Add(&s)
	}
	return row
}

func fillBatch(a *app, v *view) error {
	p := v.Production.Production
	page := batchPage{
		BySize: make(
			[]plan.Totals, len(p.Sizes),
		), Filter: v.query("filter"), Group: v.query("group"), Orders: plan.Orders(), Trials: plan.Trials(),
		Region: p.Region.String(),
		Groups: []option{
			{"", "one after the other"},
			{"view", "by view"},
			{"look", "by look"},
			{"passes", "by pass list"},
			{"quality", "by quality"},
		},
	}
	page.State = preflight.StateOf(v.Draft.Findings, false)
	if len(v.Draft.Problems) > 0 {
		page.State = preflight.Refused
	}
	page.Quick = !v.Draft.Sendable(false) && v.Draft.Sendable(true)
	page.Found = byRule(v.Draft.Findings)
	page.Twice = !v.Draft.Sendable(false) && v.Draft.Again().Sendable(false)
	for _, n := range v.Draft.News {
		page.Good, page.Coming = page.Good+n.Good.Count(), page.Coming+n.Coming.Count()
	}
	for _, s := range v.Draft.Batch.Sequences {
		if s.Tiled() {
			page.Tiled += s.Frames.Count()
			page.Tiles += s.Frames.Count() * v.Draft.Batch.TileCount(s)
		}
	}
	var err error
	if page.Forecast, err = a.forecastOf(v.Draft); err != nil {
		return err
	}
	page.Evening = page.Forecast.Begins.UTC().Format(time.RFC3339)
	for i, size := range p.Sizes {
		for _, s := range v.Draft.Batch.Sequences {
			if s.SizeCode == size.Code {
				page.BySize[i].Add(&s)
			}
		}
		page.BySize[i].Seconds /= float64(a.Node.SlotCount())
	}
	for _, s := range p.Shots {
		if !s.InBatch {
			page.Out = append(page.Out, s)
		}
	}
	for _, b := range v.Batches {
		if b.Counts().Left() > 0 {
			page.Before = append(page.Before, b)
		}
	}
	keys, all := batchRowKeys(p, page.Filter, page.Group)
	page.Rows, page.All = len(keys), all
	for from := 0; from < len(keys); from += chunkRows {
		n := min(chunkRows, len(keys)-from)
		q := url.Values{"from": {strconv.Itoa(from)}, "filter": {page.Filter}, "group": {page.Group}}
		page.Chunks = append(
			page.Chunks, chunk{from, n, n * chunkRowHigh, "/p/" + url.PathEscape(p.Code) + "/batch/rows?" + q.Encode()},
		)
	}
	v.Page = page
	return nil
}

// byRule gathers findings by their rules.
func byRule(findings []preflight.Finding) []foundRule {
	var all []foundRule
	at := map[string]int{}
	for _, f := range findings {
		i, known := at[f.Rule]
		switch {
		case !known:
			at[f.Rule] = len(all)
			all = append(all, foundRule{Finding: f})
		case len(all[i].More) < mostFound:
			all[i].More = append(all[i].More, f)
		default:
			all[i].Hidden++
		}
	}
	return all
}

// batchView is the view of the batch sheet, for a part of it.
func (a *app) batchView(c *echo.Context) (*view, error) {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return nil, err
	}
	v := &view{Production: p, query: c.QueryParam}
	v.Draft, err = a.House.DraftOf(p)
	return v, err
}

// batchRows answers with some rows of the sheet, when they come into sight.
func (a *app) batchRows(c *echo.Context) error {
	v, err := a.batchView(c)
	if err != nil {
		return err
	}
	keys, _ := batchRowKeys(v.Production.Production, v.query("filter"), v.query("group"))
	from, err := strconv.Atoi(v.query("from"))
	if err != nil || from < 0 || from > len(keys) {
		return echo.NewHTTPError(http.StatusBadRequest, "There are no such rows.")
	}
	index := batchIndex(v.Draft.Batch)
	var rows []*batchRow
	for i, k := range keys[from:min(from+chunkRows, len(keys))] {
		row := a.batchRow(v, k, index)
		if k.group != "" && (from+i == 0 || keys[from+i-1].group != k.group) {
			row.Group = k.group
		}
		rows = append(rows, row)
	}
	return c.Render(
		http.StatusOK, "batch-rows",
		map[string]any{"v": v, "Rows": rows, "From": from, "Columns": len(v.Production.Sizes) + 2},
	)
}

// mostPaths is how many paths of a file sequence are listed.
const mostPaths = 500

// batchPaths answers with every path of one sequence.
func (a *app) batchPaths(c *echo.Context) error {
	v, err := a.batchView(c)
	if err != nil {
		return err
	}
	i, ok := batchIndex(v.Draft.Batch)[[3]string{v.query("shot"), v.query("view"), v.query("size")}]
	if !ok {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such sequence in the batch any more.")
	}
	s := v.Draft.Batch.Sequences[i]
	shot, _ := v.Production.FindShot(s.Shot)
	type shownFiles struct {
		plan.FileSequence
		Paths []string
		More  int
	}
	var files []shownFiles
	for _, f := range s.Files {
		shown := shownFiles{FileSequence: f, More: max(0, s.Frames.Count()-mostPaths)}
		for n := range s.Frames.All() {
			if len(shown.Paths) == mostPaths {
				break
			}
			shown.Paths = append(shown.Paths, f.Path.Frame(n))
		}
		files = append(files, shown)
	}
	return c.Render(
		http.StatusOK, "batch-paths",
		map[string]any{"v": v, "Sequence": s, "Files": files, "Cut": cuttingOf(v.Draft.Batch, s, shot)},
	)
}

// sending reads how a batch is to be sent.
func sending(c *echo.Context) (house.Sending, error) {
	s := house.Sending{Again: c.FormValue("again") != "", Twice: c.FormValue("twice") != ""}
	s.Name, s.Note = strings.TrimSpace(c.FormValue("name")), strings.TrimSpace(c.FormValue("note"))
	s.Order = plan.Order(c.FormValue("order"))
	if !slices.Contains(plan.Orders(), s.Order) {
		return s, fmt.Errorf("there is no order %q of frames", s.Order)
	}
	if text := strings.TrimSpace(c.FormValue("priority")); text != "" {
		n, err := strconv.Atoi(text)
		if err != nil || n < -100 || n > 100 {
			return s, fmt.Errorf("a priority is a whole number from −100 to 100, not %q", text)
		}
		s.Priority = n
	}
	switch begin, other, _ := strings.Cut(c.FormValue("begin"), ":"); begin {
	case "", "now":
	case "held":
		s.Held = true
	case "time":
		at, err := time.Parse(time.RFC3339, c.FormValue("time"))
		if err != nil {
			return s, fmt.Errorf("the time to begin at is missing or cannot be read")
		}
		s.Start = at
	case "batch", "sequence":
		id, err := strconv.ParseInt(other, 10, 64)
		if err != nil {
			return s, fmt.Errorf("the batch to wait for is missing")
		}
		if begin == "batch" {
			s.AfterBatch = id
		} else {
			s.AfterSequence = id
		}
	default:
		return s, fmt.Errorf("there is no way %q to begin", begin)
	}
	return s, nil
}

// send sends the batch as it stands on the batch sheet.
func (a *app) send(c *echo.Context) error {
	how, err := sending(c)
	if err != nil {
		return a.notSent(c, batchSheet, err)
	}
	return a.sendAs(c, batchSheet, how)
}

// sendTrial sends a few frames of every sequence, in a folder of their own.
func (a *app) sendTrial(c *echo.Context) error {
	t := plan.Trial(c.FormValue("trial"))
	if !slices.Contains(plan.Trials(), t) {
		return echo.NewHTTPError(http.StatusBadRequest, "There is no such trial.")
	}
	return a.sendAs(c, stationKey(c.FormValue("station")), house.Sending{Trial: t, Twice: true})
}

func (a *app) notSent(c *echo.Context, station stationKey, reason error) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	return a.update(
		c,
		answer{
			production: p,
			station:    station,
			mistake:    mistake{Where: "batch", Field: "send", Message: reason.Error()},
		},
	)
}

func (a *app) sendAs(c *echo.Context, station stationKey, how house.Sending) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	// Two open tabs: what is sent must be what was read.
	if seen := c.FormValue("revision"); seen != strconv.Itoa(p.Number) {
		return a.update(
			c,
			answer{
				production: p,
				station:    station,
				notice: "The set-up was changed meanwhile, perhaps in another tab. This is how it stands now; " +
					"read it and send again.",
			},
		)
	}
	id, err := a.House.SendDraft(p.Production, how)
	if err != nil {
		return a.notSent(c, station, err)
	}
	a.Changes.Changed()
	c.Response().Header().Set("HX-Redirect", fmt.Sprintf("/p/%s/queue#batch-%d", p.Code, id))
	return c.NoContent(http.StatusNoContent)
}

// framesOf returns a set in words for a person, shortened.
func framesOf(set frame.Set) string {
	const most = 40
	text := set.String()
	if len(text) > most {
		text = text[:most] + " …"
	}
	return text
}
