package screening

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/edit"
	"reelhouse/core/followup"
	"reelhouse/core/grade"
	"reelhouse/core/job"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/screening"
	"reelhouse/core/work"
	"reelhouse/house/waiting"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// A gradingPanel is what a grade is made with.
type gradingPanel struct {
	Base     string // address below which the sequence's pictures are
	Code     string // of the production
	Revision int
	Grades   []choice
	Grade    *grade.Grade // that is open; nil for none
	Families []lightFamily
	Steps    []gradeStep
	Mattes   []choice
	Spaces   []choice
	Depth    bool     // was kept
	Wrong    string   // why the grade cannot be done to this sequence, "" for nothing
	Made     []madeOf // of the open grade
	Kinds    []grade.FileKind
	Done     string
	Mistake  string
}

// Pending reports whether anything is still being made.
func (g gradingPanel) Pending() bool { return slices.ContainsFunc(g.Made, madeOf.pending) }

// A lightFamily is passes that are all of a picture's light.
type lightFamily struct {
	Key     string // "groups" or "parts"
	Name    string
	Lights  []shownLight // that were kept
	Missing string       // which of it was not, and what to do about that; "" for nothing
	Whole   bool
}

// A shownLight is a pass of light with what a grade makes of it.
type shownLight struct {
	Pass      pass.Code
	Name      string
	Intensity float64
	Colour    string
}

// Changed reports whether the grade changes it.
func (l shownLight) Changed() bool { return l.Intensity != 1 || l.Colour != "#ffffff" }

// A gradeStep is a step as it is shown.
type gradeStep struct {
	grade.Step
	Number, Last int
	Mattes       []choice
	Spaces       []choice
}

// Triple writes three numbers, as one where they are the same.
func (gradeStep) Triple(v [3]float64) string {
	if v[0] == v[1] && v[1] == v[2] {
		return fmt.Sprint(v[0])
	}
	return fmt.Sprintf("%v %v %v", v[0], v[1], v[2])
}

// gradingOf returns the panel of a sequence, with a grade open.
func (a *page) gradingOf(code string, s store.Sequence, b store.Batch, open string) (g gradingPanel, err error) {
	p, err := a.House.Record.Production(code)
	if err != nil {
		return g, err
	}
	g.Base, g.Code, g.Revision = fmt.Sprintf("/p/%s/screen/%d", code, s.ID), code, p.Number
	g.Kinds = grade.FileKinds()
	kept := s.Spec.Readable()
	g.Depth = slices.Contains(kept, pass.Depth)
	for i, one := range p.Grades {
		if one.Code == open || open == "" && i == 0 {
			g.Grade = &p.Grades[i]
		}
	}
	for _, one := range p.Grades {
		g.Grades = append(g.Grades, choice{one.Code, one.Name, g.Grade != nil && one.Code == g.Grade.Code})
	}
	if g.Grade == nil {
		return g, nil
	}
	g.families(p.Production, s, b, kept)
	for i, step := range g.Grade.Steps {
		shown := gradeStep{Step: step, Number: i + 1, Last: len(g.Grade.Steps)}
		shown.Mattes = []choice{{"", "everywhere", step.Mask.Matte == ""}}
		for _, m := range p.Mattes {
			shown.Mattes = append(shown.Mattes, choice{m.Code, m.Name, step.Mask.Matte == m.Code})
		}
		for _, space := range grade.Spaces() {
			shown.Spaces = append(shown.Spaces, choice{string(space), space.Name(), step.Space == space})
		}
		g.Steps = append(g.Steps, shown)
	}
	if g.Grade.Changes() {
		if _, err := g.Grade.Freeze(kept, b.Plan.LightGroups, p.FindMatte); err != nil {
			g.Wrong = kit.Capital(err.Error()) + "."
		}
	}
	g.Made, err = a.madeFrom(code, s, func(f plan.FollowUp) bool {
		return f.Grade != nil && f.Grade.Code == g.Grade.Code
	})
	return g, err
}

