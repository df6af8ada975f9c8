package screening

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/cut"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
	"reelhouse/core/screening"
	"reelhouse/house/waiting"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// screened is one sequence that can be looked at.
type screened struct {
	store.Sequence
	Batch store.Batch
	Good  int
}

// screeningPage is the sequence that is looked at, and those that could be.
type screeningPage struct {
	Code       string // of the production
	Sequences  []screened
	Current    *screened // nil on the wall
	Wall       wall
	Retakes    *retakesPage // nil where they are not asked for
	Notes      *notesPage   // likewise
	Verdicts   verdicts
	Compared   compared
	Marked     raster.Size // in whose pixels marks are drawn
	Outputs    []string
	Output     plan.FileSequence // the first file of the output that is shown
	Passes     []pass.Pass
	Strip      kit.Strip
	Frame      int
	Pass       string
	Mapping    string
	Rate       float64
	Background float64
	Shown      raster.Size // on the screen
	Shrunk     int         // so many pixels of an edge become one there
	Place      string      // that is marked, see finding
	Findings   findings
	Channels   string   // what may be looked at by itself, as JSON: lists by the codes of passes
	Marks      string   // how what is out of range is marked
	Viewings   []choice // the production's is chosen
	Sound      *heard   // nil where none plays along
	Mattes     mattesPanel
	Grading    gradingPanel
}

// fill shows the wall, or one sequence.
func (a *page) fill(v *kit.View) error {
	page := screeningPage{Code: v.Production.Code, Pass: v.Query("pass")}
	asked, _ := strconv.ParseInt(v.Query("sequence"), 10, 64)
	batches, err := a.House.Record.Batches(v.Production.Code)
	if err != nil {
		return err
	}
	if batches, err = a.withMade(v.Production.Code, batches); err != nil {
		return err
	}
	for _, b := range batches {
		for _, s := range b.Sequences {
			page.Sequences = append(page.Sequences, screened{s, b, s.Counts[queue.Good]})
		}
	}
	for i := range page.Sequences {
		s := &page.Sequences[i]
		if s.ID == asked {
			page.Current = s
		}
	}
	if page.Current == nil {
		if asked != 0 {
			return echo.NewHTTPError(http.StatusNotFound, "There is no such sequence here.")
		}
		switch {
		case v.Query("retakes") != "":
			page.Retakes, err = a.retakesOf(v, "", 0)
		case v.Query("notes") != "":
			page.Notes, err = a.notesOf(v)
		default:
			page.Wall, err = a.wallOf(v, batches)
		}
		v.Page = page
		return err
	}
	err = a.fillRoom(v, &page)
	v.Page = page
	return err
}

// A heard is the sound that plays along with a sequence.
type heard struct {
	cut.Heard
	Name    string
	Address string
}

// heardIn returns what the production's cut has of sound for a sequence, at the rate that it was rendered for.
func heardIn(p production.Production, s store.Sequence) *heard {
	at, ok := p.Cut.Heard(s.Spec.Shot, s.Spec.View, p.Rate)
	if !ok {
		return nil
	}
	sound := p.Cut.Sound
	return &heard{at, sound.Name, fmt.Sprintf("/p/%s/cut/sound?%s", p.Code, sound.SHA256)}
}

// fillRoom shows the sequence that was chosen.
func (a *page) fillRoom(v *kit.View, page *screeningPage) error {
	if place, err := placeOf(v.Query("place")); err == nil && place != nil {
		page.Place = v.Query("place")
	}
	frames, err := a.House.Record.Frames(page.Current.ID)
	if err != nil {
		return err
	}
	page.Strip = kit.StripOf(frames, kit.StripWidth, nil, true)
	page.Rate = page.Current.Batch.Plan.Rate.PerSecond()
	for _, f := range page.Current.Spec.Files {
		if !slices.Contains(page.Outputs, f.Output) {
			page.Outputs = append(page.Outputs, f.Output)
		}
	}
	files := filesOf(page.Current.Spec, v.Query("output"))
	if len(files) == 0 {
		return echo.NewHTTPError(http.StatusNotFound, "This sequence has no such output.")
	}
	page.Output = files[0]
	page.Shown, page.Shrunk = shownSize(page.Output.Size), shrunk(page.Output.Size)
	for _, f := range files {
		for _, code := range f.Passes {
			described, err := pass.Find(code)
			if err != nil {
				return err
			}
			page.Passes = append(page.Passes, described)
		}
	}
	page.Sound = heardIn(v.Production.Production, page.Current.Sequence)
	if page.Channels, err = channelsOf(page.Passes); err != nil {
		return err
	}
	page.Marks = screening.Marks
	for _, t := range v.Production.Viewings() {
		page.Viewings = append(page.Viewings, choice{string(t), t.Name(), t == v.Production.Picture.Viewing})
	}
	if !slices.ContainsFunc(page.Passes, func(p pass.Pass) bool { return string(p.Code) == page.Pass }) {
		page.Pass = string(page.Passes[0].Code)
	}
	if page.Findings, err = a.foundIn(page.Code, page.Current.Sequence, page.Output.Output); err != nil {
		return err
	}
	if page.Verdicts, err = a.decidedOf(page.Code, page.Current.Sequence); err != nil {
		return err
	}
	page.Marked = markSize(page.Current.Sequence)
	if page.Mattes, err = a.mattesOf(page.Code, page.Current.Sequence); err != nil {
		return err
	}
	page.Grading, err = a.gradingOf(page.Code, page.Current.Sequence, page.Current.Batch, v.Query("grade"))
	if err != nil {
		return err
	}
	select {
	case a.ahead <- page.Current.ID:
	default: // somebody else was faster; each frame is made when it is played at the latest
	}
	if page.Compared, err = a.comparedOf(v, page); err != nil {
		return err
	}
	page.Frame, err = strconv.Atoi(v.Query("frame"))
	if err != nil {
		for _, f := range frames {
			if f.State == queue.Good {
				page.Frame = f.Number
				break
			}
		}
	}
	return nil
}

