package screening

import (
	"context"
	"errors"
	"fmt"
	"image"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"reelhouse/core/edit"
	"reelhouse/core/matte"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/plan"
	"reelhouse/core/screening"
	"reelhouse/core/work"
	"reelhouse/house"
	"reelhouse/house/waiting"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// A mattesPanel is what mattes are picked with, and those that are kept.
type mattesPanel struct {
	Base    string // address below which the sequence's pictures are
	Code    string // of the production
	Layers  []choice
	Missing string // why nothing can be picked, "" for nothing
	Saved   []savedMatte
	Formats []output.Format
	Shown   string // code of the matte that was kept just now, and is shown
	// Revision is the production's that the panel shows.
	Revision int
	Done     string
	Mistake  string
}

// A savedMatte is one that the production keeps.
type savedMatte struct {
	pass.Matte
	From string // what it is taken from
	Made []madeOf
}

// Pending reports whether anything is still being written.
func (m mattesPanel) Pending() bool {
	return slices.ContainsFunc(m.Saved, func(s savedMatte) bool { return slices.ContainsFunc(s.Made, madeOf.pending) })
}

// layerName is what mattes are taken from, for people.
func layerName(code pass.Code) string {
	return map[pass.Code]string{
		pass.CryptoObject: "objects", pass.CryptoMaterial: "materials", pass.CryptoAsset: "assets",
	}[code]
}

// mattesOf returns the panel of mattes of a sequence.
func (a *page) mattesOf(code string, s store.Sequence) (m mattesPanel, err error) {
	m.Base, m.Code = fmt.Sprintf("/p/%s/screen/%d", code, s.ID), code
	m.Formats = plan.MatteFormats()
	for _, layer := range pass.Cryptomattes() {
		if s.Spec.FileOf(layer) >= 0 {
			m.Layers = append(m.Layers, choice{Value: string(layer), Text: layerName(layer)})
		}
	}
	p, err := a.House.Record.Production(code)
	if err != nil {
		return m, err
	}
	m.Revision = p.Number
	if len(m.Layers) == 0 {
		m.Missing = missingPasses(p.Production, s, pass.Cryptomattes()[:1])
	}
	made, err := a.madeFrom(code, s, func(f plan.FollowUp) bool { return f.Matte != nil })
	if err != nil {
		return m, err
	}
	for _, kept := range p.Mattes {
		saved := savedMatte{Matte: kept, From: layerName(kept.Layer)}
		for _, q := range made {
			if q.Spec.FollowUp.Matte.Code == kept.Code {
				saved.Made = append(saved.Made, q)
			}
		}
		m.Saved = append(m.Saved, saved)
	}
	return m, nil
}

// answerMattes answers a change of mattes with the panel.
func (a *page) answerMattes(c *echo.Context, change func(m *mattesPanel)) error {
	s, b, err := a.sequenceOf(c)
	if err != nil {
		return err
	}
	m, err := a.mattesOf(b.Plan.Production, s)
	if err != nil {
		return err
	}
	change(&m)
	return a.answerPart(c, "screening/mattes", m)
}

// answerPart answers with a panel; after an edit, with what has changed around it, too.
func (a *page) answerPart(c *echo.Context, template string, panel any) error {
	if c.Request().Method != http.MethodPost {
		return c.Render(http.StatusOK, template, panel)
	}
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	return a.Part(c, key, template, panel, p)
}

// showMattes answers with the panel as it is now.
func (a *page) showMattes(c *echo.Context) error { return a.answerMattes(c, func(*mattesPanel) {}) }

// changeMattes keeps, removes or writes a matte.
func (a *page) changeMattes(c *echo.Context) error {
	s, b, err := a.sequenceOf(c)
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The form could not be read.")
	}
	code := form.Get("matte")
	var done, shown string
	var mistake error
	switch {
	case form.Get("write") != "":
		done, mistake, err = a.make(s, b, work.Matte, code, output.Format(form.Get("write")))
	case form.Get("remove") != "":
		_, mistake, err = a.change(c, edit.RemoveMatte{Matte: code})
		done = "Removed. What was written of it stays."
	default:
		var p store.Revision
		p, mistake, err = a.change(c, edit.AddMatte{
			Title: form.Get("name"), Layer: form.Get("layer"), Names: form["names"],
		})
		if mistake == nil && err == nil {
			shown, done = p.Mattes[len(p.Mattes)-1].Code, "Kept with the production."
		}
	}
	if err != nil {
		return err
	}
	return a.answerMattes(c, func(m *mattesPanel) {
		if m.Shown, m.Done = shown, done; mistake != nil {
			m.Done, m.Mistake = "", kit.Capital(mistake.Error())+"."
		}
	})
}