// families fills in which light there is to change.
func (g *gradingPanel) families(p production.Production, s store.Sequence, b store.Batch, kept []pass.Code) {
	groups := lightFamily{Key: "groups", Name: "Light groups"}
	var wanted []pass.Code
	for _, l := range pass.LightPasses(b.Plan.LightGroups) {
		wanted = append(wanted, l.Code)
	}
	for _, f := range []struct {
		lightFamily
		all []pass.Code
	}{{groups, wanted}, {lightFamily{Key: "parts", Name: "Light components"}, grade.Parts()}} {
		family := f.lightFamily
		var lacks []pass.Code
		for _, code := range f.all {
			if !slices.Contains(kept, code) {
				lacks = append(lacks, code)
				continue
			}
			described, err := pass.Find(code)
			if err != nil {
				continue
			}
			light := shownLight{Pass: code, Name: described.Name, Intensity: 1, Colour: "#ffffff"}
			if group, ok := code.LightGroup(); ok {
				light.Name = groupName(b.Plan.LightGroups, group)
			}
			for _, gain := range g.Grade.Lights {
				if gain.Pass == code {
					light.Intensity = gain.Intensity
					if gain.Colour != "" {
						light.Colour = gain.Colour
					}
				}
			}
			family.Lights = append(family.Lights, light)
		}
		if family.Whole = len(lacks) == 0; !family.Whole {
			family.Missing = missingPasses(p, s, lacks)
		}
		g.Families = append(g.Families, family)
	}
	// What was kept comes first.
	slices.SortStableFunc(g.Families, func(a, b lightFamily) int {
		return kit.OneIf(len(a.Lights) == 0) - kit.OneIf(len(b.Lights) == 0)
	})
}

func groupName(groups []pass.LightGroup, code string) string {
	for _, g := range groups {
		if g.Code == code {
			return g.Name
		}
	}
	return "All other light"
}

// answerGrading answers a change of grades with the panel.
func (a *page) answerGrading(c *echo.Context, open string, change func(g *gradingPanel)) error {
	s, b, err := a.sequenceOf(c)
	if err != nil {
		return err
	}
	g, err := a.gradingOf(b.Plan.Production, s, b, open)
	if err != nil {
		return err
	}
	change(&g)
	return a.answerPart(c, "screening/grading", g)
}

// showGrading answers with the panel as it is now.
func (a *page) showGrading(c *echo.Context) error {
	return a.answerGrading(c, c.QueryParam("grade"), func(*gradingPanel) {})
}

// changeGrading edits a grade by a command, or makes it of the sequence.
func (a *page) changeGrading(c *echo.Context) error {
	s, b, err := a.sequenceOf(c)
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The form could not be read.")
	}
	open := form.Get("grade")
	var done string
	var mistake error
	if name := form.Get("command"); name == "make" {
		done, mistake, err = a.make(s, b, work.Grade, open, "")
	} else {
		if !strings.HasPrefix(name, "grade.") {
			return echo.NewHTTPError(http.StatusBadRequest, "This is no edit of a grade.")
		}
		fields, unknown := edit.Fields(name)
		if unknown != nil {
			return echo.NewHTTPError(http.StatusBadRequest, "This is no edit of a grade.")
		}
		values := map[string][]string{}
		for _, field := range fields {
			if texts, given := form[field.Name]; given {
				values[field.Name] = texts
			}
		}
		var command edit.Command
		command, mistake = edit.FromText(name, values)
		if errors.Is(mistake, edit.ErrUnknown) {
			return echo.NewHTTPError(http.StatusBadRequest, "This cannot be edited; load the page again.")
		}
		if mistake == nil {
			var p store.Revision
			p, mistake, err = a.change(c, command)
			open = nowOpen(p.Production, name, form, open)
		}
	}
	if err != nil {
		return err
	}
	return a.answerGrading(c, open, func(g *gradingPanel) {
		if g.Done = done; mistake != nil {
			g.Done, g.Mistake = "", kit.Capital(mistake.Error())+"."
		}
	})
}