// filesOf returns the file sequences of one output, of the first one for "".
func filesOf(s plan.Sequence, code string) []plan.FileSequence {
	if code == "" && len(s.Files) > 0 {
		code = s.Files[0].Output
	}
	return slices.DeleteFunc(slices.Clone(s.Files), func(f plan.FileSequence) bool { return f.Output != code })
}

// sequenceOf returns the sequence that an address names, and its batch.
func (a *page) sequenceOf(c *echo.Context) (store.Sequence, store.Batch, error) {
	id, err := echo.PathParam[int64](c, "sequence")
	if err != nil {
		return store.Sequence{}, store.Batch{}, echo.NewHTTPError(http.StatusNotFound, "There is no such sequence.")
	}
	return a.SequenceOf(c, id)
}

// screenFrames lists a sequence's frames and their states, for the player.
func (a *page) screenFrames(c *echo.Context) error {
	s, b, err := a.sequenceOf(c)
	if err != nil {
		return err
	}
	frames, err := a.House.Record.Frames(s.ID)
	if err != nil {
		return err
	}
	clock := b.Plan.Clock()
	type entry struct {
		Number   int         `json:"number"`
		State    queue.State `json:"state"`
		Timecode string      `json:"timecode"`
		Seconds  float64     `json:"seconds"`
		Reason   string      `json:"reason,omitempty"` // why it is not there
	}
	entries := make([]entry, 0, len(frames))
	for _, f := range frames {
		reason := f.Reason
		if f.State == queue.Good {
			reason = ""
		}
		entries = append(entries, entry{
			f.Number, f.State, clock.Timecode(f.Number).String(), clock.Seconds(f.Number), reason,
		})
	}
	return c.JSON(http.StatusOK, entries)
}

// loaded returns the image of one good frame with all its passes, from whichever files they are in.
func (a *page) loaded(c *echo.Context) (*pixel.Image, store.Sequence, error) {
	s, _, number, err := a.FrameIn(c)
	if err != nil {
		return nil, s, err
	}
	img, err := a.outputFrame(c.Request().Context(), s, number, c.QueryParam("output"))
	return img, s, err
}

// outputFrame returns one frame of one output, from memory if it was shown before.
func (a *page) outputFrame(ctx context.Context, s store.Sequence, number int, output string) (*pixel.Image, error) {
	return a.frames.Get(
		ctx,
		fmt.Sprint(frameID{s.ID, number, output}),
		func(ctx context.Context) (*pixel.Image, error) {
			return waiting.In(ctx, a.reading, func() (*pixel.Image, error) { return a.load(ctx, s, number, output) })
		},
	)
}

func (a *page) load(ctx context.Context, s store.Sequence, number int, output string) (*pixel.Image, error) {
	b, err := a.House.Record.BatchAlone(s.BatchID)
	if err != nil {
		return nil, err
	}
	return a.gather(s, number, output, func(f *picture.File, files plan.FileSequence) (*pixel.Image, error) {
		return shown(ctx, f, files, b.Plan.DepthOf(s.Spec).Style)
	})
}

// gather reads something of every file of one output of a good frame, and puts their planes together.
func (a *page) gather(
	s store.Sequence,
	number int,
	output string,
	read func(f *picture.File, files plan.FileSequence) (*pixel.Image, error),
) (*pixel.Image, error) {
	whole := &pixel.Image{}
	err := a.everyFile(s, number, output, func(file *picture.File, sequence plan.FileSequence) error {
		img, err := read(file, sequence)
		if err != nil {
			return err
		}
		whole.Width, whole.Height = img.Width, img.Height
		whole.Planes = append(whole.Planes, img.Planes...)
		return nil
	})
	return whole, err
}