// change edits the production of a sequence. A person's mistake is returned by itself.
func (a *page) change(c *echo.Context, command edit.Command) (p store.Revision, mistake error, err error) {
	_, p, err = a.House.Do(c.Param("code"), house.Editing{By: kit.Author(c), Seen: store.Any}, command)
	var m *edit.Mistake
	if errors.As(err, &m) {
		return p, m, nil
	}
	if err == nil {
		a.Changes.Changed()
	}
	return p, nil, err
}

// ranksOf returns a Cryptomatte of a good frame, from memory if it was asked for before.
func (a *page) ranksOf(ctx context.Context, s store.Sequence, number int, layer pass.Code) (*matte.Ranks, error) {
	at := s.Spec.FileOf(layer)
	if at < 0 || !slices.Contains(pass.Cryptomattes(), layer) {
		return nil, echo.NewHTTPError(http.StatusNotFound, "This sequence has no such pass of mattes.")
	}
	described, err := pass.Find(layer)
	if err != nil {
		return nil, err
	}
	files := s.Spec.Files[at]
	of := shrunk(files.Size)
	key := fmt.Sprint(frameID{s.ID, number, files.Output}, layer, of)
	return a.ranks.Get(ctx, key, func(ctx context.Context) (*matte.Ranks, error) {
		return waiting.In(ctx, a.reading, func() (r *matte.Ranks, err error) {
			err = a.everyFile(s, number, files.Output, func(f *picture.File, sequence plan.FileSequence) (err error) {
				if slices.Contains(sequence.Passes, layer) {
					r, err = matte.Read(ctx, f, described.Layer, of)
				}
				return err
			})
			return r, err
		})
	})
}

// rankBytes is how much of Cryptomattes is kept, and mostNamesForm how large a form with names may be.
const (
	rankBytes     = 300 << 20
	mostNamesForm = 1 << 20
)

// mostFound is how many names are answered with.
const mostFound = 200

// names answers with what covers a place of a frame, the most first, or with what is called like something.
func (a *page) names(c *echo.Context) error {
	s, _, number, err := a.FrameIn(c)
	if err != nil {
		return err
	}
	place, err := placeOf(c.QueryParam("place"))
	if err != nil {
		return err
	}
	r, err := a.ranksOf(c.Request().Context(), s, number, pass.Code(c.QueryParam("layer")))
	if err != nil {
		return err
	}
	answer := struct {
		Names []string `json:"names"`
		All   int      `json:"all"`
	}{Names: []string{}}
	if place == nil {
		answer.Names, answer.All = r.NamesLike(c.QueryParam("like"), mostFound)
		return c.JSON(http.StatusOK, answer)
	}
	k := shrunk(s.Spec.Files[s.Spec.FileOf(pass.Code(c.QueryParam("layer")))].Size)
	x, y := place.X/k, place.Y/k
	part := image.Rect(x, y, x+max(1, place.Width/k), y+max(1, place.Height/k))
	found := r.Within(part, 0)
	answer.All = len(found)
	for _, f := range found[:min(mostFound, len(found))] {
		answer.Names = append(answer.Names, f.Name)
	}
	return c.JSON(http.StatusOK, answer)
}

// The ways in which a matte is shown.
const (
	showOverlay = "overlay"
	showAlone   = "alone"
	showOnGrey  = "grey"
)

// matteColour is what an overlay is tinted with.
var matteColour = [3]float64{0x19, 0xd3, 0xc5}

