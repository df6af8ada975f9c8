package screening

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"reelhouse/core/frame"
	"reelhouse/core/raster"
	"reelhouse/core/review"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// verdicts are what was decided of a sequence.
type verdicts struct {
	Address string // of this part of the page
	Mistake string // why the last verdict was not kept
	Done    string // what was decided last
	Counts  []verdictCount
	Total   int       // frames
	None    int       // that nothing was decided of
	Shown   []verdict // that count, the latest first
	Over    []verdict // that count no more, likewise
	Spans   []spanShown
}

// A verdictCount is of how many frames the standing verdict is of a kind.
type verdictCount struct {
	Kind   review.Kind
	Frames int
}

// A verdict is one with what the page shows of it.
type verdict struct {
	review.Verdict
	First int    // the frame at which it opens
	Text  string // of its marks
	Back  string // where it is taken back, "" where it cannot be
	Size  raster.Size
	Look  string // address of a small picture of the frame
}

// Name returns who has given it.
func (v verdict) Name() string { return review.Name(v.By) }

// TakenName returns who has taken it back.
func (v verdict) TakenName() string { return review.Name(v.TakenBy) }

// A spanShown is a stretch of frames below those of the strip, in its units.
type spanShown struct {
	Kind        review.Kind
	Left, Width float64
	Title       string
}

// decidedOf returns what was decided of a sequence.
func (a *page) decidedOf(code string, s store.Sequence) (v verdicts, err error) {
	all, err := a.House.Record.Verdicts(s.ID)
	if err != nil {
		return v, err
	}
	v.Address, v.Total = fmt.Sprintf("/p/%s/screen/%d/verdicts", code, s.ID), s.Spec.Frames.Count()
	v.Counts = countVerdicts(all)
	v.None = v.Total
	for _, c := range v.Counts {
		v.None -= c.Frames
	}
	standing := review.Standing(all)
	for _, stands := range slices.Backward(standing) {
		v.Shown = append(v.Shown, a.shownVerdict(code, s, stands))
		v.Spans = append(v.Spans, spansOf(s.Spec.Frames, stands)...)
	}
	for _, was := range slices.Backward(all) {
		if !slices.ContainsFunc(standing, func(w review.Verdict) bool { return w.ID == was.ID }) {
			v.Over = append(v.Over, a.shownVerdict(code, s, was))
		}
	}
	return v, nil
}

func (a *page) shownVerdict(code string, s store.Sequence, given review.Verdict) verdict {
	v := verdict{Verdict: given, First: given.Frames.First(), Text: given.Marks.Text(), Size: markSize(s)}
	if len(given.Marks) > 0 {
		v.First = given.Marked
	}
	v.Look = fmt.Sprintf("/p/%s/screen/%d/%d/around", code, s.ID, v.First)
	if given.Stands() && given.Answered == 0 {
		v.Back = fmt.Sprintf("/p/%s/screen/%d/verdicts/%d/back", code, s.ID, given.ID)
	}
	return v
}

// markSize returns the size of the pictures in whose pixels marks are.
func markSize(s store.Sequence) raster.Size { return s.Spec.Files[0].Size }

// countVerdicts counts the frames of which a verdict of each kind stands; kinds of which there are none are left out.
func countVerdicts(all []review.Verdict) []verdictCount {
	var counts []verdictCount
	for _, kind := range review.Kinds() {
		if n := review.On(all, kind).Count(); n > 0 {
			counts = append(counts, verdictCount{kind, n})
		}
	}
	return counts
}

// spansOf returns where along the strip of some frames a verdict lies.
func spansOf(frames frame.Set, v review.Verdict) []spanShown {
	var spans []spanShown
	index, begin := 0, -1
	each := min(kit.CellWidth, kit.StripWidth/float64(frames.Count()))
	end := func() {
		if begin >= 0 {
			spans = append(spans, spanShown{
				v.Kind, each * float64(begin), each * float64(index-begin),
				strings.TrimSpace(fmt.Sprintf("%s: %s %s", v.Kind, v.Frames, v.Note)),
			})
		}
		begin = -1
	}
	for n := range frames.All() {
		if !v.Frames.Contains(n) {
			end()
		} else if begin < 0 {
			begin = index
		}
		index++
	}
	end()
	return spans
}

// showVerdicts answers with what was decided of a sequence.
func (a *page) showVerdicts(c *echo.Context) error {
	s, b, err := a.sequenceOf(c)
	if err != nil {
		return err
	}
	shown, err := a.decidedOf(b.Plan.Production, s)
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "screening/decided", shown)
}

