package screening

import (
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/difference"
	"reelhouse/core/movie"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/screening"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// compared is what the sequence in the room is compared with.
type compared struct {
	With       string // what the address says: s and a sequence's number, or r and a reference's; "" for nothing
	Title      string
	Base       string // address below which its pictures are
	Still      bool   // it is a reference: one picture for all frames, or a movie
	Movie      *movie.Facts
	Output     string
	Passes     []pass.Pass
	Choices    []choice
	References []shownReference
	Upload     string // where a reference is sent to
	Code       string
	Changes    []setUpChange // from the sequence in the room to it
	Modes      []choice
	Mistake    string
	// Eyes says that both are the eyes of a stereo pair, and Swapped that the one in the room is the right one.
	Eyes, Swapped bool
}

// A choice is one of several.
type choice struct {
	Value, Text string
	Chosen      bool
}

// A shownReference is a reference with where it is removed.
type shownReference struct {
	store.KeptReference
	Remove string
}

// A setUpChange is one place in which two set-ups differ.
type setUpChange struct{ Where, Was, Is string }

// mostSetUpChanges is how many are listed.
const mostSetUpChanges = 40

// modes are the ways of comparing.
func modes() []choice {
	return []choice{
		{Value: "side", Text: "side by side"}, {Value: "over", Text: "over and under"}, {Value: "wipe", Text: "wipe"},
		{Value: "difference", Text: "difference"}, {Value: "flicker", Text: "flicker"},
		{Value: "anaglyph", Text: "red-cyan"}, {Value: "first", Text: "this alone"},
		{Value: "second", Text: "the other alone"},
	}
}

// comparedOf returns what the sequence in the room is compared with, and what it could be.
func (a *page) comparedOf(v *kit.View, page *screeningPage) (c compared, err error) {
	c.Code, c.Modes = page.Code, modes()
	c.Upload = fmt.Sprintf("/p/%s/references", page.Code)
	refs, err := a.House.Record.References(page.Code)
	if err != nil {
		return c, err
	}
	c.With = v.Query("with")
	eyes := 0 // how many of the choices are the other eye of the one in the room
	for _, s := range page.Sequences {
		if s.ID == page.Current.ID || s.Good == 0 {
			continue
		}
		with := choice{
			Value: fmt.Sprintf("s%d", s.ID),
			Text:  fmt.Sprintf("%s v%03d, %s", s.Spec.Title(), s.Batch.Plan.VersionOf(s.Spec), s.Batch.Name),
		}
		if eye, ok := otherEye(v.Production.Production, page.Current.Spec, s.Spec); ok {
			side := "left eye: "
			if eye.Left {
				side = "right eye: "
			}
			with.Text = side + with.Text
			c.Choices = slices.Insert(c.Choices, eyes, with)
			eyes++
			if with.Value == c.With {
				c.Eyes, c.Swapped = true, !eye.Left
			}
			continue
		}
		c.Choices = append(c.Choices, with)
	}
	for _, r := range refs {
		c.Choices = append(c.Choices, choice{Value: fmt.Sprintf("r%d", r.ID), Text: "reference " + r.Name})
		c.References = append(c.References, shownReference{r, fmt.Sprintf("%s/%d/remove", c.Upload, r.ID)})
	}
	for i := range c.Choices {
		c.Choices[i].Chosen = c.Choices[i].Value == c.With
		if c.Choices[i].Chosen {
			c.Title = c.Choices[i].Text
		}
	}
	if c.With == "" {
		return c, nil
	}
	if c.Title == "" {
		c.With, c.Mistake = "", "What this was compared with is not there any more."
		return c, nil
	}
	if id, found := strings.CutPrefix(c.With, "r"); found {
		c.Base, c.Still = fmt.Sprintf("%s/%s", c.Upload, id), true
		for _, r := range refs {
			if fmt.Sprint(r.ID) == id && r.Moves() {
				c.Movie = &r.Movie
			}
		}
		return c, nil
	}
	i := slices.IndexFunc(page.Sequences, func(s screened) bool { return fmt.Sprintf("s%d", s.ID) == c.With })
	other := page.Sequences[i]
	c.Base = fmt.Sprintf("/p/%s/screen/%d", page.Code, other.ID)
	c.Output = page.Output.Output
	if len(filesOf(other.Spec, c.Output)) == 0 {
		c.Output = other.Spec.Files[0].Output
	}
	for _, f := range filesOf(other.Spec, c.Output) {
		for _, code := range f.Passes {
			if described, err := pass.Find(code); err == nil {
				c.Passes = append(c.Passes, described)
			}
		}
	}
	c.Changes, err = setUpChanges(*page.Current, other)
	return c, err
}

// otherEye returns which eye a sequence is, if another one is of the other eye of the same picture.
func otherEye(p production.Production, s, other plan.Sequence) (production.Eye, bool) {
	eye, ok := p.EyeOf(s.View)
	return eye, ok && other.View == eye.Other && other.Shot == s.Shot && other.SizeCode == s.SizeCode
}

// setUpChanges returns in what the set-ups of two sequences differ: all that decides their files, but for the numbers
// of frames.
func setUpChanges(from, to screened) ([]setUpChange, error) {
	was, err := setUpOf(from)
	if err != nil {
		return nil, err
	}
	is, err := setUpOf(to)
	if err != nil {
		return nil, err
	}
	changes, err := difference.Between(was, is)
	if err != nil {
		return nil, err
	}
	var all []setUpChange
	for _, c := range changes {
		all = append(all, setUpChange{c.Where(), orNothing(string(c.Was)), orNothing(string(c.Is))})
	}
	return all[:min(len(all), mostSetUpChanges)], nil
}

func orNothing(text string) string {
	const most = 120
	switch {
	case text == "":
		return "nothing"
	case len(text) > most:
		return strings.ToValidUTF8(text[:most], "") + "…"
	}
	return text
}

// setUpOf returns what decides the files of a sequence, as fingerprints know it.
func setUpOf(s screened) (map[string]any, error) {
	order, err := s.Batch.Plan.Order(s.Spec, s.Spec.Frames.First(), s.Batch.Plan.Facts(s.Spec, s.Spec.Frames.First()))
	if err != nil {
		return nil, err
	}
	headers := map[string]string{}
	for _, f := range order.Facts {
		if f.Name != "timecode" && f.Name != "label" {
			headers[f.Name] = f.Value
		}
	}
	outputs := map[string]any{}
	for _, f := range s.Spec.Files {
		outputs[f.Output+" "+f.Label] = map[string]any{"encoding": f.Encoding, "size": f.Size.String()}
	}
	order.Facts, order.Frames = nil, nil
	return map[string]any{
		"set-up": order, "header": headers, "outputs": outputs, "frames": s.Spec.Frames.String(),
		"environment": s.Spec.Environment.SHA256, "renderer": s.Sequence.Renderer.String(),
	}, nil
}

// against answers with the differences of the values of two frames, as a picture.
func (a *page) against(c *echo.Context) error {
	img, s, err := a.loaded(c)
	if err != nil {
		return err
	}
	gain, err := strconv.ParseFloat(c.QueryParamOr("gain", "1"), 64)
	if err != nil || math.IsNaN(gain) {
		return echo.NewHTTPError(http.StatusBadRequest, "A gain is a number.")
	}
	code := pass.Code(c.Param("pass"))
	other, otherPass, err := a.otherImage(c, s, code)
	if err != nil {
		return err
	}
	shown, found, err := screening.Difference(img, other, code, otherPass, gain)
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, err.Error())
	}
	h := c.Response().Header()
	h.Set("Content-Type", "image/png")
	h.Set("Cache-Control", "private, max-age=3600") // good frames do not change
	h.Set("X-Mapping", url.PathEscape(found.Words(gain)))
	return screening.EncodePNG(c.Response(), shown)
}