// everyFile reads something of every file of one output of a good frame.
func (a *page) everyFile(
	s store.Sequence, number int, output string, read func(f *picture.File, files plan.FileSequence) error,
) error {
	f, err := a.House.Record.Frame(s.ID, number)
	if err != nil {
		return err
	}
	files, err := a.House.Record.Files(s.ID, number)
	if err != nil {
		return err
	}
	if len(files) == 0 || f.State != queue.Good && f.State != queue.Lost {
		return echo.NewHTTPError(http.StatusNotFound, fmt.Sprintf("Frame %d is not finished yet.", number))
	}
	wanted := map[string]plan.FileSequence{}
	for _, f := range filesOf(s.Spec, output) {
		wanted[f.Path.Frame(number)] = f
	}
	met := 0
	for _, f := range files {
		sequence, ok := wanted[f.Path]
		if !ok {
			continue
		}
		met++
		err := a.opened(f.Path, func(file *picture.File) error { return read(file, sequence) })
		switch {
		case errors.Is(err, screening.ErrOutside):
			return echo.NewHTTPError(http.StatusBadRequest, err.Error())
		case errors.Is(err, fs.ErrNotExist):
			return echo.NewHTTPError(http.StatusGone, "The file "+f.Path+" was good and is no longer there.")
		case err != nil:
			return echo.NewHTTPError(
				http.StatusGone, "The file "+f.Path+" was good and cannot be read any more: "+err.Error(),
			)
		}
	}
	if met == 0 {
		return echo.NewHTTPError(http.StatusNotFound, "This frame has no file of that output.")
	}
	return nil
}

// depthFar returns the depth shown white for a whole sequence: that of its first good frame, so that
// playing does not flicker.
func (a *page) depthFar(
	ctx context.Context, s store.Sequence, b store.Batch, code pass.Code, output string,
) (float64, error) {
	frames, err := a.House.Record.Frames(s.ID)
	if err != nil {
		return 0, err
	}
	for _, f := range frames {
		if f.State == queue.Good {
			img, err := a.outputFrame(ctx, s, f.Number, output)
			if err != nil {
				return 0, err
			}
			depth := b.Plan.DepthOf(s.Spec)
			return screening.DepthFar(img, code, depth.Style, depth.Background), nil
		}
	}
	return 1, nil
}

// screenPicture answers with one pass of one frame as a picture for the screen.
func (a *page) screenPicture(c *echo.Context) error {
	img, s, err := a.loaded(c)
	if err != nil {
		return err
	}
	code := pass.Code(c.Param("pass"))
	b, err := a.House.Record.BatchAlone(s.BatchID)
	if err != nil {
		return err
	}
	view, err := a.viewOf(c, s, b, code)
	if err != nil {
		return err
	}
	shown, err := screening.Look(img, code, view)
	if err != nil {
		return echo.NewHTTPError(http.StatusNotFound, err.Error())
	}
	h := c.Response().Header()
	h.Set("Content-Type", "image/png")
	h.Set("Cache-Control", showing{lut: view.LUT}.maxAge())
	words := view.Mapping(code, b.Plan.DepthOf(s.Spec).Style)
	h.Set("X-Mapping", url.PathEscape(words)) // headers have letters of ASCII only
	return screening.EncodePNG(c.Response(), shown)
}

// probe answers with the true values of one pixel.
func (a *page) probe(c *echo.Context) error {
	s, b, number, err := a.FrameIn(c)
	if err != nil {
		return err
	}
	x, errX := strconv.Atoi(c.QueryParam("x"))
	y, errY := strconv.Atoi(c.QueryParam("y"))
	if errX != nil || errY != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "Name a pixel by x and y.")
	}
	output := c.QueryParam("output")
	values := []screening.Value{}
	err = a.everyFile(s, number, output, func(f *picture.File, files plan.FileSequence) error {
		more, err := screening.Values(f, 0, x, y, files.Passes, b.Plan.DepthOf(s.Spec).Style)
		values = append(values, more...)
		return err
	})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, values)
}

type frameID struct {
	sequence int64
	number   int
	output   string
}

// How much of decoded frames is kept, and how many are read side by side.
const (
	cacheBytes  = 400 << 20
	cacheFrames = 1000
	readAtOnce  = 2
)

func size(img *pixel.Image) int64 {
	return 4 * int64(img.Width) * int64(img.Height) * int64(len(img.Planes))
}