// answerVerdicts answers a verdict with what was decided of its sequence by now.
func (a *page) answerVerdicts(c *echo.Context, done string, mistake error) error {
	s, b, err := a.sequenceOf(c)
	if err != nil {
		return err
	}
	shown, err := a.decidedOf(b.Plan.Production, s)
	if err != nil {
		return err
	}
	if shown.Done = done; mistake != nil {
		shown.Mistake = kit.Capital(strings.TrimPrefix(mistake.Error(), store.ErrNothing.Error()+": ")) + "."
	}
	return c.Render(http.StatusOK, "screening/verdicts", shown)
}

// decide keeps a verdict.
func (a *page) decide(c *echo.Context) error {
	s, b, err := a.sequenceOf(c)
	if err != nil {
		return err
	}
	v := review.Verdict{Sequence: s.ID, Note: c.FormValue("note")}
	v.Kind, err = review.ParseKind(c.FormValue("verdict"))
	if err == nil {
		v.Frames, err = frame.Parse(c.FormValue("frames"))
	}
	if err == nil {
		v.Marks, err = review.ParseMarks(c.FormValue("marks"))
	}
	if err == nil && len(v.Marks) > 0 {
		v.Marked, err = strconv.Atoi(c.FormValue("marked"))
	}
	if err != nil {
		return a.answerVerdicts(c, "", err)
	}
	_, err = a.House.Record.Decide(b.Plan.Production, v, kit.Author(c))
	return a.decided(c, "Kept", v, err)
}

// takeBack takes a verdict back.
func (a *page) takeBack(c *echo.Context) error {
	_, b, err := a.sequenceOf(c)
	if err != nil {
		return err
	}
	id, err := echo.PathParam[int64](c, "verdict")
	if err != nil {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such verdict.")
	}
	v, err := a.House.Record.TakeBack(b.Plan.Production, id, kit.Author(c))
	return a.decided(c, "Taken back", v, err)
}

// decided answers what was done about a verdict, or why it was not.
func (a *page) decided(c *echo.Context, done string, v review.Verdict, err error) error {
	if errors.Is(err, store.ErrNothing) {
		return a.answerVerdicts(c, "", err)
	} else if err != nil {
		return err
	}
	a.Changes.Changed()
	return a.answerVerdicts(c, fmt.Sprintf("%s: %s, %s.", done, v.Kind, v.Frames), nil)
}

// exportVerdicts answers with all verdicts of a production as a file.
func (a *page) exportVerdicts(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	all, err := a.House.Seen(p.Code)
	if err != nil {
		return err
	}
	var content strings.Builder
	media := "text/csv; charset=utf-8"
	switch format := c.Param("format"); format {
	case "csv":
		err = review.WriteCSV(&content, all)
	case "otio":
		media = "application/json"
		err = review.WriteOTIO(&content, p.Title+", verdicts", all)
	default:
		return echo.NewHTTPError(http.StatusNotFound, "Verdicts are written as csv or otio.")
	}
	if err != nil {
		return err
	}
	name := fmt.Sprintf("%s_verdicts.%s", p.Code, c.Param("format"))
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	return c.Blob(http.StatusOK, media, []byte(content.String()))
}

// A notes page is all verdicts of a production, to be printed.
type notesPage struct {
	Title string
	Code  string
	Asked time.Time
	Rows  []noteRow
}

// A noteRow is a sequence with what was decided of it.
type noteRow struct {
	review.Seen
	Shown []verdict
	Room  string // address of the sequence
}

// notesOf returns the notes of a production.
func (a *page) notesOf(v *kit.View) (*notesPage, error) {
	n := &notesPage{Title: v.Production.Title, Code: v.Production.Code, Asked: time.Now()}
	all, err := a.House.Seen(n.Code)
	if err != nil {
		return nil, err
	}
	for _, seen := range all {
		q, err := a.House.Record.Sequence(seen.Sequence)
		if err != nil {
			return nil, err
		}
		row := noteRow{Seen: seen, Room: fmt.Sprintf("screening?sequence=%d", seen.Sequence)}
		for _, stands := range review.Standing(seen.Verdicts) {
			row.Shown = append(row.Shown, a.shownVerdict(n.Code, q, stands))
		}
		if len(row.Shown) > 0 {
			n.Rows = append(n.Rows, row)
		}
	}
	return n, nil
}