// nowOpen returns the code of the grade that is open after an edit.
func nowOpen(p production.Production, name string, form url.Values, open string) string {
	switch {
	case len(p.Grades) == 0: // nothing was done
	case name == "grade.add" || name == "grade.copy":
		return p.Grades[len(p.Grades)-1].Code
	case name == "grade.set" && form.Get("code") != "":
		return form.Get("code")
	case name == "grade.remove":
		return ""
	}
	return open
}

// importCorrections adds the corrections of a file to a grade, as steps.
func (a *page) importCorrections(c *echo.Context) error {
	open := c.FormValue("grade")
	file, name, err := kit.Uploaded(c, "choose a .cc, .ccc or .cdl file")
	var all []grade.Correction
	if err == nil {
		defer file.Close()
		all, err = grade.ReadFile(file)
	}
	if err == nil {
		var p store.Revision
		if p, err = a.House.Record.Production(c.Param("code")); err != nil {
			return err
		}
		if g, _ := p.FindGrade(open); len(g.Steps)+len(all) > grade.MostSteps {
			err = fmt.Errorf("%s has %d corrections; a grade has %d steps at most", name, len(all), grade.MostSteps)
		}
	}
	done := ""
	for _, one := range all {
		if err != nil {
			break
		}
		var command edit.Command
		numbers := func(v [3]float64) []string { return []string{fmt.Sprintf("%v %v %v", v[0], v[1], v[2])} }
		command, err = edit.FromText("grade.add-step", map[string][]string{
			"grade": {open}, "name": {one.ID}, "slope": numbers(one.CDL.Slope), "offset": numbers(one.CDL.Offset),
			"power": numbers(one.CDL.Power), "saturation": {fmt.Sprint(one.CDL.Saturation)},
		})
		if err == nil {
			var mistake error
			if _, mistake, err = a.change(c, command); err == nil {
				err = mistake
			}
		}
		done = fmt.Sprintf("%d corrections of %s are steps now.", len(all), name)
	}
	return a.answerGrading(c, open, func(g *gradingPanel) {
		if g.Done = done; err != nil {
			g.Done, g.Mistake = "", kit.Capital(err.Error())+"."
		}
	})
}

// exportCorrections answers with the steps of a grade as a file, or with its gains of light as JSON.
func (a *page) exportCorrections(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	g, ok := p.FindGrade(c.Param("grade"))
	if !ok {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such grade.")
	}
	var content strings.Builder
	format, media := c.Param("format"), "application/xml"
	switch kind := grade.FileKind(format); {
	case format == "json":
		media = "application/json"
		err = grade.WriteLights(&content, g, p.LightGroups)
	case slices.Contains(grade.FileKinds(), kind):
		err = grade.WriteFile(&content, kind, g.Corrections())
	default:
		return echo.NewHTTPError(http.StatusNotFound, "A grade is written as cc, ccc, cdl or json.")
	}
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, kit.Capital(err.Error())+".")
	}
	name := fmt.Sprintf("%s_%s.%s", p.Code, g.Code, format)
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	return c.Blob(http.StatusOK, media, []byte(content.String()))
}

// graded makes a picture by an order, unless it is in memory under a key.
func (a *page) graded(ctx context.Context, key string, order job.FollowUp) (*pixel.Image, error) {
	return a.frames.Get(ctx, "graded "+key, func(ctx context.Context) (*pixel.Image, error) {
		return waiting.In(ctx, a.reading, func() (*pixel.Image, error) {
			size := order.Picture.Area().Size()
			img, err := followup.Picture(ctx, order, openInput, shrunk(raster.Size{Width: size.X, Height: size.Y}))
			return img, gone(err)
		})
	})
}