// otherImage returns what a frame is held against, and the pass of it.
func (a *page) otherImage(c *echo.Context, s store.Sequence, code pass.Code) (*pixel.Image, pass.Code, error) {
	with := c.QueryParam("with")
	if text, found := strings.CutPrefix(with, "r"); found {
		number, err := strconv.Atoi(c.QueryParamOr("number", "0"))
		if err != nil {
			return nil, "", echo.NewHTTPError(http.StatusBadRequest, "Frames of a movie are counted from 0.")
		}
		r, err := a.referenceOf(c, text)
		if err != nil {
			return nil, "", err
		}
		img, err := a.referenceFrame(c.Request().Context(), r, number)
		return img, pass.Beauty, err
	}
	text, found := strings.CutPrefix(with, "s")
	id, err := strconv.ParseInt(text, 10, 64)
	number, numbered := strconv.Atoi(c.QueryParamOr("number", c.Param("frame")))
	if !found || err != nil || numbered != nil {
		return nil, "", echo.NewHTTPError(http.StatusBadRequest, "Name what it is compared with, such as s12 or r3.")
	}
	q, _, err := a.SequenceOf(c, id)
	if err != nil {
		return nil, "", err
	}
	img, err := a.outputFrame(c.Request().Context(), q, number, c.QueryParam("other"))
	return img, pass.Code(c.QueryParamOr("pass", string(code))), err
}