// matteGrey is the code beside what a matte holds, on grey.
const matteGrey = 0x76

// mattePicture answers with a matte of a frame: of one that is kept, or of names.
func (a *page) mattePicture(c *echo.Context) error {
	s, b, number, err := a.FrameIn(c)
	if err != nil {
		return err
	}
	m := pass.Matte{Layer: pass.Code(c.QueryParam("layer")), Names: c.QueryParams()["names"]}
	if code := c.QueryParam("matte"); code != "" {
		p, err := a.House.Record.Production(c.Param("code"))
		if err != nil {
			return err
		}
		kept, ok := p.FindMatte(code)
		if !ok {
			return echo.NewHTTPError(http.StatusNotFound, "There is no such matte any more.")
		}
		m = kept
	}
	if len(m.Names) > pass.MostMatteNames {
		return echo.NewHTTPError(http.StatusBadRequest, "These are too many names; use * for those that are alike.")
	}
	r, err := a.ranksOf(c.Request().Context(), s, number, m.Layer)
	if err != nil {
		return err
	}
	coverage := r.Pull(r.Wanted(m))
	show := c.QueryParamOr("show", showOverlay)
	shown := image.NewNRGBA(image.Rect(0, 0, r.Width, r.Height))
	if show != showAlone {
		under, err := a.under(c, s, b, number)
		if err != nil {
			return err
		}
		if under != nil && under.Bounds().Size() == shown.Bounds().Size() {
			shown = under
		}
	}
	words := "coverage from black, 0, to white, 1"
	switch show {
	case showAlone:
		blend(shown, coverage, func(_, m float64, _ int) float64 { return 255 * m })
	case showOnGrey:
		words = "the picture in the matte, and grey beside it"
		blend(shown, coverage, func(v, m float64, _ int) float64 { return matteGrey + m*(v-matteGrey) })
	case showOverlay:
		words = "the picture, tinted where the matte covers it"
		blend(shown, coverage, func(v, m float64, i int) float64 { return v + m*0.6*(matteColour[i]-v) })
	default:
		return echo.NewHTTPError(http.StatusBadRequest, "A matte is shown as overlay, alone or on grey.")
	}
	covered := 0.0
	for _, v := range coverage {
		covered += float64(v)
	}
	h := c.Response().Header()
	h.Set("Content-Type", "image/png")
	h.Set("Cache-Control", "private, max-age=60")
	h.Set("X-Covered", strconv.FormatFloat(100*covered/float64(len(coverage)), 'f', 2, 64))
	h.Set(
		"X-Mapping",
		url.PathEscape(fmt.Sprintf("%s; %.2f %% of the picture", words, 100*covered/float64(len(coverage)))),
	)
	return screening.EncodePNG(c.Response(), shown)
}

// blend changes the codes of a picture by how much a matte covers of it.
func blend(img *image.NRGBA, coverage []float32, by func(code, covered float64, channel int) float64) {
	for i, m := range coverage {
		pixel := img.Pix[4*i : 4*i+4]
		for c := range 3 {
			pixel[c] = uint8(min(255, max(0, by(float64(pixel[c]), float64(m), c))) + 0.5)
		}
		pixel[3] = 255
	}
}

// under returns the picture of a frame as it is looked at, nil if none was kept.
func (a *page) under(c *echo.Context, s store.Sequence, b store.Batch, number int) (*image.NRGBA, error) {
	at := s.Spec.FileOf(pass.Beauty)
	if at < 0 {
		return nil, nil
	}
	output := s.Spec.Files[at].Output
	view, err := a.viewOf(c, s, b, pass.Beauty)
	if err != nil {
		return nil, err
	}
	order, err := a.orderFor(s, b, number, []pass.Code{pass.Beauty})
	if err != nil {
		return nil, err
	}
	img, err := a.graded(c.Request().Context(), fmt.Sprint(frameID{s.ID, number, output}), order)
	if err != nil {
		return nil, err
	}
	return screening.Look(img, pass.Beauty, view)
}