// gradedPicture answers with a frame as a grade of the production changes it now.
func (a *page) gradedPicture(c *echo.Context) error {
	s, b, number, err := a.FrameIn(c)
	if err != nil {
		return err
	}
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	g, ok := p.FindGrade(c.QueryParam("grade"))
	if !ok {
		return echo.NewHTTPError(http.StatusNotFound, "There is no such grade any more.")
	}
	var frozen *grade.Frozen
	passes := []pass.Code{pass.Beauty}
	if g.Changes() {
		f, err := g.Freeze(s.Spec.Readable(), b.Plan.LightGroups, p.FindMatte)
		if err != nil {
			return echo.NewHTTPError(http.StatusNotFound, kit.Capital(err.Error())+".")
		}
		frozen, passes = &f, append(passes, f.Passes()...)
	}
	order, err := a.orderFor(s, b, number, passes)
	if err != nil {
		return err
	}
	order.Grade = frozen
	text, err := json.Marshal(frozen)
	if err != nil {
		return err
	}
	view, err := a.viewOf(c, s, b, pass.Beauty)
	if err != nil {
		return err
	}
	img, err := a.graded(c.Request().Context(), fmt.Sprint(s.ID, number, string(text)), order)
	if err != nil {
		return err
	}
	shown, err := screening.Look(img, pass.Beauty, view)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", "image/png")
	h.Set("Cache-Control", "private, max-age=60")
	h.Set("X-Mapping", url.PathEscape("graded by "+g.Name+"; "+
		view.Mapping(pass.Beauty, b.Plan.DepthOf(s.Spec).Style)))
	return screening.EncodePNG(c.Response(), shown)
}

// mostLightBytes is how much of light is sent to a browser for a frame; larger pictures are sent smaller.
const mostLightBytes = 160 << 20

// A lightHead tells what follows it: planes of 16-bit floats, the lower byte first, line by line, red, green and blue
// of the picture, and then of each pass.
type lightHead struct {
	Width  int         `json:"width"`
	Height int         `json:"height"`
	Passes []pass.Code `json:"passes"` // the picture first
}

// lights answers with the picture of a frame and its passes of light, to be relit in the browser: the length of a
// lightHead in four bytes, the head as JSON, and the planes.
func (a *page) lights(c *echo.Context) error {
	s, b, number, err := a.FrameIn(c)
	if err != nil {
		return err
	}
	kept := s.Spec.Readable()
	all := grade.Parts()
	if c.QueryParam("family") != "parts" {
		all = nil
		for _, p := range pass.LightPasses(b.Plan.LightGroups) {
			all = append(all, p.Code)
		}
	}
	wanted := slices.DeleteFunc(slices.Clone(all), func(code pass.Code) bool { return !slices.Contains(kept, code) })
	if len(wanted) == 0 {
		return echo.NewHTTPError(http.StatusNotFound, "None of this light was kept.")
	}
	order, err := a.orderFor(s, b, number, append([]pass.Code{pass.Beauty}, wanted...))
	if err != nil {
		return err
	}
	size := order.Picture.Area().Size()
	by := shrunk(raster.Size{Width: size.X, Height: size.Y})
	for size.X/by*(size.Y/by)*6*(len(wanted)+1) > mostLightBytes {
		by++
	}
	img, err := waiting.In(c.Request().Context(), a.reading, func() (*pixel.Image, error) {
		return followup.Lights(c.Request().Context(), order, openInput, by, wanted)
	})
	if err != nil {
		return gone(err)
	}
	head, err := json.Marshal(lightHead{img.Width, img.Height, append([]pass.Code{pass.Beauty}, wanted...)})
	if err != nil {
		return err
	}
	for len(head)%2 > 0 { // halves begin at even places
		head = append(head, ' ')
	}
	w := c.Response()
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Cache-Control", "private, max-age=3600")
	w.WriteHeader(http.StatusOK)
	if _, err := w.Write(binary.LittleEndian.AppendUint32(nil, uint32(len(head)))); err != nil {
		return err
	}
	if _, err := w.Write(head); err != nil {
		return err
	}
	line := make([]byte, 2*img.Width)
	for _, plane := range img.Planes {
		for y := range img.Height {
			for x, v := range plane.Data[y*img.Width : (y+1)*img.Width] {
				binary.LittleEndian.PutUint16(line[2*x:], pixel.ToHalf(v))
			}
			if _, err := w.Write(line); err != nil {
				return err
			}
		}
	}
	return nil
}
