package batch

import (
	"cmp"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"github.com/labstack/echo/v5"

	"reelhouse/core/plan"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/house"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// batchPage is the sheet on which a batch is read before it is sent.
type batchPage struct {
	State       preflight.State
	Code        string // of the production
	Revision    int
	Name        string // of the batch, if none is given
	Sizes       []raster.Named
	Quality     kit.Field
	Region      kit.Field
	Totals      plan.Totals
	Version     string
	QualityName string
	Quick       bool // it would be sent if that were said a second time
	OnlyAgain   bool // nothing is new, so that it can only be rendered once more
	Found       []foundRule
	Forecast    forecast
	Good        int // frames that are in place already
	Coming      int // frames that are on their way already
	Tiled       int // frames that are rendered in tiles
	Tiles       int // of all those frames
	Rows        int // that the filter leaves
	All         int
	Chunks      []chunk
	BySize      []plan.Totals
	Out         []production.Shot
	Filter      string
	Group       string
	Groups      []kit.Option
	Orders      []plan.Order
	Before      []store.Batch // batches that can be waited for
	Trials      []kit.Action
	Kinds       []thenKind // of follow-ups that can be chosen
	WrongSend   string
	WrongTiles  string // about tiles that were typed for a cell
	Evening     string // a local time at which the night begins
}

// foundRule is all that one rule has found.
type foundRule struct {
	preflight.Finding // the first
	More              []preflight.Finding
	Hidden            int         // that are not shown
	FixIt             *kit.Action // nil if nothing fixes it by itself
	Waive             kit.Edit
	Restore           kit.Action
}

// Kind says how bad it is.
func (f foundRule) Kind() string {
	switch {
	case f.Waived != "":
		return "Waived"
	case f.Severity == preflight.Refuses:
		return "Refused"
	}
	return "Warning"
}

// Class is how it looks.
func (f foundRule) Class() string {
	if f.Waived != "" {
		return "waived"
	}
	return string(f.Severity)
}

// Verdict says whether the batch can be sent.
func (b batchPage) Verdict() string {
	switch {
	case b.State == preflight.Clean:
		return "Clean: nothing was found"
	case b.State == preflight.Warned:
		return "Can be sent; look at what was found"
	case b.OnlyAgain:
		return "Nothing in it is new"
	}
	return "Refused as it stands"
}

// Blocked reports whether nothing makes it possible to send it.
func (b batchPage) Blocked() bool { return b.State == preflight.Refused && !b.OnlyAgain }

// mostFound is how many findings of one rule are shown.
const mostFound = 30

// batchRow is one view of a shot, with a cell for each size.
type batchRow struct {
	Code   string // of the production
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
	Camera  string
	Unlike  bool // the camera is one that the view's name does not suggest
	Diff    plan.Diff
	Middle  int
	Seconds float64
	Least   float64
	Most    float64
	Bytes   float64
	Strip   kit.Strip
	Basis   string
	Quality string // its own, "" for the batch's
	Outputs []string
	Tiles   string // that a frame is rendered in, "" for one piece
	Include kit.Field
	Thumbs  []kit.Thumb
	Paths   string // address of its paths
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
	view  production.SeenView
	group string
}

// batchRowKeys lists the rows of the sheet that a filter leaves, in groups.
func batchRowKeys(set *production.Resolved, filter, group string) (keys []rowKey, all int) {
	filter = strings.ToLower(strings.TrimSpace(filter))
	for i := range set.Shots {
		shot := &set.Shots[i]
		if !shot.Shot.InBatch {
			continue
		}
		for _, view := range shot.Views {
			all++
			if filter != "" && !strings.Contains(rowWords(shot, view), filter) {
				continue
			}
			keys = append(keys, rowKey{i, view, groupOf(group, shot, view)})
		}
	}
	slices.SortStableFunc(keys, func(a, b rowKey) int { return cmp.Compare(a.group, b.group) })
	return keys, all
}

// rowWords are what a filter finds a row by.
func rowWords(shot *production.RenderedShot, view production.SeenView) string {
	words := []string{
		shot.Shot.Code, shot.Shot.Name, shot.Shot.Note, view.Code, view.Name, lookOf(view), listOf(shot),
		shot.Quality.Code,
	}
	words = append(append(words, shot.SizeCodes()...), shot.OutputCodes()...)
	return strings.ToLower(strings.Join(words, " "))
}

// groupOf returns the heading under which a row stands, "" without groups.
func groupOf(group string, shot *production.RenderedShot, view production.SeenView) string {
	switch group {
	case "view":
		return "View " + view.Code
	case "look":
		return "Look " + lookOf(view)
	case "passes":
		return "Passes " + listOf(shot)
	case "quality":
		return "Quality " + shot.Quality.Code
	}
	return ""
}

// lookOf returns the code of the look that a view has, "" if there is none.
func lookOf(view production.SeenView) string {
	if view.Look == nil {
		return ""
	}
	return view.Look.Code
}

// listOf returns the code of a shot's pass list, "" if there is none.
func listOf(shot *production.RenderedShot) string {
	if shot.List == nil {
		return ""
	}
	return shot.List.Code
}

// batchIndex finds sequences of a batch by shot, view and size.
func batchIndex(b plan.Batch) map[[3]string]int {
	index := make(map[[3]string]int, len(b.Sequences))
	for i, s := range b.Sequences {
		index[[3]string{s.Shot, s.View, s.SizeCode}] = i
	}
	return index
}

func (a *page) batchRow(v *kit.View, k rowKey, index map[[3]string]int) *batchRow {
	p := v.Production.Production
	rendered, places := &v.Draft.Set.Shots[k.shot], float64(a.Node.SlotCount())
	shot := *rendered.Shot
	row := &batchRow{Code: p.Code, Shot: shot, View: *k.view.View, Cells: make([]*batchCell, len(p.Sizes))}
	if k.view.Look != nil {
		row.Look = k.view.Look.Name
	}
	for i, size := range p.Sizes {
		at, in := index[[3]string{shot.Code, k.view.Code, size.Code}]
		if !in {
			if slices.Contains(rendered.SizeCodes(), size.Code) {
				empty := plan.Sequence{Shot: shot.Code, View: k.view.Code, SizeCode: size.Code}
				row.Cells[i] = &batchCell{Sequence: empty, Include: include(v, empty, false)}
			}
			continue
		}
		s := v.Draft.Batch.Sequences[at]
		n := float64(s.Frames.Count())
		c := &batchCell{
			Sequence: s, Index: at, In: true, Middle: s.Frames.At(s.Frames.Count() / 2),
			Camera: s.CameraName(), Unlike: unlike(*k.view.View, s),
			Basis: v.Draft.Measure.Basis(s.View), Quality: s.Quality.Name,
			Seconds: n * s.FrameSeconds / places, Least: n * s.Least / places, Most: n * s.Most / places,
			Bytes: n * s.FrameBytes, Include: include(v, s, true), Paths: pathsOf(v, s),
		}
		c.thumbs(v)
		if at < len(v.Draft.Diffs) {
			c.Diff = v.Draft.Diffs[at]
		}
		c.Strip = kit.PlannedStrip(s.Frames, c.Diff)
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

// unlike reports whether a sequence is rendered through a camera that the view's name does not suggest: neither says
// the other's name, but for a "cam" at its beginning.
func unlike(v production.View, s plan.Sequence) bool {
	if s.Camera == "" || v.Rig != "" {
		return false
	}
	plain := func(name string) string {
		letters := strings.Map(func(r rune) rune {
			if unicode.IsLetter(r) || unicode.IsDigit(r) {
				return unicode.ToLower(r)
			}
			return -1
		}, name)
		return strings.TrimPrefix(strings.TrimPrefix(letters, "camera"), "cam")
	}
	camera, view, title := plain(s.Camera), plain(v.Code), plain(v.Name)
	return !strings.Contains(camera, view) && !strings.Contains(view, camera) && !strings.Contains(title, camera)
}

// include returns the tick that has a cell in the batch, or not.
func include(v *kit.View, s plan.Sequence, in bool) kit.Field {
	f := v.Part("cell", s.Shot).Tick("inBatch", "in", in).Telling("set.view", s.View).Telling("set.size", s.SizeCode)
	f.ID = "cell-" + s.Shot + "-" + s.View + "-" + s.SizeCode
	f.Title = s.Shot + " " + s.View + " in " + s.SizeCode
	return f
}

// pathsOf returns the address of the paths of a sequence.
func pathsOf(v *kit.View, s plan.Sequence) string {
	return v.Path("batch/paths?" + url.Values{"shot": {s.Shot}, "view": {s.View}, "size": {s.SizeCode}}.Encode())
}

// thumbs fills in pictures of the first, the middle and the last frame.
func (c *batchCell) thumbs(v *kit.View) {
	frames := []int{c.Frames.First()}
	if c.Frames.Count() > 2 {
		frames = append(frames, c.Middle)
	}
	if c.Frames.Count() > 1 {
		frames = append(frames, c.Frames.Last())
	}
	for _, n := range frames {
		c.Thumbs = append(c.Thumbs, kit.Thumb{
			Address: v.ThumbUnder(c.View, c.Look.Code, c.SizeCode, n), Class: "grow basis-0", Aspect: c.SizeCode,
			Alt: fmt.Sprintf("shot %s in %s, frame %d", c.Shot, c.SizeCode, n), Word: "…",
			Width: c.FullSize.Width, Height: c.FullSize.Height,
		})
	}
}

// fill shows what was found, what it comes to, and the rows, which are drawn when they come into sight.
func (a *page) fill(v *kit.View) error {
	p := v.Production.Production
	part := v.Part("production", "")
	var qualities []kit.Option
	for _, q := range p.Qualities {
		text := fmt.Sprintf("%s: %s, %d × %d samples", q.Name, q.Scale, q.Samples, q.Samples)
		qualities = append(qualities, kit.Option{Value: q.Code, Text: text})
	}
	page := batchPage{
		Code: p.Code, Revision: v.Production.Number, Sizes: p.Sizes, Totals: v.Totals,
		Version: fmt.Sprintf("v%d", p.Version), QualityName: v.Draft.Batch.Quality.Name,
		Name:    fmt.Sprintf("%s v%03d %s", p.Code, p.Version, v.Draft.Batch.Quality.Name),
		Quality: part.Field("quality", "Quality", p.Quality).Among(qualities),
		Region: part.Field("region", "Region: left, top, right, bottom in percent", p.Region).Mono(0).
			Or("whole picture"),
		BySize: make([]plan.Totals, len(p.Sizes)), Filter: v.Query("filter"), Group: v.Query("group"),
		Orders: plan.Orders(),
		Groups: []kit.Option{
			{Value: "", Text: "one after the other"},
			{Value: "view", Text: "by view"},
			{Value: "look", Text: "by look"},
			{Value: "passes", Text: "by pass list"},
			{Value: "quality", Text: "by quality"},
		},
		WrongSend: v.Wrong("batch", "send"),
	}
	var err error
	if page.Kinds, err = a.thenKinds(v.Production.Production); err != nil {
		return err
	}
	if v.Swap && v.Mistake.Field == "tiles" {
		page.WrongTiles = v.Mistake.Message
	}
	for _, t := range plan.Trials() {
		page.Trials = append(page.Trials, v.Post("try-"+string(t), "Try "+t.Name(),
			"A trial: "+t.Name()+" only, in files of their own", "trial", "trial", string(t)))
	}
	page.State = preflight.StateOf(v.Draft.Findings, false)
	if len(v.Draft.Problems) > 0 {
		page.State = preflight.Refused
	}
	page.Quick = !v.Draft.Sendable(false) && v.Draft.Sendable(true)
	page.Found = byRule(v, v.Draft.Findings)
	page.OnlyAgain = !v.Draft.Sendable(false) && v.Draft.Again().Sendable(false)
	for _, n := range v.Draft.Diffs {
		page.Good, page.Coming = page.Good+n.Good.Count(), page.Coming+n.Coming.Count()
	}
	for _, s := range v.Draft.Batch.Sequences {
		if s.Tiled() {
			page.Tiled += s.Frames.Count()
			page.Tiles += s.Frames.Count() * v.Draft.Batch.TileCount(s)
		}
	}

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
	keys, all := batchRowKeys(v.Draft.Set, page.Filter, page.Group)
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
func byRule(v *kit.View, findings []preflight.Finding) []foundRule {
	var all []foundRule
	at := map[string]int{}
	for _, f := range findings {
		i, known := at[f.Rule]
		switch {
		case !known:
			at[f.Rule] = len(all)
			all = append(all, ruleOf(v, f))
		case len(all[i].More) < mostFound:
			all[i].More = append(all[i].More, f)
		default:
			all[i].Hidden++
		}
	}
	return all
}

// ruleOf returns a finding with what can be done about it.
func ruleOf(v *kit.View, f preflight.Finding) foundRule {
	part := v.Part("finding", f.Rule)
	found := foundRule{
		Finding: f, Waive: part.Action("waive", "", "").Edit, Restore: part.Action("restore", "Restore", ""),
	}
	if f.Fix != "" {
		fix := v.Do("fix-"+string(f.Fix), f.Fix.Label(), "", f.Fix.CommandName())
		found.FixIt = &fix
	}
	return found
}

// batchView is the view of the batch sheet, for a part of it.
func (a *page) batchView(c *echo.Context) (*kit.View, error) {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return nil, err
	}
	v := &kit.View{Production: p, Query: c.QueryParam}
	v.Draft, err = a.House.DraftOf(p)
	return v, err
}

// batchRows answers with some rows of the sheet, when they come into sight.
func (a *page) batchRows(c *echo.Context) error {
	v, err := a.batchView(c)
	if err != nil {
		return err
	}
	keys, _ := batchRowKeys(v.Draft.Set, v.Query("filter"), v.Query("group"))
	from, err := strconv.Atoi(v.Query("from"))
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
	return c.Render(http.StatusOK, "batch/batch-rows",
		rowsShown{Rows: rows, Columns: len(v.Production.Sizes) + 2})
}

// rowsShown are rows of the sheet that have come into sight.
type rowsShown struct {
	Rows    []*batchRow
	Columns int
}

// mostPaths is how many paths of a file sequence are listed.
const mostPaths = 500

// batchPaths answers with every path of one sequence.
func (a *page) batchPaths(c *echo.Context) error {
	v, err := a.batchView(c)
	if err != nil {
		return err
	}
	i, ok := batchIndex(v.Draft.Batch)[[3]string{v.Query("shot"), v.Query("view"), v.Query("size")}]
	if !ok {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such sequence in the batch any more.")
	}
	s := v.Draft.Batch.Sequences[i]
	shot, _ := v.Production.FindShot(s.Shot)
	shown := sequencePaths{Sequence: s, Address: pathsOf(v, s), Split: splitOf(v, s, shot)}
	for _, f := range s.Files {
		file := shownFiles{FileSequence: f, More: max(0, s.Frames.Count()-mostPaths)}
		for n := range s.Frames.All() {
			if len(file.Paths) == mostPaths {
				break
			}
			file.Paths = append(file.Paths, f.Path.Frame(n))
		}
		shown.Files = append(shown.Files, file)
	}
	return c.Render(http.StatusOK, "batch/batch-paths", shown)
}

// sequencePaths is what the side sheet shows of a sequence.
type sequencePaths struct {
	Sequence plan.Sequence
	Address  string
	Split    splitting
	Files    []shownFiles
}

// shownFiles are the paths of one file sequence.
type shownFiles struct {
	plan.FileSequence
	Paths []string
	More  int // that are not listed
}

// sending reads how a batch is to be sent.
func sending(c *echo.Context) (house.Sending, error) {
	s := house.Sending{Again: c.FormValue("again") != "", Confirmed: c.FormValue("confirmed") != ""}
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
func (a *page) send(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	how, err := sending(c)
	if err == nil {
		err = a.more(c, p.Production, &how)
	}
	if err != nil {
		return a.notSent(c, key, err)
	}
	return a.sendAs(c, key, how)
}

// sendTrial sends a few frames of every sequence, in a folder of their own.
func (a *page) sendTrial(c *echo.Context) error {
	t := plan.Trial(c.FormValue("trial"))
	if !slices.Contains(plan.Trials(), t) {
		return echo.NewHTTPError(http.StatusBadRequest, "There is no such trial.")
	}
	return a.sendAs(c, kit.Key(c.FormValue("station")), house.Sending{Trial: t, Confirmed: true})
}

func (a *page) notSent(c *echo.Context, station kit.Key, reason error) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	return a.Update(
		c,
		kit.Answer{
			Production: p,
			Station:    station,
			Mistake:    kit.Mistake{Where: "batch", Field: "send", Message: reason.Error()},
		},
	)
}

func (a *page) sendAs(c *echo.Context, station kit.Key, how house.Sending) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	// Two open tabs: what is sent must be what was read.
	if seen := c.FormValue("revision"); seen != strconv.Itoa(p.Number) {
		return a.Update(
			c,
			kit.Answer{
				Production: p,
				Station:    station,
				Notice: "The set-up was changed meanwhile, perhaps in another tab. This is how it stands now; " +
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
